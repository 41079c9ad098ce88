"""What a bench can do: operations, the rules of their order, the schools under which each holds, and the routes."""

from collections.abc import Mapping
from dataclasses import dataclass, field, replace

from deft_bench.core.work.extent import Extent

When = Mapping[str, tuple[str, ...]]
"""Facts and the values of each under which something holds; empty always holds."""

PHASES: dict[str, str] = {
    "intake": "Intake",
    "board": "Board",
    "binding": "Binding",
    "neck": "Neck and board",
    "frets": "Fretting",
    "level": "Level and dress",
    "finish": "Finish",
    "setup": "Setup",
    "report": "Report",
    "practice": "Practice",
}

PARTS: dict[str, str] = {"board": "the board", "neck": "the neck"}
"""What work is done on, as far as a cure or a clamp holds it."""
PARTS_OF_PHASE: dict[str, tuple[str, ...]] = {
    "board": ("board",),
    "binding": ("board",),
    "neck": ("board", "neck"),
    "frets": ("board", "neck"),
    "level": ("board", "neck"),
    "finish": ("board", "neck"),
    "setup": ("board", "neck"),
}
"""What the work of a phase is done on where its operation does not say: from the gluing on, board and neck are one."""

SHOWN_BY: dict[str, dict[str, str]] = {
    "fretwork": {
        "heights": "every place of the fret heights is read",
        "heights_in_force": "they are, and nothing has moved the neck since",
        "planned_shape": "the heights lie within the planned shape",
        "level_done": "an accepted level plan is carried out",
        "nut_out": "the nut is out or protected",
        "bow": "the neck is straight enough to judge the frets",
        "bow_of_board": "the bow on the wood",
        "bow_after": "the bow with the new frets in",
        "relief": "the bow as it is, no gate",
        "slot_depth": "every slot takes its tang",
        "wire_cut": "every blank is cut",
        "seating": "no daylight under any crown",
        "reseating": "the frets were found home, or made so",
        "fret_ends": "flush and bevelled, both sides",
    },
    "setup": {
        "intake": "relief, action and first-fret gaps are read",
        "relief": "relief as accepted",
        "nut": "first-fret gaps as accepted",
        "saddle": "action as accepted, everything read again",
        "intonation": "every string true",
        "buzz": "every note played, none buzzes",
        "after": "the job is closed",
    },
}
"""What of the record shows a step as done, or is read for its gate, by kind of job; a setup’s are its own steps."""

COLD_DOUBLES_C = 10.0
WARM_C = 20.0
"""A cure takes twice as long for every 10 °C under 20 (the usual rule for glues and finishes); never shorter than at
20.
"""
HARDNESS: dict[str, float] = {"soft": 0.85, "medium": 1.0, "hard": 1.25}
TOOLS: dict[str, float] = {"sharp": 1.0, "worn": 1.3}


@dataclass(frozen=True, slots=True)
class Watch:
    """What spoils the work: the mistake, the sign that it is happening, how to recover."""

    mistake: str
    sign: str
    recover: str


@dataclass(frozen=True, slots=True)
class Material:
    """What an operation uses up: so much, and so much more a piece that it counts (`Operation.counts`) and a string."""

    name: str
    unit: str
    base: float = 0.0
    per_fret: float = 0.0
    per_string: float = 0.0

    def quantity(self, pieces: int, strings: int) -> float:
        """How much one piece of work takes."""
        return self.base + self.per_fret * pieces + self.per_string * strings


@dataclass(frozen=True, slots=True)
class Operation:
    """One operation. Minutes are active ones (base, a fret, a string), `wait` those it then rests; `holds` is what it
    keeps occupied.

    `counts` says what “a fret” is in its minutes, materials and ticks (`extent.COUNTS`). `scaled` minutes follow the
    board's hardness and the tool's state, `by_fret` work is ticked off fret by fret, `grits` are the abrasives that it
    goes through (`shelf`: the ladder from what is on hand), a `cold` wait lengthens in the cold; `repair` operations
    stand on no route and are put in when they are needed. `works_on` are the parts that it is done on, None for those
    of its phase; `shown_by` is what of the record shows it (`SHOWN_BY`).
    """

    code: str
    title: str
    phase: str
    minutes: tuple[float, float, float]
    wait: float = 0.0
    cold: bool = False
    holds: str = ""
    open_minutes: float = 0.0
    lead_days: int = 0
    outdoors: bool = False
    scaled: bool = False
    repair: bool = False
    by_fret: bool = False
    counts: str = "all"
    tools: tuple[str, ...] = ()
    materials: tuple[Material, ...] = ()
    cautions: tuple[str, ...] = ()
    watch: tuple[Watch, ...] = ()
    gate: str = ""
    page: str = ""
    grits: tuple[str, ...] = ()
    works_on: tuple[str, ...] | None = None
    shown_by: Mapping[str, str] = field(default_factory=dict)

    @property
    def parts(self) -> tuple[str, ...]:
        """What it is done on."""
        return PARTS_OF_PHASE.get(self.phase, ()) if self.works_on is None else self.works_on

    @property
    def cures(self) -> bool:
        """Whether it rests as a glue or film does, or in clamps: until then nothing else is done on its parts."""
        return self.wait > 0 and (self.cold or bool(self.holds))

    def active(self, extent: Extent, hardness: str = "medium", tool: str = "sharp") -> float:
        """Active minutes for that much of an instrument."""
        base, piece, string = self.minutes
        factor = HARDNESS[hardness] * TOOLS[tool] if self.scaled else 1.0
        return (base + piece * extent.pieces(self.counts) + string * extent.strings) * factor

    def uses(self, extent: Extent) -> list[tuple[Material, float]]:
        """Each of its materials, by the instrument's own name, with how much that much of it takes."""
        pieces, own = extent.pieces(self.counts), dict(extent.own)
        return [
            (replace(material, name=own.get(material.name, material.name)), material.quantity(pieces, extent.strings))
            for material in self.materials
        ]

    def waiting(self, temperature_c: float = WARM_C) -> float:
        """Minutes it rests at a temperature."""
        return self.wait * (2 ** (max(0.0, WARM_C - temperature_c) / COLD_DOUBLES_C) if self.cold else 1.0)

    def ready_after(self, temperature_c: float = WARM_C) -> float:
        """Minutes from its end until what follows may use it: its rest, and the lead of something made ready days
        before.
        """
        return self.waiting(temperature_c) + 1440 * self.lead_days


@dataclass(frozen=True, slots=True)
class Rule:
    """`before` comes before `after`, or this is spoiled. It holds when every `when` matches and not every `unless`
    does.
    """

    number: int
    before: str
    after: str
    spoils: str
    when: When = field(default_factory=dict)
    unless: When = field(default_factory=dict)

    def holds(self, facts: Mapping[str, str]) -> bool:
        """Whether it holds under these schools and facts."""
        return matches(self.when, facts) and not (self.unless and matches(self.unless, facts))


@dataclass(frozen=True, slots=True)
class RouteStep:
    """An operation's place on a route, where its conditions hold."""

    code: str
    when: When = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class Route:
    """A kind of work (`work` is what rules ask for) and its operations in the usual order."""

    code: str
    title: str
    work: str
    steps: tuple[RouteStep, ...]


@dataclass(frozen=True, slots=True)
class School:
    """A choice where good technicians differ."""

    code: str
    title: str
    default: str
    choices: Mapping[str, str]


@dataclass(frozen=True, slots=True)
class Catalogue:
    """Everything that run sheets are made from."""

    operations: Mapping[str, Operation]
    rules: tuple[Rule, ...]
    routes: Mapping[str, Route]
    schools: Mapping[str, School]
    cautions: Mapping[str, str]

    def defaults(self) -> dict[str, str]:
        """Every school's default choice."""
        return {code: school.default for code, school in self.schools.items()}


def matches(when: When, facts: Mapping[str, str]) -> bool:
    """Whether every fact that a condition names has one of its values."""
    return all(facts.get(name) in values for name, values in when.items())


def circle(rules: tuple[Rule, ...]) -> list[str] | None:
    """A circle among rules that hold together whatever the schools (those without conditions), as the operations on
    it; None without one.
    """
    after: dict[str, list[str]] = {}
    for rule in rules:
        if not rule.when and not rule.unless:
            after.setdefault(rule.before, []).append(rule.after)
    state: dict[str, int] = {}
    path: list[str] = []

    def visit(code: str) -> list[str] | None:
        state[code] = 1
        path.append(code)
        for other in after.get(code, ()):
            if state.get(other) == 1:
                return [*path[path.index(other) :], other]
            if other not in state:
                found = visit(other)
                if found:
                    return found
        path.pop()
        state[code] = 2
        return None

    return next((found for code in list(after) if code not in state and (found := visit(code))), None)

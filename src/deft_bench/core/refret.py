"""A refret: what goes in, the gates on the way, what it did to the neck, and what to do next."""

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

from deft_bench.core.calls import Length, frets_named, in_mm
from deft_bench.core.described import (
    FRET,
    FlagField,
    FretsField,
    LengthsField,
    ListField,
    TextField,
    choice,
    count,
    field_of,
    field_problems,
    length,
)
from deft_bench.core.frets.crown import tallest
from deft_bench.core.frets.heights import LANES
from deft_bench.core.frets.notch import Notch, Obstruction, lanes_of, notches, notches_said
from deft_bench.core.instrument import Spec
from deft_bench.core.limits import BOW_THAT_COUNTS_MM, LEAST_UNDER_TANG_MM, REST_HUMIDITY, SEATING_GAP_MM
from deft_bench.core.steps import Step
from deft_bench.core.survey_kinds import Place
from deft_bench.core.units import MM, Display

ENDS: dict[str, str] = {
    "nipped": "cut to length, tang nipped",
    "clipped": "seated long, clipped at a slant, filed flush",
}
NIBS: dict[str, str] = {
    "none": "no nibs",
    "lost": "nibs go with the old frets",
    "kept": "nibs are kept, frets fitted between",
}
SEATS: dict[str, str] = {
    "hammered": "hammered",
    "pressed": "pressed",
    "glued": "clamped and glued",
}
GLUES: dict[str, str] = {
    "dry": "dry",
    "thin": "thin adhesive",
    "wood": "wood glue",
}
OBSTRUCTION = {
    "type": "array",
    "minItems": 2,
    "maxItems": 5,
    "prefixItems": [
        FRET,
        {"type": "string", "maxLength": 200},
        {"enum": ["", *LANES]},
        {"type": ["integer", "null"], "minimum": 0, "maximum": 200_000},
        {"type": ["integer", "null"], "minimum": 0, "maximum": 5_000},
    ],
}
END_STEPS = {"flush": "flush, blunted", "bevel": "bevelled", "dressed": "dressed, after the level"}
ENDS_BEFORE_LEVEL = ("flush", "bevel")
"""What is done to the ends before the tops are levelled; they are dressed afterwards, when the tops are final."""
SIDES = ("bass", "treble")
ENDS_ASKED = len(ENDS_BEFORE_LEVEL) * len(SIDES)
"""How much work there is on the ends before the level."""


@dataclass(frozen=True, slots=True)
class ObstructionsField(ListField):
    """What is in the slots; an older save says only the fret and what it is."""

    def from_json(self, stored: Any) -> Any:
        """A tuple of obstructions."""
        return tuple(Obstruction(*item) for item in stored)


@dataclass(frozen=True, slots=True)
class RefretPlan:
    """What is fitted and how far it has come; lengths whole micrometres.

    `pieces_um` are the wire on hand, `obstructions` notes by fret, `cut` the blanks in the holder, `ends_done` pairs
    "step side" such as "flush bass". `nibs_said` records that the owner knows what becomes of the nibs.
    """

    frets: tuple[int, ...] = field_of(FretsField("frets replaced", help="1-22, or some: 1-5, 7"))
    wire: str = field_of(TextField("name of the wire", label="Name"))
    crown_width_um: int = length("crown width", 800, 4_500)
    fret_height_um: int = length("crown height", 300, 2_500)
    tang_depth_um: int = length("tang depth", 500, 3_500)
    tang_width_um: int = length("tang width", 200, 1_500)
    barb_width_um: int = length("width over the barbs", 300, 1_800, label="Over the barbs")
    wire_radius_um: int = length("radius the wire is bent to", 50_000, 5_000_000, label="Bent to")
    slot_um: int = length("slot width", 200, 1_500, help="measured, old slots too")
    gap_um: int = length("gap asked under the tang", 0, 2_000, 300, label="Gap under the tang")
    overhang_um: int = length("overhang of a blank at each end", 0, 10_000, 2_000, label="Overhang each end")
    setback_um: int = length("tang set back from the edge", 0, 5_000, 0, label="Tang set back")
    saw_um: int = length("lost to each cut", 0, 3_000, 500)
    pieces_um: tuple[int, ...] = field_of(
        LengthsField(
            "pieces on hand",
            help="6 × 610; 2 × 255",
            item={"type": "integer", "minimum": 1, "maximum": 5_000_000},
            most=200,
        ),
        (),
    )
    ends: str = choice("ends", ENDS, "clipped")
    nibs: str = choice("binding nibs", NIBS, "none")
    nibs_said: bool = field_of(FlagField("owner knows about the nibs"), False)
    bevel_deg: int = count("bevel", 5, 60, 35, unit="°", stored_most=90)
    seat: str = choice("seated by", SEATS, "hammered")
    tool: str = field_of(TextField("tool", label="With"), "")
    support: str = field_of(TextField("support", label="Neck supported on", most=120), "")
    spring_back_um: int = length("spring-back", 0, 1_000, 0)
    glue: str = choice("in the slots", GLUES, "dry")
    obstructions: tuple[Obstruction, ...] = field_of(ObstructionsField("obstructions", item=OBSTRUCTION, most=200), ())
    cut: tuple[int, ...] = field_of(FretsField("blanks cut"), ())
    ends_done: tuple[str, ...] = field_of(
        ListField("end work done", item={"type": "string", "maxLength": 40}, most=12), ()
    )


def starting_refret(spec: Spec, kerf_um: int, gap_um: int, tang_width_um: int) -> RefretPlan:
    """What a refret of this instrument starts with: all frets, its own wire, bent a little tighter than the board."""
    board = spec.nut_radius_um
    return RefretPlan(
        frets=tuple(range(1, spec.frets + 1)),
        wire="",
        crown_width_um=spec.crown_width_um,
        fret_height_um=spec.fret_height_um,
        tang_depth_um=spec.tang_depth_um,
        tang_width_um=tang_width_um,
        barb_width_um=spec.barb_width_um,
        wire_radius_um=round(0.85 * board / 1000) * 1000 if board else 1_000_000,
        slot_um=kerf_um,
        gap_um=gap_um,
        overhang_um=0 if spec.bound else 2_000,
        setback_um=300 if spec.bound else 0,
        ends="nipped" if spec.bound else "clipped",
        nibs="lost" if spec.nibs else "none",
        nibs_said=False,
    )


def refret_problems(plan: RefretPlan, spec: Spec, display: Display = MM) -> dict[str, str]:
    """What is impossible about a refret, by field; empty when it can be carried out."""
    found = field_problems(plan, display)
    if not plan.frets or any(not 1 <= fret <= spec.frets for fret in plan.frets):
        found["frets"] = f"Say which frets are replaced: whole numbers from 1 to {spec.frets}."
    if any(not 20_000 <= piece <= 3_000_000 for piece in plan.pieces_um) or len(plan.pieces_um) > 200:
        found["pieces_um"] = (
            f"Pieces are {display.long(20_000)} to {display.long(3_000_000)} long, at most 200 of them."
        )
    found |= _nib_problems(plan, spec)
    lines = spec.lines()
    for one in plan.obstructions:
        if not 1 <= one.fret <= spec.frets or len(one.what) > 200:
            found["obstructions"] = (
                f"One line a fret, “7: knot in the slot”; frets 1 to {spec.frets}, notes up to 200 characters."
            )
        elif one.place_um is not None and one.place_um / 1000 > lines[one.fret].length_mm:
            long = display.long(round(lines[one.fret].length_mm * 1000))
            found["obstructions"] = f"The slot of fret {one.fret} is only {long} long."
    return found or _wire_against_board(plan, spec, display)


def _nib_problems(plan: RefretPlan, spec: Spec) -> dict[str, str]:
    if plan.nibs == "kept" and not spec.nibs:
        return {"nibs": "This board has no nibs to keep."}
    if plan.nibs == "none" and spec.nibs:
        return {"nibs": "This binding has nibs: say whether they are kept or go with the old frets."}
    return {}


def _wire_against_board(plan: RefretPlan, spec: Spec, display: Display) -> dict[str, str]:
    """Sizes that are each in range but do not go with this board."""
    problems: dict[str, str] = {}
    if plan.tang_depth_um >= spec.board_thickness_um:
        problems["tang_depth_um"] = "The tang would come out through the back of the board."
    if plan.fret_height_um / 1000 > tallest(plan.crown_width_um / 1000):
        problems["fret_height_um"] = "A crown that tall is narrower than a half circle: check width and height."
    lines = spec.lines()
    closest = lines[-1].centre_x_mm - lines[-2].centre_x_mm
    if plan.crown_width_um / 1000 >= closest:
        problems["crown_width_um"] = (
            f"The wire is wider than the gap between the last two frets, {display.fine_mm(closest)}."
        )
    if plan.slot_um / 1000 >= closest:
        problems["slot_um"] = (
            f"The slot is wider than the space between the last two frets, {display.fine_mm(closest)}."
        )
    return problems


def slot_needs(tang_depth_um: int, gap_um: int) -> float:
    """The least depth of a slot, mm: the tang, and under it the gap asked or 0.1 mm, whichever is less."""
    return tang_depth_um / 1000 + min(gap_um / 1000, LEAST_UNDER_TANG_MM)


@dataclass(frozen=True, slots=True)
class DepthGate:
    """Slot depths against what the tang needs. Places are (lane, fret); depths mm.

    `relieve` are frets whose slot is shallow over an obstruction: the tang is notched there, the slot is never
    deepened onto it.
    """

    needs_mm: float
    shallow: tuple[tuple[Place, float], ...]
    unread: tuple[int, ...]
    thin: tuple[int, ...]
    relieve: tuple[int, ...] = ()

    @property
    def passes(self) -> bool:
        """Whether every slot was read in three places and takes the tang, relieved where something is in the way."""
        return not self.shallow and not self.unread and not self.thin


def depth_gate(
    depths_um: Mapping[Place, int | None], plan: RefretPlan, spec: Spec, least_wood_mm: float = 2.0
) -> DepthGate:
    """Judge three depths a slot: at least tang + 0.1 mm, and wood left under the deepest; where an obstruction lies (in
    its lane, or anywhere in a slot where no lane is said) it may be shallow: the tang is notched.
    """
    needs = slot_needs(plan.tang_depth_um, plan.gap_um)
    obstructed = _obstructed(plan, spec)
    shallow, unread, thin, relieve = [], [], [], []
    for fret in plan.frets:
        read = {lane: depths_um.get((lane, fret)) for lane in LANES}
        if any(um is None for um in read.values()):
            unread.append(fret)
        short = [((lane, fret), um / 1000) for lane, um in read.items() if um is not None and um / 1000 < needs - 1e-9]
        shallow += [place for place in short if place[0] not in obstructed]
        if any(place[0] in obstructed for place in short):
            relieve.append(fret)
        deepest = max((um for um in read.values() if um is not None), default=0)
        if (spec.board_thickness_um - deepest) / 1000 < least_wood_mm:
            thin.append(fret)
    return DepthGate(needs, tuple(shallow), tuple(unread), tuple(thin), tuple(relieve))


def _obstructed(plan: RefretPlan, spec: Spec) -> set[Place]:
    """The places where something lies in a slot."""
    lines = spec.lines()[1:]
    return {(lane, one.fret) for one in plan.obstructions for lane in lanes_of(one, lines)}


def notches_of(plan: RefretPlan, spec: Spec, depths_um: Mapping[Place, int | None]) -> tuple[Notch, ...]:
    """The notches that this refret's tangs need, by the slot depths as they were read (µm)."""
    return notches(plan.obstructions, plan.frets, spec.lines()[1:], plan.tang_depth_um, depths_um)


@dataclass(frozen=True, slots=True)
class SeatGate:
    """Daylight under the crowns: the worst gap that counts by fret (mm), and frets not read in every lane."""

    daylight: Mapping[int, float]
    unread: tuple[int, ...]

    @property
    def passes(self) -> bool:
        """Whether every fret was read and sits home."""
        return not self.daylight and not self.unread


def seat_gate(gaps_um: Mapping[Place, int | None], frets: Sequence[int]) -> SeatGate:
    """Judge daylight gaps in three lanes: 0.03 mm or more is not home."""
    daylight: dict[int, float] = {}
    unread = []
    for fret in frets:
        read = [gaps_um.get((lane, fret)) for lane in LANES]
        worst = max((um / 1000 for um in read if um is not None), default=0.0)
        if worst >= SEATING_GAP_MM - 1e-9:
            daylight[fret] = worst
        if any(um is None for um in read):
            unread.append(fret)
    return SeatGate(daylight, tuple(unread))


@dataclass(frozen=True, slots=True)
class RefretFacts:
    """What is known of a refret; None where nothing was read yet. Bows are relief in mm, forward positive.

    `fit` is the wire's fit, `cut` and `frets` count blanks, `fitted` says that the frets were recorded as fitted,
    `questioned` are slot depths that can hardly be, in words.
    """

    saved: bool = False
    fit: str | None = None
    overbend_ok: bool = True
    has_nibs: bool = False
    nibs_said: bool = False
    depth: DepthGate | None = None
    notches: tuple[Notch, ...] = ()
    cut: int = 0
    frets: int = 0
    fitted: bool = False
    seat: SeatGate | None = None
    bow_before_mm: float | None = None
    bow_after_mm: float | None = None
    ends_done: int = 0
    closed: bool = False
    questioned: tuple[str, ...] = ()

    @property
    def put_in_mm(self) -> float | None:
        """The bow that this refret put into the neck, mm: negative is backward."""
        if self.bow_before_mm is None or self.bow_after_mm is None:
            return None
        return self.bow_after_mm - self.bow_before_mm


TITLES = {
    "wire": "Wire",
    "slots": "Slots",
    "cut": "Cut",
    "seat": "Seat",
    "straight": "Straight",
    "ends": "Ends",
    "level": "Level",
}


def _done(facts: RefretFacts) -> dict[str, bool]:
    return {
        # frets that are in are past what stood before them, whatever it said
        "wire": facts.fitted
        or (facts.saved and (facts.nibs_said or not facts.has_nibs) and facts.fit not in (None, "tight")),
        "slots": facts.fitted or (facts.depth is not None and facts.depth.passes),
        "cut": facts.fitted or 0 < facts.frets <= facts.cut,
        "seat": facts.fitted and facts.seat is not None and facts.seat.passes,
        "straight": facts.bow_after_mm is not None,
        "ends": facts.ends_done >= ENDS_ASKED,
    }


def refret_steps(facts: RefretFacts) -> list[Step]:
    """The steps with their state: the first that is not done is the one now; a later one may be done already."""
    done = _done(facts)
    if facts.closed:
        return [Step(code, title, "done") for code, title in TITLES.items()]
    now = next((code for code in TITLES if not done.get(code, False)), "level")
    return [
        Step(code, title, "done" if done.get(code) else "now" if code == now else "later")
        for code, title in TITLES.items()
    ]


def ends_ready(ticked: Iterable[str]) -> int:
    """How much of the ends' work before the level is ticked off, of pairs "step side"."""
    return len(set(ticked) & {f"{step} {side}" for step in ENDS_BEFORE_LEVEL for side in SIDES})


def refret_now(facts: RefretFacts, length: Length = in_mm) -> tuple[str, str]:
    """The code of the step to do now, and the sentence that says it."""
    if facts.closed:
        return "closed", "Closed: the record is kept."
    code = next(step.code for step in refret_steps(facts) if step.state != "done")
    return code, _say(code, facts, length)


def _say(code: str, facts: RefretFacts, length: Length) -> str:
    """The sentence of a step."""
    return SENTENCES[code](facts, length)


def _say_wire(facts: RefretFacts, length: Length) -> str:
    if facts.saved and facts.has_nibs and not facts.nibs_said:
        return "Say to the owner what becomes of the nibs before a fret comes out."
    if facts.fit == "tight":
        return "The wire is too tight for these slots: open them or choose another."
    return "Choose the wire and say how it is fitted."


def _say_slots(facts: RefretFacts, length: Length) -> str:
    gate = facts.depth
    if facts.questioned:
        return f"Read again before a slot is cut: {'; '.join(facts.questioned[:2])}."
    if gate is not None and gate.shallow:
        (lane, fret), depth = min(gate.shallow, key=lambda found: found[1])
        more = f", {len({place[1] for place, _ in gate.shallow})} slots in all" if len(gate.shallow) > 1 else ""
        return (
            f"Deepen the slot of fret {fret}: {length(depth)} at the {lane}, the tang needs"
            f" {length(gate.needs_mm)}{more}."
        )
    if gate is not None and gate.thin:
        return f"Stop at {frets_named(list(gate.thin))}: too little wood is left under the slot."
    return f"Clean the slots and read their depth in three places each.{_notch(facts, length)}"


def _say_cut(facts: RefretFacts, length: Length) -> str:
    return f"Cut the blanks into the holder: {facts.cut} of {facts.frets} are there.{_notch(facts, length)}"


def _say_seat(facts: RefretFacts, length: Length) -> str:
    seat = facts.seat
    if seat is not None and seat.passes:
        return "No daylight under any crown: say that the frets are in."
    if seat is None or not (facts.fitted or seat.daylight):
        seat_them = "Seat the frets, ends first, then the middle; then look for daylight under every crown."
        return seat_them + _notch(facts, length)
    if seat.daylight:
        worst = max(seat.daylight, key=lambda fret: seat.daylight[fret])
        return (
            f"Reseat {frets_named(list(seat.daylight))}: {length(seat.daylight[worst])} of daylight under fret {worst}."
        )
    return f"Look for daylight under {frets_named(list(seat.unread))} as well."


def _say_straight(facts: RefretFacts, length: Length) -> str:
    return "Read the straightness again: tight tangs push the neck backward."


def _say_ends(facts: RefretFacts, length: Length) -> str:
    done = f"{facts.ends_done} of {ENDS_ASKED} done"
    return f"Ends: flush, blunt the sharp tips at once, then bevel, both sides; {done}. Dress them after the level."


def _say_level(facts: RefretFacts, length: Length) -> str:
    put_in = facts.put_in_mm
    if put_in is not None and abs(put_in) >= BOW_THAT_COUNTS_MM:
        way = "backward" if put_in < 0 else "forward"
        return f"Straighten the neck, then level: this refret bowed it {length(abs(put_in))} {way}."
    return "The frets are in: survey their heights and level."


SENTENCES: dict[str, Callable[[RefretFacts, Length], str]] = {
    "wire": _say_wire,
    "slots": _say_slots,
    "cut": _say_cut,
    "seat": _say_seat,
    "straight": _say_straight,
    "ends": _say_ends,
    "level": _say_level,
}


def _notch(facts: RefretFacts, length: Length) -> str:
    """What is done about slots with something in them, where any is; with a space before it."""
    said = notches_said(facts.notches, length)
    return f" {said}" if said else ""


OF_THE_WIRE = ("crown_width_um", "fret_height_um", "tang_depth_um", "barb_width_um")
"""What a specification says of its frets' wire."""


def spec_after(spec: Spec, plan: RefretPlan) -> Spec:
    """The specification once the frets are in: a whole refret's wire is the instrument's, and lost nibs are gone."""
    if len(plan.frets) < spec.frets:
        return spec
    return replace(
        spec,
        crown_width_um=plan.crown_width_um,
        fret_height_um=plan.fret_height_um,
        tang_depth_um=plan.tang_depth_um,
        barb_width_um=plan.barb_width_um,
        nibs=spec.nibs and plan.nibs != "lost",
        unknown=tuple(field for field in spec.unknown if field not in OF_THE_WIRE),
    )


def rest_advice(humidity: float | None) -> str | None:
    """Whether the ends should wait for the board to take up moisture again, or None."""
    if humidity is None or humidity >= REST_HUMIDITY:
        return None
    return (
        f"The bench is at {humidity:.0f} % relative humidity: rest the instrument at 45 to 50 % before the ends are"
        " cut, or the board swells past them."
    )

"""The steps of a setup job in the order that keeps each from spoiling the one before, and the gate that ends each.

Relief first, for it moves the action; the nut before the saddle, for a high slot is not cured from the other end;
relief is read again after both; intonation last, for it depends on the action; then every note is played (operations:
setup, rules 15 and 2).
"""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from math import isinf

from deft_bench.core.calls import Length, in_mm, listed_words
from deft_bench.core.steps import State, Step
from deft_bench.core.strings.nut_depth import gap_side
from deft_bench.core.strings.reachable import Reach

SIGNED = ("relief", "nut", "saddle", "intonation", "buzz")
"""Steps that may be signed off with a reason where their gate is not met: nothing is read or solved by saying so."""
TITLES = {
    "intake": "Intake",
    "solve": "Solve",
    "relief": "Relief",
    "nut": "Nut",
    "saddle": "Saddle",
    "intonation": "Intonation",
    "buzz": "Play",
    "after": "Report",
}


@dataclass(frozen=True, slots=True)
class SetupTarget:
    """What was accepted, mm by string number: action over fret 12, first-fret gap between two lengths; and relief."""

    relief_mm: float
    action_mm: Mapping[int, float]
    gap_mm: Mapping[int, tuple[float, float]]


@dataclass(frozen=True, slots=True)
class SetupReadings:
    """What was read at one time, mm and cents by string number; empty where it was not read."""

    relief_mm: float | None = None
    action_mm: Mapping[int, float] = field(default_factory=dict)
    gap_mm: Mapping[int, float] = field(default_factory=dict)
    cents: Mapping[int, Mapping[int, float]] = field(default_factory=dict)
    buzzes: int | None = None
    played: int = 0

    def complete(self, strings: int) -> bool:
        """Whether relief, and action and gap of every string, are read."""
        return self.relief_mm is not None and len(self.action_mm) == strings and len(self.gap_mm) == strings


@dataclass(frozen=True, slots=True)
class SetupFacts:
    """What is recorded of a setup job: before, as last read, the target, and what was read again since it was
    accepted. `reach` is how near its gates can ask for; `signed` are steps passed with a reason, by code.
    """

    strings: int
    before: SetupReadings
    latest: SetupReadings
    target: SetupTarget | None = None
    relief_since: bool = False
    strings_since: bool = False
    cents_within: float = 2.0
    closed: bool = False
    reach: Reach = field(default_factory=Reach)
    signed: Mapping[str, str] = field(default_factory=dict)


def relief_off(facts: SetupFacts) -> float | None:
    """Relief still to go, mm (positive: too much); None where unread or without a target."""
    if facts.target is None or facts.latest.relief_mm is None:
        return None
    return facts.latest.relief_mm - facts.target.relief_mm


def gaps_off(facts: SetupFacts) -> dict[int, float]:
    """How far each first-fret gap lies outside what is wanted, mm: positive too high, negative too low."""
    if facts.target is None:
        return {}
    found = {}
    for string, (low, high) in facts.target.gap_mm.items():
        gap = facts.latest.gap_mm.get(string)
        side = "right" if gap is None else gap_side(gap, low, high)
        if gap is not None and side != "right":
            found[string] = gap - (high if side == "high" else low)
    return found


def actions_off(facts: SetupFacts) -> dict[int, float]:
    """How far each string's action is from its target beyond what the gate allows, mm: positive too high."""
    if facts.target is None:
        return {}
    offs = {
        string: facts.latest.action_mm[string] - mm
        for string, mm in facts.target.action_mm.items()
        if string in facts.latest.action_mm
    }
    return {string: off for string, off in offs.items() if abs(off) > facts.reach.action_mm + 1e-9}


def cents_off(facts: SetupFacts) -> dict[int, float]:
    """The worst cents of each string outside the gate, and of what its saddle can do."""
    return {
        string: cents
        for string, cents in _worst_cents(facts).items()
        if abs(cents) > max(facts.cents_within, facts.reach.cents.get(string, 0.0)) + 1e-9
    }


def _worst_cents(facts: SetupFacts) -> dict[int, float]:
    return {string: max(read.values(), key=abs) for string, read in facts.latest.cents.items() if read}


def _gates(facts: SetupFacts, name: Mapping[int, str], length: Length) -> dict[str, tuple[bool, str]]:
    """Whether each step's gate is passed, and what it says."""

    def strings(which: Sequence[int]) -> str:
        return listed_words([name.get(number, str(number)) for number in sorted(which)])

    target, missing = facts.target, _missing(facts)
    relief, gaps, actions = relief_off(facts), gaps_off(facts), actions_off(facts)
    if relief is None or target is None:
        say_relief = "Read the relief again."
    else:
        has = f"Relief {length(facts.latest.relief_mm or 0.0)}"
        say_relief = (
            f"{has}; there is no rod to change it."
            if isinf(facts.reach.relief_mm)
            else f"{has}; {length(target.relief_mm)} is wanted, within {length(facts.reach.relief_mm)}."
        )
    low = [string for string, off in gaps.items() if off < 0]
    nut = "Every first-fret gap is as wanted."
    if gaps:
        nut = (
            f"{strings(low)} cut too low: shim, fill or a new nut." if low else f"File {strings(list(gaps))} in steps."
        )
    read_again = facts.strings_since and facts.relief_since
    saddle = (
        "Action as accepted." if read_again else "Read action, first-fret gaps and relief again: each moves the others."
    )
    if actions:
        saddle = f"Set {strings(list(actions))}."
    return {
        "intake": (not missing, f"Read {listed_words(missing)}." if missing else "All read."),
        "solve": (target is not None, "Solve the setup and accept it." if target is None else "A setup is accepted."),
        "relief": (relief is not None and abs(relief) <= facts.reach.relief_mm + 1e-9, say_relief),
        "nut": (not gaps, nut),
        "saddle": (not actions and read_again, saddle),
        "intonation": _intonation_gate(facts, strings),
        "buzz": _buzz_gate(facts.latest),
    }


def _missing(facts: SetupFacts) -> list[str]:
    """What the intake still has to read."""
    before = facts.before
    wanted = {
        "relief with the strings at pitch": before.relief_mm is not None,
        "the action of every string": len(before.action_mm) == facts.strings,
        "every first-fret gap": len(before.gap_mm) == facts.strings,
    }
    return [words for words, read in wanted.items() if not read]


def _intonation_gate(facts: SetupFacts, strings: Callable[[Sequence[int]], str]) -> tuple[bool, str]:
    cents = cents_off(facts)
    if cents:
        return False, f"{strings(list(cents))} outside ±{facts.cents_within:g} cents."
    if len(facts.latest.cents) == facts.strings:
        best = [string for string, worst in _worst_cents(facts).items() if abs(worst) > facts.cents_within + 1e-9]
        return True, f"As good as this bridge gets: {strings(best)}." if best else "Every string true."
    return False, "Read the intonation of every string."


def _buzz_gate(latest: SetupReadings) -> tuple[bool, str]:
    if not latest.played:
        return False, "Play every note."
    if latest.buzzes:
        return False, f"{latest.buzzes} of {latest.played} notes buzz."
    return latest.buzzes == 0, f"{latest.played} notes played, none buzzes."


def setup_steps(facts: SetupFacts, name: Mapping[int, str] | None = None, length: Length = in_mm) -> list[Step]:
    """All steps; the first whose gate is not passed is the one to do now."""
    gates = _gates(facts, name or {}, length)
    steps: list[Step] = []
    waiting = False
    for code, title in TITLES.items():
        passed, say = gates.get(code, (facts.closed, "Close the job: its report holds before and after."))
        if not passed and code in facts.signed:
            passed, say = True, f"Signed off: {facts.signed[code]}"
        state: State = "later" if waiting else "done" if passed or facts.closed else "now"
        waiting = waiting or state == "now"
        steps.append(Step(code, title, state, say))
    return steps


def waits_for_relief(facts: SetupFacts) -> bool:
    """Whether all that the saddles' gate still lacks is the relief, read again."""
    return facts.strings_since and not facts.relief_since and not actions_off(facts)


def left_as_it_is(facts: SetupFacts, name: Mapping[int, str] | None = None, length: Length = in_mm) -> list[str]:
    """What a report says was not brought nearer: steps signed off with their reason, and what this bridge cannot do."""
    gates = _gates(facts, name or {}, length)
    lines = [f"{TITLES[code]}, signed off: {why}" for code, why in facts.signed.items()]
    passed, say = gates["intonation"]
    reached = any(abs(worst) > facts.cents_within + 1e-9 for worst in _worst_cents(facts).values())
    return [*lines, f"Intonation: {say[:1].lower()}{say[1:]}"] if passed and reached else lines


def setup_now(facts: SetupFacts, name: Mapping[int, str] | None = None, length: Length = in_mm) -> tuple[str, str]:
    """The step to do now and a line that says it."""
    if facts.closed:
        return "closed", "Closed: the record is kept."
    step = next(step for step in setup_steps(facts, name, length) if step.state == "now")
    return step.code, step.say

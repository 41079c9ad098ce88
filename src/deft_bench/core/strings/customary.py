"""What is customary, by the kind of strings: how hard a hand plucks, the action that good technicians set.

Forces in newtons, treble to bass string, straight between; a hand does not know the tension, so they do not follow it.
They are set so that a medium hand solves to customary settings (docs/methods/setup-solve.md has the table).
"""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

from deft_bench.core.instrument import Spec
from deft_bench.core.strings.string_set import SETS, StringMake

StringKind = Literal["electric", "acoustic", "nylon", "bass"]
LEAST_BASS_MM = 740.0
"""A scale this long is a bass."""
HAND_FORCE = {"light": 0.75, "medium": 1.0, "heavy": 1.35}
"""A hand's force against the medium one's."""
HAND_ACTION = {"light": 0.85, "medium": 1.0, "heavy": 1.2}
"""The action that is customary for a hand, against the medium one's."""
TWELVE = 12
USUAL_LEAST, USUAL_MOST = 0.65, 1.5
"""The customary range of action as shares of its middle."""
COURSE_SHARE = 0.65
"""What one string of a course takes of a stroke: the two share it, a little apart in time."""
OFFERED_LEAST, OFFERED_MOST = 0.6, 1.6
"""An action outside these shares of the customary one is not offered as a target."""


@dataclass(frozen=True, slots=True)
class Customs:
    """What is customary for one kind of strings, medium hand: (treble string, bass string) of plucking force in N and
    of action over fret 12 in mm; where they are plucked, mm from the saddle.
    """

    name: str
    pluck_n: tuple[float, float]
    action_mm: tuple[float, float]
    from_saddle_mm: float


CUSTOMS: dict[StringKind, Customs] = {
    "electric": Customs("electric", (0.95, 1.25), (1.6, 1.9), 130.0),
    "acoustic": Customs("steel-string acoustic", (1.6, 2.1), (1.9, 2.4), 160.0),
    "nylon": Customs("nylon strings", (1.8, 2.0), (3.0, 3.8), 180.0),
    "bass": Customs("bass", (2.2, 2.5), (2.0, 2.4), 180.0),
}


def string_kind(spec: Spec, strings: Sequence[StringMake] = ()) -> StringKind:
    """Which customs hold for an instrument, by its scale, its strings (or its set) and its bridge."""
    if spec.bass_scale_um >= LEAST_BASS_MM * 1000:
        return "bass"
    data = SETS.get(spec.string_set)
    nylon = any(one.nylon for one in strings) if strings else data.core == "nylon" if data else spec.kind == "classical"
    if nylon:
        return "nylon"
    return "acoustic" if spec.bridge == "one_piece" else "electric"


def across(ends: tuple[float, float], string: int, strings: int) -> float:
    """Between the treble string's and the bass string's, by number; 1 is treble."""
    treble, bass = ends
    return treble + (bass - treble) * ((string - 1) / (strings - 1) if strings > 1 else 0.5)


def customary_pluck(kind: StringKind, string: int, strings: int, hand: str = "medium") -> float:
    """Plucking force of one string, N."""
    course = COURSE_SHARE if strings == TWELVE else 1.0
    return across(CUSTOMS[kind].pluck_n, string, strings) * HAND_FORCE[hand] * course


def customary_action(kind: StringKind, string: int, strings: int, hand: str = "medium") -> float:
    """Action over fret 12 that is customary for one string, mm: the middle of its range."""
    return across(CUSTOMS[kind].action_mm, string, strings) * HAND_ACTION[hand]


def usual_range(action_mm: float) -> tuple[float, float]:
    """The range about a customary action in which setups lie, mm."""
    return action_mm * USUAL_LEAST, action_mm * USUAL_MOST


def offered(action_mm: float, customary_mm: float) -> bool:
    """Whether a solved action is near enough to the customary one to be offered as a target."""
    return OFFERED_LEAST * customary_mm <= action_mm <= OFFERED_MOST * customary_mm

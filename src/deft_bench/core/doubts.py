"""Readings that can hardly be: a leap from the frets beside it, a value finer than the tool reads (inches typed as
millimetres, mostly), a gap under nothing, cents that no string is off. They are questioned when they are entered, and
named by the call while they stand.

The leaps are far over what a fret or slot is ever off its neighbours (`SurveyKind.leap_um`); the reasons stand in
docs/methods/tolerances.md.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

from deft_bench.core.calls import Call, Length
from deft_bench.core.limits import MOST_CENTS
from deft_bench.core.survey import SurveyHead
from deft_bench.core.survey_kinds import PER_CENT, SURVEY_KINDS, Place

FEW = 3
REACH = 2
"""How many readings tell that all are too fine; how many read frets on either side are looked at."""
SLIPPED_UM, NEAR_UM, LEAST_MIDDLE_UM = 110, 30, 60
"""From so far off those beside it a reading is looked at for a slip of the point, the sign or the unit; and how near to
them it has to come when that is put right.
"""


@dataclass(frozen=True, slots=True)
class Doubt:
    """A place whose reading is questioned, and why, in words."""

    place: Place
    why: str

    @property
    def where(self) -> str:
        """`fret 9 middle`, `string 3 at fret 12`."""
        lane, fret = self.place
        return f"string {lane} at fret {fret}" if lane.isdigit() else f"fret {fret} {lane}"


def doubt_of(
    head: SurveyHead,
    place: Place,
    value_um: int,
    values: Mapping[Place, int | None],
    length: Length,
    usual_um: tuple[int, int] | None = None,
) -> Doubt | None:
    """Why a reading is questioned among those of its survey (micrometres, or hundredths of a cent); None when nothing
    speaks against it. `usual_um` is what is usual on this instrument, where that is narrower than for its kind.
    """
    kind = SURVEY_KINDS[head.kind]
    if kind.unit == "cents" and abs(value_um) > MOST_CENTS * PER_CENT:
        return Doubt(
            place,
            f"{value_um / PER_CENT:+.0f} cents is further off than a note goes: tune the open string first, or it was"
            " another string or octave",
        )
    if kind.unit != "length":
        return None
    if head.kind == "fret_heights" and head.method == "gap" and value_um < 0:
        return Doubt(place, "a gap under a straightedge is never less than nothing")
    if all_finer(head, {**values, place: value_um}):
        tool = length(head.resolution_um / 1000)
        return Doubt(place, f"every reading is finer than the tool reads ({tool}): inches, perhaps")
    usual = usual_um or kind.usual_um
    own_limits = kind.limits_at_1 is not None and place[1] == 1
    if usual is not None and not own_limits and not usual[0] <= value_um <= usual[1]:
        low, high = (length(um / 1000) for um in usual)
        return Doubt(place, f"{length(value_um / 1000)} is not between {low} and {high}")
    return (
        None if kind.leap_um is None else _beside_doubt(place, value_um, _beside(place, values), kind.leap_um, length)
    )


def _beside_doubt(
    place: Place, value_um: int, beside: Sequence[tuple[int, int]], leap_um: int, length: Length
) -> Doubt | None:
    """Why a reading is questioned against those beside it: it leaps, or a slip explains how far off it is."""
    meant = _meant(value_um, beside)
    if not beside or (meant is None and min(abs(value_um - um) for _, um in beside) <= leap_um):
        return None
    fret, nearest = min(beside, key=lambda read: abs(value_um - read[1]))
    perhaps = "" if meant is None else f"; {length(meant / 1000)} was perhaps meant"
    return Doubt(place, f"{length(value_um / 1000)} beside {length(nearest / 1000)} at fret {fret}{perhaps}")


def _meant(value_um: int, beside: Sequence[tuple[int, int]]) -> float | None:
    """What was probably meant, µm, where a point slipped, a sign, or inches for millimetres would explain how far a
    reading lies from those about it; None where nothing of the kind does.
    """
    if len(beside) < FEW:
        return None
    middle = sorted(um for _, um in beside)[len(beside) // 2]
    if abs(middle) < LEAST_MIDDLE_UM:
        return None  # a tenth of anything is near to nothing
    if abs(value_um - middle) < SLIPPED_UM or max(um for _, um in beside) - min(um for _, um in beside) > SLIPPED_UM:
        return None
    ways = [value_um / 10, value_um * 10, -value_um, value_um / 25.4, value_um * 25.4]
    meant = min(ways, key=lambda um: abs(um - middle))
    return meant if abs(meant - middle) <= NEAR_UM else None


def doubts(
    head: SurveyHead,
    values: Mapping[Place, int | None],
    length: Length,
    usual_um: tuple[int, int] | None = None,
) -> list[Doubt]:
    """Every reading of a survey that is questioned; where all are, for being finer than the tool, the first of them."""
    read = {place: um for place, um in values.items() if um is not None}
    questioned = [doubt_of(head, place, um, values, length, usual_um) for place, um in read.items()]
    return [doubt for doubt in questioned if doubt is not None][: 1 if all_finer(head, values) else None]


def doubted_call(call: Call, questioned: Sequence[Doubt]) -> Call:
    """The call with the readings that it hangs on and that can hardly be: never sure, settled by reading them again."""
    named = "; ".join(f"{doubt.where}, {doubt.why}" for doubt in questioned[:3])
    more = f"; and {len(questioned) - 3} more" if len(questioned) > 3 else ""
    return replace(
        call, because=(f"Questioned: {named}{more}.", *call.because), sure="unsure", settle=f"Read again {named}{more}."
    )


def all_finer(head: SurveyHead, values: Mapping[Place, int | None]) -> bool:
    """Whether a survey holds nothing but readings that its tool cannot give: `FEW` or more, all under half of its
    resolution, which is read as nothing.
    """
    read = [abs(um) for um in values.values() if um]
    return len(read) >= FEW and 2 * max(read) < head.resolution_um


def _beside(place: Place, values: Mapping[Place, int | None]) -> list[tuple[int, int]]:
    """The nearest read frets on either side in the lane, with their readings."""
    lane, fret = place
    read = sorted((other, um) for (of, other), um in values.items() if of == lane and um is not None and other != fret)
    before = [one for one in read if one[0] < fret][-REACH:]
    after = [one for one in read if one[0] > fret][:REACH]
    return before + after

"""The one sentence of the Setup screen: what to set, in order, and what it gains."""

from collections.abc import Mapping, Sequence
from math import log
from typing import Protocol

from deft_bench.core.calls import Call, Instead, Length, Sure, in_mm
from deft_bench.core.strings.clearance import Strung
from deft_bench.core.strings.customary import offered
from deft_bench.core.strings.setup_solve import Solved

HAND = "the hand, by the Buzz page"
WORTH_CHANGING_MM = 0.05
"""A setup this near to the lowest that plays clean is left as it is."""


class FretAhead(Protocol):
    """A fret to put right first, as `assembled.fret_first` finds it."""

    @property
    def fret(self) -> int: ...
    @property
    def off_mm(self) -> float: ...
    @property
    def solved(self) -> Solved: ...
    @property
    def lower_by_mm(self) -> float: ...


def setup_call(
    found: Solved,
    margin_mm: float,
    present: Sequence[Strung] = (),
    present_relief_mm: float | None = None,
    name: Mapping[int, str] | None = None,
    length: Length = in_mm,
    unread: Sequence[str] = (),
    first: FretAhead | None = None,
    customary_mm: Sequence[float] = (),
    fixed_relief: bool = False,
) -> Call:
    """Say the solved setup; with the present one, what changing to it saves or costs. `first` is a fret to put right
    before any of that. `customary_mm` is each string's customary action: a solved one far from it is not offered.
    `fixed_relief` says that the relief could not be chosen.
    """
    names = name or {}
    treble, bass = found.strung[0], found.strung[-1]
    outer = (
        f"{length(treble.action_12_mm)} over fret 12"
        if len(found.strung) == 1
        else f"{length(bass.action_12_mm)} bass and {length(treble.action_12_mm)} treble over fret 12"
    )
    figures = {
        "relief_mm": found.relief_mm,
        "mean_action_12_mm": found.mean_action_mm,
        "bass_action_12_mm": bass.action_12_mm,
        "treble_action_12_mm": treble.action_12_mm,
    }
    because = [
        (
            f"{len(found.strung)} string{'s' if len(found.strung) > 1 else ''} over {treble.margin.shape[1]} frets:"
            f" every fretted note keeps {length(margin_mm)} at this hand."
        ),
    ]
    held = [
        f"{names.get(one.string, f'string {one.string}')} fretted at {limit.fretted} over {limit.over}"
        for one, limit in zip(found.strung, found.limited_by, strict=True)
        if limit
    ]
    if held:
        because.append(f"What stops it going lower: {'; '.join(held)}.")
    opens = [
        names.get(one.string, f"string {one.string}")
        for one, worst in zip(found.strung, found.open_worst, strict=True)
        if worst < 0
    ]
    if opens:
        because.append(f"Open, {', '.join(opens)} would touch: look at the nut slot first.")
    sure: Sure = "unsure" if unread else "likely"
    settle = f"read {' and '.join(unread)}" if unread else None
    if unread:
        because.append(f"Not read yet and taken as usual: {', '.join(unread)}.")
    instead: list[Instead] = []
    say = f"Set {length(found.relief_mm)} of relief and {outer}."
    do = "set"
    if present:
        say, do, more, leave = _against_present(found, present, present_relief_mm, names, because, say, length)
        figures |= more
        instead.append(leave)
    far = _far_from_custom(found, customary_mm) if first is None else None
    if far is not None:
        say, do, sure, settle = (
            _not_offered(found, far, names, fixed_relief, length),
            "preset",
            "unsure",
            settle or HAND,
        )
    if first is not None:
        size, lower = length(abs(first.off_mm)), first.solved
        what = "is proud" if first.off_mm > 0 else "is low"
        cure = "spot-level it" if first.off_mm > 0 else "lift or replace it"
        because.append(
            f"With fret {first.fret} put right, the same hand plays clean {length(first.lower_by_mm)} lower on average."
        )
        ways = (
            Instead(f"{cure.capitalize()}, then {length(lower.relief_mm)} of relief", _pair(lower.strung, length)),
            Instead(f"Leave fret {first.fret}, set {length(found.relief_mm)} of relief", _pair(found.strung, length)),
            *instead,
        )
        figures |= {"fret": float(first.fret), "off_mm": first.off_mm, "lower_by_fret_mm": first.lower_by_mm}
        return Call(
            f"Fret {first.fret} {what} by {size}: {cure} before the action is set.",
            "fret_first",
            figures,
            tuple(because),
            ways,
            sure,
            settle,
        )
    return Call(say, do, figures, tuple(because), tuple(instead), sure, settle)


def _far_from_custom(found: Solved, customary_mm: Sequence[float]) -> tuple[int, float] | None:
    """The string furthest from its customary action, and that action, where the solved one is not offered."""
    off = [
        (abs(log(max(one.action_12_mm, 1e-3) / custom)), one.string, custom)
        for one, custom in zip(found.strung, customary_mm, strict=False)
        if not offered(one.action_12_mm, custom)
    ]
    return max(off)[1:] if off else None


def _not_offered(
    found: Solved, far: tuple[int, float], names: Mapping[int, str], fixed_relief: bool, length: Length
) -> str:
    """Why a solved setup is no target, and what forces it."""
    number, custom = far
    action = next(one.action_12_mm for one in found.strung if one.string == number)
    if action <= custom:
        side, forces = "under", "The force taken is too light for that, or a height was misread."
    elif fixed_relief:
        side, forces = "over", f"The relief forces it: {length(found.relief_mm)}, which no rod can change."
    else:
        side, forces = "over", "The force does, on strings of this pull: a lighter hand or heavier strings need less."
    where = names.get(number, f"string {number}")
    return f"Set the preset: the lowest without buzz is {length(action)} on {where}, far {side} custom. {forces}"


def _pair(strung: Sequence[Strung], length: Length) -> str:
    """`1.60 mm / 1.20 mm`: action of the bass and the treble string."""
    return f"{length(strung[-1].action_12_mm)} / {length(strung[0].action_12_mm)}"


def _against_present(
    found: Solved,
    present: Sequence[Strung],
    present_relief_mm: float | None,
    names: Mapping[int, str],
    because: list[str],
    say: str,
    length: Length,
) -> tuple[str, str, dict[str, float], Instead]:
    """The sentence, its code and figures beside the present setup, and leaving it as the alternative."""
    now = sum(string.action_12_mm for string in present) / len(present)
    buzzing = [
        names.get(string.string, f"string {string.string}")
        for string in present
        if string.worst(fretted_only=True).margin_mm < 0
    ]
    gain = now - found.mean_action_mm
    if buzzing:
        because.append(f"As it is, {', '.join(buzzing)} buzz{'es' if len(buzzing) == 1 else ''} at this hand.")
    leave = Instead("Leave it as it is", f"{length(now)} mean action{'; it buzzes at this hand' if buzzing else ''}")
    figures = {"present_mean_action_12_mm": now, "lower_by_mm": gain}
    near = present_relief_mm is None or abs(present_relief_mm - found.relief_mm) < WORTH_CHANGING_MM
    if abs(gain) < WORTH_CHANGING_MM and not buzzing and near:
        clean = f"Leave it: it plays clean and within {length(WORTH_CHANGING_MM)} of the lowest."
        return clean, "none", figures, leave
    if gain >= WORTH_CHANGING_MM:
        say = f"{say[:-1]}: {length(gain)} lower on average than now{', and it stops the buzz' if buzzing else ''}."
    elif gain <= -WORTH_CHANGING_MM:
        say = f"{say[:-1]}: {length(-gain)} higher on average, and nothing buzzes."
    elif buzzing:
        say = f"{say[:-1]}: no higher on average, and nothing buzzes."
    return say, "set", figures, leave

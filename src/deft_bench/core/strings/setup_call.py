"""The one sentence of the Setup screen: what to set, in order, and what it gains."""

from collections.abc import Mapping, Sequence

from deft_bench.core.calls import Call, Instead, Length, Sure, in_mm
from deft_bench.core.strings.clearance import Strung
from deft_bench.core.strings.setup_solve import Solved


def setup_call(
    found: Solved, margin_mm: float, present: Sequence[Strung] = (), present_relief_mm: float | None = None,
    name: Mapping[int, str] | None = None, length: Length = in_mm, unread: Sequence[str] = (),
) -> Call:  # fmt: skip
    """Say the solved setup; with the present one, what changing to it saves or costs."""
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
        f"{len(found.strung)} string{'s' if len(found.strung) > 1 else ''} over {treble.margin.shape[1]} frets: every fretted note keeps {length(margin_mm)} at this hand.",
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
        now = sum(one.action_12_mm for one in present) / len(present)
        buzzing = [
            names.get(one.string, f"string {one.string}")
            for one in present
            if one.worst(fretted_only=True).margin_mm < 0
        ]
        gain = now - found.mean_action_mm
        figures |= {"present_mean_action_12_mm": now, "lower_by_mm": gain}
        if buzzing:
            because.append(f"As it is, {', '.join(buzzing)} buzz{'es' if len(buzzing) == 1 else ''} at this hand.")
        if (
            abs(gain) < 0.05
            and not buzzing
            and (present_relief_mm is None or abs(present_relief_mm - found.relief_mm) < 0.05)
        ):
            say, do = f"Leave it: it plays clean and within {length(0.05)} of the lowest.", "none"
        elif gain >= 0.05:
            say = f"{say[:-1]}: {length(gain)} lower on average than now{', and it stops the buzz' if buzzing else ''}."
        elif gain <= -0.05:
            say = f"{say[:-1]}: {length(-gain)} higher on average, and nothing buzzes."
        elif buzzing:
            say = f"{say[:-1]}: no higher on average, and nothing buzzes."
        instead.append(
            Instead("Leave it as it is", f"{length(now)} mean action{'; it buzzes at this hand' if buzzing else ''}")
        )
    return Call(say, do, figures, tuple(because), tuple(instead), sure, settle)

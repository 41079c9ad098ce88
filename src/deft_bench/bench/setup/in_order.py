"""What leads from a setup as read to the one that is wanted, in order: rod, nut, saddles, read again."""

from collections.abc import Mapping
from dataclasses import dataclass, replace
from math import isinf

from deft_bench.bench.setup.saddle import saddle_move
from deft_bench.core.calls import listed_words
from deft_bench.core.instrument import Spec
from deft_bench.core.strings.ahead import action_spread, knock_on
from deft_bench.core.strings.assembled import Assembled, forward
from deft_bench.core.strings.clearance import ACTION_FRET
from deft_bench.core.strings.nut_depth import gap_side
from deft_bench.core.strings.reachable import STRINGS_A_SADDLE, Reach
from deft_bench.core.strings.setup_job import SetupReadings, SetupTarget
from deft_bench.core.strings.setup_plan import SetupPlan
from deft_bench.core.units import Display

WORTH_SAYING_CENTS = 0.5
"""A change of pitch from here on is told before the act."""


@dataclass(frozen=True, slots=True)
class ToDo:
    """One thing to do for a setup, in order: its name, the words, the place where it is done, and whether it is."""

    what: str
    say: str
    place: str
    done: bool


def to_do(
    spec: Spec,
    plan: SetupPlan,
    now: Assembled,
    read: SetupReadings,
    toward: SetupTarget,
    reach: Reach,
    names: Mapping[int, str],
    shown: Display,
) -> list[ToDo]:
    """Rod, nut, saddles, re-read: what leads from the setup as read to the one that is accepted, or solved, as near as
    can be reached. Each line is worked out on what the lines before it leave.
    """
    rod = _rod_to_do(read, toward, reach, shown)
    relief = toward.relief_mm if not rod.done or read.relief_mm is None else read.relief_mm
    ahead = forward(plan, spec, now, relief)
    nut = _nut_to_do(toward, read, names)
    if read.action_mm:
        give = action_spread(now.frame, reach)
        rod, nut = _then(rod, ahead.after_rod, give, shown), _then(nut, ahead.after_nut, give, shown)
    saddles = _saddles_to_do(spec, plan, ahead.after_nut if read.action_mm else {}, toward, reach, shown)
    changes = knock_on(plan, spec, now, read, toward.action_mm)
    nut, saddles = _sounding(nut, 1, changes.nut_cents), _sounding(saddles, ACTION_FRET, changes.saddle_cents)
    again = "relief, action and first-fret gaps: each moves the others"
    return [rod, nut, saddles, ToDo("Re-read", again, "survey", False)]


def _then(line: ToDo, actions: Mapping[int, float], give_mm: float, shown: Display) -> ToDo:
    """A line that changes something, with what the outer strings' action will read after it, and within what."""
    if line.done:
        return line
    ends = [shown.fine_mm(actions[number]) for number in (max(actions), min(actions))]
    return replace(
        line,
        say=f"{line.say}. Action then reads {ends[0]} bass, {ends[1]} treble, give or take {shown.fine_mm(give_mm)}",
    )


def _sounding(line: ToDo, fret: int, cents: Mapping[int, float]) -> ToDo:
    """A line that changes something, with what it does to the pitch at a fret where that is heard."""
    worst = max(cents.values(), key=abs, default=0.0)
    if line.done or abs(worst) < WORTH_SAYING_CENTS:
        return line
    how = "flatter" if worst < 0 else "sharper"
    return replace(line, say=f"{line.say}. Fret {fret} then sounds up to {abs(worst):.0f} cents {how}")


def _rod_to_do(read: SetupReadings, toward: SetupTarget, reach: Reach, shown: Display) -> ToDo:
    if read.relief_mm is None:
        return ToDo("Rod", "read the relief with the strings at pitch first", "survey", False)
    off, has = read.relief_mm - toward.relief_mm, shown.fine_mm(read.relief_mm)
    if isinf(reach.relief_mm):
        return ToDo("Rod", f"there is none: {has} stays", "neck", True)
    if abs(off) <= reach.relief_mm + 1e-9:
        return ToDo("Rod", f"leave it: {has} is within {shown.fine_mm(reach.relief_mm)}", "neck", True)
    turn = "tighten" if off > 0 else "loosen"
    return ToDo("Rod", f"{turn} toward {shown.fine_mm(toward.relief_mm)}; it has {has}", "neck", False)


def _nut_to_do(toward: SetupTarget, read: SetupReadings, names: Mapping[int, str]) -> ToDo:
    if not read.gap_mm:
        return ToDo("Nut", "read the first-fret gaps first", "nut", False)
    sides = {number: gap_side(gap, *toward.gap_mm[number]) for number, gap in read.gap_mm.items()}
    high = [names[number] for number, side in sides.items() if side == "high"]
    low = [names[number] for number, side in sides.items() if side == "low"]
    words = [f"file {listed_words(high)} in steps"] if high else []
    words += [f"{listed_words(low)} {'is' if len(low) == 1 else 'are'} cut too low"] if low else []
    return ToDo("Nut", "; ".join(words) or "leave it", "nut", not words)


def _saddles_to_do(
    spec: Spec, plan: SetupPlan, actions: Mapping[int, float], toward: SetupTarget, reach: Reach, shown: Display
) -> ToDo:
    """The saddles' moves from the actions that rod and nut leave."""
    if not actions:
        return ToDo("Saddle", "read the action first", "saddle", False)
    moves = [
        saddle_move(spec, plan, number, actions[number], mm).raise_mm
        for number, mm in toward.action_mm.items()
        if abs(actions[number] - mm) > reach.action_mm + 1e-9
    ]
    if not moves:
        within = f"leave them: every string is within {shown.fine_mm(reach.action_mm)}"
        return ToDo("Saddle", within, "saddle", True)
    sizes = sorted(map(abs, moves))
    each = "strings" if STRINGS_A_SADDLE.get(spec.bridge, 1) > 1 else "saddles"
    which = "the saddle" if spec.bridge == "one_piece" else f"{len(moves)} of {len(toward.action_mm)} {each}"
    least, most = shown.fine_mm(sizes[0]), shown.fine_mm(sizes[-1])
    way = "raise" if min(moves) > 0 else "lower" if max(moves) < 0 else "set"
    say = f"{way} {which}, {least if least == most else f'{least} to {most}'}"
    if spec.bridge == "one_piece" and way == "lower":
        say += ", in steps that leave a third for last"
    return ToDo("Saddle", say, "saddle", False)

"""For the one who teaches: how far each person is in each drill, and what went wrong last."""

from collections.abc import Callable, Mapping

from flask import render_template

from deft_bench.bench.practice.attempts import progress, slips
from deft_bench.bench.practice.beam import BEAM
from deft_bench.bench.practice.clamping import CLAMPING
from deft_bench.bench.practice.culprit import practising
from deft_bench.bench.practice.datum import DATUM
from deft_bench.bench.practice.ends import ENDS
from deft_bench.bench.practice.intonate import at_the_saddle
from deft_bench.bench.practice.line import LINE
from deft_bench.bench.practice.order import in_order
from deft_bench.bench.practice.radius import RADIUS
from deft_bench.bench.practice.rounds import in_rounds
from deft_bench.bench.practice.sawing import SAWING
from deft_bench.bench.practice.scratches import SCRATCHES
from deft_bench.bench.practice.seating import SEATING
from deft_bench.bench.practice.set_up import SET_UP
from deft_bench.bench.practice.straight import SAYINGS, at_the_rod, debrief_rod
from deft_bench.core.frets.rocker import Signed
from deft_bench.core.practice.clamping import DRY
from deft_bench.core.practice.datum import FRETS
from deft_bench.core.practice.drills import DRILLS, IN_ROUNDS
from deft_bench.core.practice.ends import EDGE_MM
from deft_bench.core.practice.ladder import WELL
from deft_bench.core.practice.line import AIM_MM
from deft_bench.web.practice.rounds import answer_words, said
from deft_bench.web.practice.screen import screen
from deft_bench.web.support import db, display, now


@screen.get("/practice/people")
def people() -> str:
    """Everybody beside everybody, and the last slips with their debriefs."""
    found = progress(db(), now().date())
    told = [(one, WORDS[one.drill](one.id)) for one in slips(db())]
    return render_template(
        "practice/people.html", section="practice", drills=DRILLS, people=found, slips=told, well=WELL
    )


def _signed(some: frozenset[Signed]) -> str:
    return ", ".join(f"{fret} {'proud' if sign > 0 else 'low'}" for fret, sign in sorted(some))


def _culprit(attempt_id: int) -> str:
    found = practising(db(), attempt_id)
    named = frozenset((int(fret), int(sign)) for fret, sign in found.attempt.named)
    if named == found.truth.signed:
        return f"found, but slowly: {len(found.readings)} readings"
    return f"named {_signed(named)}; it was {_signed(found.truth.signed)}"


def _straight(attempt_id: int) -> str:
    found = at_the_rod(db(), attempt_id)
    told = debrief_rod(found)
    if told.steps and told.steps[-1][1].forced:
        return "forced a rod that had stopped"
    left = display().fine_mm(abs(told.score.settled_mm))
    return f"said that {SAYINGS[told.said]}; it settles at {left}, after {found.turns} turns"


def _beam(attempt_id: int) -> str:
    neck = BEAM.at_work(db(), attempt_id).piece
    words = f"its worst lane within {display().fine_mm(2 * neck.band_mm)}"
    if neck.wasted_mm >= 0.001:
        words += f", {display().fine_mm(neck.wasted_mm)} ground off what was only out of its slot"
    return words


def _radius(attempt_id: int) -> str:
    on = RADIUS.at_work(db(), attempt_id).piece
    return f"left within {display().fine_mm(2 * on.band_mm)} of the radius"


def _line(attempt_id: int) -> str:
    zones = LINE.at_work(db(), attempt_id).piece.zones
    if lost := max(one.lost_mm for one in zones):
        return f"its top lost {display().fine_mm(lost)}: the line is gone"
    widest = max(right - left for left, right in (one.line() for one in zones))
    off = max(max(one.off_round(AIM_MM)) for one in zones)
    return f"left a line of {display().fine_mm(widest)}, its shoulders up to {display().fine_mm(off)} off round"


def _clamping(attempt_id: int) -> str:
    on = CLAMPING.at_work(db(), attempt_id).piece
    late = f", {100 * on.dry:.0f} % not turned in the glue’s time" if on.dry > DRY else ""
    return f"an end {display().fine_mm(on.worst_mm)} off its line{late}"


def _datum(attempt_id: int) -> str:
    on = DATUM.at_work(db(), attempt_id).piece
    if not on.ready:
        return f"{len(on.marks_mm)} frets marked of {FRETS}"
    return f"its worst mark {display().fine_mm(max(map(abs, on.off_mm)))} off"


def _sawing(attempt_id: int) -> str:
    on = SAWING.at_work(db(), attempt_id).piece
    if not on.through:
        return "not sawn through"
    over = f"{display().fine_mm(on.over_mm)} over the line" if on.over_mm else "never over the line"
    return f"{over}, up to {display().fine_mm(max(on.at_mm))} off it in the waste"


def _set_up(attempt_id: int) -> str:
    on = SET_UP.at_work(db(), attempt_id).piece
    buzzing, actions = sum(map(len, on.buzzing())), on.actions_mm()
    return f"{buzzing} notes that buzz, the action {display().fine_mm(sum(actions) / len(actions))} on the mean"


def _scratches(attempt_id: int) -> str:
    on = SCRATCHES.at_work(db(), attempt_id).piece
    return f"marks of {on.deepest_um:.1f} µm left, where the finish has {on.asked_um:.1f} µm"


def _seating(attempt_id: int) -> str:
    on = SEATING.at_work(db(), attempt_id).piece
    if on.cracked:
        return "a fret driven on what was in its way: the board cracked"
    return f"daylight of {display().fine_mm(max(on.daylight_mm()))} left under a fret"


def _ends(attempt_id: int) -> str:
    worse = min(ENDS.at_work(db(), attempt_id).piece.sides, key=lambda one: one.worth())
    bare = f", {display().fine_mm(max(worse.bare_mm))} off the edge" if max(worse.bare_mm) > EDGE_MM else ""
    return f"ends up to {display().fine_mm(max(worse.over_mm))} over{bare}"


def _intonate(attempt_id: int) -> str:
    found = at_the_saddle(db(), attempt_id)
    return f"left {abs(found.string.off_cents):.1f} cents off, after {len(found.done)} steps"


def _order(attempt_id: int) -> str:
    found = in_order(db(), attempt_id)
    if not found.broken:
        return "nothing broken"
    one = found.broken[0]
    titles = found.truth.titles
    more = f", and {len(found.broken) - 1} more" if len(found.broken) > 1 else ""
    return f"“{titles[one.after]}” before “{titles[one.before]}”: {one.spoils}{more}"


def _rounds(attempt_id: int) -> str:
    found = in_rounds(db(), attempt_id)
    one, answer = next(
        (one, answer) for one, answer in zip(found.rounds, found.answers, strict=True) if one.worth(answer) < 1
    )
    wrong = sum(one.worth(answer) < 1 for one, answer in zip(found.rounds, found.answers, strict=True))
    first = f"{said(one, one.situation)} Said {answer_words(one, answer)} for {answer_words(one, one.right)}"
    return f"{wrong} of {len(found.rounds)} rounds: {first}"


WORDS: Mapping[str, Callable[[int], str]] = {
    "culprit": _culprit,
    "straight": _straight,
    "beam": _beam,
    "radius": _radius,
    "line": _line,
    "set_up": _set_up,
    "scratches": _scratches,
    "seating": _seating,
    "ends": _ends,
    "datum": _datum,
    "sawing": _sawing,
    "clamping": _clamping,
    "intonate": _intonate,
    "order": _order,
    **dict.fromkeys(IN_ROUNDS, _rounds),
}
"""What went wrong with an attempt, by its drill."""

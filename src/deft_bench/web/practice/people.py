"""For the one who teaches: how far each person is in each drill, and what went wrong last."""

from collections.abc import Callable, Mapping

from flask import render_template

from deft_bench.bench.practice.attempts import progress, slips
from deft_bench.bench.practice.culprit import practising
from deft_bench.bench.practice.intonate import at_the_saddle
from deft_bench.bench.practice.order import in_order
from deft_bench.bench.practice.rounds import in_rounds
from deft_bench.bench.practice.straight import SAYINGS, at_the_rod, debrief_rod
from deft_bench.core.frets.rocker import Signed
from deft_bench.core.practice.drills import DRILLS, IN_ROUNDS
from deft_bench.core.practice.ladder import WELL
from deft_bench.web.practice.hand_pages import HAND_PAGES
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
    "intonate": _intonate,
    "order": _order,
    **{drill: page.slip_of for drill, page in HAND_PAGES.items()},
    **dict.fromkeys(IN_ROUNDS, _rounds),
}
"""What went wrong with an attempt, by its drill."""

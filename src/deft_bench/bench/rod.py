"""How an instrument's rod has answered, and what it is asked for next: the same for the Neck and the Level screen."""

from typing import Any

from deft_bench.bench.survey_results import SurveyResults, survey_results
from deft_bench.core.neck.straightness import Straightness
from deft_bench.core.neck.truss_rod import RodAdvice, Turn, truss_rod
from deft_bench.core.shop_settings import ShopSettings
from deft_bench.store import instruments, rod_turns, surveys
from deft_bench.store.database import Connection


def recorded_turns(
    db: Connection, settings: ShopSettings, instrument: instruments.Instrument
) -> list[tuple[rod_turns.RodTurn, Turn | None]]:
    """Every recorded turn, with what straightness read alike before and after says it did, where both were read."""
    found = [
        survey_results(db, settings, survey, instrument)
        for survey in reversed(surveys.of_instrument(db, instrument.id, "straightness", 60))
    ]
    bows = [one for one in found if one.figures.straight is not None]
    turned = rod_turns.of_instrument(db, instrument.id)
    answers = []
    for i, turn in enumerate(turned):
        until = turned[i + 1].at if i + 1 < len(turned) else "9999"
        before = [bow for bow in bows if bow.survey.taken_at <= turn.at]
        after = [bow for bow in bows if turn.at < bow.survey.taken_at <= until]
        answers.append((turn, _answer(turn, before[-1], after[0]) if before and after else None))
    return answers


def answers(turns: list[tuple[rod_turns.RodTurn, Turn | None]]) -> list[Turn]:
    """Those recorded turns of which is known what they did."""
    return [answer for _, answer in turns if answer is not None]


def _answer(turn: rod_turns.RodTurn, before: SurveyResults, after: SurveyResults) -> Turn | None:
    """A turn's effect, only where both readings are of one surface, string state and way of reading."""
    one, other = before.survey.head, after.survey.head
    if (one.surface, one.string_state, one.method) != (other.surface, other.string_state, other.method):
        return None
    assert before.figures.straight is not None
    assert after.figures.straight is not None
    return Turn(turn.turns, before.figures.straight.relief_mm, after.figures.straight.relief_mm)


def advice_for(
    instrument: instruments.Instrument,
    found: Straightness,
    target_mm: float,
    turns: list[tuple[rod_turns.RodTurn, Turn | None]],
) -> RodAdvice:
    """The rod's next turn toward a relief."""
    rod: Any = instrument.spec.rod
    return truss_rod(found.relief_mm, target_mm, rod, answers(turns), slack=turns[-1][0].slack if turns else False)

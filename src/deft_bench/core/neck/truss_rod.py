"""The truss rod: how this rod has answered so far, the next turn, and when to stop.

The response k (mm of relief lost per turn of tightening) has a normal prior; each recorded turn t with its change d
updates it (the conjugate normal update of the statistics textbooks): k = (μ/σ² + Σ t·d/s²)/(1/σ² + Σ t²/s²).

Derived in docs/methods/truss-rod.md.
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

from deft_bench.core.limits import RELIEF_WITHIN_MM

Rod = Literal["single", "dual", "none"]

PRIOR_MM, PRIOR_SD = 0.4, 0.2
CHANGE_SD_MM = 0.03
STEP_LIMIT = 0.25
LEAST_TURN = 0.125
WEAK_MM = 0.05
"""A rod that gives less in a whole turn moves nothing that matters."""
STOP_RATIO = 20
"""How many times likelier the turns must be under a rod that does nothing than under one that answers, to stop."""
WRONG_WAY_SDS = 2

NO_ROD = "There is no rod: heat, a compression refret or planing the board can bow a neck; refer for neck work."
SLACK = (
    "A single rod that is slack cannot push the neck forward. What can: heavier strings, a refret with looser tangs,"
    " heat in a clamp, planing the board; refer for neck work."
)
ANSWERS_NO_MORE = (
    "This rod has stopped answering: do not force it. Clean and oil the nut, help the neck by hand or clamp, or refer"
    " for neck work."
)
DOUBTFUL = (
    "The turns so far are hardly to be told from nothing with this gauge: read more finely, or turn an eighth more and"
    " read again. Stop where it comes hard."
)
WRONG_WAY = (
    "The neck moved the wrong way: read it again, and see whether the thread or the reading is reversed, before another"
    " turn."
)
SETTLE = "Retune, let it settle, and read again before the next turn."


@dataclass(frozen=True, slots=True)
class Turn:
    """One recorded turn (tighten positive, in turns) with the relief before and after, mm."""

    turns: float
    before_mm: float
    after_mm: float

    @property
    def lost_mm(self) -> float:
        """Relief lost."""
        return self.before_mm - self.after_mm


@dataclass(frozen=True, slots=True)
class RodAdvice:
    """The response and its spread (mm per turn), and the next turn (tighten positive; `total_turns` None when
    stopped).
    """

    mm_per_turn: float
    mm_per_turn_sd: float
    turn: Literal["tighten", "loosen", "none", "stop"]
    total_turns: float | None
    next_turn: float
    warnings: tuple[str, ...]


def response(
    turns: Sequence[Turn], prior_mm: float = PRIOR_MM, prior_sd: float = PRIOR_SD, change_sd_mm: float = CHANGE_SD_MM
) -> tuple[float, float]:
    """The rod's response in mm per turn and its standard deviation."""
    weight = 1 / prior_sd**2 + sum(turn.turns**2 for turn in turns) / change_sd_mm**2
    pull = prior_mm / prior_sd**2 + sum(turn.turns * turn.lost_mm for turn in turns) / change_sd_mm**2
    return pull / weight, math.sqrt(1 / weight)


def truss_rod(
    now_mm: float,
    target_mm: float,
    rod: Rod,
    turns: Sequence[Turn] = (),
    *,
    prior_mm: float = PRIOR_MM,
    prior_sd: float = PRIOR_SD,
    change_sd_mm: float = CHANGE_SD_MM,
    step_limit: float = STEP_LIMIT,
    slack: bool = False,
) -> RodAdvice:
    """What to do with the rod to bring relief from `now_mm` to `target_mm` (forward positive). Never forced, never
    past the limit.
    """
    k, sd = response(turns, prior_mm, prior_sd, change_sd_mm)
    need = now_mm - target_mm

    def advise(
        turn: Literal["tighten", "loosen", "none", "stop"], total: float | None, step: float, *warnings: str
    ) -> RodAdvice:
        return RodAdvice(k, sd, turn, total, step, warnings)

    if rod == "none":
        return advise(
            "none" if abs(need) <= RELIEF_WITHIN_MM else "stop",
            None if abs(need) > RELIEF_WITHIN_MM else 0.0,
            0.0,
            NO_ROD,
        )
    if abs(need) <= RELIEF_WITHIN_MM + 1e-12:
        return advise("none", need / k if k > 0 else 0.0, 0.0)
    ratio = nothing_ratio(turns, prior_mm, prior_sd, change_sd_mm)
    reasons = {
        WRONG_WAY: moved_wrong_way(turns, change_sd_mm),
        ANSWERS_NO_MORE: ratio >= STOP_RATIO,
        SLACK: need < 0 and slack and rod == "single",
    }
    if any(reasons.values()):
        return advise("stop", None, 0.0, next(words for words, holds in reasons.items() if holds))
    # where the answer is all but nothing, it is taken as the least that counts as one
    total = need / max(k, WEAK_MM)
    warnings = []
    if ratio > 1:
        warnings.append(DOUBTFUL)
        step_limit = min(step_limit, LEAST_TURN)
    if abs(total) > 1:
        warnings.append(
            "More than a whole further turn is expected: read after every step, and stop when it comes hard."
        )
    if need < 0 and slack and rod == "dual":
        warnings.append(
            "The nut turns free through slack before a dual rod pushes the other way: count turns from where it bites."
        )
    rounded = math.copysign(math.floor(abs(total) / LEAST_TURN + 1e-9) * LEAST_TURN, total)
    if rounded == 0:
        return advise("none", total, 0.0, *warnings)
    step = math.copysign(min(abs(rounded), step_limit), total)
    return advise("tighten" if total > 0 else "loosen", total, step, *warnings)


def nothing_ratio(
    turns: Sequence[Turn], prior_mm: float = PRIOR_MM, prior_sd: float = PRIOR_SD, change_sd_mm: float = CHANGE_SD_MM
) -> float:
    """How many times likelier what was read is of a rod that does nothing (k = 0) than of one that answers: k by the
    prior, at least `WEAK_MM`. 1 before any turn.
    """
    squares = sum(turn.turns**2 for turn in turns)
    if squares == 0:
        return 1.0
    seen, spread = sum(turn.turns * turn.lost_mm for turn in turns) / squares, change_sd_mm / math.sqrt(squares)
    mean, sd = response(turns, prior_mm, prior_sd, change_sd_mm)
    answers = _density(seen, prior_mm, math.hypot(prior_sd, spread))
    # of the rods that answer by the prior, and by what was read
    share = _over(WEAK_MM, mean, sd) / _over(WEAK_MM, prior_mm, prior_sd)
    return _density(seen, 0.0, spread) / max(answers * share, 1e-300)


def moved_wrong_way(turns: Sequence[Turn], change_sd_mm: float = CHANGE_SD_MM) -> bool:
    """Whether the turns, or the last alone, moved the neck against their sense by more than readings differ."""
    for some in (turns, turns[-1:]):
        squares = sum(turn.turns**2 for turn in some)
        gained = -sum(turn.turns * turn.lost_mm for turn in some)
        if squares and gained >= WRONG_WAY_SDS * change_sd_mm * math.sqrt(squares):
            return True
    return False


def _density(value: float, mean: float, sd: float) -> float:
    return math.exp(-(((value - mean) / sd) ** 2) / 2) / (sd * math.sqrt(2 * math.pi))


def _over(bound: float, mean: float, sd: float) -> float:
    """The share of a normal distribution over a bound."""
    return math.erfc((bound - mean) / (sd * math.sqrt(2))) / 2

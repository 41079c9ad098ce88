"""The truss rod: how this rod has answered so far, the next turn, and when to stop.

The response k (mm of relief lost per turn of tightening) has a normal prior; each recorded turn t with its change d
updates it (the conjugate normal update of the statistics textbooks): k = (μ/σ² + Σ t·d/s²)/(1/σ² + Σ t²/s²).

Derived in docs/methods/truss-rod.md.
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise
from typing import Literal

from deft_bench.core.limits import RELIEF_WITHIN_MM

Rod = Literal["single", "dual", "none"]

PRIOR_MM, PRIOR_SD = 0.4, 0.2
CHANGE_SD_MM = 0.03
STEP_LIMIT = 0.25
LEAST_TURN = 0.125
WEAK_MM = 0.05
NOTHING_SHARE = 0.25

NO_ROD = "There is no rod: heat, a compression refret or planing the board can bow a neck; refer for neck work."
SLACK = (
    "A single rod that is slack cannot push the neck forward. What can: heavier strings, a refret with looser tangs,"
    " heat in a clamp, planing the board; refer for neck work."
)
ANSWERS_NO_MORE = (
    "This rod has stopped answering: do not force it. Clean and oil the nut, help the neck by hand or clamp, or refer"
    " for neck work."
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
    if _stopped(turns, k, sd, prior_mm):
        return advise("stop", None, 0.0, ANSWERS_NO_MORE)
    if need < 0 and slack and rod == "single":
        return advise("stop", None, 0.0, SLACK)
    if k <= 0:
        return advise("stop", None, 0.0, ANSWERS_NO_MORE)
    total = need / k
    warnings = []
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


def _stopped(turns: Sequence[Turn], k: float, sd: float, prior_mm: float) -> bool:
    """The stop signs: a response that is nothing or not to be told from nothing, or two tightening turns that did
    nothing.
    """
    if len(turns) >= 2 and (k < WEAK_MM or k < 2 * sd):
        return True
    dead = [turn.turns > 0 and turn.lost_mm < NOTHING_SHARE * prior_mm * turn.turns for turn in turns]
    return any(one and other for one, other in pairwise(dead))

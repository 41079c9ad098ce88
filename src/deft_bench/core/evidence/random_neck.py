"""Necks drawn from the prior, or from a wider one, and evidence about them as a technician gives it: what the judgement
is checked against, in the tests and by `make calibrate`.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from deft_bench.core.board.positions import fret_positions
from deft_bench.core.evidence.actions import FAR_UP_MM, MINUTES, hair_minutes, over_the_best, rock_over
from deft_bench.core.evidence.beam_ink import hull_over
from deft_bench.core.evidence.judged import COVERED, Judged
from deft_bench.core.evidence.kinds import INK_STROKE_MM, ROCKER_MM, Evidence, Heights, Ink, Rocker
from deft_bench.core.evidence.likely_neck import (
    EDGE_MM,
    LANES,
    ROCKS_FROM,
    Draws,
    Neck,
    over_fair_line,
)
from deft_bench.core.evidence.prior import (
    BOW_SD_MM,
    LOGISTIC,
    PRIORS,
    RAMP_NONE,
    RAMP_SD_MM,
    TWIST_SD_MM,
    WORN_FRETS,
    History,
)
from deft_bench.core.strings.frame import Array

LANE_SIGN = np.array([-1.0, 0.0, 1.0])


@dataclass(frozen=True, slots=True)
class RandomNeck:
    """A neck whose truth is known: heights [lanes, frets] in mm with its shape in them, u, w, which frets sit loose."""

    neck: Neck
    heights_mm: Array
    even_mm: Array
    own_mm: Array
    bow_mm: float
    ramp_mm: float
    loose: tuple[int, ...]

    def over_fair_line(self) -> Array:
        """Heights over each lane's own fair line."""
        return over_fair_line(self.heights_mm, self.neck.positions_mm)


def random_neck(
    chance: np.random.Generator,
    history: History = "played",
    frets: int = 22,
    wider: float = 1.0,
    straight: bool = False,
) -> RandomNeck:
    """Draw a neck; `wider` times the share and the size of its faults, `straight` with the rod set for fretwork."""
    prior = PRIORS[history]
    neck = Neck(np.array(fret_positions(640.0, frets)), history, 16)
    far = chance.random(frets) < min(0.5, prior.even_wide * wider)
    u = np.where(far, chance.normal(0, prior.even_wide_sd * wider, frets), chance.normal(0, prior.even_sd, frets))
    worn = (np.arange(frets) < WORN_FRETS) & (chance.random(frets) < prior.worn)
    u = np.where(worn, chance.normal(-prior.worn_mm, prior.worn_sd, frets), u)
    ends = chance.random((LANES, frets)) < prior.end_wide
    v = np.where(ends, chance.normal(0, prior.end_wide_sd, ends.shape), chance.normal(0, prior.end_sd, ends.shape))
    bow = float(chance.normal(0, BOW_SD_MM * (0.1 if straight else 1.0)))
    ramp = 0.0 if chance.random() < RAMP_NONE else float(chance.normal(0, RAMP_SD_MM))
    twist = chance.normal(0, TWIST_SD_MM)
    h = u + v + bow * neck.bow() + twist * LANE_SIGN[:, None] * neck.along() + ramp * neck.ramp()
    loose = tuple(n + 1 for n in range(frets) if u[n] > FAR_UP_MM and chance.random() < prior.loose)
    return RandomNeck(neck, h, u, u + v, bow, ramp, loose)


def read_heights(
    chance: np.random.Generator, true: RandomNeck, resolution_mm: float, frets: Sequence[int] = ()
) -> list[Evidence]:
    """Every lane with a gauge above an edge that lies somehow; some frets, or all."""
    neck, found = true.neck, list[Evidence]()
    for lane in range(LANES):
        line = chance.normal(0, 0.5) + chance.normal(0, 0.3) * neck.along()
        read = true.heights_mm[lane] + line + chance.normal(0, resolution_mm / 4, neck.frets)
        readings = {
            fret: round(float(read[fret - 1]) / resolution_mm) * resolution_mm
            for fret in (frets or range(1, neck.frets + 1))
        }
        found.append(Heights(lane, readings, resolution_mm))
    return found


def rock(chance: np.random.Generator, true: RandomNeck) -> list[Evidence]:
    """A rocker over every three neighbours in every lane."""
    from scipy.special import expit

    over = rock_over(true.heights_mm, true.neck.positions_mm)
    rocks = chance.random(over.shape) < expit(LOGISTIC / EDGE_MM * (over - ROCKS_FROM * ROCKER_MM))
    return [
        Rocker(lane, (n + 1, n + 2, n + 3), bool(rocks[lane, n])) for lane in range(LANES) for n in range(over.shape[1])
    ]


def ink(chance: np.random.Generator, true: RandomNeck, strokes: int = 3) -> list[Evidence]:
    """Ink after some light strokes of a beam over all frets, lane by lane."""
    x, h, found = true.neck.positions_mm, true.heights_mm, list[Evidence]()
    deep = strokes * INK_STROKE_MM
    below = hull_over(x, h) - h - deep + chance.normal(0, 0.002, h.shape)
    for lane in range(LANES):
        frets = range(1, true.neck.frets + 1)
        gone = tuple(f for f in frets if below[lane, f - 1] < -0.003)
        left = tuple(f for f in frets if below[lane, f - 1] > 0.003)
        partly = tuple(f for f in frets if f not in gone and f not in left)
        found.append(Ink(lane, 1, true.neck.frets, strokes, gone, partly, left))
    return found


def right(true: RandomNeck, judged: Judged) -> bool:
    """Whether the first action is the best for the truth, or within a hair. Who knows the truth reseats a loose fret
    without looking under any: looking is not held against a call that finds one.
    """
    alike = 4
    truth = Draws(
        np.repeat(true.heights_mm[None], alike, axis=0),
        np.repeat(true.even_mm[None], alike, axis=0),
        np.repeat(true.own_mm[None], alike, axis=0),
        np.full(alike, true.bow_mm),
        np.zeros(alike),
        np.full(alike, true.ramp_mm),
        {},
    )
    first = judged.compared.actions[0]
    found = first.do == "check_seating" and set(first.frets) & set(true.loose)
    allowed = hair_minutes() + (MINUTES["check_seating"] * len(first.frets) if found else 0.0)
    read = judged.covered >= COVERED
    over = over_the_best(true.neck, truth, true.loose, first.do, first.frets, all_read=read, told=judged.told)
    return over <= allowed

"""Read the light: what the gaps under a straightedge on the fret tops say of a neck.

The right name is what `straightness` makes of the same gaps.
"""

from collections.abc import Mapping

import numpy as np

from deft_bench.core.board.positions import fret_positions
from deft_bench.core.frets.heights import LANES
from deft_bench.core.neck.straightness import straightness
from deft_bench.core.practice.numbered import chance_of
from deft_bench.core.practice.rounds import Round
from deft_bench.core.simulated_neck import SimulatedNeck
from deft_bench.core.strings.frame import Array

FRETS, SCALE_MM = 22, 640.0
EVEN_MM = 0.003
NAMES: Mapping[str, str] = {
    "relief": "forward bow: relief",
    "back-bow": "back-bow",
    "upper-register-hump": "the board rises past the joint",
    "upper-register-drop": "the last frets fall away",
    "s-bend": "an S-bend",
    "local": "one fret stands proud",
}
WANTS: Mapping[str, str] = {
    "relief": "The light is widest in the middle and closes to both ends: the rod takes it out.",
    "back-bow": "The edge rides on the middle and the light opens to both ends: the rod is loosened.",
    "upper-register-hump": "It closes over the last frets and opens before them: no rod reaches past the joint.",
    "upper-register-drop": "All is closed up to the last frets, which open: a fall-away, often wanted.",
    "s-bend": "One half opens and the other closes: no rod takes out both.",
    "local": "The edge rocks on one fret and shows light on either side of it: look at its seat first.",
}
SIZES_MM: Mapping[str, tuple[float, float]] = {
    "relief": (0.16, 0.28),
    "back-bow": (0.14, 0.24),
    "upper-register-hump": (0.1, 0.16),
    "upper-register-drop": (0.12, 0.2),
    "s-bend": (0.14, 0.22),
    "local": (0.1, 0.16),
}
LEVELS: Mapping[int, str] = {1: "wide light", 2: "light that is little more than a thread"}
FAINT = 0.65


def read_light(seed: int, level: int) -> tuple[Round, ...]:
    """Each kind once, in some order; raises ValueError for a level that is not there."""
    chance = chance_of(seed, level, max(LEVELS), 19)
    kinds = [str(kind) for kind in chance.permutation(list(NAMES))]
    choices = tuple(NAMES.values())
    return tuple(
        Round(
            "A straightedge lies along the middle, on the fret tops.",
            "What does the light say?",
            list(NAMES).index(kind),
            WANTS[kind],
            choices=choices,
            gaps_mm=_gaps(chance, kind, FAINT if level == 2 else 1.0),
        )
        for kind in kinds
    )


def _gaps(chance: np.random.Generator, kind: str, times: float) -> tuple[float, ...]:
    """Gaps that are of a kind without a doubt."""
    xs = np.array(fret_positions(SCALE_MM, FRETS))
    while True:
        size = times * float(chance.uniform(*SIZES_MM[kind]))
        tops = _shape(chance, kind, size, (xs - xs[0]) / (xs[-1] - xs[0])) + chance.normal(0, EVEN_MM, FRETS)
        row = tuple(float(mm) for mm in tops)
        gaps = SimulatedNeck(SCALE_MM, dict.fromkeys(LANES, row), {}).under_edge("middle")
        found = straightness(list(zip(xs.tolist(), gaps, strict=True)), xs.tolist(), 1, FRETS, "fret_tops")
        if found.kind == kind:
            return tuple(round(max(0.0, gap), 4) for gap in gaps)


def _shape(chance: np.random.Generator, kind: str, size: float, share: Array) -> Array:
    """Heights of the tops, mm, along the share of the neck."""
    bow = 4 * share * (1 - share)
    if kind in ("relief", "back-bow"):
        return np.asarray(-size * bow if kind == "relief" else size * bow)
    if kind == "s-bend":
        return np.asarray(size * np.sin(2 * np.pi * share) * (1 if chance.random() < 0.5 else -1))
    if kind == "local":
        return np.asarray(size * (np.arange(FRETS) == int(chance.integers(4, 15))))
    late = np.clip((share - share[15]) / (share[-1] - share[15]), 0, 1)
    return np.asarray(size * (np.clip(3 * late, 0, 1) if kind == "upper-register-hump" else -late))

"""What a gauge reads on a neck that is no neck: drawn from the usual faults by its name."""

import zlib

import numpy as np

from deft_bench.core.evidence.beam_ink import hull_over
from deft_bench.core.evidence.random_neck import random_neck
from deft_bench.core.frets.heights import LANES
from deft_bench.core.survey_kinds import SURVEY_KINDS


def neck_figures(name: str, frets: int = 22) -> list[float]:
    """Gaps under a straightedge that rests on the highest frets, mm, lane by lane as the cursor walks; the same name is
    the same neck.
    """
    true = random_neck(np.random.default_rng(zlib.crc32(name.encode())), frets=frets, straight=True)
    gaps = hull_over(true.neck.positions_mm, true.heights_mm) - true.heights_mm
    order = SURVEY_KINDS["fret_heights"].places(frets, "lane_by_lane", 0, ())
    return [float(max(0.0, gaps[LANES.index(lane), fret - 1])) for lane, fret in order]

"""Find the culprit: which frets of a straight neck stand proud or low, by rocker and straightedge.

The same seed and level are the same neck. An attempt is held against what the program's own explanations need on that
neck: a rocker along the middle, fret by fret, until the frets that it was told are out are explained in one way.
"""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any, Literal

import numpy as np

from deft_bench.core.board.positions import fret_positions
from deft_bench.core.frets.heights import LANES
from deft_bench.core.frets.rocker import Explanation, Observation, Signed, around, rocker_lane
from deft_bench.core.practice.numbered import chance_of
from deft_bench.core.practice.worth import against
from deft_bench.core.simulated_neck import SimulatedNeck

FRETS, SCALE_MM = 22, 640.0
TOLERANCE_MM = 0.02
"""From here on a rocker is felt; under half of it, it sits."""
THREAD_MM, CLEAR_MM = 0.02, 0.06
"""A gap under a straightedge is seen as a thread of light from the first on, and as a clear one from the second."""
EVEN_MM = 0.003
APART, CLOSE = 6, 3
EDGE_MM = (0.08, 0.14)
"""How far an edge that is not true stands down where it does most."""
SECONDS: Mapping["Tool", float] = {"rocker": 4.0, "straightedge": 15.0, "turned": 15.0}
"""What a reading takes on a bench."""
RIGHT_SHARE = 0.6
"""So much of the score is for the answer; the rest is for how few seconds of reading it took."""

Tool = Literal["rocker", "straightedge", "turned"]
LEVELS: Mapping[int, tuple[str, int]] = {
    1: ("one proud fret", 1),
    2: ("one fret, proud or low", 1),
    3: ("two frets, far apart", 2),
    4: ("two frets, close together", 2),
    5: ("three frets", 3),
    6: ("two frets, and a straightedge that may not be true", 2),
}
"""What is said of each level, and how many frets are out."""


@dataclass(frozen=True, slots=True)
class CulpritNeck:
    """The hidden truth: a neck, and the frets that are out with how far, mm, proud positive; how far the straightedge
    stands down over each fret, mm (nothing: it is true).
    """

    neck: SimulatedNeck
    out_mm: Mapping[int, float]
    edge_mm: tuple[float, ...] = ()

    @property
    def signed(self) -> frozenset[Signed]:
        """The frets that are out, with their signs."""
        return frozenset((fret, 1 if mm > 0 else -1) for fret, mm in self.out_mm.items())


def neck_from(kept: Any) -> CulpritNeck:
    """A neck as it was kept, a JSON value."""
    tops = {lane: tuple(map(float, kept["tops"][lane])) for lane in LANES}
    out = {int(fret): float(mm) for fret, mm in kept["out_mm"].items()}
    return CulpritNeck(SimulatedNeck(SCALE_MM, tops, {}), out, tuple(kept.get("edge_mm", ())))


def as_json(truth: CulpritNeck) -> dict[str, Any]:
    """A neck as it is kept."""
    return {"tops": truth.neck.tops, "out_mm": truth.out_mm, "edge_mm": truth.edge_mm}


@dataclass(frozen=True, slots=True)
class Reading:
    """A tool set down and what it said: `rocks` of a rocker on a fret and its neighbours (None: too close to tell),
    `light` of a straightedge, fret 1 first: 0 none, 1 a thread, 2 clear.
    """

    tool: Tool
    lane: str
    fret: int = 0
    rocks: bool | None = None
    light: tuple[int, ...] = ()

    @property
    def words(self) -> str:
        """What was done, and what was seen or felt."""
        if self.tool == "rocker":
            said = {True: "it rocks", False: "it sits", None: "too close to tell"}[self.rocks]
            return f"Rocker on {self.fret - 1}, {self.fret} and {self.fret + 1}, {self.lane}: {said}"
        seen = [fret for fret, light in enumerate(self.light, 1) if light == 2]
        turned = ", end for end" if self.tool == "turned" else ""
        return f"Straightedge{turned}, {self.lane}: clear light over {', '.join(map(str, seen)) or 'no fret'}"


@dataclass(frozen=True, slots=True)
class Believed:
    """A reading, and the explanations that stood after it in its lane."""

    reading: Reading
    explanations: tuple[Explanation, ...]


@dataclass(frozen=True, slots=True)
class Score:
    """Of 100: the share of frets that was named rightly, the seconds of reading, and what the program would take."""

    points: int
    right: float
    seconds: float
    program_seconds: float


def culprit_neck(seed: int, level: int) -> CulpritNeck:
    """The neck of a seed and a level, 1 to 6; raises ValueError for another. It is one that a rocker can explain."""
    chance = chance_of(seed, level, max(LEVELS), 0)
    while True:
        made = _drawn(chance, level)
        if not why_no_drill(made, level):
            return made


def why_no_drill(truth: CulpritNeck, level: int) -> str:
    """Why a neck cannot be practised on at a level; empty where it can."""
    if len(truth.edge_mm) not in (0, FRETS):
        return f"edge_mm: how far it stands down over each of {FRETS} frets, or nothing"
    if any(not 1 <= fret <= FRETS for fret in truth.out_mm):
        return f"out_mm names a fret that is not there: 1 to {FRETS}"
    many = LEVELS[level][1]
    if len(truth.out_mm) != many or not all(truth.out_mm.values()):
        return f"out_mm: level {level} has {many} out, none of them by nothing"
    if found_by_program(truth, level)[1] != truth.signed:
        return "no reading with the rocker finds the frets of out_mm on these tops, and no others"
    return ""


def read(truth: CulpritNeck, tool: Tool, lane: str, fret: int = 0) -> Reading:
    """What a tool says on the neck. `fret` is the middle one of a rocker's three; raises ValueError where it cannot be
    set down.
    """
    if lane not in LANES:
        raise ValueError(f"choose a lane: {', '.join(LANES)}")
    if tool != "rocker":
        # an edge that stands down lies as a true one would on tops that stand up by so much
        edge = truth.edge_mm[::-1] if tool == "turned" else truth.edge_mm
        tops = [top + down for top, down in zip(truth.neck.tops[lane], edge or (0.0,) * FRETS, strict=True)]
        gaps = SimulatedNeck(SCALE_MM, dict.fromkeys(LANES, tuple(tops)), {}).under_edge(lane)
        return Reading(tool, lane, light=tuple(2 if mm >= CLEAR_MM else int(mm >= THREAD_MM) for mm in gaps))
    if not 2 <= fret <= FRETS - 1:
        raise ValueError(f"a rocker stands on three frets: choose its middle one, 2 to {FRETS - 1}")
    return Reading(tool, lane, fret, truth.neck.rocks(lane, around(fret), TOLERANCE_MM))


def explained(readings: Iterable[Reading], lane: str) -> tuple[Explanation, ...]:
    """What explains a lane's rocker with the fewest frets; empty while nothing rocks, or where nothing few does."""
    seen = [
        Observation(around(one.fret), one.rocks)
        for one in readings
        if one.tool == "rocker" and one.lane == lane and one.rocks is not None
    ]
    found = rocker_lane(fret_positions(SCALE_MM, FRETS), seen, TOLERANCE_MM)
    return found.explanations if found.rocking else ()


def believed(readings: Sequence[Reading]) -> list[Believed]:
    """Each reading with the explanations that stood once it was taken."""
    return [Believed(one, explained(readings[: k + 1], one.lane)) for k, one in enumerate(readings)]


def seconds_of(readings: Iterable[Reading]) -> float:
    """What the readings take on a bench."""
    return sum(SECONDS[one.tool] for one in readings)


def found_by_program(truth: CulpritNeck, level: int) -> tuple[list[Reading], frozenset[Signed]]:
    """The readings that the program would take, and the frets that it would name."""
    taken: list[Reading] = []
    for fret in range(2, FRETS):
        taken.append(read(truth, "rocker", "middle", fret))
        ways = explained(taken, "middle")
        # every rocker that a named fret has a part in must have been felt, or it is only the best so far
        if len(ways) == 1 and len(ways[0].signed) == LEVELS[level][1] and max(n for n, _ in ways[0].signed) < fret:
            return taken, ways[0].signed
    ways = explained(taken, "middle")
    return taken, ways[0].signed if len(ways) == 1 else frozenset()


def told_of(readings: Iterable[Reading], fret: int) -> bool:
    """Whether anything was read that tells of a fret: a rocker that stood on it, or clear light beside or over it."""
    return any(
        fret in around(one.fret)
        if one.tool == "rocker"
        else any(light == 2 for light in one.light[max(0, fret - 2) : fret + 1])
        for one in readings
    )


def score(truth: CulpritNeck, level: int, readings: Sequence[Reading], named: frozenset[Signed]) -> Score:
    """What an attempt was worth: a fret that nothing told of is a guess, and counts for nothing."""
    told = {(fret, sign) for fret, sign in named & truth.signed if told_of(readings, fret)}
    right = len(told) / max(len(truth.signed), len(named))
    seconds, program = seconds_of(readings), seconds_of(found_by_program(truth, level)[0])
    spared = against(program, seconds, unspent=1.0)
    return Score(round(100 * right * (RIGHT_SHARE + (1 - RIGHT_SHARE) * spared)), right, seconds, program)


def _drawn(chance: np.random.Generator, level: int) -> CulpritNeck:
    count = LEVELS[level][1]
    while True:
        frets = sorted(int(n) for n in chance.choice(np.arange(2, FRETS), count, replace=False))
        between = np.diff(frets)
        if (level == 3 and between.min() < APART) or (level == 4 and between.max() > CLOSE):
            continue
        break
    least, most = (0.1, 0.22) if level <= 2 else (0.06, 0.16)
    signs = [1 if level == 1 else int(chance.choice([-1, 1])) for _ in frets]
    out = {fret: float(sign * chance.uniform(least, most)) for fret, sign in zip(frets, signs, strict=True)}
    tops = {
        lane: tuple(float(chance.normal(0, EVEN_MM)) + out.get(fret, 0.0) for fret in range(1, FRETS + 1))
        for lane in LANES
    }
    return CulpritNeck(SimulatedNeck(SCALE_MM, tops, {}), out, _edge(chance) if level == max(LEVELS) else ())


def _edge(chance: np.random.Generator) -> tuple[float, ...]:
    """An edge, true one time in four, else with a hump to one side of its middle."""
    if chance.random() < 0.25:
        return (0.0,) * FRETS
    at, size = float(chance.choice([chance.uniform(4, 8), chance.uniform(15, 19)])), float(chance.uniform(*EDGE_MM))
    return tuple(round(size * max(0.0, 1 - ((fret - at) / 4) ** 2), 4) for fret in range(1, FRETS + 1))

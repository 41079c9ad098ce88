"""Level or lift: what three lanes of fret heights ask for, before any metal comes off.

The right answer is what `level_call` says of the same heights; its reasons are the working.
"""

import re
from collections.abc import Mapping

import numpy as np

from deft_bench.core.board.positions import fret_positions
from deft_bench.core.calls import Call, Length
from deft_bench.core.frets.heights import LANES
from deft_bench.core.frets.level_call import level_call
from deft_bench.core.frets.levelling import LevelRequest, least_height, plan_level
from deft_bench.core.practice.numbered import chance_of
from deft_bench.core.practice.rounds import Round
from deft_bench.core.simulated_neck import SimulatedNeck

FRETS, SCALE_MM, CROWN_MM, WORN_MM = 22, 640.0, 1.2, 0.92
READ_MM, ROCK_MM, POLISH_MM = 0.01, 0.02, 0.01
EVEN_MM = 0.003
ROUNDS = 5
ANSWERS: Mapping[str, str] = {
    "check_seating": "look under the fret that stands up, first",
    "lift": "lift the low fret, then level",
    "level": "level all as they are",
    "none": "leave the frets as they are",
    "refret": "replace them: there is no metal left",
}
LEVELS: Mapping[int, str] = {1: "plain cases", 2: "faults that are small"}
TIMES = {1: 1.0, 2: 0.75}


def level_or_lift(seed: int, level: int) -> tuple[Round, ...]:
    """Each answer once, in some order; raises ValueError for a level that is not there."""
    chance = chance_of(seed, level, max(LEVELS), 24)
    return tuple(_round(chance, str(do), TIMES[level]) for do in chance.permutation(list(ANSWERS)))


def _round(chance: np.random.Generator, do: str, times: float) -> Round:
    crown = WORN_MM if do == "refret" else CROWN_MM
    while True:
        tops = _tops(chance, do, times)
        lengths: list[float] = [crown]

        def kept(mm: float, lengths: list[float] = lengths) -> str:
            """A length's place in the words; the shop's units write it."""
            lengths.append(mm)
            return f"{{{len(lengths) - 1}}}"

        call = _called(tops, crown, kept)
        if call.do == do:
            break
    neck = SimulatedNeck(SCALE_MM, {lane: tuple(row) for lane, row in tops.items()}, {})
    gaps = [max(0.0, gap) for lane in LANES for gap in neck.under_edge(lane)]
    asked = "an edge along each lane, the bass side on top"
    seated = "" if do == "check_seating" else " Every fret was looked under: all are home."
    why = " ".join([call.say, *[why for why in call.because[-1:] if "found home" not in why]])
    said = [0, *(int(n) for n in re.findall(r"{(\d+)}", why))]
    return Round(
        f"A straight neck, its crowns {{0}} high over the board; {asked}.{seated}",
        "What comes first?",
        list(ANSWERS).index(do),
        re.sub(r"{(\d+)}", lambda found: f"{{{said.index(int(found[1]), 1)}}}", why),
        choices=tuple(ANSWERS.values()),
        lengths_mm=tuple(lengths[n] for n in said),
        gaps_mm=tuple(round(gap, 4) for gap in gaps),
    )


def _called(tops: Mapping[str, list[float]], crown: float, length: Length) -> Call:
    """What the program calls from these heights; frets that stand up alone were not looked under yet."""
    request = LevelRequest(
        tuple(fret_positions(SCALE_MM, FRETS)),
        {lane: [round(mm / READ_MM) * READ_MM for mm in row] for lane, row in tops.items()},
        (0.0,) * FRETS,
        frozenset(),
        "least_metal",
        (crown,) * FRETS,
        least_height(CROWN_MM),
        POLISH_MM,
        ROCK_MM,
    )
    plan = plan_level(request)
    first = level_call(plan, resolution_mm=READ_MM, length=length)
    return (
        first
        if first.do == "check_seating" and _one_up(tops)
        else level_call(plan, home=range(1, FRETS + 1), resolution_mm=READ_MM, length=length)
    )


def _one_up(tops: Mapping[str, list[float]]) -> bool:
    """Whether a single fret stands well up in every lane."""
    up = [{n for n, mm in enumerate(row) if mm > 2 * ROCK_MM} for row in tops.values()]
    return len(set.intersection(*up)) == 1


def _tops(chance: np.random.Generator, do: str, times: float) -> dict[str, list[float]]:
    """Tops by lane that may ask for something."""
    tops = {lane: chance.normal(0, EVEN_MM, FRETS) for lane in LANES}
    fret = int(chance.integers(3, 15))
    if do in ("check_seating", "lift"):
        size = (
            times * float(chance.uniform(0.1, 0.16))
            if do == "check_seating"
            else -times * float(chance.uniform(0.14, 0.22))
        )
        for lane in LANES:
            tops[lane][fret] += size
    elif do in ("level", "refret"):
        deep = times * float(chance.uniform(0.06, 0.09)) if do == "level" else float(chance.uniform(0.2, 0.26))
        for lane in LANES:
            tops[lane][chance.random(FRETS) < 0.5] -= deep * chance.uniform(0.6, 1.0)
    return {lane: [float(mm) for mm in row] for lane, row in tops.items()}

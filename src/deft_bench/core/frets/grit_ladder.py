"""From the coarsest mark to the finish asked: the fewest abrasives on hand without a jump that leaves scratches behind.

Sizes are median particle sizes in µm. Grit numbers of different kinds are never compared, only their sizes.

Size tables and their standards: docs/methods/grit-ladder.md.
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass

# FEPA standard 43: P-graded coated abrasives
_FEPA_P = {
    60: 269,
    80: 201,
    100: 162,
    120: 125,
    150: 100,
    180: 82,
    220: 68,
    240: 58.5,
    280: 52.2,
    320: 46.2,
    360: 40.5,
    400: 35.0,
    500: 30.2,
    600: 25.8,
    800: 21.8,
    1000: 18.3,
    1200: 15.3,
    1500: 12.6,
    2000: 10.3,
    2500: 8.4,
    3000: 7.0,
    5000: 5.0,
}
# ANSI B74.18: coated abrasives, the older American grading
_CAMI = {
    60: 268,
    80: 192,
    100: 141,
    120: 116,
    150: 93,
    180: 78,
    220: 66,
    240: 53.5,
    280: 44,
    320: 36,
    360: 28.8,
    400: 23.6,
    500: 19.7,
    600: 16,
    800: 12.2,
    1000: 9.2,
    1200: 6.5,
}
# JIS R 6001 (electrical resistance): fine powders, as cushioned pads are graded
_JIS = {
    240: 57,
    280: 48,
    320: 40,
    360: 35,
    400: 30,
    500: 25,
    600: 20,
    700: 17,
    800: 14,
    1000: 11.5,
    1200: 9.5,
    1500: 8.0,
    2000: 6.7,
    2500: 5.5,
    3000: 4.0,
    4000: 3.0,
    6000: 2.0,
    8000: 1.2,
}
# FEPA standard 42: F-graded bonded abrasives, as rubber blocks are graded
_FEPA_F = {
    80: 185,
    100: 129,
    120: 109,
    150: 82,
    180: 69,
    220: 58,
    240: 44.5,
    320: 29.2,
    400: 17.3,
    500: 12.8,
    600: 9.3,
    800: 6.5,
    1000: 4.5,
    1200: 3.0,
}
# Steel wool by its number of noughts: it cuts about as fine as a fifth of its filament's width (25 to 40 µm)
_WOOL: dict[int, float] = {1: 14, 2: 11, 3: 8, 4: 5}

SIZES_UM: dict[str, dict[int, float]] = {
    "fepa_p": _FEPA_P,
    "cami": _CAMI,
    "pad": _JIS,
    "rubber": _FEPA_F,
    "wool": _WOOL,
}
"""Particle size by kind and grit. A `compound` is named by its own particle size in µm, so it needs no table."""

KINDS: dict[str, str] = {
    "fepa_p": "paper, P grades",
    "cami": "paper, American grades",
    "pad": "cushioned abrasive pad",
    "rubber": "abrasive rubber block",
    "wool": "steel wool, noughts",
    "compound": "compound, µm",
}
FINISH_UM = {"satin": 15.0, "bright": 6.0, "mirror": 1.5}
MOST_RATIO = 2.0
NEAR = 1.5
"""An abrasive within this factor of the finish's size makes that finish."""


@dataclass(frozen=True, slots=True)
class Abrasive:
    """One abrasive on hand."""

    kind: str
    grit: float

    @property
    def words(self) -> str:
        """What it is called at the bench: `P600 paper`, `steel wool 0000`, `compound 1 µm`."""
        grade = f"{self.grit:g}"
        return {
            "fepa_p": f"P{grade} paper",
            "cami": f"{grade} paper, American grade",
            "pad": f"cushioned pad {grade}",
            "rubber": f"rubber block {grade}",
            "wool": f"steel wool {'0' * int(self.grit)}",
            "compound": f"compound {grade} µm",
        }[self.kind]

    @property
    def size_um(self) -> float:
        """Its median particle size; raises ValueError for a grade that its kind does not have."""
        if self.kind == "compound":
            if not 0 < self.grit <= 100:
                raise ValueError("a compound is named by its particle size, more than 0 to 100 µm")
            return float(self.grit)
        table = SIZES_UM[self.kind]
        if self.grit not in table:
            raise ValueError(f"{KINDS[self.kind]} has no grade {self.grit:g}; known: {', '.join(map(str, table))}")
        return table[int(self.grit)]


@dataclass(frozen=True, slots=True)
class Rung:
    """One step of the ladder: the abrasive, its size and how many times finer it is than what came before."""

    abrasive: Abrasive
    size_um: float
    ratio: float


@dataclass(frozen=True, slots=True)
class Gap:
    """A jump that is too large for what is on hand, in particle size."""

    from_um: float
    to_um: float
    ratio: float


@dataclass(frozen=True, slots=True)
class Ladder:
    """The steps in order, the jumps that leave scratches, and advice in words."""

    steps: tuple[Rung, ...]
    gaps: tuple[Gap, ...]
    advice: tuple[str, ...]


def grit_ladder(start_um: float, finish: str, on_hand: Sequence[Abrasive], max_ratio: float = MOST_RATIO) -> Ladder:
    """The fewest abrasives from a coarsest mark of `start_um` to a finish, each at most `max_ratio` finer than the
    last.

    Taking the finest allowed at every step gives the fewest. Where nothing on hand lies within the ratio, the next
    finer one is taken and the jump is listed as a gap. Raises ValueError for a grade that its kind does not have.
    """
    target = FINISH_UM[finish]
    sized = sorted(
        {(abrasive.size_um, abrasive.kind, abrasive.grit): abrasive for abrasive in on_hand}.items(), reverse=True
    )
    rungs = [(key[0], abrasive) for key, abrasive in sized]
    if start_um <= target * 1.0000001:
        return Ladder((), (), ("The marks are finer than that finish already: only buff.",))
    useful = [(size, abrasive) for size, abrasive in rungs if size <= start_um]
    if not useful:
        return Ladder((), (Gap(start_um, target, start_um / target),), ("Nothing on hand is finer than the marks.",))
    # the finish is made by the one nearest to it; finer ones are not needed
    end = min(useful, key=lambda rung: (abs(math.log(rung[0] / target)), rung[0]))[0]
    useful = [(size, abrasive) for size, abrasive in useful if size >= end]
    steps, gaps = _down(useful, start_um, end, max_ratio)
    advice = [
        f"From {gap.from_um:g} to {gap.to_um:g} µm is a jump of {gap.ratio:.1f}: get one of about"
        f" {math.sqrt(gap.from_um * gap.to_um):.0f} µm between."
        for gap in gaps
    ]
    at = steps[-1].size_um if steps else start_um
    if at > target * NEAR:
        advice.append(f"The finest on hand leaves marks of {at:g} µm; a {finish} finish wants about {target:g}.")
    return Ladder(tuple(steps), tuple(gaps), tuple(advice))


def _down(
    useful: Sequence[tuple[float, Abrasive]], start_um: float, end_um: float, max_ratio: float
) -> tuple[list[Rung], list[Gap]]:
    """Step down from the coarsest mark to the last of the useful sizes, µm, and the jumps on the way."""
    steps: list[Rung] = []
    gaps: list[Gap] = []
    at = start_um
    while at > end_um * (1 + 1e-9):
        within = [rung for rung in useful if rung[0] < at * (1 - 1e-9) or (not steps and rung[0] <= at)]
        reach = [rung for rung in within if at / rung[0] <= max_ratio * (1 + 1e-9)]
        if not within:
            break
        size, abrasive = min(reach, key=lambda rung: rung[0]) if reach else max(within, key=lambda rung: rung[0])
        if not reach:
            gaps.append(Gap(at, size, at / size))
        steps.append(Rung(abrasive, size, at / size))
        at = size
    return steps, gaps


def read_shelf(text: str) -> list[Abrasive]:
    """Abrasives on hand from words such as `fepa_p 400, pad 2000, compound 3`; raises ValueError naming what is not
    one.
    """
    abrasives = []
    for part in text.replace("\n", ",").replace(";", ",").split(","):
        words = part.split()
        if not words:
            continue
        if len(words) != 2 or words[0] not in KINDS:
            raise ValueError(
                f"“{part.strip()[:30]}” is not understood: a kind ({', '.join(KINDS)}) and its grade, such as"
                " fepa_p 400"
            )
        try:
            abrasive = Abrasive(words[0], float(words[1]))
        except ValueError:
            raise ValueError(f"“{words[1][:20]}” is not a grade") from None
        _ = abrasive.size_um
        abrasives.append(abrasive)
    return abrasives

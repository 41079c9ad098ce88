"""Checks the likely neck against necks whose truth is known, and prints the table of docs/methods/neck-evidence.md.

How often 90 % intervals hold the truth, and how often a call is right by what it says of itself. `calibrate.py 60`
draws sixty necks of each kind; more takes longer.
"""

import sys
from collections.abc import Callable

import numpy as np

from deft_bench.core.evidence.judged import judge
from deft_bench.core.evidence.kinds import Evidence
from deft_bench.core.evidence.likely_neck import likely_neck
from deft_bench.core.evidence.random_neck import RandomNeck, ink, random_neck, read_heights, right, rock

Chance = np.random.Generator
KINDS: dict[str, Callable[[Chance, RandomNeck], list[Evidence]]] = {
    "every place, gauge 0.01": lambda chance, true: read_heights(chance, true, 0.01),
    "every place, gauge 0.02": lambda chance, true: read_heights(chance, true, 0.02),
    "every place, gauge 0.05": lambda chance, true: read_heights(chance, true, 0.05),
    "8 readings a lane, gauge 0.01": lambda chance, true: read_heights(chance, true, 0.01, range(1, 23, 3)),
    "rocker over every three": rock,
    "ink, three strokes": ink,
    "every third place and rocker": lambda chance, true: [
        *read_heights(chance, true, 0.02, range(1, 23, 3)),
        *rock(chance, true),
    ],
}
NECKS: dict[str, dict[str, object]] = {"as the prior": {}, "wider faults": {"wider": 1.6}}


def main() -> None:
    """Print a row for each kind of evidence and of necks."""
    many = int(sys.argv[1]) if len(sys.argv) > 1 else 40
    print("| evidence | necks | in the 90 % interval | width, mm | certain: right | likely: right | unsure: right |")
    print("|---|---|---|---|---|---|---|")
    for name, read in KINDS.items():
        for which, how in NECKS.items():
            print(_row(name, read, which, how, many), flush=True)


def _row(name: str, read: Callable[..., list[Evidence]], which: str, how: dict[str, object], many: int) -> str:
    chance, inside, width = np.random.default_rng(29), [], []
    said: dict[str, list[bool]] = {"certain": [], "likely": [], "unsure": []}
    for seed in range(many):
        true = random_neck(chance, straight=seed % 2 == 0, **how)  # type: ignore[arg-type]
        evidence = read(chance, true)
        found = likely_neck(true.neck, evidence, seed).over_fair_line(true.neck.positions_mm)
        low, high = np.quantile(found, (0.05, 0.95), axis=0)
        inside.append(np.mean((true.over_fair_line() >= low) & (true.over_fair_line() <= high)))
        width.append(np.mean(high - low))
        judged = judge(true.neck, evidence, seed=seed)
        said[judged.sure].append(right(true, judged))
    shares = [f"{round(100 * float(np.mean(one)))} % of {len(one)}" if one else "none" for one in said.values()]
    return f"| {name} | {which} | {100 * np.mean(inside):.0f} % | {np.mean(width):.3f} | {' | '.join(shares)} |"


if __name__ == "__main__":
    main()

"""Draws what *What buzzes and why* asks: setups gone wrong in one way, kept in core/practice/buzz_bank.py.

With a number, so many of each cause and level; it takes some minutes.
"""

import sys
from pathlib import Path

import numpy as np

from deft_bench.core.practice.what_buzzes import CHOICES, FEW, LEVELS, gone_wrong

BANK = Path(__file__).parent.parent / "src" / "deft_bench" / "core" / "practice" / "buzz_bank.py"
SEED = 20261129


def main() -> None:
    """Draw them, and write the module."""
    many = int(sys.argv[1]) if len(sys.argv) > 1 else 8
    lines = [
        '"""What *What buzzes and why* asks, as `scripts/draw_buzzes.py` drew it: by level and cause the relief of the',
        "clean setup, mm, and the notes that buzz since, as `what_buzzes.buzzes_of` reads them.",
        '"""',
        "",
        "from collections.abc import Mapping, Sequence",
        "",
        "BANK: Mapping[int, Mapping[str, Sequence[tuple[float, str]]]] = {",
    ]
    for level in LEVELS:
        lines.append(f"    {level}: {{")
        for kind in list(CHOICES)[: FEW if level == 1 else None]:
            chance = np.random.default_rng([SEED, level, list(CHOICES).index(kind)])
            lines.append(f'        "{kind}": (')
            for _ in range(many):
                clean, notes = gone_wrong(chance, kind, level)
                held = int("".join(str(int(one)) for one in notes), 2)
                lines.append(f'            ({clean.frame.relief_mm:.2f}, "{held:x}"),')
            lines.append("        ),")
            print(level, kind, flush=True)
        lines.append("    },")
    BANK.write_text("\n".join([*lines, "}", ""]))


if __name__ == "__main__":
    main()

"""The bridge seen from the neck: the board's arc carried to the saddle, each string's underside now and as wanted,
and a saddle's cut.
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass

from deft_bench.bench.setup.saddle import SaddleFindings, SaddleRow
from deft_bench.core.instrument import Spec
from deft_bench.core.strings.saddle_height import OnePiece
from deft_bench.core.strings.setup_plan import SetupPlan
from deft_bench.core.units import Display

WIDTH, HEIGHT = 600.0, 230.0
LEFT = 54.0


@dataclass(frozen=True, slots=True)
class SaddleString:
    """One string: where it lies now and is wanted, its move in words, and whether that is out of travel."""

    x: float
    now_y: float
    want_y: float
    label: str
    words: str
    state: str


@dataclass(frozen=True, slots=True)
class SaddleView:
    """Everything that the template places, in SVG units."""

    board: str
    strings: list[SaddleString]
    cut: str
    blank: str
    times: float


def _said(row: SaddleRow, display: Display) -> tuple[str, str, str]:
    """A saddle's label, words and state."""
    move = row.move
    if move is None:
        return "", "not read", "unread"
    out = bool(move.over_mm)
    words = f"{'raise' if move.raise_mm > 0 else 'lower'} {display.fine_mm(abs(move.raise_mm))}"
    state = "out" if out else "still" if row.within else "up" if move.raise_mm > 0 else "down"
    return display.signed_number(move.raise_mm * 1000), words + (", out of travel" if out else ""), state


def _one_piece(
    ends: tuple[float, float], outline: Sequence[tuple[float, float]], cut: OnePiece, scale_y: float
) -> tuple[str, str]:
    """A one-piece saddle and the line to which it is cut. What comes off beneath is drawn at its foot, a fixed depth
    below the strings.
    """
    bass, treble = ends
    foot = HEIGHT - 30
    shape = [(treble, outline[0][1]), *outline, (bass, outline[-1][1]), (bass, foot), (treble, foot)]
    return (
        " ".join(f"{x:.1f},{y:.1f}" for x, y in shape),
        f"{bass:.1f},{foot - cut.take_off_bass_mm * scale_y:.1f}"
        f" {treble:.1f},{foot - cut.take_off_treble_mm * scale_y:.1f}",
    )


def saddle_view(findings: SaddleFindings, plan: SetupPlan, display: Display, spec: Spec) -> SaddleView:
    """Draw it with the bass side at the left; a left-handed bridge the other way. Heights are three times as large
    as widths.
    """
    strung, offsets_mm, board_radius_mm = findings.strung, findings.offsets, findings.board_radius
    half = max(map(abs, offsets_mm)) + plan.saddle_overhang_um / 1000 + 1
    scale = (WIDTH - 2 * LEFT) / (2 * half)
    # string 1 is the treble side, positive; the bass side is drawn at the left
    side = -1 if spec.left_handed else 1

    def arc(off: float) -> float:
        return 0.0 if board_radius_mm is None else board_radius_mm - math.sqrt(max(0.0, board_radius_mm**2 - off**2))

    heights = [one.saddle_height_mm - arc(off) for one, off in zip(strung, offsets_mm, strict=True)]
    moves = [0.0 if row.move is None else row.move.raise_mm for row in findings.rows]
    top = max(h + max(0.0, move) for h, move in zip(heights, moves, strict=True))
    low = min(-arc(half), *(h + min(0.0, move) for h, move in zip(heights, moves, strict=True)))
    scale_y = min(3 * scale, (HEIGHT - 84) / max(1.0, top - low))

    def at(off: float, height: float) -> tuple[float, float]:
        return WIDTH / 2 + side * off * scale, 44 + (top - height) * scale_y

    across = [-half + 2 * half * i / 40 for i in range(41)]
    strings = []
    for row, off, height, move in zip(findings.rows, offsets_mm, heights, moves, strict=True):
        x, now_y = at(off, height)
        strings.append(SaddleString(x, now_y, at(off, height + move)[1], *_said(row, display)))
    blank = line = ""
    if findings.cut is not None:
        reach = max(map(abs, offsets_mm)) + plan.saddle_overhang_um / 1000
        ends = at(-reach, 0)[0], at(reach, 0)[0]
        outline = [at(off, height) for off, height in zip(offsets_mm, heights, strict=True)]
        blank, line = _one_piece(ends, outline, findings.cut, scale_y)
    return SaddleView(
        " ".join("{:.1f},{:.1f}".format(*at(off, -arc(off))) for off in across),
        strings,
        line,
        blank,
        round(scale_y / scale, 1),
    )

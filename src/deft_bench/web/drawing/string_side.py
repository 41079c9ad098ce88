"""One string from the side: x true to scale, heights exaggerated; fret tops, the string at rest and fretted, its
swing, nut and saddle.
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from deft_bench.core.strings.assembled import Assembled
from deft_bench.core.strings.clearance import Strung
from deft_bench.core.units import Display
from deft_bench.web.drawing.mat import ticks

WIDTH, HEIGHT = 1240.0, 256.0
LEFT, RIGHT, TOP, FOOT = 70.0, 96.0, 44.0, 220.0
NEAR_MM = 0.03
"""Room that counts as tight: a feeler's blade."""


@dataclass(frozen=True, slots=True)
class FretBar:
    """One fret: its top, and whether the string holds on it, touches it or comes near; the words tell the room
    there.
    """

    fret: int
    x: float
    y: float
    kind: str
    words: str


@dataclass(frozen=True, slots=True)
class SideView:
    """Everything that the template places, in SVG units."""

    frets: list[FretBar]
    string: str
    rest: str
    swing: str
    nut: tuple[float, float]
    saddle: tuple[float, float]
    saddle_words: str
    foot: float
    height: float
    relief: str
    times: int
    ticks: list[tuple[float, float, str]]
    hint: str


def string_side(at: Assembled, strung: Strung, fretted: int, display: Display, mirrored: bool = False) -> SideView:
    """Draw one string fretted at a fret (0 open), with its swing as far as it is plucked."""
    frame, string = at.frame, at.strings[strung.string - 1]
    x = np.concatenate(([0.0], frame.positions()))
    tops = frame.tops(strung.string, len(at.strings))
    saddle, nut, scale = strung.saddle_height_mm, string.nut_height_mm, frame.scale_mm
    z0 = nut if fretted == 0 else float(tops[fretted - 1])
    start = float(x[fretted])
    along = np.linspace(start, scale, 49)
    share = (along - start) / (scale - start)
    straight = z0 + (saddle - z0) * share
    per_newton = string.pluck_n / string.tension_n
    down = straight - per_newton * at.stroke.downswing(along - start, np.array(scale - start))
    up = straight + per_newton * at.stroke.upswing(along - start, np.array(scale - start))
    size = float(np.max(straight - down))
    low = min(float(np.min(tops)), 0.0, float(np.min(down)))
    high = max(saddle, nut, float(np.max(up)), 1.0)
    scale_x = (WIDTH - LEFT - RIGHT) / scale
    scale_y = (FOOT - TOP - 14) / (high - low)

    def place(along_mm: float, height_mm: float) -> tuple[float, float]:
        px = LEFT + along_mm * scale_x
        return (WIDTH - px if mirrored else px), FOOT - 14 - (height_mm - low) * scale_y

    def line(points: list[tuple[float, float]]) -> str:
        return " ".join("{:.1f},{:.1f}".format(*place(*point)) for point in points)

    margins = strung.margin[fretted]
    bars = []
    for n in range(1, frame.frets + 1):
        px, py = place(float(x[n]), float(tops[n - 1]))
        margin = float(margins[n - 1])
        if n <= fretted:
            kind, words = (
                ("held" if n == fretted else "behind"),
                f"fret {n}: {'the string is held here' if n == fretted else 'behind the finger'}",
            )
        else:
            kind = "touches" if margin < 0 else "near" if margin <= NEAR_MM else "clear"
            words = f"fret {n}: {display.signed_number(margin * 1000)} {display.system} of room"
        bars.append(FretBar(n, px, py, kind, words))
    body = [*zip(along, down, strict=True)], [*zip(along, up, strict=True)]
    held = [(0.0, nut)] if fretted == 0 else [(0.0, nut), (start, z0)]
    bow = [(float(a), float(b)) for a, b in zip(x[1:], frame.relief_mm * frame.unit_bow(), strict=True)]
    return SideView(
        frets=bars,
        string=line([*held, (scale, saddle)]),
        rest=line([(0.0, nut), (scale, saddle)]),
        swing=line([(float(a), float(b)) for a, b in [*body[0], *reversed(body[1])]]),
        nut=place(0.0, nut),
        saddle=place(scale, saddle),
        saddle_words=f"saddle {display.fine_mm(saddle)}",
        foot=FOOT,
        height=HEIGHT,
        relief=line(bow),
        times=round(scale_y / scale_x),
        ticks=ticks(scale, display, lambda mm: place(mm, 0)[0]),
        hint=f"{display.fine_mm(size)} of downswing",
    )


@dataclass(frozen=True, slots=True)
class MapCell:
    """The least room of one string fretted at one fret: `kind` touches|near|clear|behind (a capo), a short
    number where it is tight, and the words.
    """

    string: int
    fret: int
    kind: str
    label: str
    words: str


def margin_map(found: Sequence[Strung], names: dict[int, str], display: Display) -> list[tuple[str, list[MapCell]]]:
    """A row for each string, string 1 on top: the least room at each fret it is fretted at, and over which fret."""
    rows = []
    for string in found:
        over = np.nanargmin(string.margin, axis=1)
        cells = []
        for f, n in enumerate(over):
            margin = float(string.margin[f, n])
            if not math.isfinite(margin):
                cells.append(MapCell(string.string, f, "behind", "", f"{names[string.string]} at {f}: behind the capo"))
                continue
            kind = "touches" if margin < 0 else "near" if margin <= NEAR_MM else "clear"
            # rounded down, so that a touch never reads as nothing
            count = math.floor((margin * 100 if display.system == "mm" else margin / 0.0254) + 1e-9)
            label = "" if kind == "clear" else f"{count:+d}".replace("-", "−") if count else "0"
            where = "open" if f == 0 else f"fretted at {f}"
            words = (
                f"{names[string.string]} {where}: {display.signed_number(margin * 1000)} {display.system} of room over"
                f" fret {n + 1}"
            )
            cells.append(MapCell(string.string, f, kind, label, words))
        rows.append((names[string.string], cells))
    return rows

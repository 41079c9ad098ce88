"""Strings over the board and behind it: both nut spacings at one scale, room to the edges, and the headstock."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from deft_bench.core.board.layout import Layout
from deft_bench.core.board.strings_on_board import EdgeRoom, HeadPath, NutSpacing
from deft_bench.core.instrument import Spec
from deft_bench.core.units import Display

NUT_WIDTH, HEAD_WIDTH, ROOM_WIDTH, ROOM_HEIGHT = 620, 620, 620, 190


@dataclass(frozen=True, slots=True)
class NutDrawing:
    """Each school's strings as (x, y, radius) and its gaps as (x, y, mm), from the bass edge at the left."""

    width: float
    height: float
    rows: list[tuple[str, float, list[tuple[float, float, float]], list[tuple[float, float, float]]]]
    left: float
    right: float


def draw_nut(spec: Spec, gauges: Sequence[float], schools: Mapping[str, NutSpacing | None]) -> NutDrawing:
    """Two nuts one above the other, seen from the front, at one true scale."""
    pad = 16.0
    scale = (NUT_WIDTH - 2 * pad) / (spec.nut_width_um / 1000)
    rows = []
    y = 44.0
    for code, found in schools.items():
        strings: list[tuple[float, float, float]] = []
        gaps: list[tuple[float, float, float]] = []
        if found is not None:
            strings = [
                (pad + place * scale, y, max(1.2, gauge / 2 * scale))
                for place, gauge in zip(found.centres_mm, gauges, strict=True)
            ]
            gaps = [
                ((one[0] + other[0]) / 2, y - 20, gap)
                for one, other, gap in zip(strings, strings[1:], found.gaps_mm, strict=False)
            ]
        rows.append((code, y, strings, gaps))
        y += 76
    return NutDrawing(NUT_WIDTH, y - 38, rows, pad, NUT_WIDTH - pad)


@dataclass(frozen=True, slots=True)
class RoomDrawing:
    """Room to both edges along the frets as polylines, with the least line and axes."""

    bass: str
    treble: str
    least_y: float
    axis: list[tuple[float, str]]
    frets: list[tuple[float, str]]


def draw_edge_room(room: Sequence[EdgeRoom], least_mm: float, shown: Display) -> RoomDrawing:
    """A small chart of what lies between the outer strings' sides and the edges at every fret."""
    left, right, top, foot = 52.0, 12.0, 14.0, ROOM_HEIGHT - 26.0
    values = [mm for at in room for mm in (at.bass_mm, at.treble_mm)]
    low, high = min(0.0, *values), max(least_mm * 1.3, *values)

    def x(fret: int) -> float:
        return left + (ROOM_WIDTH - left - right) * fret / max(1, len(room) - 1)

    def y(mm: float) -> float:
        return foot - (mm - low) / (high - low) * (foot - top)

    step = 1.0 if shown.system == "mm" else 1.27
    marks = [i * step for i in range(int(low // step), int(high / step) + 1) if low - 1e-9 <= i * step <= high + 1e-9]
    while len(marks) > 7:
        marks = marks[::2]
    return RoomDrawing(
        bass=" ".join(f"{x(at.fret):.1f},{y(at.bass_mm):.1f}" for at in room),
        treble=" ".join(f"{x(at.fret):.1f},{y(at.treble_mm):.1f}" for at in room),
        least_y=y(least_mm),
        axis=[(y(mm), shown.fine_number(mm * 1000)) for mm in marks],
        frets=[
            (x(at.fret), "nut" if at.fret == 0 else str(at.fret))
            for at in room
            if at.fret in (0, 5, 12) or at is room[-1]
        ],
    )


@dataclass(frozen=True, slots=True)
class HeadDrawing:
    """The nut, the posts as (x, y, radius, string), and each string's path, nut at the right."""

    width: float
    height: float
    nut: tuple[float, float, float, float]
    paths: list[tuple[float, float, float, float, float, float, int]]
    posts: list[tuple[float, float, float, int]]


def draw_head(spec: Spec, layout: Layout, paths: Sequence[HeadPath], post_mm: float) -> HeadDrawing:
    """The headstock in plan at true scale: the board begins at the right edge, bass below (above when left-handed)."""
    side = -1.0 if spec.left_handed else 1.0
    nut = layout.frets[0]
    board = 24.0
    xs = [path.post[0] for path in paths] + [nut.bass_edge[0], nut.treble_edge[0]]
    ys = [path.post[1] for path in paths] + [nut.bass_edge[1], nut.treble_edge[1]]
    least_x, most_x = min(xs) - post_mm, max(xs) + board
    least_y, most_y = min(ys) - post_mm, max(ys) + post_mm
    scale = min((HEAD_WIDTH - 20) / (most_x - least_x), 300 / (most_y - least_y))
    middle = (least_y + most_y) / 2
    height = (most_y - least_y) * scale + 24

    def at(x: float, y: float) -> tuple[float, float]:
        return 10 + (x - least_x) * scale, height / 2 - side * (y - middle) * scale

    drawn = []
    for path in paths:
        saddle = layout.strings[path.string - 1].saddle
        share = board / (saddle[0] - path.nut[0])
        over = path.nut[0] + board, path.nut[1] + (saddle[1] - path.nut[1]) * share
        drawn.append((*at(*path.touch), *at(*path.nut), *at(*over), path.string))
    return HeadDrawing(
        width=(most_x - least_x) * scale + 20,
        height=height,
        nut=(*at(*nut.bass_edge), *at(*nut.treble_edge)),
        paths=drawn,
        posts=[(*at(*path.post), post_mm / 2 * scale, path.string) for path in paths],
    )

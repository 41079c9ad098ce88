"""The board in plan for the screen: plain shapes in SVG units, and what to say of each fret."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass

from deft_bench.core.board.checks import Check
from deft_bench.core.board.fret_lines import Point
from deft_bench.core.board.plan_view import PlanView
from deft_bench.core.instrument import Spec
from deft_bench.core.units import Display
from deft_bench.web.drawing.mat import grid, ticks

WIDTH = 1240
LEFT, RIGHT, TOP, BOTTOM = 46, 30, 34, 40


@dataclass(frozen=True, slots=True)
class FretShape:
    """One slot: its kerf, the strip around it that answers to a finger, where its number stands, and its words."""

    fret: int
    kerf: str
    hit: str
    number_x: float
    words: str
    mark: str


@dataclass(frozen=True, slots=True)
class BoardDrawing:
    """The plan in SVG units. Pieces are (points, words, mark), dots and pins (x, y, radius, words, mark)."""

    width: float
    height: float
    outline: str
    oversize: str
    inner: str
    nut_cut: str
    centreline: str
    strings: list[tuple[str, str, str]]
    frets: list[FretShape]
    blocks: list[tuple[str, str, str]]
    dots: list[tuple[float, float, float, str, str]]
    markers: list[tuple[float, float, float]]
    pins: list[tuple[float, float, float, str, str]]
    number_y: float
    grid: str
    ticks: list[tuple[float, float, str]]


@dataclass(frozen=True, slots=True)
class _Marked:
    """The level of what a check found, by fret, by the fret of an inlay, by side for the outer strings; and the pin."""

    frets: dict[int, str]
    inlays: dict[int, str]
    strings: dict[str, str]
    pin: str


def _marked(checks: Sequence[Check]) -> _Marked:
    """Of several checks on one thing the first counts."""
    backward = list(reversed(checks))
    return _Marked(
        {fret: check.level for check in backward if check.code != "rule_coarse" for fret in check.frets},
        {fret: check.level for check in backward if check.code.startswith("inlay") for fret in check.frets},
        {
            "bass" if "bass" in check.say else "treble": check.level
            for check in checks
            if check.code.startswith("string")
        },
        next((check.level for check in checks if check.code.startswith("pin")), ""),
    )


def _inlay(fret: int, clearance_mm: float, marked: _Marked, display: Display) -> tuple[str, str]:
    return _inlay_words(fret, clearance_mm, display), marked.inlays.get(fret, "")


def draw_plan(spec: Spec, view: PlanView, checks: Sequence[Check], display: Display, *, turned: bool) -> BoardDrawing:
    """Place the plan true to scale, nut left and bass below; turned or left-handed boards are mirrored like the neck
    stage.
    """
    least_x, _, most_x, _ = view.bounds
    reach = max(-view.bounds[1], view.bounds[3])
    scale = (WIDTH - LEFT - RIGHT) / (most_x - least_x)
    middle = TOP + reach * scale
    height = middle + reach * scale + BOTTOM
    mirror_x = spec.left_handed != turned

    def at(point: Point) -> Point:
        x = LEFT + (point[0] - least_x) * scale
        y = middle + point[1] * scale * (1 if turned else -1)
        return (WIDTH - x if mirror_x else x), y

    def points(shape: Sequence[Point] | None) -> str:
        return " ".join(f"{x:.2f},{y:.2f}" for x, y in map(at, shape or ()))

    marked = _marked(checks)
    sides = {spec.strings: "bass", 1: "treble"}
    end_x, bottom = most_x, at((0, -reach))[1] if not turned else at((0, reach))[1]
    return BoardDrawing(
        width=WIDTH,
        height=height,
        outline=points(view.outline),
        oversize=points(view.oversize),
        inner=points(view.inner),
        nut_cut=points(view.nut_cut),
        centreline=points(((least_x - 8, 0), (end_x + 8, 0))),
        strings=[
            (
                points((string.nut, _at_x(string.nut, string.saddle, end_x))),
                f"String {string.string}"
                + (
                    f": up to {string.worst_cents:+.2f} cents, at fret {string.worst_fret}" if string.worst_fret else ""
                ),
                marked.strings.get(sides.get(string.string, ""), ""),
            )
            for string in view.layout.strings
        ],
        frets=_frets(view, marked.frets, display, points, at, bottom),
        blocks=[
            (points(piece.corners), *_inlay(piece.fret, piece.clearance_mm, marked, display))
            for piece in view.inlays
            if piece.corners
        ],
        dots=[
            (
                *at(piece.centre),
                piece.diameter_mm / 2 * scale,
                *_inlay(piece.fret, piece.clearance_mm, marked, display),
            )
            for piece in view.inlays
            if not piece.corners
        ],
        markers=[(*at(place), max(1.6, view.marker_mm / 2 * scale)) for _, place in view.markers],
        pins=[
            (*at(place), view.pin_mm / 2 * scale, f"Index pin under fret {fret}", marked.pin)
            for fret, place in view.pins
        ],
        number_y=bottom + 22,
        grid=grid(WIDTH, height, 10 * scale, *at((0, 0))),
        ticks=ticks(end_x, display, lambda x: at((x, 0))[0]),
    )


def _frets(
    view: PlanView,
    wrong: Mapping[int, str],
    display: Display,
    points: Callable[[Sequence[Point]], str],
    at: Callable[[Point], Point],
    bottom: float,
) -> list[FretShape]:
    fret_shapes = []
    before = view.lines[0]
    for shape, line in zip(view.slots, view.lines[1:], strict=True):
        gap = line.centre_x_mm - before.centre_x_mm
        half = min(gap * 0.42, 9.0)
        (xb, yb), (xt, yt) = line.bass_edge, line.treble_edge
        hit = ((xb - half, yb), (xb + half, yb), (xt + half, yt), (xt - half, yt))
        words = (
            f"Fret {line.fret}: {display.long(round(line.centre_x_mm * 1000))} from the nut on the centreline,"
            f" {display.long(round(gap * 1000))} past {'the nut' if line.fret == 1 else f'fret {line.fret - 1}'}; slot"
            f" {display.long(round(shape.length_mm * 1000))} long"
            + (
                f", {abs(line.angle_deg):.2f}° {'treble' if line.angle_deg > 0 else 'bass'} end forward"
                if abs(line.angle_deg) > 0.005
                else ", square"
            )
        )
        (x1, y1), (x2, y2) = at(line.bass_edge), at(line.treble_edge)
        low, other = ((x1, y1), (x2, y2)) if y1 > y2 else ((x2, y2), (x1, y1))
        slope = (other[0] - low[0]) / (other[1] - low[1])
        fret_shapes.append(
            FretShape(
                line.fret,
                points(shape.kerf),
                points(hit),
                low[0] + slope * (bottom + 18 - low[1]),
                words,
                wrong.get(line.fret, ""),
            )
        )
        before = line
    return fret_shapes


def _inlay_words(fret: int, clearance_mm: float, display: Display) -> str:
    return f"Inlay before fret {fret}: {display.fine_mm(clearance_mm)} of wood to the nearer slot"


def _at_x(one: Point, other: Point, x: float) -> Point:
    share = (x - one[0]) / (other[0] - one[0])
    return x, one[1] + (other[1] - one[1]) * share

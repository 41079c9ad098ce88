"""The neck drawing: the instrument's own neck, true to scale, on the cutting mat."""

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field

from deft_bench.core.frets.heights import LANES
from deft_bench.core.instrument import Spec
from deft_bench.core.units import Display
from deft_bench.web.drawing.mat import grid, ticks

WIDTH = 1240
LEFT, RIGHT, TOP, BOTTOM = 78, 26, 52, 40
SHARE = {"bass": 0.17, "middle": 0.5, "treble": 0.83}
OVERHANG_MM = 10.0
PIN_ASIDE = 17
"""A pin stands beside its place, so that the wedge under it is still seen."""

_INLAYS = {3: 1, 5: 1, 7: 1, 9: 1, 12: 2, 15: 1, 17: 1, 19: 1, 21: 1, 24: 2}


@dataclass(frozen=True, slots=True)
class Spot:
    """One place on the neck; `off_mm` is how far the fret stands proud (+) or low (−), None where unread."""

    lane: str
    fret: int
    x: float
    y: float
    off_mm: float | None
    label: str
    shape: str
    words: str


@dataclass(frozen=True, slots=True)
class Fret:
    """One fret line and the band around it that answers to a finger."""

    fret: int
    line: tuple[float, float, float, float]
    number_x: float
    band: str
    marks: frozenset[str] = frozenset()


@dataclass(frozen=True, slots=True)
class NeckDrawing:
    """Everything that the template of the neck places, in SVG units."""

    width: float
    height: float
    board: str
    nut: tuple[float, float, float, float]
    frets: list[Fret]
    spots: list[Spot]
    inlays: list[tuple[float, float]]
    ticks: list[tuple[float, float, str]]
    lanes: list[tuple[str, float, float]]
    grid: str
    number_y: float
    anchor: str
    notes: list[tuple[float, float, str]] = field(default_factory=list)
    strings: list[tuple[float, float, float, float]] = field(default_factory=list)


def off_words(off_mm: float | None, display: Display, rock_mm: float) -> str:
    """`0.05 mm proud`, `0.03 mm low`, `in line` or `not read`."""
    if off_mm is None:
        return "not read"
    if abs(off_mm) < rock_mm:
        return "in line"
    return f"{display.fine_mm(abs(off_mm))} {'proud' if off_mm > 0 else 'low'}"


def shape_of(off_mm: float | None, least_mm: float, *, one_sided: bool = False) -> str:
    """How a place is drawn: unread, proud, low or even; one-sided, nothing is low."""
    if off_mm is None:
        return "unread"
    if off_mm >= least_mm:
        return "proud"
    return "low" if off_mm <= -least_mm and not one_sided else "even"


def off_number(off_mm: float, display: Display) -> str:
    """A short signed number for a crowded place: hundredths of a millimetre, or thousandths of an inch."""
    value = off_mm * 100 if display.system == "mm" else off_mm / 0.0254
    text = f"{abs(value):.0f}" if display.system == "mm" else f"{abs(value):.1f}"
    return ("+" if off_mm > 0 else "−") + text


def short_unit(display: Display) -> str:
    """What the short numbers count."""
    return "hundredths of a mm" if display.system == "mm" else "thou"


def neck_drawing(
    spec: Spec,
    display: Display,
    *,
    nut_side: str = "left",
    off_mm: Mapping[str, Sequence[float | None]] | None = None,
    marks: Mapping[int, Iterable[str]] | None = None,
    notes: Sequence[tuple[int, str, str]] = (),
    rock_mm: float,
    words: Callable[[float | None, Display], str] | None = None,
    one_sided: bool = False,
    width: float = WIDTH,
    lanes: Sequence[str] = LANES,
    label: Callable[[float, str, Display], str] | None = None,
    open_too: bool = False,
) -> NeckDrawing:
    """Lay the neck out at true scale in both directions.

    The nut is at the left with the bass lane at the bottom; `nut_side` `right` turns the neck half round, and a
    left-handed instrument is mirrored. `marks` names frets to frame (`lift`, `left-out`, `least`); `notes` are (fret,
    lane, note). `lanes` are the three lanes or the strings' numbers, bass first; with strings `off_mm` begins at fret
    0, and the open string has its place when `open_too`. `label` writes what stands beside a place.
    """
    per_string = lanes[0] not in SHARE
    across = {lane: 0.07 + 0.86 * i / max(1, len(lanes) - 1) for i, lane in enumerate(lanes)} if per_string else SHARE
    lines = spec.lines()
    end = max(lines[-1].bass_edge[0], lines[-1].treble_edge[0]) + OVERHANG_MM
    start = min(lines[0].bass_edge[0], lines[0].treble_edge[0])
    scale = (width - LEFT - RIGHT) / (end - start)
    half = max(abs(y) for line in lines for y in (line.bass_edge[1], line.treble_edge[1])) + 1
    middle = TOP + half * scale
    height = middle + half * scale + BOTTOM
    mirror_x = spec.left_handed != (nut_side == "right")
    mirror_y = nut_side == "right"

    def at(point: tuple[float, float]) -> tuple[float, float]:
        x = LEFT + (point[0] - start) * scale
        y = middle - point[1] * scale if not mirror_y else middle + point[1] * scale
        return (width - x if mirror_x else x), y

    def pair(one: tuple[float, float], other: tuple[float, float]) -> tuple[float, float, float, float]:
        return (*at(one), *at(other))

    tail = (OVERHANG_MM, 0.0)
    last = lines[-1]
    corners = [
        lines[0].bass_edge,
        (last.bass_edge[0] + tail[0], last.bass_edge[1]),
        (last.treble_edge[0] + tail[0], last.treble_edge[1]),
        lines[0].treble_edge,
    ]
    bottom = max(at(point)[1] for line in lines for point in (line.bass_edge, line.treble_edge))
    top = min(at(point)[1] for line in lines for point in (line.bass_edge, line.treble_edge))
    frets = []
    for n, line in enumerate(lines[1:], start=1):
        low, high = sorted((at(line.bass_edge), at(line.treble_edge)), key=lambda point: -point[1])
        band = _band([at(line.at(share)) for line in lines for share in (0, 1)], n, top - 7, bottom + 33)
        marked = frozenset((marks or {}).get(n, ()))
        frets.append(
            Fret(
                n,
                (*low, *high),
                low[0] - (high[0] - low[0]) * (bottom + 20 - low[1]) / (low[1] - high[1]),
                band,
                marked,
            )
        )
    spots = []
    first = 0 if per_string else 1
    for lane in lanes:
        offs = (off_mm or {}).get(lane) or [None] * (spec.frets + 1)
        for n, line in enumerate(lines):
            if n < first or (n == 0 and not open_too):
                continue
            off = offs[n - first] if n - first < len(offs) else None
            shape = shape_of(off, rock_mm, one_sided=one_sided)
            if off is None:
                said = ""
            elif label is not None:
                said = label(off, shape, display)
            else:
                said = off_number(off, display) if shape in ("proud", "low") else ""
            spots.append(
                Spot(
                    lane,
                    n,
                    *at(line.at(across[lane])),
                    off,
                    said,
                    shape,
                    words(off, display) if words else off_words(off, display, rock_mm),
                )
            )
    inlays = []
    for n, count in _INLAYS.items():
        if n < len(lines):
            for share in (0.5,) if count == 1 else (0.26, 0.74):
                (x1, y1), (x2, y2) = lines[n - 1].at(share), lines[n].at(share)
                inlays.append(at(((x1 + x2) / 2, (y1 + y2) / 2)))
    label_x = at((start, 0))[0] + (18 if mirror_x else -18)
    return NeckDrawing(
        width=width,
        height=height,
        board=" ".join(f"{x:.1f},{y:.1f}" for x, y in map(at, corners)),
        nut=pair(lines[0].bass_edge, lines[0].treble_edge),
        frets=frets,
        spots=spots,
        inlays=inlays,
        ticks=ticks(end, display, lambda x: at((x, 0))[0], start),
        lanes=[(lane, label_x, at(lines[0].at(across[lane]))[1]) for lane in reversed(lanes)],
        strings=[pair(lines[0].at(across[lane]), lines[-1].at(across[lane])) for lane in lanes] if per_string else [],
        grid=grid(width, height, 10 * scale, at((0, 0))[0], middle),
        number_y=bottom + 25,
        anchor="start" if mirror_x else "end",
        notes=[
            (at(lines[fret].at(SHARE[lane]))[0] - PIN_ASIDE, at(lines[fret].at(SHARE[lane]))[1], note)
            for fret, lane, note in notes
            if fret < len(lines)
        ],
    )


def _band(ends: list[tuple[float, float]], n: int, top: float, foot: float) -> str:
    """The strip that belongs to fret n: half-way to its neighbours, along the slant of a fanned fret, as polygon
    points.
    """
    pairs = list(zip(ends[::2], ends[1::2], strict=True))

    def x_at(fret: int, y: float) -> float:
        (x1, y1), (x2, y2) = pairs[fret]
        return x1 + (x2 - x1) * (y - y1) / (y2 - y1)

    def between(y: float) -> tuple[float, float]:
        here = x_at(n, y)
        before = (here - x_at(n - 1, y)) / 2
        after = (x_at(n + 1, y) - here) / 2 if n + 1 < len(pairs) else before
        return here - before, here + after

    (a, b), (c, d) = between(top), between(foot)
    return f"{a:.1f},{top:.1f} {b:.1f},{top:.1f} {d:.1f},{foot:.1f} {c:.1f},{foot:.1f}"

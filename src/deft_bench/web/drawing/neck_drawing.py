"""The neck drawing: the instrument's own neck, true to scale, on the cutting mat."""

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace

from deft_bench.core.board.fret_lines import FretLine
from deft_bench.core.evidence.actions import Spread
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

INLAYS = {3: 1, 5: 1, 7: 1, 9: 1, 12: 2, 15: 1, 17: 1, 19: 1, 21: 1, 24: 2}


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
    soft: float = 0.0
    """How far its edge is soft, in SVG units: the half of the interval that it lies in."""


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


SOFT_PER_MM, MOST_SOFT = 180.0, 13.0
LOST_MM = 0.12
"""A height that is known no better than this is drawn as one that nothing was read of."""


def likely_number(one: Spread, display: Display) -> str:
    """A likely height as a short number, no finer than its interval deserves: in tens from 0.04 mm on."""
    if one.high - one.low < 0.04:
        return off_number(one.mean, display)
    step = 0.05 if display.system == "mm" else 0.0508
    rounded = round(one.mean / step) * step
    return f"≈{off_number(rounded, display)}" if abs(rounded) >= step / 2 else ""


def likely_spot(spot: Spot, one: Spread, read_by: Sequence[str], display: Display, rock_mm: float) -> Spot:
    """A place as the likely neck has it: a wedge with a soft edge, and what was read there by what."""
    width = one.high - one.low
    shape = "unread" if width > LOST_MM and abs(one.mean) < width / 2 else shape_of(one.mean, rock_mm)
    label = likely_number(one, display) if shape in ("proud", "low") else ""
    low, high = (display.signed_number(mm * 1000) for mm in (one.low, one.high))
    said = f"{off_words(one.mean, display, rock_mm)} ({low} to {high}); {', '.join(read_by) or 'not read'}"
    return replace(
        spot, off_mm=one.mean, label=label, shape=shape, words=said, soft=min(MOST_SOFT, SOFT_PER_MM * width / 2)
    )


def _as_likely(
    spots: list[Spot],
    likely: Mapping[str, Sequence[Spread]] | None,
    read_by: Mapping[tuple[str, int], Sequence[str]],
    display: Display,
    rock_mm: float,
) -> list[Spot]:
    """Every place as the likely neck has it; as they are, where there is none."""
    if likely is None:
        return spots
    return [
        likely_spot(one, likely[one.lane][one.fret - 1], read_by.get((one.lane, one.fret), ()), display, rock_mm)
        for one in spots
    ]


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
    likely: Mapping[str, Sequence[Spread]] | None = None,
    read_by: Mapping[tuple[str, int], Sequence[str]] | None = None,
) -> NeckDrawing:
    """Lay the neck out at true scale in both directions.

    The nut is at the left with the bass lane at the bottom; `nut_side` `right` turns the neck half round, and a
    left-handed instrument is mirrored. `marks` names frets to frame (`lift`, `left-out`, `least`); `notes` are (fret,
    lane, note). `lanes` are the three lanes or the strings' numbers, bass first; with strings `off_mm` begins at fret
    0, and the open string has its place when `open_too`. `label` writes what stands beside a place. `likely` draws the
    likely height of every place with its spread instead, and `read_by` says what was read there.
    """
    per_string = lanes[0] not in SHARE
    across = {lane: 0.07 + 0.86 * i / max(1, len(lanes) - 1) for i, lane in enumerate(lanes)} if per_string else SHARE
    page = _Page.of(spec, nut_side, width)
    lines = page.lines

    def spot(lane: str, fret: int, off: float | None) -> Spot:
        shape = shape_of(off, rock_mm, one_sided=one_sided)
        label_here = ""
        if off is not None and label is not None:
            label_here = label(off, shape, display)
        elif off is not None and shape in ("proud", "low"):
            label_here = off_number(off, display)
        said = words(off, display) if words else off_words(off, display, rock_mm)
        return Spot(lane, fret, *page.at(lines[fret].at(across[lane])), off, label_here, shape, said)

    first = 0 if per_string else 1
    spots = []
    for lane in lanes:
        offs = (off_mm or {}).get(lane) or []
        for fret in range(first if open_too else 1, len(lines)):
            spots.append(spot(lane, fret, offs[fret - first] if fret - first < len(offs) else None))
    spots = _as_likely(spots, likely, read_by or {}, display, rock_mm)
    label_x = page.at((page.start, 0))[0] + (18 if page.mirror_x else -18)
    return NeckDrawing(
        width=width,
        height=page.height,
        board=page.board(),
        nut=page.pair(lines[0].bass_edge, lines[0].treble_edge),
        frets=page.frets(marks or {}),
        spots=spots,
        inlays=page.inlays(),
        ticks=ticks(page.end, display, lambda x: page.at((x, 0))[0], page.start),
        lanes=[(lane, label_x, page.at(lines[0].at(across[lane]))[1]) for lane in reversed(lanes)],
        strings=[page.pair(lines[0].at(across[lane]), lines[-1].at(across[lane])) for lane in lanes if per_string],
        grid=grid(width, page.height, 10 * page.scale, page.at((0, 0))[0], page.middle),
        number_y=page.edges()[1] + 25,
        anchor="start" if page.mirror_x else "end",
        notes=[
            (page.at(lines[fret].at(SHARE[lane]))[0] - PIN_ASIDE, page.at(lines[fret].at(SHARE[lane]))[1], note)
            for fret, lane, note in notes
            if fret < len(lines)
        ],
    )


@dataclass(frozen=True, slots=True)
class _Page:
    """The neck on its page: millimetres from the nut and the centreline to SVG units, at one scale both ways."""

    lines: list[FretLine]
    start: float
    end: float
    scale: float
    middle: float
    height: float
    width: float
    mirror_x: bool
    mirror_y: bool

    @classmethod
    def of(cls, spec: Spec, nut_side: str, width: float) -> "_Page":
        """The page of an instrument, `width` wide and as high as its board asks."""
        lines = spec.lines()
        end = max(lines[-1].bass_edge[0], lines[-1].treble_edge[0]) + OVERHANG_MM
        start = min(lines[0].bass_edge[0], lines[0].treble_edge[0])
        scale = (width - LEFT - RIGHT) / (end - start)
        half = max(abs(y) for line in lines for y in (line.bass_edge[1], line.treble_edge[1])) + 1
        middle = TOP + half * scale
        mirror_y = nut_side == "right"
        return cls(
            lines,
            start,
            end,
            scale,
            middle,
            middle + half * scale + BOTTOM,
            width,
            spec.left_handed != mirror_y,
            mirror_y,
        )

    def at(self, point: tuple[float, float]) -> tuple[float, float]:
        x = LEFT + (point[0] - self.start) * self.scale
        y = self.middle + (point[1] if self.mirror_y else -point[1]) * self.scale
        return (self.width - x if self.mirror_x else x), y

    def pair(self, one: tuple[float, float], other: tuple[float, float]) -> tuple[float, float, float, float]:
        return (*self.at(one), *self.at(other))

    def edges(self) -> tuple[float, float]:
        """The upper and the lower edge of the board on the page."""
        ys = [self.at(point)[1] for line in self.lines for point in (line.bass_edge, line.treble_edge)]
        return min(ys), max(ys)

    def board(self) -> str:
        """The board's outline as the points of a polygon."""
        first, last = self.lines[0], self.lines[-1]
        ends = [(edge[0] + OVERHANG_MM, edge[1]) for edge in (last.bass_edge, last.treble_edge)]
        return " ".join(f"{x:.1f},{y:.1f}" for x, y in map(self.at, [first.bass_edge, *ends, first.treble_edge]))

    def frets(self, marks: Mapping[int, Iterable[str]]) -> list[Fret]:
        """Each fret's line, where its number stands, and the band that answers to a finger."""
        top, bottom = self.edges()
        across = [self.at(line.at(share)) for line in self.lines for share in (0, 1)]
        made = []
        for n, line in enumerate(self.lines[1:], start=1):
            low, high = sorted((self.at(line.bass_edge), self.at(line.treble_edge)), key=lambda point: -point[1])
            number_x = low[0] - (high[0] - low[0]) * (bottom + 20 - low[1]) / (low[1] - high[1])
            band = _band(across, n, top - 7, bottom + 33)
            made.append(Fret(n, (*low, *high), number_x, band, frozenset(marks.get(n, ()))))
        return made

    def inlays(self) -> list[tuple[float, float]]:
        """The position markers: one between its frets, or two."""
        made = []
        for n, count in INLAYS.items():
            for share in (0.5,) if count == 1 else (0.26, 0.74):
                if n < len(self.lines):
                    (x1, y1), (x2, y2) = self.lines[n - 1].at(share), self.lines[n].at(share)
                    made.append(self.at(((x1 + x2) / 2, (y1 + y2) / 2)))
        return made


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

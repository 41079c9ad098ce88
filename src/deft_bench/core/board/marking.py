"""The marking table: where each fret is marked on the user's own rule, from one datum, and what chaining would cost.

Rules and chaining errors: docs/methods/fret-positions.md.
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass

from deft_bench.core.board.fret_lines import FretLine, Outline, nut_offsets, string_extent
from deft_bench.core.board.positions import fret_position, nearest_mark
from deft_bench.core.board.rules import Rule


@dataclass(frozen=True, slots=True)
class Mark:
    """One fret on one marking line. `from_datum_mm` is signed: negative toward the nut from a square fret.

    `rest_mm` is how far the true place lies past the mark. `cents` is the error if the mark itself is cut,
    `at_stake_cents` the worst that reading the rule to its step can cost, `chained_mm` and `chained_cents` the worst
    after marking from fret to fret.
    """

    fret: int
    from_datum_mm: float
    spacing_mm: float
    mark_mm: float
    rest_mm: float
    cents: float
    at_stake_cents: float
    chained_mm: float
    chained_cents: float


@dataclass(frozen=True, slots=True)
class MarkingLine:
    """A line that frets are marked along: the centreline, or an outer string of a fanned board."""

    name: str
    scale_mm: float
    marks: tuple[Mark, ...]


@dataclass(frozen=True, slots=True)
class CheckLine:
    """A length to measure once the board is marked, mm; `trimmed_mm` what it will be, while the board is oversize."""

    what: str
    mm: float
    trimmed_mm: float | None = None


def cents_of(speaking_mm: float, error_mm: float) -> float:
    """How far a fret sounds off when it stands `error_mm` too near the saddle: 1200·log2(s/(s − e)), sharp positive.

    Infinite when the error reaches the saddle.
    """
    left = speaking_mm - error_mm
    return 1200 * math.log2(speaking_mm / left) if left > 0 else math.inf


def marking_lines(outline: Outline, rule: Rule) -> list[MarkingLine]:
    """Marks for a straight board along its centreline from the nut, for a fanned one along both outer strings from the
    square fret.

    On a fanned board the nut is derived like any fret, so it stands in the list as fret 0.
    """
    if outline.bass_scale_mm == outline.treble_scale_mm:
        scale = outline.bass_scale_mm
        return [MarkingLine("centreline", scale, _marks(scale, outline, 0.0, range(1, outline.frets + 1), rule))]
    found = []
    for name, scale in (("bass string", outline.bass_scale_mm), ("treble string", outline.treble_scale_mm)):
        datum = fret_position(scale, outline.perpendicular_fret, outline.divisions)
        found.append(MarkingLine(name, scale, _marks(scale, outline, datum, range(outline.frets + 1), rule)))
    return found


def _marks(scale: float, outline: Outline, datum: float, frets: range, rule: Rule) -> tuple[Mark, ...]:
    marks = []
    places = {fret: fret_position(scale, fret, outline.divisions) for fret in range(outline.frets + 1)}
    readable = {fret: nearest_mark(abs(x - datum), rule.graduations, rule.share) for fret, x in places.items()}
    for fret in frets:
        place = places[fret]
        away = place - datum
        mark, step = readable[fret]
        sign = -1.0 if away < 0 else 1.0
        error = sign * mark - away
        # chained from the datum outward, half a step is added at every mark on the way
        way = [
            n
            for n in places
            if min(0.0, away) - 1e-9 <= places[n] - datum <= max(0.0, away) + 1e-9 and abs(places[n] - datum) > 1e-9
        ]
        chained = sum(readable[n][1] / 2 for n in way)
        speaking = scale - place
        before = places.get(fret - 1)
        marks.append(
            Mark(
                fret,
                away,
                0.0 if before is None else place - before,
                sign * mark,
                -error,
                cents_of(speaking, error),
                cents_of(speaking, step / 2),
                chained,
                cents_of(speaking, chained),
            )
        )
    return tuple(marks)


def check_lines(outline: Outline, lines: Sequence[FretLine], over_mm: float = 0.0) -> list[CheckLine]:
    """What to measure after marking: half the scale at the 12th fret, and the centreline from both edges, which stand
    `over_mm` over the finished ones while the board is oversize; the finished figure stands beside it then.
    """
    found = []
    octave = outline.divisions
    if outline.frets >= octave:
        if outline.bass_scale_mm == outline.treble_scale_mm:
            found.append(CheckLine(f"nut to fret {octave}: half the scale", outline.bass_scale_mm / 2))
        else:
            for name, scale in (("bass", outline.bass_scale_mm), ("treble", outline.treble_scale_mm)):
                found.append(CheckLine(f"along the {name} string, nut to fret {octave}: half its scale", scale / 2))
    for line in (lines[0], *([lines[octave]] if outline.frets >= octave else []), lines[-1]):
        where = "nut" if line.fret == 0 else f"fret {line.fret}"
        y_bass, y_treble = -line.bass_edge[1], line.treble_edge[1]
        if math.isclose(y_bass, y_treble, abs_tol=0.0005):
            said = f"centreline from either edge at the {where}".replace("the fret", "fret")
            found.append(CheckLine(said, y_bass + over_mm, y_bass if over_mm else None))
        else:
            for side, y in (("bass", y_bass), ("treble", y_treble)):
                said = f"centreline from the {side} edge at {where}"
                found.append(CheckLine(said, y + over_mm, y if over_mm else None))
    if outline.bass_scale_mm != outline.treble_scale_mm:
        bass, treble = nut_offsets(outline)
        found.append(CheckLine("bass nut point behind the treble one, along the board", treble - bass))
        found.append(
            CheckLine(
                "bass saddle point past the treble one, along the board",
                bass
                + string_extent(outline.bass_scale_mm, outline)
                - treble
                - string_extent(outline.treble_scale_mm, outline),
            )
        )
    return found

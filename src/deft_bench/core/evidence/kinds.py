"""Kinds of evidence about a neck, each as a technician gives it; lengths mm, lanes 0 bass, 1 middle, 2 treble."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace

INK_STROKE_MM = 0.004
"""How far a light stroke of a beam takes ink off below its face."""
ROCKER_MM = 0.02
"""What a rocker tells where nothing else is said."""


@dataclass(frozen=True, slots=True)
class Heights:
    """Readings with a gauge along one lane, by fret: heights, or gaps under an edge. `sd_mm` None: a quarter of its
    resolution.
    """

    lane: int
    readings: Mapping[int, float]
    resolution_mm: float
    gap: bool = False
    sd_mm: float | None = None

    @property
    def spread(self) -> float:
        """The spread of a reading, its rounding included."""
        own = self.resolution_mm / 4 if self.sd_mm is None else self.sd_mm
        return float((own**2 + self.resolution_mm**2 / 12) ** 0.5)


def without_rounding(measured_mm: float, resolution_mm: float) -> float:
    """A gauge's own spread, of that which repeated readings show rounded to its resolution r: √(s² − r²/12), and an
    eighth of r where that is less (Sheppard's correction).
    """
    own = measured_mm**2 - resolution_mm**2 / 12
    return float(max(own, (resolution_mm / 8) ** 2) ** 0.5)


@dataclass(frozen=True, slots=True)
class Feeler:
    """A blade that passes under a straightedge over a fret, and one that does not (0: none passes; None: all pass)."""

    lane: int
    fret: int
    passes_mm: float
    stops_mm: float | None


@dataclass(frozen=True, slots=True)
class Rocker:
    """Three frets that rock, or sit flat."""

    lane: int
    frets: tuple[int, int, int]
    rocks: bool
    tolerance_mm: float = ROCKER_MM


@dataclass(frozen=True, slots=True)
class Ink:
    """Where ink is gone, partly gone and left after so many light strokes of a beam over a run of frets."""

    lane: int
    from_fret: int
    to_fret: int
    strokes: int
    gone: tuple[int, ...] = ()
    partly: tuple[int, ...] = ()
    left: tuple[int, ...] = ()


@dataclass(frozen=True, slots=True)
class Daylight:
    """Light seen under a crown, about so far open; 0: none, a thin blade stops."""

    lane: int
    fret: int
    gap_mm: float


@dataclass(frozen=True, slots=True)
class CrownHeight:
    """The top above the board's surface: the metal that is there."""

    lane: int
    fret: int
    mm: float


@dataclass(frozen=True, slots=True)
class Act:
    """Something done to the neck: `rod`, `reseated`, `lifted` or `levelled`, with the frets it touched (empty: all);
    of a lift by how much, mm, where that was measured.
    """

    kind: str
    frets: tuple[int, ...] = field(default=())
    by_mm: float | None = None


Evidence = Heights | Feeler | Rocker | Ink | Daylight | CrownHeight | Act


def still_holding(evidence: Sequence[Evidence], frets: int) -> list[Evidence]:
    """What tells of the frets as they are now: nothing that was seen of a fret before an act moved it."""
    found: list[Evidence] = []
    moved: set[int] = set()
    for one in reversed(evidence):
        if isinstance(one, Act):
            moved |= set(one.frets or range(1, frets + 1)) if one.kind != "rod" else set()
        elif isinstance(one, Heights):
            found.append(replace(one, readings={fret: mm for fret, mm in one.readings.items() if fret not in moved}))
        elif isinstance(one, Ink):
            gone, partly, left = (tuple(f for f in said if f not in moved) for said in (one.gone, one.partly, one.left))
            found.append(replace(one, gone=gone, partly=partly, left=left))
        elif not moved & set(one.frets if isinstance(one, Rocker) else (one.fret,)):
            found.append(one)
    return found[::-1]

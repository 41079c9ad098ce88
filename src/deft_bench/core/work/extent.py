"""How much of an instrument a piece of work goes over: a refret of five frets pulls five, a board with ten dots has ten
inlays.
"""

from collections.abc import Sequence
from dataclasses import dataclass

from deft_bench.core.board.inlays import TWICE

COUNTS: dict[str, str] = {
    "all": "every fret of the instrument",
    "named": "the frets that the job names: those replaced, those spot-levelled",
    "touched": "the frets that the level touches: the named ones, and on a partial refret those levelled beside them",
    "inlays": "each inlay; two at the octaves where they are dots",
    "markers": "each side marker; two at the octaves",
}
"""What minutes, materials and ticks “per fret” of an operation count."""


@dataclass(frozen=True, slots=True)
class Extent:
    """What there is to count. None for `named` is every fret; an empty one is a single fret that is not known yet.
    `levelled` are those that the accepted plan takes metal off. A fret is listed once for each inlay and marker. `own`
    names what the instrument takes of a general material: (general, its own).
    """

    frets: int
    strings: int
    named: tuple[int, ...] | None = None
    levelled: tuple[int, ...] = ()
    inlays: tuple[int, ...] = ()
    markers: tuple[int, ...] = ()
    own: tuple[tuple[str, str], ...] = ()

    @property
    def every(self) -> tuple[int, ...]:
        """Every fret."""
        return tuple(range(1, self.frets + 1))

    def places(self, counts: str) -> tuple[int, ...]:
        """The frets that are counted, in order, one entry a piece; empty where it is a single unknown one."""
        if counts == "inlays":
            return self.inlays
        if counts == "markers":
            return self.markers
        if counts == "all" or self.named is None:
            return self.every
        if counts == "touched" and self.named:
            return tuple(sorted({*self.named, *self.levelled}))
        return self.named

    def pieces(self, counts: str) -> int:
        """How many there are."""
        unknown = counts in ("named", "touched") and self.named == ()
        return 1 if unknown else len(self.places(counts))

    def ticked(self, counts: str) -> tuple[int, ...]:
        """The frets to tick off, each once; every one while the named one is not known."""
        return tuple(sorted(set(self.places(counts)))) or self.every


def whole(frets: int, strings: int, marked: Sequence[int] = (), *, blocks: bool = False, inlaid: bool = True) -> Extent:
    """The whole instrument, with inlays and side markers before the marked frets."""
    markers = tuple(fret for fret in marked if fret <= frets for _ in range(2 if fret in TWICE else 1))
    inlays = tuple(dict.fromkeys(markers)) if blocks else markers
    return Extent(frets, strings, inlays=inlays if inlaid else (), markers=markers)

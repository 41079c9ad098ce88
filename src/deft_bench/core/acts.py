"""Acts that move a neck or its frets, and what was read before them: a reading tells of the neck as it was."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

from deft_bench.core.calls import Call, Instead

ActKind = Literal["rod", "reseat", "lift", "level", "refret", "shim", "spot"]

MOVES_HEIGHTS: frozenset[ActKind] = frozenset({"rod", "reseat", "lift", "level", "refret", "shim", "spot"})
"""A turn bends the line that heights are read from; the others change the frets themselves."""
MOVES_BOW: frozenset[ActKind] = frozenset({"rod", "reseat", "level", "refret"})
"""Tangs that are driven home push the neck backward; levelled tops show another bow than the same tops before."""
MOVES_TOPS: frozenset[ActKind] = frozenset({"reseat", "lift", "level", "refret", "shim", "spot"})
"""What changes single frets against their neighbours: a turn of the rod does not."""

SAID: dict[ActKind, str] = {
    "rod": "the rod was turned",
    "reseat": "frets were reseated",
    "lift": "frets were lifted",
    "level": "the frets were levelled",
    "refret": "frets were put in",
    "shim": "frets were shimmed",
    "spot": "frets were spot-levelled",
}


DONE: dict[ActKind, str] = {
    "reseat": "reseated",
    "lift": "lifted",
    "shim": "shimmed",
    "spot": "spot-levelled",
}
"""Acts on single frets, each recorded with its frets, in a word."""
ON_FRETS: tuple[ActKind, ...] = tuple(DONE)


@dataclass(frozen=True, slots=True)
class Act:
    """One recorded act, when it was done, UTC ISO-8601, and the frets that it touched (empty: it is not said which, or
    none by name).
    """

    kind: ActKind
    at: str
    frets: tuple[int, ...] = ()

    @property
    def said(self) -> str:
        """What was done, as the end of a sentence."""
        return SAID[self.kind]


def moved_since(acts: Sequence[Act], read_at: str, kinds: frozenset[ActKind]) -> Act | None:
    """The last act of these kinds after a reading was taken; None when the reading still holds."""
    after = [act for act in acts if act.kind in kinds and act.at > read_at]
    return max(after, key=lambda act: act.at, default=None)


def moved_call(act: Act, bow_is_read: bool) -> Call:
    """What to do when heights are older than an act: read again, the bow first where that is old too."""
    first = "Read the fret heights again" if bow_is_read else "Read the straightness, then the fret heights again"
    because = (
        f"Since the heights were read {act.said}: they tell of the neck as it was, and no metal is planned from them.",
    )
    again = Instead("Read only the frets that were touched", "the others stand as they were read")
    return Call(
        f"The neck has moved since: {act.said}. {first}.",
        "read_again",
        {},
        because,
        (again,) if act.kind in ("reseat", "lift") else (),
        "likely",
        f"{first}.",
    )

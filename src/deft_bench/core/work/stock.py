"""Stock: what is there by the ledger, what the open jobs will use of it, and where it runs out before a job is done."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date, datetime

from deft_bench.core.frets.cut_list import CutList, CutListError
from deft_bench.core.work.catalogue import Operation
from deft_bench.core.work.extent import Extent

KINDS: dict[str, str] = {
    "wire": "Fret wire",
    "blank": "Blanks",
    "strings": "Strings",
    "abrasive": "Abrasives",
    "glue": "Glue",
    "finish": "Finish and oil",
    "other": "Other",
}
WHY: dict[str, str] = {
    "received": "received",
    "used": "used",
    "counted": "counted",
    "offcut": "offcut kept",
    "spoiled": "thrown away",
    "returned": "put back",
}
LEAST_OFFCUT_MM = 60.0
"""An offcut shorter than this makes no fret."""
EXPIRES_SOON_DAYS = 14
LONG_OPEN_DAYS = 365
"""A glue that has been open for a year is asked about, whatever its label says."""


_PLURALS = {"piece": "pieces", "strip": "strips", "set": "sets", "fret": "frets", "pack": "packs"}


def amount(quantity: float, unit: str) -> str:
    """`1 strip`, `4 sets`, `0.5 g`."""
    shown = f"{quantity:.2f}".rstrip("0").rstrip(".") if quantity % 1 else f"{quantity:.0f}"
    return f"{shown} {_PLURALS.get(unit, unit) if quantity != 1 else unit}"


@dataclass(frozen=True, slots=True)
class Need:
    """What a step of a job will use: so much of a material, when (None where it is not scheduled)."""

    job: str
    step: str
    material: str
    unit: str
    quantity: float
    at: datetime | None


@dataclass(frozen=True, slots=True)
class Outlook:
    """A material with what is there, what open jobs use, the first need that it does not cover, and by how much it
    falls short at the worst.
    """

    have: float
    needed: float
    needs: tuple[Need, ...]
    short: Need | None
    missing: float = 0.0

    @property
    def left(self) -> float:
        """What remains after all open jobs; under zero it is missing."""
        return self.have - self.needed


def needs_of(
    job: str,
    left: Sequence[Operation],
    extent: Extent,
    at: Mapping[str, datetime],
    without: Sequence[str] = (),
) -> list[Need]:
    """What the steps left of a job will use, in their order; materials in `without` are counted otherwise."""
    return [
        Need(job, step.code, material.name, material.unit, quantity, at.get(step.code))
        for step in left
        for material, quantity in step.uses(extent)
        if material.name not in without and quantity > 0
    ]


def in_time(needs: Sequence[Need]) -> list[Need]:
    """Needs in the order in which they come due; those without a time last."""
    return sorted(needs, key=lambda need: (need.at is None, need.at.timestamp() if need.at else 0.0))


def outlook(have: float, needs: Sequence[Need], incoming: Sequence[tuple[date, float]] = ()) -> Outlook:
    """Run through needs in time, with what is on order added on its day, to the first that is not covered."""
    ordered = in_time(needs)
    there, short, worst = have, None, 0.0
    waiting = sorted(incoming)
    for need in ordered:
        while waiting and need.at is not None and waiting[0][0] < need.at.date():
            there += waiting.pop(0)[1]
        there -= need.quantity
        worst = max(worst, -there)
        if there < -1e-9 and short is None:
            short = need
    return Outlook(have, sum(need.quantity for need in needs), tuple(ordered), short, worst)


def after_cutting(
    pieces_um: Sequence[int], cutting: CutList, least_um: int | None = None
) -> tuple[list[int], list[int], list[int]]:
    """What a cutting plan takes: pieces used, offcuts worth keeping, and what is left in stock, all µm.

    An offcut is kept when it makes a fret of this board (`least_um`), never under LEAST_OFFCUT_MM. Raises CutListError
    for a piece that is not there.
    """
    keep = max(least_um or 0, round(LEAST_OFFCUT_MM * 1000))
    left, used, offcuts = list(pieces_um), [], []
    for piece in cutting.pieces:
        if not piece.frets:
            continue
        whole = round((piece.used_mm + piece.left_mm) * 1000)
        match = min(left, key=lambda um: abs(um - whole), default=None)
        if match is None or abs(match - whole) > 50:
            raise CutListError("pieces", f"no piece of {whole / 1000:g} mm is in stock any more")
        left.remove(match)
        used.append(match)
        if match - round(piece.used_mm * 1000) >= keep:
            offcuts.append(match - round(piece.used_mm * 1000))
    return used, offcuts, left


@dataclass(frozen=True, slots=True)
class Aging:
    """What is to be said of a pot or bottle's dates: `over` when it must not be used."""

    over: bool
    say: str


def aging(opened_on: date | None, expires_on: date | None, today: date) -> Aging | None:
    """Whether its dates are near or past; None when there is nothing to say."""
    if expires_on is not None and expires_on < today:
        return Aging(True, f"expired {(today - expires_on).days} days ago: not for a glue line or a finish")
    if expires_on is not None and (expires_on - today).days <= EXPIRES_SOON_DAYS:
        return Aging(False, f"expires in {(expires_on - today).days} days")
    if opened_on is not None and (today - opened_on).days > LONG_OPEN_DAYS:
        return Aging(False, f"open for {(today - opened_on).days // 30} months: try it on an offcut first")
    return None

"""The marking table at the board: which frets are ticked off as marked, and where they were marked."""

from dataclasses import replace
from datetime import datetime

from deft_bench.core.board.marking import marking_lines
from deft_bench.core.board.plan import BoardPlan
from deft_bench.core.shop_settings import ShopSettings
from deft_bench.core.times import stamp
from deft_bench.store import boards, instruments, shop
from deft_bench.store.database import Connection, transaction

SAME_PLACE_UM = 1
"""A fret marked this near to where the table puts it now is marked there."""


class MarkingRefusedError(ValueError):
    """What was to be ticked off is not on the board."""


def toggle_mark(
    db: Connection, settings: ShopSettings, now: datetime, instrument: instruments.Instrument, line: str, fret: int
) -> tuple[bool, int]:
    """Tick one fret of a marking line off, or take the tick back; whether it is ticked now, and how many of that line
    are. A fret whose place has moved since is ticked off again. Raises MarkingRefusedError.
    """
    spec = instrument.spec
    rule = boards.plan_of(db, instrument.id, spec).rule(settings.rule)
    marks = (mark for found in marking_lines(spec.outline(), rule) if found.name == line for mark in found.marks)
    mark = next((mark for mark in marks if mark.fret == fret), None)
    if mark is None:
        raise MarkingRefusedError("That fret is not on this board.")
    place = round(mark.from_datum_mm * 1000)
    with transaction(db):
        before = boards.ticks(db, instrument.id).get((line, fret))
        ticked = before is None or abs(before[0] - place) > SAME_PLACE_UM
        if ticked:
            boards.tick(db, instrument.id, line, fret, place, stamp(now))
        else:
            boards.untick(db, instrument.id, line, fret)
        return ticked, sum(key[0] == line for key in boards.ticks(db, instrument.id))


def make_shops_rule(
    db: Connection, now: datetime, instrument: instruments.Instrument, plan: BoardPlan, chosen: BoardPlan
) -> None:
    """Make a board's chosen rule the shop's, with which every board starts; the board itself follows the shop's."""
    rule = {name: str(getattr(chosen, name)) for name in ("rule_step", "rule_fine", "rule_fine_to_um", "rule_read")}
    with transaction(db):
        shop.change(db, rule)
        boards.save(db, instrument.id, instrument.spec, replace(plan, rule_step=""), stamp(now))

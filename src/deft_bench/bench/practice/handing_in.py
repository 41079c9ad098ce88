"""A whole job handed in: what it was worth against the program's own play of the same neck."""

from collections.abc import Callable, Mapping
from datetime import datetime
from typing import Any

from deft_bench.bench.practice.by_program import Play, play
from deft_bench.bench.practice.setup_by_program import play_setup
from deft_bench.bench.practice.whole import keep_outcome, open_job
from deft_bench.core.practice.drills import WHOLE, WHOLE_SETUP
from deft_bench.core.shop_settings import ShopSettings
from deft_bench.store.database import Connection

PLAYS: Mapping[str, Callable[[ShopSettings, Any], Play]] = {WHOLE: play, WHOLE_SETUP: play_setup}
"""What the program does with the truth of each whole job."""


def hand_in(db: Connection, settings: ShopSettings, now: datetime, neck_id: int) -> None:
    """Hand a whole job in. Raises KeyError, and PracticeError where it is handed in already or was worked on
    meanwhile.
    """
    found = open_job(db, neck_id)
    theirs = PLAYS[found.kind.drill](settings, found.truth)
    worth = found.kind.score(found.truth, found.neck, found.seconds, theirs.end, theirs.seconds)
    keep_outcome(db, now, found, worth, theirs.said)

"""Challenges at the bench: one that is handed on as a file, and one that is begun."""

from datetime import datetime
from typing import Any

from deft_bench.bench.practice.attempts import begin_on
from deft_bench.bench.practice.handing_in import PLAYS
from deft_bench.bench.practice.whole import WHOLE_KINDS, begin_on_truth, kind_of
from deft_bench.core.practice.drills import DRILLS
from deft_bench.core.shop_settings import ShopSettings
from deft_bench.formats.challenge import Challenge, write_challenge
from deft_bench.store import practice, practice_necks
from deft_bench.store.database import Connection


def begin_challenge(db: Connection, now: datetime, person: str, made: Challenge) -> int:
    """Start the drill of a challenge; its id, that of the practice neck for a whole job. Raises PracticeError."""
    if made.drill in WHOLE_KINDS:
        truth = WHOLE_KINDS[made.drill].neck_from(made.truth)
        seed = practice.BY_HAND if made.number is None else made.number
        return begin_on_truth(db, now, made.drill, person, made.level, seed, truth)
    return begin_on(db, now, made.drill, person, made.level, made.number, made.truth)


def why_not(settings: ShopSettings, made: Challenge) -> str:
    """Why the whole job of a challenge cannot be done; empty where the program does it by its own calls."""
    if made.drill not in PLAYS:
        return ""
    theirs = PLAYS[made.drill](settings, WHOLE_KINDS[made.drill].neck_from(made.truth))
    return "" if theirs.passed else "the program itself cannot bring this neck to its gate"


def whole_as_challenge(db: Connection, neck_id: int) -> bytes:
    """A practice neck as a challenge file, its truth with it; raises KeyError where there is none."""
    kept = practice_necks.get(db, neck_id)
    return _file(kind_of(kept).drill, kept.level, kept.seed, kept.truth)


def as_challenge(db: Connection, attempt_id: int) -> bytes:
    """An attempt's drill as a challenge file, its truth with it; raises KeyError where there is none."""
    attempt = practice.get(db, attempt_id)
    return _file(attempt.drill, attempt.level, attempt.seed, attempt.truth)


def _file(code: str, level: int, seed: int, truth: Any) -> bytes:
    drill, number = DRILLS[code], None if seed == practice.BY_HAND else seed
    name = f"{drill.title}, level {level}" + ("" if number is None else f", number {number}")
    return write_challenge(Challenge(name, drill.aim, code, level, number, truth))

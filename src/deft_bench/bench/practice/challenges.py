"""Challenges at the bench: one that is handed on as a file, and one that is begun."""

from datetime import datetime

from deft_bench.bench.practice.attempts import DRILLS, begin_on
from deft_bench.formats.challenge import Challenge, write_challenge
from deft_bench.store import practice
from deft_bench.store.database import Connection


def begin_challenge(db: Connection, now: datetime, person: str, made: Challenge) -> int:
    """Start the drill of a challenge; its id. Raises PracticeError."""
    return begin_on(db, now, made.drill, person, made.level, made.number, made.truth)


def as_challenge(db: Connection, attempt_id: int) -> bytes:
    """An attempt's drill as a challenge file, its truth with it; raises KeyError where there is none."""
    attempt = practice.get(db, attempt_id)
    drill = DRILLS[attempt.drill]
    number = None if attempt.by_hand else attempt.seed
    name = f"{drill.title}, level {attempt.level}" + ("" if number is None else f", number {number}")
    return write_challenge(Challenge(name, drill.aim, attempt.drill, attempt.level, number, attempt.truth))

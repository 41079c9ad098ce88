"""Radius by scribble, at the bench: strokes, pencil and gauge on a hidden blank, how it ends, the debrief."""

from collections.abc import Sequence
from datetime import datetime

from deft_bench.bench.practice.attempts import PracticeError, begin, close, keep, of_drill, refused
from deft_bench.bench.practice.by_hand import ByHand
from deft_bench.core.practice.radius import (
    Blank,
    Done,
    Lean,
    RadiusScore,
    What,
    as_json,
    blank,
    blank_from,
    by_program,
    do,
    done_from,
    score,
)
from deft_bench.store import practice
from deft_bench.store.database import Connection

DRILL = "radius"
TRUE = "true"
"""What is named when the work is handed in."""


UnderTheBlock = ByHand[Blank, Done]
"""An attempt on a blank."""


def begin_radius(db: Connection, now: datetime, person: str, level: int, seed: int | None = None) -> int:
    """Start the drill; its id. Raises PracticeError."""
    return begin(db, now, DRILL, person, level, lambda seed, level: as_json(blank(seed, level)), seed)


def under_the_block(db: Connection, attempt_id: int) -> UnderTheBlock:
    """An attempt as it stands; raises KeyError where there is none."""
    attempt = of_drill(db, attempt_id, DRILL)
    steps = [(done_from(one["done"]), blank_from(one["blank"])) for one in practice.readings(db, attempt_id)]
    return UnderTheBlock(attempt, blank_from(attempt.truth), steps)


def sand(
    db: Connection, now: datetime, attempt_id: int, what: What, place: int, lean: Lean = "even", *, firm: bool = False
) -> UnderTheBlock:
    """Do one thing, and keep what it said; the attempt with it. Raises KeyError, PracticeError."""
    found = under_the_block(db, attempt_id)
    with refused():
        on, said = do(found.piece, what, place, lean, firm=firm)
    keep(db, now, attempt_id, {"done": as_json(said), "blank": as_json(on)}, len(found.steps))
    return found.after(said, on)


def call_true(db: Connection, now: datetime, attempt_id: int) -> None:
    """Say that the radius is true; raises KeyError, PracticeError."""
    found = under_the_block(db, attempt_id)
    close(db, now, attempt_id, TRUE, _judged(found)[0].points)


def debrief_radius(found: UnderTheBlock) -> tuple[RadiusScore, Sequence[Done]]:
    """What an answered attempt was worth, and what the program would have done; raises PracticeError where it is not
    answered yet.
    """
    if found.attempt.named is None:
        raise PracticeError("Say that it is true first: the truth is shown after that.")
    return _judged(found)


def _judged(found: UnderTheBlock) -> tuple[RadiusScore, Sequence[Done]]:
    program = by_program(found.truth)
    return score(found.truth, found.done, found.piece, program), program[0]


def gauged(found: UnderTheBlock) -> dict[int, tuple[float, ...]]:
    """The gaps under the gauge by place, as last laid there; wood that came off since makes another light."""
    since: list[Done] = []
    for one in reversed(found.done):
        if one.what == "sand":
            break
        since.insert(0, one)
    return {one.place: one.gaps_mm for one in since if one.what == "gauge"}

"""Level with the beam, at the bench: strokes, pressing, tapping and ink on a hidden neck, how it ends, the debrief."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime

from deft_bench.bench.practice.attempts import PracticeError, begin, close, keep, of_drill, refused
from deft_bench.bench.practice.by_hand import ByHand
from deft_bench.core.practice.beam import (
    BeamNeck,
    BeamScore,
    Done,
    What,
    as_json,
    beam_neck,
    by_program,
    do,
    done_from,
    neck_from,
    score,
)
from deft_bench.store import practice
from deft_bench.store.database import Connection

DRILL = "beam"
LEVEL = "level"
"""What is named when the work is handed in."""


UnderTheBeam = ByHand[BeamNeck, Done]
"""An attempt on a neck."""


@dataclass(frozen=True, slots=True)
class BeamDebrief:
    """What an attempt was worth, and what the program would have done."""

    score: BeamScore
    program: Sequence[Done]


def begin_beam(db: Connection, now: datetime, person: str, level: int, seed: int | None = None) -> int:
    """Start the drill; its id. Raises PracticeError."""
    return begin(db, now, DRILL, person, level, lambda seed, level: as_json(beam_neck(seed, level)), seed)


def under_the_beam(db: Connection, attempt_id: int) -> UnderTheBeam:
    """An attempt as it stands; raises KeyError where there is none."""
    attempt = of_drill(db, attempt_id, DRILL)
    steps = [(done_from(one["done"]), neck_from(one["neck"])) for one in practice.readings(db, attempt_id)]
    return UnderTheBeam(attempt, neck_from(attempt.truth), steps)


def work(
    db: Connection,
    now: datetime,
    attempt_id: int,
    what: What,
    fret: int = 0,
    lanes: Sequence[str] = (),
    *,
    firm: bool = False,
) -> UnderTheBeam:
    """Do one thing, and keep what it said; the attempt with it. Raises KeyError, PracticeError."""
    found = under_the_beam(db, attempt_id)
    with refused():
        neck, said = do(found.piece, what, fret, lanes, firm)
    keep(db, now, attempt_id, {"done": as_json(said), "neck": as_json(neck)}, len(found.steps))
    return found.after(said, neck)


def call_level(db: Connection, now: datetime, attempt_id: int) -> None:
    """Say that it is level; raises KeyError, PracticeError."""
    found = under_the_beam(db, attempt_id)
    close(db, now, attempt_id, LEVEL, _judged(found).score.points)


def debrief_beam(found: UnderTheBeam) -> BeamDebrief:
    """An answered attempt, with the truth; raises PracticeError where it is not answered yet."""
    if found.attempt.named is None:
        raise PracticeError("Say that it is level first: the truth is shown after that.")
    return _judged(found)


def _judged(found: UnderTheBeam) -> BeamDebrief:
    program = by_program(found.truth)
    return BeamDebrief(score(found.truth, found.done, found.piece, program), program[0])


def last_read(found: UnderTheBeam) -> Done | None:
    """The last reading of the tops; None before any."""
    return next((one for one in reversed(found.done) if one.what == "read"), None)

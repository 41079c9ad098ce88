"""Relief in one box, at the rod: one gap under a string, capo on fret 1 and the last fret or the joint pressed."""

from dataclasses import dataclass
from datetime import datetime

from deft_bench.bench.climate import near
from deft_bench.bench.surveying import ReadingRefusedError, due_when, start_check
from deft_bench.core.instrument import Spec
from deft_bench.core.survey import UNDER_STRING, SurveyHead, pressed_fret
from deft_bench.core.survey_kinds import SURVEY_KINDS
from deft_bench.core.times import stamp
from deft_bench.store import devices, instruments, jobs, surveys
from deft_bench.store.database import Connection, transaction

GAP_FRETS = (7, 8)
"""Over which fret the gap is read: the middle of the neck lies between them."""
TOOL, RESOLUTION_UM = "feeler gauge under a string", 20


@dataclass(frozen=True, slots=True)
class ReliefBox:
    """Where the gap is read: over which fret, and by which way of pressing (`string`, `string_joint`)."""

    fret: int = GAP_FRETS[1]
    method: str = UNDER_STRING[0]


def relief_box(db: Connection, instrument: instruments.Instrument) -> ReliefBox:
    """As the last one was read on this instrument."""
    for survey in surveys.of_instrument(db, instrument.id, "straightness", 12):
        if survey.head.method in UNDER_STRING:
            read = [fret for _, fret in surveys.values(db, survey.id)]
            if len(read) == 1:
                return ReliefBox(read[0], survey.head.method)
    return ReliefBox()


def methods_of(spec: Spec) -> dict[str, str]:
    """The ways of pressing on this neck, by method."""
    return {"string": f"the last fret, {spec.frets}", "string_joint": f"the joint, fret {spec.joint_fret}"}


def keep_relief(
    db: Connection,
    now: datetime,
    instrument: instruments.Instrument,
    box: ReliefBox,
    gap_um: int,
    typed: str,
    by: devices.StoredDevice | None = None,
) -> int:
    """Keep one gap, with it as it was typed or as the gauge `by` said it, as a straightness survey of its own and
    return its id; raises ReadingRefusedError.
    """
    pressed = pressed_fret(box.method, instrument.spec.frets, instrument.spec.joint_fret)
    if box.method not in UNDER_STRING or not 1 < box.fret < pressed:
        raise ReadingRefusedError(f"The gap is read over a fret between the first and {pressed}.")
    problem = SURVEY_KINDS["straightness"].problem(gap_um, box.fret)
    if problem or gap_um < 0:
        raise ReadingRefusedError(problem or "A gap under a string is 0 or more: a string cannot lie inside a fret.")
    job = jobs.open_of(db, [instrument.id]).get(instrument.id)
    climate = near(db, now)
    head = SurveyHead(
        "straightness",
        due_when(db, job, "straightness") if job else "before",
        box.method,
        "fret_tops",
        by.setup.name if by else TOOL,
        by.setup.resolution_um if by else RESOLUTION_UM,
        "tuned",
        climate[0] if climate else None,
        climate[1] if climate else None,
        "lane_by_lane",
        spread_um=by.spread_um if by else None,
    )
    with transaction(db):
        if job is None:
            survey = start_check(db, now, instrument, head)
        else:
            survey = surveys.start(db, instrument.id, job.id, instrument.spec.frets, head, stamp(now))
        surveys.add_many(db, survey, [(("middle", box.fret), gap_um, typed)], stamp(now))
    return survey

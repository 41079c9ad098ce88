"""What a job wants next, whatever its kind: the sentence, the place where it is done, and the job's steps."""

from dataclasses import dataclass

from deft_bench.bench.refret_progress import refret_facts
from deft_bench.bench.setup_readings import setup_facts
from deft_bench.bench.survey_results import facts_of
from deft_bench.core.level_job import now as level_now
from deft_bench.core.level_job import steps as level_steps
from deft_bench.core.refret import refret_now, refret_steps
from deft_bench.core.shop_settings import ShopSettings
from deft_bench.core.strings.setup_job import setup_now, setup_steps
from deft_bench.core.strings.setup_plan import string_names
from deft_bench.store import instruments, jobs, setups
from deft_bench.store.database import Connection

PLACES = {"survey": "survey", "after": "survey", "close": "record", "closed": "record"}
"""Where a step of levelling is done, when it is not the Level screen. The names are those of an operation's `page`."""
BUTTONS = {
    "survey": "Survey",
    "plan": "Read the call",
    "work": "Go to the plan",
    "after": "Survey again",
    "close": "Record",
}
SETUP_PLACES = {
    "intake": ("survey", "Go on reading"),
    "solve": ("setup", "Solve"),
    "relief": ("neck", "Neck"),
    "nut": ("nut", "Nut"),
    "saddle": ("saddle", "Saddle"),
    "intonation": ("intonation", "Intonation"),
    "buzz": ("buzz", "Play"),
}
RECORD = ("record", "Record")


@dataclass(frozen=True, slots=True)
class JobStep:
    """One step of a job on its tape, and the place where it is done."""

    code: str
    title: str
    state: str
    place: str


@dataclass(frozen=True, slots=True)
class NextStep:
    """What to do now: its code, the sentence, the place, and what the button there says."""

    code: str
    say: str
    place: str
    button: str


def next_step(db: Connection, settings: ShopSettings, job: jobs.Job, instrument: instruments.Instrument) -> NextStep:
    """The step to do now in a job."""
    if job.kind == "refret":
        code, say = refret_now(refret_facts(db, settings, job, instrument), settings.display.fine_mm)
        place = {"level": "level", "closed": "record"}.get(code, "refret")
        return NextStep(code, say, place, "Level" if code == "level" else "Go to the refret")
    if job.kind == "setup":
        code, say = setup_now(
            setup_facts(db, settings, job, instrument), _names(db, instrument), settings.display.fine_mm
        )
        return NextStep(code, say, *SETUP_PLACES.get(code, RECORD))
    if job.kind == "work":
        return NextStep("work", "Go on by its run sheet.", "sheet", "Run sheet")
    code, say = level_now(facts_of(db, settings, job, instrument))
    return NextStep(code, say, PLACES.get(code, "level"), BUTTONS.get(code, "Record"))


def job_steps(
    db: Connection, settings: ShopSettings, job: jobs.Job, instrument: instruments.Instrument
) -> list[JobStep]:
    """The job's steps with their state; none for an inspection, and none but the run sheet for other work."""
    if job.kind == "inspection":
        return []
    return [*_own_steps(db, settings, job, instrument), JobStep("sheet", "Run sheet", "sheet", "sheet")]


def _own_steps(
    db: Connection, settings: ShopSettings, job: jobs.Job, instrument: instruments.Instrument
) -> list[JobStep]:
    if job.kind == "work":
        return []
    if job.kind == "refret":
        return [
            JobStep(step.code, step.title, step.state, "level" if step.code == "level" else "refret")
            for step in refret_steps(refret_facts(db, settings, job, instrument))
        ]
    if job.kind == "setup":
        return [
            JobStep(step.code, step.title, step.state, SETUP_PLACES.get(step.code, RECORD)[0])
            for step in setup_steps(
                setup_facts(db, settings, job, instrument), _names(db, instrument), settings.display.fine_mm
            )
        ]
    return [
        JobStep(step.code, step.title, step.state, PLACES.get(step.code, "level"))
        for step in level_steps(facts_of(db, settings, job, instrument))
    ]


def _names(db: Connection, instrument: instruments.Instrument) -> dict[int, str]:
    return string_names(setups.plan_of(db, instrument.id, instrument.spec))

"""What a job wants next, whatever its kind: the sentence, the place where it is done, and the job's steps."""

from dataclasses import dataclass

from deft_bench.bench.level_planning import call_of
from deft_bench.bench.refret_progress import refret_facts
from deft_bench.bench.setup.readings import setup_facts
from deft_bench.bench.survey_results import facts_of
from deft_bench.core.level_job import level_now, level_steps
from deft_bench.core.refret import refret_now, refret_steps
from deft_bench.core.shop_settings import ShopSettings
from deft_bench.core.steps import Step
from deft_bench.core.strings.setup_job import SetupFacts, setup_now, setup_steps, waits_for_relief
from deft_bench.core.strings.setup_plan import string_names
from deft_bench.store import instruments, jobs, setups
from deft_bench.store.database import Connection
from deft_bench.store.kept import kept

LEVEL_PLACES = {
    "survey": ("survey", "Survey"),
    "plan": ("level", "Read the call"),
    "work": ("level", "Go to the plan"),
    "after": ("survey", "Survey again"),
}
REFRET_PLACES = {"level": ("level", "Level")}
SETUP_PLACES = {
    "intake": ("survey", "Go on reading"),
    "solve": ("setup", "Solve"),
    "relief": ("neck", "Neck"),
    "nut": ("nut", "Nut"),
    "saddle": ("saddle", "Saddle"),
    "intonation": ("intonation", "Intonation"),
    "buzz": ("buzz", "Play"),
}
"""Where a step is done, and what the button there says. The names are those of an operation's `page`."""
RECORD, REFRET = ("record", "Record"), ("refret", "Go to the refret")


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


def called(
    db: Connection, settings: ShopSettings, job: jobs.Job, instrument: instruments.Instrument, step: NextStep
) -> str:
    """A step's sentence; where it is to read the call, the call itself, which takes longer."""
    return (call_of(db, settings, job, instrument) if step.code == "plan" else None) or step.say


@kept
def next_step(db: Connection, settings: ShopSettings, job: jobs.Job, instrument: instruments.Instrument) -> NextStep:
    """The step to do now in a job."""
    if job.kind == "work":
        return NextStep("work", "Go on by its run sheet.", "sheet", "Run sheet")
    if job.kind == "refret":
        code, say = refret_now(refret_facts(db, settings, job, instrument), settings.display.fine_mm)
    elif job.kind == "setup":
        facts = setup_facts(db, settings, job, instrument)
        code, say = setup_now(facts, _names(db, instrument), settings.display.fine_mm)
        return NextStep(code, say, *_setup_place(facts, code))
    else:
        code, say = level_now(facts_of(db, settings, job, instrument))
    return NextStep(code, say, *_place(job, code))


def next_said(db: Connection, settings: ShopSettings, job: jobs.Job, instrument: instruments.Instrument) -> str:
    """What to do now in a job, in full: where a plan is due it is the call itself."""
    step = next_step(db, settings, job, instrument)
    if step.code != "plan" or facts_of(db, settings, job, instrument).surveyed_since:
        return step.say
    return call_of(db, settings, job, instrument) or step.say


def job_steps(
    db: Connection, settings: ShopSettings, job: jobs.Job, instrument: instruments.Instrument
) -> list[JobStep]:
    """The job's steps with their state; none for an inspection, and none but the run sheet for other work."""
    if job.kind == "inspection":
        return []
    if job.kind == "setup":
        facts = setup_facts(db, settings, job, instrument)
        steps = setup_steps(facts, _names(db, instrument), settings.display.fine_mm)
        own = [JobStep(step.code, step.title, step.state, _setup_place(facts, step.code)[0]) for step in steps]
    else:
        steps = _own_steps(db, settings, job, instrument)
        own = [JobStep(step.code, step.title, step.state, _place(job, step.code)[0]) for step in steps]
    return [*own, JobStep("sheet", "Run sheet", "sheet", "sheet")]


def _own_steps(db: Connection, settings: ShopSettings, job: jobs.Job, instrument: instruments.Instrument) -> list[Step]:
    if job.kind == "work":
        return []
    if job.kind == "refret":
        return refret_steps(refret_facts(db, settings, job, instrument))
    return level_steps(facts_of(db, settings, job, instrument))


def _place(job: jobs.Job, code: str) -> tuple[str, str]:
    """Where a step is done, and what the button there says."""
    if job.kind == "refret":
        return ("record", "Go to the refret") if code == "closed" else REFRET_PLACES.get(code, REFRET)
    return LEVEL_PLACES.get(code, RECORD)


def _setup_place(facts: SetupFacts, code: str) -> tuple[str, str]:
    """Where a step of a setup is done: saddles that only wait for the relief, where that is read."""
    return SETUP_PLACES.get("relief" if code == "saddle" and waits_for_relief(facts) else code, RECORD)


def _names(db: Connection, instrument: instruments.Instrument) -> dict[int, str]:
    return string_names(setups.plan_of(db, instrument.id, instrument.spec))

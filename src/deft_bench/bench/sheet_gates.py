"""What has been read for a step's gate, so that the run sheet says it beside the step."""

from dataclasses import dataclass

from deft_bench.bench.refret_progress import daylight_of, latest_values, refret_facts
from deft_bench.bench.setup_readings import setup_facts
from deft_bench.bench.sheet_records import SETUP
from deft_bench.bench.survey_results import facts_of, moved_since_read, survey_results
from deft_bench.core.calls import frets_named
from deft_bench.core.refret import END_STEPS, SIDES
from deft_bench.core.shop_settings import ShopSettings
from deft_bench.core.strings.setup_job import setup_steps
from deft_bench.core.strings.setup_plan import string_names
from deft_bench.store import instruments, jobs, order_ticks, setups, surveys
from deft_bench.store.database import Connection

HEIGHTS = ("before_survey", "survey", "resurvey")
BOWS = ("straight_wood", "straight", "straight_after", "relief", "relief_again")
SEATS = ("seat", "reseat")


@dataclass(frozen=True, slots=True)
class GateReading:
    """The reading behind a gate in words, and whether the gate passes (None: it cannot be told from this)."""

    say: str
    passes: bool | None


def gate_reading(
    db: Connection, settings: ShopSettings, code: str, job: jobs.Job, instrument: instruments.Instrument
) -> GateReading | None:
    """What the record says of a step's gate; None where nothing is read for it."""
    if job.kind == "setup":
        ours = {step: its for its, steps in SETUP.items() for step in steps}
        names = string_names(setups.plan_of(db, instrument.id, instrument.spec))
        found = {
            step.code: step
            for step in setup_steps(setup_facts(db, settings, job, instrument), names, settings.display.fine_mm)
        }
        step = found.get(ours.get(code, ""))
        return None if step is None else GateReading(step.say.rstrip("."), step.state == "done")
    if code in HEIGHTS:
        return _heights(db, settings, code, job, instrument)
    if code in BOWS:
        return _bow(db, settings, code, job, instrument)
    if code in SEATS:
        return _seat(db, job)
    if code == "slot_depth" and job.kind == "refret":
        gate = refret_facts(db, settings, job, instrument).depth
        if gate is None:
            return None
        bad = sorted({fret for (_, fret), _ in gate.shallow} | set(gate.unread) | set(gate.thin))
        return GateReading(
            "every slot takes its tang" if gate.passes else f"not deep enough or not read: {frets_named(bad)}",
            gate.passes,
        )
    if code == "ends":
        done = sum(step.startswith("end ") for step in order_ticks.ticks(db, job.id))
        every = len(END_STEPS) * len(SIDES)
        return GateReading(f"{done} of {every} ticked: flush, bevelled, dressed, both sides", done >= every)
    return None


def _heights(
    db: Connection, settings: ShopSettings, code: str, job: jobs.Job, instrument: instruments.Instrument
) -> GateReading | None:
    facts = facts_of(db, settings, job, instrument)
    if not facts.surveyed or (code == "resurvey" and not facts.surveyed_since):
        return None
    if code == "resurvey":
        return GateReading(
            "within the planned shape" if facts.gate_passes else "not within the planned shape yet", facts.gate_passes
        )
    if code == "survey" and facts.stale and facts.plan_kind is None:
        return GateReading(f"read before {facts.moved}: read again", False)
    return GateReading(f"{facts.read} of {facts.places} places read", facts.read >= facts.places)


def _bow(
    db: Connection, settings: ShopSettings, code: str, job: jobs.Job, instrument: instruments.Instrument
) -> GateReading | None:
    surface = "board" if code == "straight_wood" else None
    for survey in reversed(surveys.of_job(db, job.id)):
        if survey.head.kind == "straightness" and surface in (None, survey.head.surface):
            straight = survey_results(db, settings, survey, instrument).figures.straight
            if straight is None:
                return None
            moved = moved_since_read(db, survey, frozenset({"rod"}))
            if moved is not None:
                return GateReading(f"read before {moved.said}: read again", False)
            on = "the wood" if survey.head.surface == "board" else "fret tops"
            passes = None if code.startswith("relief") else straight.frets_can_be_judged
            return GateReading(f"bow {settings.display.signed(straight.relief_mm * 1000)} on {on}", passes)
    return None


def _seat(db: Connection, job: jobs.Job) -> GateReading | None:
    if latest_values(db, job, "seating") is None:
        return None
    daylight, home = daylight_of(db, job)
    if home:
        return GateReading("no daylight under any crown", True)
    return GateReading(
        f"daylight under {frets_named(sorted(daylight))}" if daylight else "not every place is read", False
    )

"""What has been read for a step's gate, so that the run sheet says it beside the step."""

from collections.abc import Callable
from dataclasses import dataclass
from functools import partial

from deft_bench.bench.dressing import ends_done
from deft_bench.bench.refret_progress import daylight_of, latest_values, refret_facts
from deft_bench.bench.setup.readings import setup_facts
from deft_bench.bench.sheet_records import family
from deft_bench.bench.survey_results import facts_of, moved_since_read, survey_results
from deft_bench.core.calls import frets_named
from deft_bench.core.refret import ENDS_ASKED, ends_ready
from deft_bench.core.shop_settings import ShopSettings
from deft_bench.core.strings.setup_job import setup_steps
from deft_bench.core.strings.setup_plan import string_names
from deft_bench.core.work.catalogue import Operation
from deft_bench.store import instruments, jobs, setups, surveys
from deft_bench.store.database import Connection


@dataclass(frozen=True, slots=True)
class GateReading:
    """The reading behind a gate in words, and whether the gate passes (None: it cannot be told from this)."""

    say: str
    passes: bool | None


def is_read(operation: Operation, job: jobs.Job) -> bool:
    """Whether a step's gate is one that readings of this kind of job tell, not the technician's word."""
    shown_by = operation.shown_by.get(family(job), "")
    if shown_by == "slot_depth" and job.kind != "refret":
        return False  # slots are surveyed against the wire of a refret
    return shown_by != "" if job.kind == "setup" else shown_by in _READ


def gate_reading(
    db: Connection, settings: ShopSettings, operation: Operation, job: jobs.Job, instrument: instruments.Instrument
) -> GateReading | None:
    """What the record says of a step's gate; None where nothing is read for it."""
    shown_by = operation.shown_by.get(family(job), "")
    if job.kind == "setup":
        names = string_names(setups.plan_of(db, instrument.id, instrument.spec))
        steps = setup_steps(setup_facts(db, settings, job, instrument), names, settings.display.fine_mm)
        step = next((step for step in steps if step.code == shown_by), None)
        return None if step is None else GateReading(step.say.rstrip("."), step.state == "done")
    read = _READ.get(shown_by)
    return read(db, settings, job, instrument) if read else None


def _slot_depth(
    db: Connection, settings: ShopSettings, job: jobs.Job, instrument: instruments.Instrument
) -> GateReading | None:
    gate = refret_facts(db, settings, job, instrument).depth if job.kind == "refret" else None
    if gate is None:
        return None
    bad = sorted({fret for (_, fret), _ in gate.shallow} | set(gate.unread) | set(gate.thin))
    return GateReading(
        "every slot takes its tang" if gate.passes else f"not deep enough or not read: {frets_named(bad)}",
        gate.passes,
    )


def _fret_ends(
    db: Connection, settings: ShopSettings, job: jobs.Job, instrument: instruments.Instrument
) -> GateReading | None:
    done, every = ends_ready(ends_done(db, job)), ENDS_ASKED
    return GateReading(f"{done} of {every} ticked: flush, bevelled, both sides", done >= every)


def _planned_shape(
    db: Connection, settings: ShopSettings, job: jobs.Job, instrument: instruments.Instrument
) -> GateReading | None:
    facts = facts_of(db, settings, job, instrument)
    if not facts.surveyed or not facts.surveyed_since:
        return None
    return GateReading(
        "within the planned shape" if facts.gate_passes else "not within the planned shape yet", facts.gate_passes
    )


def _heights(
    db: Connection,
    settings: ShopSettings,
    job: jobs.Job,
    instrument: instruments.Instrument,
    *,
    in_force: bool = False,
) -> GateReading | None:
    facts = facts_of(db, settings, job, instrument)
    if not facts.surveyed:
        return None
    if in_force and facts.stale and facts.plan_kind is None:
        return GateReading(f"read before {facts.moved}: read again", False)
    return GateReading(f"{facts.read} of {facts.places} places read", facts.read >= facts.places)


def _bow(
    db: Connection,
    settings: ShopSettings,
    job: jobs.Job,
    instrument: instruments.Instrument,
    *,
    surface: str | None = None,
    judged: bool = True,
) -> GateReading | None:
    for survey in reversed(surveys.of_job(db, job.id)):
        if survey.head.kind == "straightness" and surface in (None, survey.head.surface):
            straight = survey_results(db, settings, survey, instrument).figures.straight
            if straight is None:
                return None
            moved = moved_since_read(db, survey, frozenset({"rod"}))
            if moved is not None:
                return GateReading(f"read before {moved.said}: read again", False)
            on = "the wood" if survey.head.surface == "board" else "fret tops"
            passes = straight.frets_can_be_judged if judged else None
            return GateReading(f"bow {settings.display.signed(straight.relief_mm * 1000)} on {on}", passes)
    return None


def _seating(
    db: Connection, settings: ShopSettings, job: jobs.Job, instrument: instruments.Instrument
) -> GateReading | None:
    if latest_values(db, job, "seating") is None:
        return None
    daylight, home = daylight_of(db, job)
    if home:
        return GateReading("no daylight under any crown", True)
    return GateReading(
        f"daylight under {frets_named(sorted(daylight))}" if daylight else "not every place is read", False
    )


_READ: dict[str, Callable[[Connection, ShopSettings, jobs.Job, instruments.Instrument], GateReading | None]] = {
    "heights": _heights,
    "heights_in_force": partial(_heights, in_force=True),
    "planned_shape": _planned_shape,
    "bow": _bow,
    "bow_of_board": partial(_bow, surface="board"),
    "bow_after": _bow,
    "relief": partial(_bow, judged=False),
    "seating": _seating,
    "reseating": _seating,
    "slot_depth": _slot_depth,
    "fret_ends": _fret_ends,
}
"""What is read for a gate, by what shows its step (`SHOWN_BY`)."""

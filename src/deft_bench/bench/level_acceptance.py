"""Accepting a level plan: what stands against it, and the one act that keeps it."""

from collections.abc import Sequence
from datetime import datetime

from deft_bench.bench.level_planning import Choices, Planning, base_survey, make_plan, records
from deft_bench.bench.survey_results import gate_since, planned_drops, survey_results
from deft_bench.core.frets.level_gate import LevelGate
from deft_bench.core.shop_settings import ShopSettings
from deft_bench.core.times import stamp
from deft_bench.core.work.job_sheet import Event
from deft_bench.store import acts, instruments, jobs, sheets
from deft_bench.store.database import Connection, transaction

NUT_STATES = {"in_place": "in place", "out": "out", "protected": "protected"}


def carried_out(
    db: Connection, settings: ShopSettings, job: jobs.Job, instrument: instruments.Instrument
) -> tuple[jobs.AcceptedPlan, LevelGate] | None:
    """The plan that was carried out and how what was read since judges it, when anything was."""
    plan = next((p for p in reversed(jobs.plans(db, job.id)) if p.done_at and p.level.kind == "level"), None)
    if plan is None:
        return None
    gate = gate_since(db, settings, job, instrument, plan)
    return None if gate is None else (plan, gate)


def reseated_now(db: Connection, now: datetime, job: jobs.Job, frets: Sequence[int]) -> None:
    """Record that frets were reseated: what was read of them before no longer holds."""
    with transaction(db):
        acts.keep(db, job.id, "reseat", frets, stamp(now))
        for what in ("started", "finished"):
            sheets.add(db, job.id, Event(acts.RESEAT, what, stamp(now)))


def fingerprint(planning: Planning) -> str:
    """What a page showed, so that accepting it later can tell whether the figures are still those."""
    chosen = planning.chosen
    way = f"{chosen.lift}{chosen.leave}"
    return f"{planning.base.survey.id}:{way}:{round(chosen.total_mm * 1e6)}:{round(chosen.worst_mm * 1e6)}"


def accept_level(
    db: Connection, settings: ShopSettings, job_id: int, choices: Choices, nut: str, shown: str, at: str
) -> str:
    """Keep the plan and the state of the nut, both or neither; returns why not, empty when it is kept.

    `shown` is the fingerprint of the page that was accepted, `nut` a key of `NUT_STATES` or empty for what is recorded.
    """
    with transaction(db):
        job = jobs.get(db, job_id)
        instrument = instruments.get(db, job.instrument_id)
        nut = nut if nut in NUT_STATES else job.nut
        gate = carried_out(db, settings, job, instrument)
        base_of = base_survey(db, job)
        if base_of is None:
            return "Nothing is read of the frets yet."
        base = survey_results(db, settings, base_of, instrument)
        try:
            planning = make_plan(db, settings, job, instrument, base, choices, planned_drops(gate[0]) if gate else None)
        except ValueError as error:
            return f"Too little is read for a plan: {error}."
        refused = refusal(planning, nut, shown)
        if not refused:
            if nut != job.nut:
                jobs.set_nut(db, job_id, nut)
            kept = records(planning, instrument, jobs.get(db, job_id))
            jobs.accept_plan(db, job_id, base.survey.id, at, *kept)
    return refused


def refusal(planning: Planning, nut: str, shown: str) -> str:
    """What stands against accepting a plan, and what to do about it; empty when nothing does."""
    if planning.choices.errors:
        return " ".join(planning.choices.errors.values())
    if shown != fingerprint(planning):
        return "A reading has changed since this page was made: here are the figures as they are now."
    if not planning.straight.passes:
        return "The neck is not straight: straighten it and survey again, or say why it is levelled as it lies."
    if planning.stale or planning.call.do == "read_on":
        return planning.call.say
    if planning.call.do in ("check_seating", "reseat"):
        return "Check the seating first, and say that the frets are home."
    if planning.kind == "level" and planning.school == "full" and nut == "in_place":
        return "Say whether the nut is out or protected: a full-length beam files a nut that is in place."
    return ""

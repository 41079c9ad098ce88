"""Undoing what a slip of the finger recorded, and closing a job with what was not met. Nothing is destroyed: what is
taken back stays in the record.
"""

from collections.abc import Callable
from dataclasses import dataclass
from datetime import datetime

from deft_bench.bench.sheet_lines import worked_sheet
from deft_bench.core.acts import DONE
from deft_bench.core.calls import frets_named
from deft_bench.core.shop_settings import ShopSettings
from deft_bench.core.survey_kinds import SURVEY_KINDS
from deft_bench.core.times import stamp
from deft_bench.core.work.job_sheet import Event, records
from deft_bench.store import acts, instruments, jobs, refrets, rod_turns, sheets, surveys
from deft_bench.store.database import Connection, transaction
from deft_bench.store.withdrawing import set_withdrawn


class UndoRefusedError(ValueError):
    """Why something is not taken back, and what to take back first."""


@dataclass(frozen=True, slots=True)
class Undone:
    """What was taken back or put back, in words; by which it can be had again (`again`, empty: by doing it again)."""

    say: str
    instrument_id: int
    job_id: int | None = None
    again: str = ""


def undo(db: Connection, now: datetime, what: str, row_id: int, *, put_back: bool = False) -> Undone:
    """Take back one of `UNDOES`, or put back what was withdrawn. Raises UndoRefusedError, KeyError for what is not
    there.
    """
    if what not in UNDOES:
        raise KeyError(what)
    with transaction(db):
        return UNDOES[what](db, stamp(now), row_id, put_back)


def _job(db: Connection, at: str, job_id: int, put_back: bool) -> Undone:
    job = jobs.get(db, job_id)
    if not put_back:
        if any(plan.done_at for plan in jobs.plans(db, job_id)) or refrets.fitted(db, job_id):
            raise UndoRefusedError("Work is recorded as done in this job: take that back first.")
        if job.closed_at is not None:
            raise UndoRefusedError("This job is closed: open it again first.")
    elif jobs.open_of(db, [job.instrument_id]):
        raise UndoRefusedError("Another job of this instrument is open: close or withdraw that first.")
    set_withdrawn(db, "job", job_id, None if put_back else at)
    jobs.keep_event(db, job_id, "put_back" if put_back else "withdrawn", at)
    say = "The job is on the bench again." if put_back else "The job is withdrawn, with what was read in it."
    return Undone(say, job.instrument_id, job_id if put_back else None, "" if put_back else "job")


def _survey(db: Connection, at: str, survey_id: int, put_back: bool) -> Undone:
    survey = surveys.get(db, survey_id)
    planned = [plan for plan in jobs.plans(db, survey.job_id) if plan.survey_id == survey_id] if survey.job_id else []
    if planned and not put_back:
        which = "carried out" if planned[-1].done_at else "accepted"
        raise UndoRefusedError(f"A plan made from these readings is {which}: take that back first.")
    set_withdrawn(db, "survey", survey_id, None if put_back else at)
    label = SURVEY_KINDS[survey.head.kind].label.lower()
    if survey.job_id and not put_back:
        jobs.keep_event(db, survey.job_id, "taken_back", at, f"survey of {label}")
    say = f"The survey of {label} {'counts again' if put_back else 'is withdrawn: its readings stay in the record'}."
    return Undone(say, survey.instrument_id, survey.job_id, "" if put_back else "survey")


def _turn(db: Connection, at: str, turn_id: int, put_back: bool) -> Undone:
    instrument_id = rod_turns.instrument_of(db, turn_id)
    set_withdrawn(db, "rod_turn", turn_id, None if put_back else at)
    say = "The turn of the rod counts again." if put_back else "The turn of the rod is withdrawn."
    return Undone(say, instrument_id, None, "" if put_back else "turn")


def _plan(db: Connection, at: str, job_id: int, _put_back: bool) -> Undone:
    job, plan = jobs.get(db, job_id), jobs.last_plan(db, job_id)
    if plan is None:
        raise UndoRefusedError("No plan is accepted in this job.")
    if plan.done_at:
        raise UndoRefusedError("The plan is carried out: take that back first.")
    set_withdrawn(db, "accepted_plan", plan.id, at)
    jobs.keep_event(db, job_id, "taken_back", at, f"accepted plan: {plan.level.kind} {_frets(plan)}".strip())
    return Undone("The plan is no longer accepted.", job.instrument_id, job_id)


def _done(db: Connection, at: str, job_id: int, _put_back: bool) -> Undone:
    job, plan = jobs.get(db, job_id), jobs.last_plan(db, job_id)
    if plan is None or plan.done_at is None:
        raise UndoRefusedError("No plan is recorded as carried out in this job.")
    jobs.take_back_done(db, plan, at)
    jobs.keep_event(db, job_id, "taken_back", at, f"carried out: {plan.level.kind} {_frets(plan)}".strip())
    return Undone("It is not carried out: its metal counts as there.", job.instrument_id, job_id)


def _frets(plan: jobs.AcceptedPlan) -> str:
    return frets_named(list(plan.level.frets)) if plan.level.frets else ""


def _fitted(db: Connection, at: str, job_id: int, _put_back: bool) -> Undone:
    job, fitted = jobs.get(db, job_id), refrets.fitted(db, job_id)
    if not fitted:
        raise UndoRefusedError("No fret is recorded as fitted in this job.")
    refrets.take_back_fitted(db, job_id, job.instrument_id, at)
    jobs.keep_event(db, job_id, "taken_back", at, f"fitted: {frets_named(sorted(fitted))}")
    return Undone("The frets are not in: their wire is in stock again.", job.instrument_id, job_id)


def _closed(db: Connection, at: str, job_id: int, _put_back: bool) -> Undone:
    job = jobs.get(db, job_id)
    if job.closed_at is None:
        raise UndoRefusedError("The job is open.")
    if jobs.open_of(db, [job.instrument_id]):
        raise UndoRefusedError("Another job of this instrument is open: close or withdraw that first.")
    jobs.reopen(db, job_id, at)
    return Undone("The job is open again.", job.instrument_id, job_id)


def _act(db: Connection, at: str, job_id: int, _put_back: bool) -> Undone:
    job, act = jobs.get(db, job_id), acts.take_back_last(db, job_id, at)
    if act is None:
        raise UndoRefusedError("Nothing that was done to single frets is recorded in this job.")
    what = f"{frets_named(list(act.frets))} {DONE[act.kind]}"
    jobs.keep_event(db, job_id, "taken_back", at, what)
    return Undone(f"Taken back: {what}.", job.instrument_id, job_id)


def _step(db: Connection, at: str, event_id: int, _put_back: bool) -> Undone:
    """A step that was started by a slip waits again; one that was finished goes on from when it was started."""
    job_id, event = sheets.event(db, event_id)
    if event.kind not in ("started", "finished") or sheets.last_of_step(db, job_id, event.step) != event_id:
        raise UndoRefusedError("More has happened at this step since: put it right on the run sheet.")
    before = records(sheets.events(db, job_id))[event.step]
    sheets.happened(db, job_id, Event(event.step, "reopened", at), {})
    if event.kind == "finished" and before.started_at:
        sheets.add(db, job_id, Event(event.step, "started", before.started_at))
    say = "The step is not started." if event.kind == "started" else "The step is not done: it goes on."
    return Undone(say, jobs.get(db, job_id).instrument_id, job_id)


UNDOES: dict[str, Callable[[Connection, str, int, bool], Undone]] = {
    "job": _job,
    "survey": _survey,
    "turn": _turn,
    "plan": _plan,
    "done": _done,
    "fitted": _fitted,
    "closed": _closed,
    "act": _act,
    "step": _step,
}
"""What can be taken back, each by the id of its row; a plan, its carrying out, fitting and closing by their job's."""


def close_job(
    db: Connection, settings: ShopSettings, now: datetime, job: jobs.Job, instrument: instruments.Instrument
) -> list[str]:
    """Close a job; returns the gates of its run sheet that were not met, which stay in the record. None where it is
    closed already.
    """
    if job.closed_at is not None:
        return []
    unmet = unmet_gates(db, settings, now, job, instrument)
    jobs.close(db, job.id, stamp(now), "; ".join(unmet)[:400])
    return unmet


def unmet_gates(
    db: Connection, settings: ShopSettings, now: datetime, job: jobs.Job, instrument: instruments.Instrument
) -> list[str]:
    """The steps with a gate that are neither shown by the record, nor done, nor skipped with a reason."""
    if job.kind == "inspection":
        return []
    lines = worked_sheet(db, settings, now, job, instrument).lines
    return [line.operation.title for line in lines if line.gate and not line.done and line.operation.phase != "report"]

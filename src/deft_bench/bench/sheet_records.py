"""Steps that the record itself shows as done: a survey that passed its gate needs no tick."""

from deft_bench.bench.dressing import ends_done
from deft_bench.bench.refret_progress import refret_facts
from deft_bench.bench.setup.readings import setup_facts
from deft_bench.bench.survey_results import facts_of, moved_since_read, survey_results
from deft_bench.core.refret import ENDS_ASKED, ends_ready
from deft_bench.core.shop_settings import ShopSettings
from deft_bench.core.strings.setup_job import setup_steps
from deft_bench.core.work.catalogue import Catalogue
from deft_bench.store import acts, instruments, jobs, seating, surveys
from deft_bench.store.database import Connection


def family(job: jobs.Job) -> str:
    """By which of `SHOWN_BY` a job's record shows steps."""
    return "setup" if job.kind == "setup" else "fretwork"


def proved_steps(
    db: Connection, settings: ShopSettings, job: jobs.Job, instrument: instruments.Instrument, book: Catalogue
) -> set[str]:
    """Operations that readings, plans and ticks elsewhere prove."""
    if job.kind == "setup":
        facts = setup_facts(db, settings, job, instrument)
        shown = {step.code for step in setup_steps(facts) if step.state == "done"}
    else:
        shown = _levelled(db, settings, job, instrument)
        if job.kind == "refret":
            shown |= _refretted(db, settings, job, instrument)
    return {code for code, operation in book.operations.items() if operation.shown_by.get(family(job)) in shown}


def _refretted(db: Connection, settings: ShopSettings, job: jobs.Job, instrument: instruments.Instrument) -> set[str]:
    facts = refret_facts(db, settings, job, instrument)
    proofs = {
        "slot_depth": facts.depth is not None and facts.depth.passes,
        "wire_cut": facts.frets > 0 and facts.cut >= facts.frets,
        "seating": facts.seat is not None and facts.seat.passes,
        "bow_after": facts.fitted and facts.bow_after_mm is not None,
    }
    return {name for name, proved in proofs.items() if proved}


def _levelled(db: Connection, settings: ShopSettings, job: jobs.Job, instrument: instruments.Instrument) -> set[str]:
    facts = facts_of(db, settings, job, instrument)
    done = acts.of_instrument(db, instrument.id)
    bows = [
        survey_results(db, settings, survey, instrument).figures.straight
        for survey in surveys.of_job(db, job.id)
        if survey.head.kind == "straightness" and moved_since_read(db, survey, frozenset({"rod"}), done) is None
    ]
    all_read = facts.surveyed and facts.read >= facts.places
    proofs = {
        "heights": all_read,
        "heights_in_force": all_read and not (facts.stale and facts.plan_kind is None),
        "nut_out": job.nut in ("out", "protected"),
        "bow": bool(bows) and bows[-1] is not None and bows[-1].frets_can_be_judged,
        "reseating": bool(seating.in_force(db, job.id)),
        "fret_ends": ends_ready(ends_done(db, job)) >= ENDS_ASKED,
        "level_done": facts.plan_kind == "level" and facts.plan_done,
        "planned_shape": facts.gate_passes,
    }
    return {name for name, proved in proofs.items() if proved}

"""Steps that the record itself shows as done: a survey that passed its gate needs no tick."""

from deft_bench.bench.refret_progress import refret_facts
from deft_bench.bench.setup_readings import setup_facts
from deft_bench.bench.survey_results import facts_of, moved_since_read, survey_results
from deft_bench.core.refret import END_STEPS, SIDES
from deft_bench.core.shop_settings import ShopSettings
from deft_bench.core.strings.setup_job import setup_steps
from deft_bench.store import acts, instruments, jobs, order_ticks, surveys
from deft_bench.store.database import Connection

SETUP = {
    "intake": ("before_survey",),
    "relief": ("relief",),
    "nut": ("nut_depth",),
    "saddle": ("action", "relief_again"),
    "intonation": ("intonation",),
    "buzz": ("play", "after_survey"),
    "after": ("report",),
}


def proved_steps(db: Connection, settings: ShopSettings, job: jobs.Job, instrument: instruments.Instrument) -> set[str]:
    """Operations that readings, plans and ticks elsewhere prove."""
    if job.kind == "setup":
        passed = (step.code for step in setup_steps(setup_facts(db, settings, job, instrument)) if step.state == "done")
        return {code for step in passed for code in SETUP.get(step, ())}
    found = _levelled(db, settings, job, instrument)
    if job.kind == "refret":
        facts = refret_facts(db, settings, job, instrument)
        proofs = {
            "slot_depth": facts.depth is not None and facts.depth.passes,
            "overbend_cut": facts.frets > 0 and facts.cut >= facts.frets,
            "seat": facts.seat is not None and facts.seat.passes,
            "straight_after": facts.fitted and facts.bow_after_mm is not None,
        }
        found |= {code for code, proved in proofs.items() if proved}
    return found


def _levelled(db: Connection, settings: ShopSettings, job: jobs.Job, instrument: instruments.Instrument) -> set[str]:
    facts = facts_of(db, settings, job, instrument)
    done = acts.of_instrument(db, instrument.id)
    bows = [
        survey_results(db, settings, one, instrument).figures.straight
        for one in surveys.of_job(db, job.id)
        if one.head.kind == "straightness" and moved_since_read(db, one, frozenset({"rod"}), done) is None
    ]
    ends = sum(step.startswith("end ") for step in order_ticks.ticks(db, job.id))
    proofs = {
        "before_survey": facts.surveyed and facts.read >= facts.places,
        "survey": facts.surveyed and facts.read >= facts.places and not (facts.stale and facts.plan_kind is None),
        "strings_off": job.nut in ("out", "protected"),
        "straight": bool(bows) and bows[-1] is not None and bows[-1].frets_can_be_judged,
        "reseat": job.seated,
        "ends": ends >= len(END_STEPS) * len(SIDES),
        "level": facts.plan_kind == "level" and facts.plan_done,
        "resurvey": facts.gate_passes,
    }
    return {code for code, proved in proofs.items() if proved}

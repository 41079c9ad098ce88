"""Order: the steps of a level-and-dress job with their gates, and what doing one too early spoils."""

from flask import Blueprint, flash, redirect, render_template, request, url_for
from werkzeug.wrappers import Response

from deft_bench.core.refret import END_STEPS, SIDES
from deft_bench.core.run_order import MASKS, broken, level_and_dress
from deft_bench.store import instruments, jobs, order_ticks, shop, surveys
from deft_bench.web.job_now import job_steps
from deft_bench.web.support import db, here, settings, stamp
from deft_bench.web.surveyed import facts_of, surveyed

screen = Blueprint("order", __name__, template_folder="templates")

PAGES = {
    "straight": ("neck", "Neck"), "survey": ("survey", "Survey"), "after": ("survey", "Survey"), "reseat": ("seating", "Read the seating"), "ends": ("dress", "Ends"),
    "level": ("level", "Level"), "fall_away": ("level", "Level"), "crown": ("dress", "Crowns"), "scratches": ("dress", "Ladder"), "polish": ("dress", "Ladder"),
}  # fmt: skip


def _on_record(job: jobs.Job, instrument: instruments.Instrument) -> set[str]:
    """Steps that the record itself shows as done."""
    facts = facts_of(job, instrument)
    found = set()
    if facts.surveyed and facts.read >= facts.places:
        found.add("survey")
    if job.nut in ("out", "protected"):
        found.add("strings_off")
    bows = [
        surveyed(one, instrument).figures.straight
        for one in surveys.of_job(db(), job.id)
        if one.head.kind == "straightness"
    ]
    if bows and bows[-1] is not None and bows[-1].frets_can_be_judged:
        found.add("straight")
    if job.seated:
        found.add("reseat")
    if sum(step.startswith("end ") for step in order_ticks.ticks(db(), job.id)) >= len(END_STEPS) * len(SIDES):
        found.add("ends")
    if facts.plan_kind == "level" and facts.plan_done:
        found.add("level")
    if facts.gate_passes:
        found.add("after")
    return found


def _mask() -> str:
    found = settings()["mask"]
    return found if found in MASKS else "before_level"


@screen.get("/jobs/<int:job_id>/order")
def show(job_id: int) -> str:
    """Every step in order: done, now or later, with its gate and where it is measured."""
    with here():
        job = jobs.get(db(), job_id)
        instrument = instruments.get(db(), job.instrument_id)
    steps, rules = level_and_dress(_mask())
    ticked, recorded = order_ticks.ticks(db(), job_id), _on_record(job, instrument)
    done = recorded | ticked.keys()
    pages = {
        "neck": url_for("neck.show", instrument_id=instrument.id, aim="fretwork"),
        "survey": url_for("surveys.next_of", job_id=job_id),
        "seating": url_for("surveys.new", job_id=job_id, kind="seating"),
        "level": url_for("level.show", job_id=job_id),
        "dress": url_for("dress.show", job_id=job_id),
    }
    return render_template(
        "order/show.html", section="instruments", job=job, instrument=instrument, tape=job_steps(job, instrument), steps=steps, ticked=ticked,
        recorded=recorded, done=done, now=next((step.code for step in steps if step.code not in done), None), masks=MASKS, mask=_mask(),
        waits={step.code: broken(step.code, done, rules) for step in steps}, links={code: (pages[page], words) for code, (page, words) in PAGES.items()},
        titles={step.code: step.title for step in steps},
    )  # fmt: skip


@screen.post("/jobs/<int:job_id>/order")
def tick(job_id: int) -> Response:
    """Tick a step off. One whose turn has not come names what it spoils, and is taken only with a note that says why."""
    with here():
        job = jobs.get(db(), job_id)
        instrument = instruments.get(db(), job.instrument_id)
    steps, rules = level_and_dress(_mask())
    step, note = request.form.get("step", ""), request.form.get("note", "").strip()[:400]
    back = redirect(
        url_for(".show", job_id=job_id, _anchor=f"step-{step}" if step in {one.code for one in steps} else None)
    )
    if step not in {one.code for one in steps}:
        flash("That step is not part of this job.")
        return back
    ticked = order_ticks.ticks(db(), job_id)
    if step in ticked:
        order_ticks.take_back(db(), job_id, step)
        return back
    too_early = broken(step, _on_record(job, instrument) | ticked.keys(), rules)
    if too_early and not note:
        titles = {one.code: one.title for one in steps}
        flash(
            "Not ticked: "
            + "; ".join(f"“{titles[rule.before]}” comes first, or {rule.spoils}" for rule in too_early[:3])
            + ". Say why it is done now, or do that first."
        )
        return back
    order_ticks.keep(db(), job_id, step, stamp(), note)
    return back


@screen.post("/jobs/<int:job_id>/order/mask")
def mask(job_id: int) -> Response:
    """Choose the masking school; it is the shop's."""
    with here():
        jobs.get(db(), job_id)
    chosen = request.form.get("mask", "")
    if chosen in MASKS:
        shop.change(db(), {"mask": chosen})
    return redirect(url_for(".show", job_id=job_id))

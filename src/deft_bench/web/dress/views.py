"""Dress: crowning with its gate, and the polish ladder."""

from dataclasses import dataclass

from flask import Blueprint, flash, redirect, render_template, request, url_for
from werkzeug.wrappers import Response

from deft_bench.core.board.positions import fret_positions
from deft_bench.core.frets.crown import CrownMiss, crown_gate, land, wander_cents
from deft_bench.core.frets.grit_ladder import KINDS, grit_ladder, read_shelf
from deft_bench.core.limits import LAND_MM, LAND_OFF_CENTRE_MM
from deft_bench.core.refret import END_STEPS, SIDES, rest_advice
from deft_bench.store import instruments, jobs, order_ticks, polish, shop, surveys
from deft_bench.web.places import linked_steps
from deft_bench.web.support import Form, db, or_404, settings, stamp

screen = Blueprint("dress", __name__, template_folder="templates")

FINISHES = {"satin": "satin", "bright": "bright", "mirror": "mirror"}
FILE_MARK_UM = 50.0
"""What a crowning file leaves, coarser than the last levelling paper."""


@dataclass(frozen=True, slots=True)
class Crown:
    """One fret before and after crowning: land of the last level (mm), the wander on it (cents), the line and offset
    read.
    """

    fret: int
    land_mm: float
    flat_cents: float
    sharp_cents: float
    line_mm: float | None
    offset_mm: float | None


def _crowns(job: jobs.Job, instrument: instruments.Instrument) -> tuple[list[Crown], list[CrownMiss], bool]:
    """Every fret's crown, those that miss the gate, and whether all were read."""
    spec = instrument.spec
    positions = fret_positions(spec.mean_scale_mm, spec.frets)
    plan = next((one for one in reversed(jobs.plans(db(), job.id)) if one.outcome["kind"] == "level"), None)
    removed = [um / 1000 for um in plan.outcome["removed_um"]] if plan else [0.0] * spec.frets
    read: dict[str, dict[int, float]] = {"crown_line": {}, "crown_offset": {}}
    for survey in surveys.of_job(db(), job.id):
        # lines read before the last level are gone with the metal
        if survey.head.kind in read and survey.taken_at >= ((plan.done_at if plan else None) or ""):
            read[survey.head.kind] |= {
                fret: um / 1000 for (_, fret), um in surveys.values(db(), survey.id).items() if um is not None
            }
    lines, offsets = read["crown_line"], read["crown_offset"]
    found = []
    for fret, place in enumerate(positions, 1):
        flat = land(
            spec.crown_width_um / 1000, spec.fret_height_um / 1000, removed[fret - 1] if fret <= len(removed) else 0.0
        )
        low, high = wander_cents(spec.mean_scale_mm, place, flat)
        found.append(Crown(fret, flat, low, high, lines.get(fret), offsets.get(fret)))
    return found, crown_gate(lines, offsets), len(lines) == spec.frets


@screen.get("/jobs/<int:job_id>/dress")
def show(job_id: int) -> str:
    """Land and wander of every fret, the crown gate, and the ladder from the coarsest mark to the finish asked."""
    with or_404():
        job = jobs.get(db(), job_id)
        instrument = instruments.get(db(), job.instrument_id)
    form = Form(request.args)
    crowns, misses, all_read = _crowns(job, instrument)
    finish = request.args.get("finish", "bright")
    start = form.number("start", 0.5, 500, optional=True) or FILE_MARK_UM
    shelf = settings().abrasives
    try:
        ladder = grit_ladder(start, finish if finish in FINISHES else "bright", read_shelf(shelf))
        problem = ""
    except ValueError as error:
        ladder, problem = None, str(error)
    climate = shop.latest_climate(db())
    return render_template(
        "dress/show.html",
        section="instruments",
        job=job,
        instrument=instrument,
        steps=linked_steps(job, instrument),
        crowns=crowns,
        misses=misses,
        all_read=all_read,
        widest=max(crowns, key=lambda crown: crown.land_mm),
        line_mm=LAND_MM,
        offset_mm=LAND_OFF_CENTRE_MM,
        ladder=ladder,
        problem=problem,
        finish=finish,
        finishes=FINISHES,
        start=f"{start:g}",
        shelf=shelf,
        kinds=KINDS,
        errors=form.errors,
        ticked=polish.done(db(), job_id),
        ends=_ends_done(job_id),
        end_steps=END_STEPS,
        sides=SIDES,
        rest=rest_advice(climate[2] if climate else None),
        sprout=_sprout(instrument),
    )


def _ends_done(job_id: int) -> set[str]:
    """End work that is ticked off, as "step side"."""
    return {step.removeprefix("end ") for step in order_ticks.ticks(db(), job_id) if step.startswith("end ")}


def _sprout(instrument: instruments.Instrument) -> tuple[str, float] | None:
    """When sprout was last read, and the most of it in mm."""
    for survey in surveys.of_instrument(db(), instrument.id, "sprout", 3):
        read = [um for um in surveys.values(db(), survey.id).values() if um is not None]
        if read:
            return survey.taken_at, max(read) / 1000
    return None


@screen.post("/jobs/<int:job_id>/dress/ends")
def ends(job_id: int) -> Response:
    """Tick end work off, step and side, or take it back; all six are the order's step."""
    with or_404():
        jobs.get(db(), job_id)
    which = request.form.get("end", "")
    if which in {f"{step} {side}" for step in END_STEPS for side in SIDES}:
        if which in _ends_done(job_id):
            order_ticks.take_back(db(), job_id, f"end {which}")
        else:
            order_ticks.keep(db(), job_id, f"end {which}", stamp(), "")
    return redirect(url_for(".show", job_id=job_id, _anchor="ends"))


@screen.post("/jobs/<int:job_id>/dress/tick")
def tick(job_id: int) -> Response:
    """Tick one abrasive off across all frets, or take it back."""
    with or_404():
        jobs.get(db(), job_id)
    kind, _, grit = request.form.get("step", "").partition(" ")
    try:
        known = read_shelf(f"{kind} {grit}")
    except ValueError as error:
        flash(f"Not ticked: {error}.")
    else:
        if known:
            polish.toggle(db(), job_id, kind, known[0].grit, stamp())
    if request.form.get("back") == "sheet":
        return redirect(url_for("sheet.show", job_id=job_id))
    return redirect(_back(job_id))


@screen.post("/jobs/<int:job_id>/dress/shelf")
def shelf(job_id: int) -> Response:
    """The abrasives on hand: a setting of the shop, changed where it is used."""
    with or_404():
        jobs.get(db(), job_id)
    text = request.form.get("abrasives", "").strip()[:2000]
    try:
        if not read_shelf(text):
            raise ValueError("give at least one abrasive")
    except ValueError as error:
        flash(f"The shelf was not changed: {error}.")
    else:
        shop.change(db(), {"abrasives": text})
        flash("The shelf is kept.")
    return redirect(_back(job_id))


def _back(job_id: int) -> str:
    """The page with the choices that it had."""
    kept = {name: request.form[name] for name in ("finish", "start") if request.form.get(name)}
    return url_for(".show", job_id=job_id, _anchor="polish", **kept)  # type: ignore[arg-type]

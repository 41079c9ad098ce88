"""Dress: crowning with its gate, and the polish ladder."""

from flask import Blueprint, flash, redirect, render_template, request, url_for
from werkzeug.wrappers import Response

from deft_bench.bench.dressing import crowns_of, ends_done, last_sprout, toggle_end
from deft_bench.core.frets.grit_ladder import KINDS, SIZES_UM, grit_ladder, read_shelf
from deft_bench.core.limits import LAND_MM, LAND_OFF_CENTRE_MM
from deft_bench.core.refret import END_STEPS, SIDES, rest_advice
from deft_bench.store import polish, shop
from deft_bench.web.places import linked_steps
from deft_bench.web.support import Form, db, job_or_404, now, settings, stamp

screen = Blueprint("dress", __name__, template_folder="templates")

FINISHES = {"satin": "satin", "bright": "bright", "mirror": "mirror"}
FILE_MARK_UM = 50.0
"""What a crowning file leaves, coarser than the last levelling paper."""


@screen.get("/jobs/<int:job_id>/dress")
def show(job_id: int) -> str:
    """Land and wander of every fret, the crown gate, and the ladder from the coarsest mark to the finish asked."""
    job, instrument = job_or_404(job_id)
    form = Form(request.args)
    dressed = crowns_of(db(), job, instrument)
    finish = request.args.get("finish", "bright")
    start = form.number("start", 0.5, 500, optional=True) or FILE_MARK_UM
    ladder, on_hand, problem = None, [], ""
    try:
        on_hand = settings().shelf()
        ladder = grit_ladder(start, finish if finish in FINISHES else "bright", on_hand)
    except ValueError as error:
        problem = str(error)
    climate = shop.latest_climate(db())
    return render_template(
        "dress/show.html",
        section="instruments",
        job=job,
        instrument=instrument,
        steps=linked_steps(job, instrument),
        crowns=dressed.crowns,
        misses=dressed.misses,
        all_read=dressed.all_read,
        widest=dressed.widest,
        line_mm=LAND_MM,
        offset_mm=LAND_OFF_CENTRE_MM,
        ladder=ladder,
        problem=problem,
        finish=finish,
        finishes=FINISHES,
        start=f"{start:g}",
        kinds=KINDS,
        grades={
            kind: {grit: f"{'0' * grit}" if kind == "wool" else str(grit) for grit in sizes}
            for kind, sizes in SIZES_UM.items()
        },
        on_hand={(one.kind, one.grit) for one in on_hand},
        compounds=", ".join(f"{one.grit:g}" for one in on_hand if one.kind == "compound"),
        errors=form.errors,
        ticked=polish.done(db(), job_id),
        ends=ends_done(db(), job),
        end_steps=END_STEPS,
        sides=SIDES,
        rest=rest_advice(climate[2] if climate else None),
        sprout=last_sprout(db(), instrument),
    )


@screen.post("/jobs/<int:job_id>/dress/ends")
def ends(job_id: int) -> Response:
    """Tick end work off, step and side, or take it back; all six are the order's step."""
    job, _ = job_or_404(job_id)
    toggle_end(db(), now(), job, request.form.get("end", ""))
    return redirect(url_for(".show", job_id=job_id, _anchor="ends"))


@screen.post("/jobs/<int:job_id>/dress/tick")
def tick(job_id: int) -> Response:
    """Tick one abrasive off across all frets, or take it back."""
    job_or_404(job_id)
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
    job_or_404(job_id)
    compounds = [f"compound {size.strip()}" for size in request.form.get("compounds", "").split(",") if size.strip()]
    text = ", ".join([*request.form.getlist("on_hand"), *compounds])[:2000]
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

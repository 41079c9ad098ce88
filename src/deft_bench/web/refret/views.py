"""Refret: what goes in, the gates on the way, the holder and the cutting plan, seating and ends."""

from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any

from flask import Blueprint, flash, make_response, redirect, render_template, request, url_for
from werkzeug.wrappers import Response

from deft_bench.bench.refret_progress import (
    cutting_of,
    latest_values,
    refret_facts,
    refret_plan,
    tightest_radius,
)
from deft_bench.core.calls import frets_named, listed
from deft_bench.core.frets.cut_list import CutListError
from deft_bench.core.frets.wire import read_pieces, wire_call, write_pieces
from deft_bench.core.refret import (
    CHOICES,
    END_STEPS,
    LENGTHS,
    SIDES,
    RefretPlan,
    refret_now,
    refret_problems,
    rest_advice,
    slot_needs,
)
from deft_bench.core.work.stock import after_cutting
from deft_bench.store import instruments, jobs, refrets, shop, surveys
from deft_bench.web.drawing.history import relief_chart
from deft_bench.web.drawing.neck_drawing import neck_drawing
from deft_bench.web.errors import wants_json
from deft_bench.web.places import linked_steps
from deft_bench.web.support import Form, db, display, or_404, settings, stamp

screen = Blueprint("refret", __name__, template_folder="templates")

TEXTS = ("wire", "tool", "support")


@dataclass(frozen=True, slots=True)
class RefretForm:
    """A form as read: every box as it shows, and the refret when nothing is wrong."""

    values: dict[str, str]
    errors: dict[str, str]
    plan: RefretPlan | None


def _of(job_id: int) -> tuple[jobs.Job, instruments.Instrument]:
    with or_404():
        job = jobs.get(db(), job_id)
        return job, instruments.get(db(), job.instrument_id)


def _values(plan: RefretPlan) -> dict[str, str]:
    shown = display()
    values = {name: shown.entry(getattr(plan, name)) for name in LENGTHS}
    values |= {name: getattr(plan, name) for name in (*TEXTS, *CHOICES)}
    values["frets"] = _spans(plan.frets)
    values["bevel_deg"] = str(plan.bevel_deg)
    values["pieces_um"] = write_pieces(plan.pieces_um, shown.entry)
    values["obstructions"] = "\n".join(f"{fret}: {note}" for fret, note in plan.obstructions)
    if plan.nibs_said:
        values["nibs_said"] = "1"
    return values


def _spans(frets: tuple[int, ...]) -> str:
    return listed(list(frets)).replace(" and ", ", ").replace(" to ", "-")


def _read(sent: Mapping[str, str], plan: RefretPlan, instrument: instruments.Instrument) -> RefretForm:
    values = {name: text for name, text in _values(plan).items() if name != "nibs_said"} | dict(sent)
    form = Form(values)
    fields: dict[str, Any] = {name: form.length(name) for name in LENGTHS}
    fields |= {name: form.text(name) for name in (*TEXTS, *CHOICES)}
    fields["bevel_deg"] = form.count("bevel_deg", 5, 60)
    fields["frets"] = form.frets("frets", instrument.spec.frets)
    fields["pieces_um"] = _pieces(form)
    fields["obstructions"] = _notes(form)
    fields["nibs_said"] = "nibs_said" in sent
    if form.errors:
        return RefretForm(values, form.errors, None)
    made = replace(plan, **fields)
    form.errors |= refret_problems(made, instrument.spec, form.shown)
    return RefretForm(values, form.errors, None if form.errors else made)


def _pieces(form: Form) -> tuple[int, ...]:
    try:
        return read_pieces(form.text("pieces_um", lines=True), form.shown.system)
    except ValueError as error:
        form.errors["pieces_um"] = str(error)
        return ()


def _notes(form: Form) -> tuple[tuple[int, str], ...]:
    found = []
    for line in form.text("obstructions", lines=True).splitlines():
        if not line.strip():
            continue
        fret, colon, note = line.partition(":")
        if (
            not colon
            or not fret.strip().isascii()
            or not fret.strip().isdigit()
            or len(fret.strip()) > 2
            or not note.strip()
        ):
            form.errors["obstructions"] = (
                f"“{line.strip()[:30]}” is not understood: one line a fret, “7: knot in the slot”."
            )
            return ()
        found.append((int(fret), note.strip()))
    return tuple(found)


@screen.route("/jobs/<int:job_id>/refret", methods=["GET", "POST"])
def show(job_id: int) -> str | Response | tuple[str, int]:
    """The refret; sending its form saves it whole, or nothing when a box is refused. `?wire=` fills the boxes from
    stock.
    """
    job, instrument = _of(job_id)
    plan, _ = refret_plan(db(), job, instrument)
    if request.method == "POST":
        read = _read({name: text for name, text in request.form.items() if name != "csrf_token"}, plan, instrument)
        if read.plan is None:
            return _page(job, instrument, plan, read.values, read.errors), 422
        wanted = read.plan
        before = refrets.plan_of(db(), job_id)
        # ticks made meanwhile in another window stay
        after = refrets.change(
            db(), job_id, wanted, lambda now: replace(wanted, cut=now.cut, ends_done=now.ends_done), stamp()
        )
        if "stock" in request.form:
            _keep_wire(read.plan)
            flash("Saved, and the wire is in stock under its name.")
        else:
            flash("Saved; what it was before is kept." if after != before else "Nothing was changed.")
        return redirect(url_for(".show", job_id=job_id))
    picked = next((wire for wire in refrets.wires(db()) if wire.id == request.args.get("wire", 0, type=int)), None)
    if picked is not None:
        plan = replace(
            plan,
            wire=picked.name,
            crown_width_um=picked.crown_width_um,
            fret_height_um=picked.fret_height_um,
            tang_depth_um=picked.tang_depth_um,
            tang_width_um=picked.tang_width_um,
            barb_width_um=picked.barb_width_um,
            wire_radius_um=picked.radius_um or 5_000_000,
            pieces_um=picked.pieces_um,
        )
    return _page(job, instrument, plan, _values(plan), {}, picked=picked)


def _keep_wire(plan: RefretPlan) -> None:
    sizes = plan.crown_width_um, plan.fret_height_um, plan.tang_depth_um, plan.tang_width_um, plan.barb_width_um
    counted = [(um, plan.pieces_um.count(um)) for um in sorted(set(plan.pieces_um), reverse=True)]
    refrets.add_wire(db(), plan.wire or "Unnamed wire", sizes, plan.wire_radius_um, counted, stamp())


@screen.post("/jobs/<int:job_id>/refret/preview")
def preview(job_id: int) -> Response:
    """The wire call and the cutting plan with the numbers as they stand in the boxes; nothing is saved."""
    job, instrument = _of(job_id)
    plan, _ = refret_plan(db(), job, instrument)
    read = _read({name: text for name, text in request.form.items() if name != "csrf_token"}, plan, instrument)
    words = {
        name: read.errors.get(name, "")
        for name in (*LENGTHS, *TEXTS, *CHOICES, "frets", "bevel_deg", "pieces_um", "obstructions")
    }
    words = {name: text for name, text in words.items() if name in request.form or name in read.errors}
    if read.plan is None:
        answer = make_response(
            render_template("shared/words.html", words=words, elsewhere=[], state="refused", what="refret")
        )
        answer.headers["HX-Reswap"] = "none"
        return answer
    state = "saved" if read.plan == plan else "unsaved"
    panel = render_template("refret/live.html", **_live(job, instrument, read.plan))
    return make_response(
        panel + render_template("shared/words.html", words=words, elsewhere=[], state=state, what="refret")
    )


def _live(job: jobs.Job, instrument: instruments.Instrument, plan: RefretPlan) -> dict[str, Any]:
    """What follows the boxes: how the wire fits, and the holder with its cutting plan."""
    shown = display()
    fit, call = wire_call(
        plan.slot_um / 1000,
        plan.tang_width_um / 1000,
        plan.barb_width_um / 1000,
        plan.wire_radius_um / 1000,
        tightest_radius(instrument),
        shown.fine_mm,
        lambda mm: shown.long(round(mm * 1000)),
    )
    cutting, problem = cutting_of(db(), instrument, plan)
    return {
        "job": job,
        "instrument": instrument,
        "plan": plan,
        "fit": fit,
        "wire_call": call,
        "cutting": cutting,
        "cut_problem": problem,
    }


def _page(
    job: jobs.Job,
    instrument: instruments.Instrument,
    plan: RefretPlan,
    values: Mapping[str, Any],
    errors: dict[str, str],
    picked: refrets.Wire | None = None,
) -> str:
    facts = refret_facts(db(), settings(), job, instrument)
    code, say = refret_now(facts, display().fine_mm)
    depth, seat = latest_values(db(), job, "slot_depth"), latest_values(db(), job, "seating")
    marks = {fret: {"lift"} for fret in plan.frets} if len(plan.frets) < instrument.spec.frets else {}
    off: dict[str, list[float | None]] = {}
    if seat:
        off = {
            lane: [_mm(seat[1].get((lane, fret))) for fret in range(1, instrument.spec.frets + 1)]
            for lane in ("bass", "middle", "treble")
        }
    climate = shop.latest_climate(db())
    sprouts = [
        (one.taken_at, max(read) / 1000, one.head.humidity)
        for one in reversed(surveys.of_instrument(db(), instrument.id, "sprout", 40))
        if (read := [um for um in surveys.values(db(), one.id).values() if um is not None])
    ]
    return render_template(
        "refret/show.html",
        section="instruments",
        values=values,
        errors=errors,
        steps=linked_steps(job, instrument),
        at_step=code,
        say=say,
        facts=facts,
        choices=CHOICES,
        end_steps=END_STEPS,
        sides=SIDES,
        wires=refrets.wires(db()),
        picked=picked,
        depth_survey=depth[0] if depth else None,
        seat_survey=seat[0] if seat else None,
        fitted=refrets.fitted(db(), job.id),
        rest=rest_advice(climate[2] if climate else None),
        sprouts=sprouts,
        sprout_chart=relief_chart(sprouts, display(), least_mm=0.1),
        neck=neck_drawing(
            instrument.spec, display(), nut_side=settings().nut_side, off_mm=off, marks=marks, rock_mm=0.03
        ),
        frets_said=frets_named(list(plan.frets)) if len(plan.frets) < instrument.spec.frets else "all frets",
        needs=slot_needs(plan.tang_depth_um, plan.gap_um),
        **_live(job, instrument, plan),
    )


def _mm(um: int | None) -> float | None:
    return None if um is None else um / 1000


@screen.post("/jobs/<int:job_id>/refret/cut")
def cut(job_id: int) -> Response | tuple[Response, int]:
    """Tick one blank off as cut and in the holder, or take the tick back."""
    job, instrument = _of(job_id)
    plan, _ = refret_plan(db(), job, instrument)
    fret = request.form.get("fret", 0, type=int)
    if fret not in plan.frets:
        flash("That fret is not part of this refret.")
    else:
        plan = refrets.change(
            db(), job_id, plan, lambda now: replace(now, cut=tuple(sorted(set(now.cut) ^ {fret}))), stamp()
        )
    if wants_json():
        return make_response({"ticked": fret in plan.cut, "done": len(plan.cut)})
    return redirect(url_for(".show", job_id=job_id, _anchor="holder"))


@screen.post("/jobs/<int:job_id>/refret/ends")
def ends(job_id: int) -> Response:
    """Tick end work off, step and side, or take it back."""
    job, instrument = _of(job_id)
    plan, _ = refret_plan(db(), job, instrument)
    which = request.form.get("end", "")
    if which in {f"{step} {side}" for step in END_STEPS for side in SIDES}:
        refrets.change(
            db(), job_id, plan, lambda now: replace(now, ends_done=tuple(sorted(set(now.ends_done) ^ {which}))), stamp()
        )
    return redirect(url_for(".show", job_id=job_id, _anchor="ends"))


@screen.post("/jobs/<int:job_id>/refret/fitted")
def fitted(job_id: int) -> Response:
    """Record that the frets are in: their metal budget starts here, and a whole refret's wire becomes the
    instrument's.
    """
    job, instrument = _of(job_id)
    plan, saved = refret_plan(db(), job, instrument)
    if not saved:
        flash("Save the refret first: the wire that goes in is part of the record.")
        return redirect(url_for(".show", job_id=job_id))
    if plan.nibs != "none" and not plan.nibs_said:
        flash("Say to the owner what becomes of the nibs first, and tick that it was said.")
        return redirect(url_for(".show", job_id=job_id, _anchor="numbers"))
    refrets.fit(db(), job_id, instrument.id, plan, stamp())
    flash(
        f"The frets are recorded as fitted. Look for daylight under every crown.{_take_wire(job_id, instrument, plan)}"
    )
    return redirect(url_for("surveys.new", job_id=job_id, kind="seating"))


def _take_wire(job_id: int, instrument: instruments.Instrument, plan: RefretPlan) -> str:
    """Take the pieces that were cut up from stock and keep the offcuts that make a fret; says what it did."""
    item = refrets.wire_item(db(), plan.wire)
    cutting, _ = cutting_of(db(), instrument, plan)
    if item is None or cutting is None:
        return ""
    longest = max(round(blank.crown_mm * 1000) for blank in cutting.blanks)
    try:
        used, offcuts, _left = after_cutting(item.pieces_um, cutting, longest)
    except CutListError as error:
        return f" The stock is not changed: {error}."
    if not refrets.cut_from_stock(db(), job_id, plan, used, offcuts, stamp()):
        return ""
    kept = f", {len(offcuts)} offcut{'s' if len(offcuts) > 1 else ''} kept" if offcuts else ""
    return f" {len(used)} piece{'s' if len(used) > 1 else ''} of wire left the stock{kept}."

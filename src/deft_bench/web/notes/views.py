"""Pins: a photograph and a line of text where the flaw is."""

from typing import Any

from flask import Blueprint, flash, make_response, redirect, render_template, request, url_for
from werkzeug.wrappers import Response

from deft_bench.core.frets.heights import LANES
from deft_bench.formats.photograph import MOST_BYTES, PhotographError, reencode
from deft_bench.store import jobs, notes
from deft_bench.web.support import Form, db, instrument_or_404, or_404, page_of_ours, stamp

screen = Blueprint("notes", __name__, template_folder="templates")


def _back(instrument_id: int) -> str:
    """Where the pin was started from, if that is a page of ours."""
    asked = page_of_ours(request.values.get("back", ""))
    return asked or url_for("instruments.show", instrument_id=instrument_id)


@screen.route("/instruments/<int:instrument_id>/notes/new", methods=["GET", "POST"])
def new(instrument_id: int) -> str | Response | tuple[str, int]:
    """Pin a note, with a photograph or without, to a fret and lane."""
    instrument = instrument_or_404(instrument_id)
    values: dict[str, Any] = {
        "fret": request.values.get("fret", "1"),
        "lane": request.values.get("lane", "middle"),
        "note": request.form.get("note", ""),
    }
    form = Form()
    if request.method == "POST":
        fret = form.count("fret", 0, instrument.spec.frets)
        lane, note = form.text("lane"), form.text("note", lines=True)
        if lane not in LANES:
            form.errors["lane"] = f"Choose one of: {', '.join(LANES)}."
        if not 1 <= len(note) <= 1000:
            form.errors["note"] = "Say in 1 to 1000 characters what is there."
        photo = None
        upload = request.files.get("photo")
        if upload is not None and upload.filename:
            try:
                photo = notes.Photo(*reencode(upload.read(MOST_BYTES + 1)))
            except PhotographError as error:
                form.errors["photo"] = str(error)
        if not form.errors and fret is not None:
            job = jobs.open_of(db(), [instrument_id]).get(instrument_id)
            notes.add(db(), instrument_id, job.id if job else None, fret, lane, note, photo, stamp())
            flash(f"Pinned to fret {fret}, {lane}.")
            return redirect(_back(instrument_id))
    page = render_template(
        "notes/new.html",
        section="instruments",
        instrument=instrument,
        values=values,
        errors=form.errors,
        lanes={lane: lane for lane in LANES},
        back=_back(instrument_id),
    )
    return (page, 422) if form.errors else page


@screen.post("/instruments/<int:instrument_id>/notes/<int:note_id>/settle")
def settle(instrument_id: int, note_id: int) -> Response:
    """Mark a flaw as dealt with, or open it again; the note stays."""
    with or_404():
        found = {note.id: note for note in notes.of_instrument(db(), instrument_id)}[note_id]
    notes.settle(db(), note_id, None if found.settled_at else stamp())
    return redirect(url_for("instruments.show", instrument_id=instrument_id, _anchor="notes"))


@screen.get("/photos/<int:photo_id>.jpg")
def photo(photo_id: int) -> Response:
    """A pinned photograph."""
    with or_404():
        found = notes.photo(db(), photo_id)
    response = make_response(found.jpeg)
    response.headers["Content-Type"] = "image/jpeg"
    response.headers["Cache-Control"] = "private, max-age=31536000, immutable"
    return response

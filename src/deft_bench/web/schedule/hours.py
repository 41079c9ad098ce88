"""Who works when, days off, fixtures and dry windows."""

from flask import flash, redirect, render_template, request, url_for
from werkzeug.wrappers import Response

from deft_bench.core.work.schedule.bench import WEEKDAYS
from deft_bench.store import schedules
from deft_bench.web.numbered import shown_rows
from deft_bench.web.schedule.hours_form import MOST_TECHNICIANS, boxes_of, read_hours
from deft_bench.web.schedule.screen import screen
from deft_bench.web.support import db, stamp

USUAL_SHIFTS, MOST_SHIFTS = 2, 4


@screen.route("/schedule/hours", methods=["GET", "POST"])
def hours() -> str | tuple[str, int] | Response:
    """Who works when, days off, fixtures, dry windows; a box that cannot be meant is named and nothing is lost."""
    stored, errors = schedules.hours(db()), dict[str, str]()
    values: dict[str, str] = {}
    more = request.form.get("more", type=int)
    if request.method == "POST":
        values = {name: text for name, text in request.form.items() if name not in ("csrf_token", "more")}
    if request.method == "POST" and more is None:
        read = read_hours(values, errors)
        if read is not None:
            schedules.save_hours(db(), read, stamp())
            flash("Saved; the hours before are kept. Re-plan to see what they do.")
            return redirect(url_for(".show"))
    elif request.method == "GET":
        values = boxes_of(stored)
    rows = min(
        MOST_TECHNICIANS,
        max(len(stored.technicians), sum(name.startswith("name") and bool(text) for name, text in values.items())) + 1,
    )
    html = render_template(
        "schedule/hours.html",
        section="schedule",
        values=values,
        errors=errors,
        rows=rows,
        weekdays=WEEKDAYS,
        rows_of=lambda name, least: shown_rows(values, name, least),
        shifts_of=lambda i: max(shown_rows(values, f"{day}{i}", USUAL_SHIFTS, int(i == more)) for day in WEEKDAYS),
        most_shifts=MOST_SHIFTS,
    )
    return (html, 422) if errors else html

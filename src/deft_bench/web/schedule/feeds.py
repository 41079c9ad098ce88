"""The schedule in force for other programs: a calendar, and JSON."""

from datetime import date

from flask import Response as FlaskResponse
from flask import jsonify, make_response

from deft_bench.bench.scheduling import week_now
from deft_bench.bench.sheet_state import catalogue
from deft_bench.core.times import moment
from deft_bench.formats.calc.schedule import placed_fields
from deft_bench.web.schedule.screen import names_of, screen, title_of
from deft_bench.web.support import db, now


@screen.get("/schedule.ics")
def calendar() -> FlaskResponse:
    """The schedule in force as an iCalendar file; the address is also a feed for a calendar on this machine or
    network.
    """
    from deft_bench.formats.calendar import write_calendar

    week = week_now(db(), now())
    names = names_of(week.opened) if week else {}
    book, _ = catalogue(db())
    placed = week.saved.placed if week else ()
    promised = {
        code: date.fromisoformat(job.promised_on)
        for code, job in (week.opened if week else {}).items()
        if job.promised_on
    }
    steps = {(step.job, step.step): title_of(book, step.step) for step in placed}
    answer = make_response(
        write_calendar(placed, names, steps, promised, moment(week.saved.made_at) if week else now())
    )
    answer.headers["Content-Type"] = "text/calendar; charset=utf-8"
    answer.headers["Content-Disposition"] = "inline; filename=deft-bench.ics"
    return answer


@screen.get("/schedule.json")
def data() -> FlaskResponse:
    """The schedule in force as JSON."""
    week = week_now(db(), now())
    if week is None:
        return jsonify({"made_at": None, "placed": []})
    return jsonify(
        {
            "made_at": week.saved.made_at,
            "stale": week.stale,
            **week.saved.outcome,
            "placed": [placed_fields(step) for step in week.saved.placed],
        }
    )

"""Schedule: rails of days, and promises at risk with the reason."""

from dateutil import tz
from flask import render_template, request

from deft_bench.bench.scheduling import promise_lines, resting_now, week_now
from deft_bench.bench.sheet_state import catalogue
from deft_bench.store import schedules
from deft_bench.web.drawing.rails import Names, draw_rails
from deft_bench.web.schedule.screen import names_of, screen, title_of
from deft_bench.web.support import db, now

DAYS, ALL_DAYS = 14, 120
WEIGHTS = {1: "usual", 3: "firm", 9: "must not slip"}


@screen.get("/schedule")
def show() -> str:
    """The schedule in force as rails; `?at=job.step` shows one step with its pin."""
    week, hours = week_now(db(), now()), schedules.hours(db())
    if week is None:
        return render_template("schedule/show.html", section="schedule", week=None, rails=None, hours=hours, lines=[])
    zone, names, (book, _) = tz.tzlocal(), names_of(week.opened), catalogue(db())
    resting = [(code, timer.step, timer.ends_at, timer.holds) for code, timer in resting_now(db(), now(), week.opened)]
    there = [(placed.job, placed.step) for placed in week.saved.placed] + [(job, step) for job, step, _, _ in resting]
    steps = {key: title_of(book, key[1]) for key in there}
    holds = {key: book.operations[key[1]].holds for key in there if key[1] in book.operations}
    pins = {(str(pin.job_id), pin.step): pin for pin in schedules.pins(db())}
    lines = promise_lines(week, names)
    letters = {str(line.job.id): _letter(i) for i, line in enumerate(lines)}
    rails = draw_rails(
        week.ahead(now()),
        hours.technicians,
        Names(names, steps, holds, letters),
        late=week.saved.outcome["days_late"],
        pinned=set(pins),
        now=now(),
        zone=zone,
        days=ALL_DAYS if "all" in request.args else DAYS,
        resting=resting,
        waits="waits" in request.args,
    )
    job, _, step = request.args.get("at", "").partition(".")
    at = next((placed for placed in week.saved.placed if (placed.job, placed.step) == (job, step)), None)
    last = max((placed.end for placed in week.saved.placed), default=now())
    return render_template(
        "schedule/show.html",
        section="schedule",
        week=week,
        rails=rails,
        hours=hours,
        lines=lines,
        letters=letters,
        names=names,
        at=at,
        at_title=steps.get((job, step), ""),
        at_pin=pins.get((job, step)),
        pins=pins,
        steps=steps,
        weights=WEIGHTS,
        zone=zone,
        now=now(),
        aims={aim["name"]: aim for aim in week.saved.outcome["aims"]},
        more=(last.astimezone(zone).date() - now().astimezone(zone).date()).days >= DAYS,
    )


def _letter(i: int) -> str:
    """A, B … Z, AA: numbers would be taken for those of the instruments."""
    return f"{_letter(i // 26 - 1) if i >= 26 else ''}{chr(ord('A') + i % 26)}"

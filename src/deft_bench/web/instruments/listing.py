"""The list of instruments: find as you type, a page at a time; and as open data."""

from collections.abc import Sequence
from dataclasses import dataclass

from flask import jsonify, render_template, request
from werkzeug.wrappers import Response

from deft_bench.bench.setup.readings import last_setup
from deft_bench.bench.survey_results import SurveyResults, latest
from deft_bench.core.jobs import JOB_KINDS
from deft_bench.core.strings.setup_job import SetupReadings
from deft_bench.store import instruments, jobs
from deft_bench.web.drawing.mini import Mini, mini
from deft_bench.web.instruments.screen import screen
from deft_bench.web.support import db, rock_mm, settings

PAGE = 12


@dataclass(frozen=True, slots=True)
class Row:
    """One line of the list."""

    instrument: instruments.Instrument
    neck: Mini
    heights: SurveyResults | None
    relief: SurveyResults | None
    setup: SetupReadings
    job: jobs.Job | None


def _rows(found: Sequence[instruments.Instrument]) -> list[Row]:
    opened = jobs.open_of(db(), [instrument.id for instrument in found])
    rows = []
    for instrument in found:
        heights = latest(db(), settings(), instrument, "fret_heights")
        neck = mini(instrument.spec, heights.figures.off_mm if heights else {}, rock_mm())
        rows.append(
            Row(
                instrument,
                neck,
                heights,
                latest(db(), settings(), instrument, "straightness"),
                last_setup(db(), settings(), instrument),
                opened.get(instrument.id),
            )
        )
    return rows


@screen.get("/instruments")
def listing() -> str:
    """The list: find as you type, a page at a time."""
    query = request.args.get("q", "").strip()[:80]
    retired = "retired" in request.args
    after = request.args.get("after", ""), request.args.get("id", 0, type=int)
    if query:
        found = instruments.find(db(), query, PAGE + 1, retired)
    else:
        found = instruments.page(db(), after if after[0] else None, PAGE + 1, retired)
    more = found[PAGE - 1] if len(found) > PAGE and not query else None
    shown = {
        "rows": _rows(found[:PAGE]),
        "query": query,
        "retired": retired,
        "more": more,
        "full": len(found) > PAGE,
        "job_kinds": JOB_KINDS,
    }
    partial = request.headers.get("HX-Target") == "rows"
    return render_template(f"instruments/{'rows' if partial else 'list'}.html", section="instruments", **shown)


@screen.get("/instruments.json")
def listing_json() -> Response:
    """The list as open data: the same find, up to 200 at a time."""
    found = instruments.find(db(), request.args.get("q", "")[:80], 200, "retired" in request.args)
    return jsonify(
        [{"id": option.id, "uid": option.uid, "name": option.spec.name, "kind": option.spec.kind} for option in found]
    )

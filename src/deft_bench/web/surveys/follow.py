"""A survey as other windows read it: every reading that is accepted, sent at once to whoever has the survey open."""

import json
from collections.abc import Iterator
from contextlib import closing

from flask import Flask, Response, current_app, request

from deft_bench.store import surveys
from deft_bench.store.database import connect
from deft_bench.web.access.gate import while_in
from deft_bench.web.following import STILL_HERE, events, following_of
from deft_bench.web.support import survey_or_404
from deft_bench.web.surveys.screen import screen
from deft_bench.web.surveys.state import state_of, topic_of


@screen.get("/surveys/<int:survey_id>/follow")
def follow(survey_id: int) -> Response:
    """What is accepted after the reading `since`, or after the last that this window has heard of, as events."""
    survey_or_404(survey_id)
    heard = request.headers.get("Last-Event-ID", "") or request.args.get("since", "")
    since = int(heard) if heard.isdecimal() and len(heard) < 16 else 0
    return events(while_in(_news(current_app._get_current_object(), survey_id, since)))  # type: ignore[attr-defined]


def _news(app: Flask, survey_id: int, since: int) -> Iterator[str]:
    """The database says what is new, also what another process has written; being told only wakes."""
    yield STILL_HERE
    for _ in following_of(app).turns(topic_of(survey_id)):
        with closing(connect(app.config["DATABASE"])) as own:
            made = surveys.since(own, survey_id, since)
        if not made:
            yield STILL_HERE
            continue
        since = made[-1].id
        with app.app_context():
            survey, instrument = survey_or_404(survey_id)
            state = state_of(survey, instrument, _last(made))
        yield f"id: {since}\ndata: {json.dumps(state, ensure_ascii=False)}\n\n"


def _last(made: list[surveys.Reading]) -> list[surveys.Reading]:
    """Of each place only what stands."""
    return list({(one.lane, one.fret): one for one in made}.values())

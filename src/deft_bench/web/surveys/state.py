"""What readings change on a survey's page, for the window that sent them and for those that follow it."""

from collections.abc import Sequence
from typing import Any

from deft_bench.bench.likely import TELLING
from deft_bench.bench.rocker_results import rocker_results
from deft_bench.bench.surveying import cursor_order, off_mm
from deft_bench.core.survey_kinds import SURVEY_KINDS
from deft_bench.store import instruments, surveys
from deft_bench.web.support import db, display, rock_mm, settings
from deft_bench.web.surveys.spots import lane_state, rocker_state

JsonObject = dict[str, Any]


def topic_of(survey_id: int) -> str:
    """What a window that follows a survey waits for."""
    return f"survey {survey_id}"


def state_of(survey: surveys.Survey, instrument: instruments.Instrument, made: Sequence[surveys.Reading]) -> JsonObject:
    """Readings as a page shows them, with what they change of their lanes, and how many places are read."""
    kind, values = SURVEY_KINDS[survey.head.kind], surveys.values(db(), survey.id)
    explained = kind.drawn == "explained"
    rocked = rocker_results(db(), settings(), survey, instrument, values, rock_mm()) if explained else None
    # of the fret tops the likely neck is shown, when it is asked for
    telling = kind.code in TELLING and survey.job_id is not None
    off = off_mm(db(), settings(), survey, instrument, values)
    lanes = {one.lane: off.get(one.lane, []) for one in made}
    return {
        "readings": [
            {
                "lane": one.lane,
                "fret": one.fret,
                "id": one.id if one.value_um is not None else None,
                "value": "" if one.value_um is None else kind.words(one.value_um, display()),
                "corrected": one.replaces is not None,
            }
            for one in made
        ],
        "read": sum(place in values for place in cursor_order(db(), survey)),
        "lanes": {
            lane: [] if telling else lane_state(kind, lane, of, rocked, display(), rock_mm())
            for lane, of in lanes.items()
        },
        "rocker": {"rocker": rocker_state(rocked)} if rocked else {},
    }

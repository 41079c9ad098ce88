"""The drift of a gauge that reads against the first place of a lane: its readings mended, or the lane refused."""

import json

from flask import Response, jsonify, request

from deft_bench.devices.drift import DriftError, without_drift
from deft_bench.store import devices
from deft_bench.web.support import NotFoundError, db, survey_or_404
from deft_bench.web.surveys.screen import screen

MOST_READ = 60


@screen.post("/surveys/<int:survey_id>/drift")
def drift(survey_id: int) -> Response | tuple[Response, int]:
    """What a lane's readings are without the gauge's drift, mm in the order they were read; null where there is none.

    `read` is JSON: pairs of seconds and mm as the gauge said them, the first of them the reference; `again` the pair of
    the first place at the end. 422 where it drifted too far, or it is no such list.
    """
    survey_or_404(survey_id)
    gauge = devices.used_for(db(), "readings")
    if gauge is None:
        raise NotFoundError("gauge")
    try:
        read = [_pair(one) for one in json.loads(request.form.get("read", "")[:4000])]
        again = _pair(json.loads(request.form.get("again", "")[:200]))
        if not 1 <= len(read) <= MOST_READ:
            raise ValueError("no readings")
        mended = without_drift(read, again, gauge.setup.resolution_um / 1000)
    except DriftError as error:
        return jsonify(error=f"{str(error)[:1].upper()}{str(error)[1:]}. Read the lane again."), 422
    except (ValueError, TypeError):
        return jsonify(error="The readings of the lane cannot be read: read it again."), 422
    return jsonify(mended=None if mended is None else [round(mm, 4) for mm in mended])


def _pair(said: object) -> tuple[float, float]:
    if not isinstance(said, list) or len(said) != 2:
        raise ValueError("not a pair")
    return float(said[0]), float(said[1])

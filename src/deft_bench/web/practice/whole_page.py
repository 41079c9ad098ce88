"""What the pages of whole jobs have in common: a stage, what is done on it, a debrief that goes moment by moment."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any

from flask import request

from deft_bench.bench.practice.moments import Moment
from deft_bench.bench.practice.whole import AnyJob
from deft_bench.core.survey_kinds import SURVEY_KINDS
from deft_bench.store import practice_necks
from deft_bench.web.support import Form

FEELS = {
    "easy": "it goes easily",
    "firm": "it goes firmly",
    "hard": "it goes hard",
    "stops": "it stops: the rod has come to its end",
    "forced": "forced past its end: the rod is spoiled",
}


@dataclass(frozen=True, slots=True)
class WholePage:
    """The pages of one kind: `done` does what a form asks for, and gives the job after it where that is known, and what
    it told (empty with an error in the form); `stage` draws the template of the page or of its part.
    """

    done: Callable[[practice_necks.Kept, Form], tuple[AnyJob | None, str]]
    stage: Callable[[AnyJob, Form, str, str], str]
    debrief: Callable[[AnyJob], str]


def moment_shown(told: Sequence[Moment]) -> int:
    """Which moment the address asks for: the last where it says none."""
    return min(max(0, request.args.get("moment", len(told) - 1, type=int)), max(0, len(told) - 1))


def words_of(deed_words: Callable[[Any], str]) -> Callable[[Moment], str]:
    """What was done or read at a moment."""

    def words(one: Moment) -> str:
        if one.deed is not None:
            return deed_words(one.deed)
        return f"Read {SURVEY_KINDS[one.kind].label.lower()}: {one.readings} reading{'s' if one.readings != 1 else ''}"

    return words

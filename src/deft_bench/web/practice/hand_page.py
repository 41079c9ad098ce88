"""What drills that work a piece by hand show: the stage with what can be done, and the debrief once it is handed in."""

from collections.abc import Callable
from dataclasses import dataclass
from functools import partial
from typing import Any

from flask import render_template
from werkzeug.wrappers import Response

from deft_bench.bench.practice.attempts import PracticeError, level_words
from deft_bench.bench.practice.by_hand import ByHand, HandDrill
from deft_bench.core.practice.drills import DRILLS
from deft_bench.web.practice.screen import acted_on
from deft_bench.web.support import Form, db, now

Act = Callable[[Any], tuple[Any, Any]]


@dataclass(frozen=True, slots=True)
class HandPage:
    """A drill's screens. `reads` makes of a form what shall be done to the piece, or says in the form what is wrong;
    `stage` and `truth` (of the attempt, and the piece as the program would leave it) are what its two templates take;
    `words` is what was done and what it said, `slip` what went wrong with a piece that was handed in.
    """

    drill: HandDrill[Any, Any, Any]
    reads: Callable[[Form, ByHand[Any, Any]], Act | None]
    stage: Callable[[ByHand[Any, Any], Form], dict[str, Any]]
    truth: Callable[[ByHand[Any, Any], Any], dict[str, Any]]
    words: Callable[[Any], str]
    slip: Callable[[Any], str]

    def page(self, attempt_id: int) -> str:
        """The stage, or the debrief once it is answered."""
        found = self.drill.at_work(db(), attempt_id)
        if found.attempt.named is None:
            return self._stage(found, Form(), "practice/hand.html")
        score, program, end = self.drill.debrief(found)
        return render_template(
            f"practice/{self.drill.code}_debrief.html",
            **self._common(found),
            score=score,
            program=program,
            **self.truth(found, end),
        )

    def worked(self, attempt_id: int) -> str | Response | tuple[str, int]:
        """Do one thing; a script gets the stage alone."""
        form, found = Form(), self.drill.at_work(db(), attempt_id)
        act = self.reads(form, found)
        if act and not form.errors:
            try:
                found = self.drill.work(db(), now(), found, act)
            except PracticeError as error:
                form.errors["did"] = str(error)
        return acted_on(attempt_id, form, partial(self._stage, found, form), self._part, "practice/hand.html")

    def slip_of(self, attempt_id: int) -> str:
        """What went wrong with an attempt."""
        return self.slip(self.drill.at_work(db(), attempt_id).piece)

    @property
    def _part(self) -> str:
        return f"practice/{self.drill.code}_stage.html"

    def _stage(self, found: ByHand[Any, Any], form: Form, template: str) -> str:
        say = self.words(found.done[-1]) if found.done else ""
        more = self.stage(found, form)
        return render_template(template, **self._common(found), part=self._part, say=say, errors=form.errors, **more)

    def _common(self, found: ByHand[Any, Any]) -> dict[str, Any]:
        return {
            "section": "practice",
            "drill": DRILLS[self.drill.code],
            "found": found,
            "level_words": level_words(found.attempt),
            "done_words": self.words,
        }

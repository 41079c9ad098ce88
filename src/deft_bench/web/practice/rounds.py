"""Drills in rounds: a situation and its answer, what the last one came to, and all of them in the debrief."""

from flask import flash, redirect, render_template, request, url_for
from werkzeug.wrappers import Response

from deft_bench.bench.practice.attempts import PracticeError, level_words
from deft_bench.bench.practice.rounds import InRounds, answer_round, in_rounds
from deft_bench.core.frets.heights import LANES
from deft_bench.core.instrument import MOST_FRETS
from deft_bench.core.practice.drills import DRILLS
from deft_bench.core.practice.rounds import Round
from deft_bench.web.drawing.buzz_map import buzz_map
from deft_bench.web.drawing.light_under_edge import UnderEdge, light_under_edge
from deft_bench.web.practice.screen import acted_on, screen
from deft_bench.web.support import Form, db, display, now, or_404

MOST_COUNT = 99


def page(attempt_id: int) -> str:
    """The round to answer, or all of them once the last is."""
    return _page(in_rounds(db(), attempt_id), Form())


@screen.post("/practice/<int:attempt_id>/round")
def round_answered(attempt_id: int) -> str | Response | tuple[str, int]:
    """Answer the round that is named; a script gets the round alone."""
    form = Form()
    with or_404():
        found = in_rounds(db(), attempt_id)
        number = form.count("round", 1, len(found.rounds))
        given = _given(form, found.rounds[number - 1]) if number else None
        if number and given is not None and not form.errors:
            try:
                found = answer_round(db(), now(), attempt_id, number, given)
            except PracticeError as error:
                form.errors["answer"] = str(error)
    if found.now is None:
        for said_so in form.errors.values():
            flash(said_so)
        there = url_for(".attempt", attempt_id=attempt_id)
        return Response("", headers={"HX-Redirect": there}) if "HX-Request" in request.headers else redirect(there)
    return acted_on(
        attempt_id, form, lambda part: _page(found, form, part), "practice/round.html", "practice/rounds.html"
    )


def _given(form: Form, one: Round) -> float | None:
    """What was answered, as it is kept; None with an error in the form."""
    if one.asks == "length":
        um = form.length("answer")
        return None if um is None else um / 1000
    most = len(one.choices) - 1 if one.asks == "choice" else MOST_COUNT
    if one.asks == "choice" and not form.text("answer"):
        form.errors["answer"] = "Choose one of the answers."
        return None
    return form.count("answer", 0, most)


def edges_of(one: Round) -> list[UnderEdge]:
    """What is drawn of a round: nothing, one edge, or one a lane."""
    if not one.gaps_mm:
        return []
    many = len(LANES) if len(one.gaps_mm) > MOST_FRETS else 1
    frets = len(one.gaps_mm) // many
    return [light_under_edge(one.gaps_mm[k * frets : (k + 1) * frets]) for k in range(many)]


def said(one: Round, text: str) -> str:
    """A round's text with its lengths in the shop's units."""
    return text.format(*[display().fine_mm(mm) for mm in one.lengths_mm])


def answer_words(one: Round, answer: float) -> str:
    """An answer in words."""
    if one.asks == "choice":
        return one.choices[round(answer)]
    return display().fine_mm(answer) if one.asks == "length" else f"{answer:.0f}"


def _page(found: InRounds, form: Form, template: str = "practice/rounds.html") -> str:
    done = found.attempt.named is not None
    return render_template(
        "practice/rounds_debrief.html" if done else template,
        section="practice",
        found=found,
        drill=DRILLS[found.attempt.drill],
        level_words=level_words(found.attempt),
        drawn=[] if found.now is None else edges_of(found.now),
        notes=buzz_map(found.now.buzzes) if found.now and found.now.buzzes else None,
        notes_of=buzz_map,
        pictures=[edges_of(one) for one in found.rounds] if done else [],
        said=said,
        answer_words=answer_words,
        sent=form.text("answer") if form.errors else "",
        errors=form.errors,
    )

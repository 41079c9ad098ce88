"""Challenges: those that come with the program, one brought in as a file, and a drill handed on as one."""

from flask import Response as Sent
from flask import redirect, render_template, request, url_for
from werkzeug.wrappers import Response

from deft_bench.bench.practice.attempts import PracticeError
from deft_bench.bench.practice.challenges import as_challenge, begin_challenge, why_not
from deft_bench.bench.practice.whole import WHOLE_KINDS
from deft_bench.core.practice.drills import DRILLS
from deft_bench.formats.challenge import MOST_BYTES, Challenge, read_challenge, shipped
from deft_bench.formats.strict_json import RequestError
from deft_bench.web.practice.screen import screen
from deft_bench.web.support import Form, db, now, or_404, settings


@screen.get("/practice/challenges")
def challenges() -> str:
    """What there is, and where a file is brought in."""
    return _listing(Form())


@screen.post("/practice/challenges")
def begin_one() -> Response | tuple[str, int]:
    """Begin one that came with the program, by its name, or the one in a file."""
    form = Form()
    person = form.text("person")
    made = _asked_for(form)
    if made is not None and not form.errors:
        try:
            begun = begin_challenge(db(), now(), person, made)
            if made.drill in WHOLE_KINDS:
                return redirect(url_for(".neck", neck_id=begun))
            return redirect(url_for(".attempt", attempt_id=begun))
        except PracticeError as error:
            form.errors["person"] = str(error)
    return _listing(form), 422


@screen.get("/practice/<int:attempt_id>/challenge.json")
def handed_on(attempt_id: int) -> Sent:
    """A drill as a challenge file."""
    with or_404():
        raw = as_challenge(db(), attempt_id)
    answer = Sent(raw, mimetype="application/json")
    answer.headers["Content-Disposition"] = f'attachment; filename="challenge-{attempt_id}.json"'
    return answer


def _asked_for(form: Form) -> Challenge | None:
    code = form.text("challenge")
    if code:
        if code not in shipped():
            form.errors["file"] = "That challenge is not among them: choose one below."
        return shipped().get(code)
    upload = request.files.get("file")
    raw = upload.read(MOST_BYTES + 1) if upload is not None else b""
    if not raw:
        form.errors["file"] = "Choose the JSON file of a challenge."
        return None
    try:
        made = read_challenge(raw)
        if why := why_not(settings(), made):
            raise RequestError([f"truth: {why}"])
        return made
    except RequestError as error:
        form.errors["file"] = "That is no challenge that can be played. " + "; ".join(error.lines[:5]) + "."
    return None


def _listing(form: Form) -> str:
    return render_template(
        "practice/challenges.html",
        section="practice",
        drills=DRILLS,
        challenges=shipped(),
        person=form.text("person"),
        errors=form.errors,
    )

"""Who practises what: the drills, what was left half-way, and which drill an attempt is of."""

from flask import redirect, render_template, request, url_for
from werkzeug.wrappers import Response

from deft_bench.bench.practice.attempts import MOST_SEED, PracticeError, drill_of, progress, unanswered
from deft_bench.bench.practice.culprit import begin_culprit
from deft_bench.bench.practice.intonate import begin_intonate
from deft_bench.bench.practice.order import begin_order
from deft_bench.bench.practice.rounds import begin_rounds
from deft_bench.bench.practice.straight import begin_straight
from deft_bench.bench.practice.whole import WHOLE_KINDS, begin_whole
from deft_bench.core.practice.drills import DRILLS, IN_ROUNDS
from deft_bench.core.practice.ladder import DAYS, WELL
from deft_bench.formats.challenge import shipped
from deft_bench.store import practice_necks
from deft_bench.web.practice import culprit, intonate, order, rounds, straight
from deft_bench.web.practice.hand_pages import HAND_PAGES
from deft_bench.web.practice.screen import screen
from deft_bench.web.support import Form, db, now, or_404

BEGIN = {
    "culprit": begin_culprit,
    "straight": begin_straight,
    "intonate": begin_intonate,
    "order": begin_order,
    **{drill: page.drill.start for drill, page in HAND_PAGES.items()},
    **{drill: begin_rounds(drill) for drill in IN_ROUNDS},
}
PAGES = {
    "culprit": culprit.page,
    "straight": straight.page,
    "intonate": intonate.page,
    "order": order.page,
    **{drill: page.page for drill, page in HAND_PAGES.items()},
    **dict.fromkeys(IN_ROUNDS, rounds.page),
}


@screen.get("/practice")
def show() -> str:
    """The drills, what was left half-way, and what each person has reached."""
    return _listing(Form(), {})


@screen.post("/practice")
def start() -> Response | tuple[str, int]:
    """Start a drill."""
    form = Form()
    drill = form.text("drill", "culprit")
    if drill not in DRILLS:
        form.errors["drill"] = f"Choose a drill: {', '.join(DRILLS)}."
        return _listing(form, request.form.to_dict()), 422
    person, level, seed = form.text("person"), _level(form, drill), None
    if form.text("seed"):
        seed = form.count("seed", 0, MOST_SEED - 1)
    if not form.errors and level is not None:
        try:
            if drill in WHOLE_KINDS:
                silent = form.text(f"silent-{drill}") or form.text("silent")
                made = begin_whole(db(), now(), person, level, seed, calls=not silent, drill=drill)
                return redirect(url_for(".neck", neck_id=made))
            return redirect(url_for(".attempt", attempt_id=BEGIN[drill](db(), now(), person, level, seed)))
        except PracticeError as error:
            form.errors["person"] = str(error)
    return _listing(form, request.form.to_dict()), 422


def _level(form: Form, drill: str) -> int | None:
    """The level that was chosen beside the drill, or sent with it."""
    field = f"level-{drill}" if f"level-{drill}" in form.sent else "level"
    return form.count(field, 1, max(DRILLS[drill].levels))


@screen.get("/practice/<int:attempt_id>")
def attempt(attempt_id: int) -> str:
    """The stage of a drill, or its debrief once it is answered."""
    with or_404():
        drill = drill_of(db(), attempt_id)
    return PAGES[drill](attempt_id)


def _listing(form: Form, values: dict[str, str]) -> str:
    return render_template(
        "practice/show.html",
        section="practice",
        drills=DRILLS,
        people=progress(db(), now().date()),
        well=WELL,
        days=DAYS,
        left=unanswered(db(), now()),
        challenges=len(shipped()),
        necks=practice_necks.latest(db()),
        whole=list(WHOLE_KINDS),
        values={"person": "", "level": "1", "seed": "", "drill": "", **values},
        errors=form.errors,
    )

"""Neck: the bow and where it is, the two gates, and the truss rod's next turn."""

from typing import Any

from flask import Blueprint, flash, redirect, render_template, request, url_for
from werkzeug.wrappers import Response

from deft_bench.bench.level_planning import Choices, height_surveys, make_plan
from deft_bench.bench.rod import advice_for, recorded_turns
from deft_bench.bench.survey_results import SurveyResults, latest, moved_since_read, survey_results
from deft_bench.core.acts import MOVES_BOW
from deft_bench.core.board.positions import fret_positions
from deft_bench.core.limits import RELIEF_WITHIN_MM, STRAIGHT_MM
from deft_bench.core.neck.rod_call import relief_target, rod_call, turn_words
from deft_bench.core.neck.straightness import Straightness
from deft_bench.core.neck.truss_rod import Turn
from deft_bench.core.neck.twist import twist
from deft_bench.core.strings.assembled import target_from
from deft_bench.core.survey import STRING_STATES, SURFACES, heights_from
from deft_bench.core.survey_figures import gaps_of_tops
from deft_bench.store import instruments, jobs, rod_turns, setups, surveys
from deft_bench.web.drawing.neck_curve import neck_curve, rod_chart
from deft_bench.web.support import db, display, or_404, settings, stamp

screen = Blueprint("neck", __name__, template_folder="templates")

AIMS = {"fretwork": "straight, for fretwork", "playing": "relief, for playing"}
STEPS_64 = {8: "1/8", 16: "1/4", -8: "−1/8", -16: "−1/4"}


@screen.get("/instruments/<int:instrument_id>/neck")
def show(instrument_id: int) -> str:
    """The bow as last read, what is asked of it, and the rod's next turn. `?aim=` chooses between the two gates."""
    with or_404():
        instrument = instruments.get(db(), instrument_id)
    spec = instrument.spec
    opened = jobs.open_of(db(), [instrument_id]).get(instrument_id)
    aim = request.args.get("aim", "fretwork" if opened and opened.kind != "setup" else "playing")
    aim = aim if aim in AIMS else "playing"
    playing = _playing_relief(instrument, opened)
    target = 0.0 if aim == "fretwork" else playing
    bow = latest(db(), settings(), instrument, "straightness")
    turns = recorded_turns(db(), settings(), instrument)
    answered = [answer for _, answer in turns if answer is not None]
    shown: dict[str, Any] = {"bow": None}
    waiting = _waiting(bow, turns) if bow else ""
    if bow is not None and bow.figures.straight is not None:
        found = bow.figures.straight
        gaps = {fret: um / 1000 for (_, fret), um in bow.values.items() if um is not None}
        tops = _judged_tops(instrument, opened) if aim == "fretwork" and not waiting else None
        if tops is not None:
            # Level judges the neck by its latest heights: so does this screen
            found, gaps = tops
        rod: Any = spec.rod
        advice = advice_for(instrument, found, target, turns)
        positions = fret_positions(spec.mean_scale_mm, bow.survey.frets)
        shown = {
            "bow": bow,
            "found": found,
            "by_tops": tops is not None,
            "advice": advice,
            "call": rod_call(
                found,
                target,
                aim,
                rod,
                advice,
                answered,
                display().fine_mm,
                passed_over=opened.override_note if opened else "",
            ),
            "curve": neck_curve(
                gaps, positions, found, target, display(), mirrored=spec.left_handed != (settings().turned)
            ),
            "response": rod_chart(answered, advice.mm_per_turn, advice.mm_per_turn_sd, display()),
            "straight_mm": STRAIGHT_MM,
            "within_mm": RELIEF_WITHIN_MM,
        }
    return render_template(
        "neck/show.html",
        section="instruments",
        instrument=instrument,
        aim=aim,
        aims=AIMS,
        target=target,
        turns=turns,
        waiting=waiting,
        playing_target=playing,
        surfaces=SURFACES,
        states=STRING_STATES,
        turn_words=turn_words,
        steps_64=STEPS_64,
        opened=opened,
        twist=_twist(instrument),
        **shown,
    )


def _waiting(bow: SurveyResults, turns: list[tuple[rod_turns.RodTurn, Turn | None]]) -> str:
    """What was done since the bow was read, in words: what the neck does now is not known yet. Empty when the
    reading holds.
    """
    if turns and turns[-1][0].at >= bow.survey.taken_at:
        return "the rod was turned"
    moved = moved_since_read(db(), bow.survey, MOVES_BOW)
    return moved.said if moved else ""


def _judged_tops(
    instrument: instruments.Instrument, opened: jobs.Job | None
) -> tuple[Straightness, dict[int, float]] | None:
    """The bow on the fret tops and its gaps by fret (mm), when that is what the Level screen judges the neck by;
    else None.
    """
    heights = height_surveys(db(), opened) if opened is not None else []
    if opened is None or not heights:
        return None
    try:
        planning = make_plan(
            db(), settings(), opened, instrument, survey_results(db(), settings(), heights[-1], instrument), Choices()
        )
    except ValueError:
        return None
    if planning.stale or planning.straight.board is not None or planning.straight.tops is None:
        return None
    request = planning.plan.request
    return planning.straight.tops, gaps_of_tops(request.heights, list(request.positions_mm))


def _playing_relief(instrument: instruments.Instrument, opened: jobs.Job | None) -> float:
    """Relief wanted for playing, mm: the accepted setup's, else what is usual for the hand."""
    found = setups.accepted(db(), opened.id) if opened else []
    if found:
        return target_from(found[-1].target).relief_mm
    return relief_target(instrument.spec.hand, instrument.spec.kind)


def _twist(instrument: instruments.Instrument) -> Any:
    """The twist of the latest survey of heights above one reference; None without one."""
    spec = instrument.spec
    for survey in surveys.of_instrument(db(), instrument.id, "fret_heights", 6):
        if survey.head.method == "height":
            positions = fret_positions(spec.mean_scale_mm, survey.frets)
            heights = heights_from(surveys.values(db(), survey.id), "height", survey.frets)
            width = (spec.nut_width_um + spec.last_fret_width_um) / 2000
            found = twist(positions, heights, spec.mean_scale_mm, width)
            if found is not None:
                return found
    return None


@screen.post("/instruments/<int:instrument_id>/neck/turned")
def turned(instrument_id: int) -> Response:
    """Record a turn of the rod; the next straightness survey tells what it did."""
    with or_404():
        instrument = instruments.get(db(), instrument_id)
    aim = request.form.get("aim", "playing")
    back = redirect(url_for(".show", instrument_id=instrument_id, aim=aim if aim in AIMS else "playing"))
    step = request.form.get("turns", 0, type=int)
    if instrument.spec.rod == "none":
        flash("There is no rod to turn.")
    elif not 1 <= abs(step) <= 64:
        flash("One turn of the rod is recorded at a time: an eighth or a quarter, never more than a whole one.")
    else:
        rod_turns.add(db(), instrument_id, stamp(), step, "slack" in request.form, request.form.get("note", "")[:200])
        flash("Recorded. Let it settle, retune, and read again: the next reading tells what it did.")
    return back

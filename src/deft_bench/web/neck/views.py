"""Neck: the bow and where it is, the two gates, and the truss rod's next turn."""

from typing import Any

from flask import Blueprint, flash, redirect, render_template, request, url_for
from werkzeug.wrappers import Response

from deft_bench.core.board.positions import fret_positions
from deft_bench.core.neck.rod_call import relief_target, rod_call, turn_words
from deft_bench.core.neck.straightness import STRAIGHT_MM
from deft_bench.core.neck.truss_rod import WITHIN_MM, Turn, truss_rod
from deft_bench.core.neck.twist import twist
from deft_bench.core.strings.assembled import target_from
from deft_bench.core.survey import STRING_STATES, SURFACES, heights_from
from deft_bench.store import instruments, jobs, rod_turns, setups, surveys
from deft_bench.web.drawing.neck_curve import neck_curve, rod_chart
from deft_bench.web.support import db, display, here, settings, stamp
from deft_bench.web.surveyed import Surveyed, latest, surveyed

screen = Blueprint("neck", __name__, template_folder="templates")

AIMS = {"fretwork": "straight, for fretwork", "playing": "relief, for playing"}
STEPS_64 = {8: "1/8", 16: "1/4", -8: "−1/8", -16: "−1/4"}


def recorded_turns(instrument: instruments.Instrument) -> list[tuple[rod_turns.RodTurn, Turn | None]]:
    """Every recorded turn, with what straightness read alike before and after says it did, where both were read."""
    found = [
        surveyed(one, instrument) for one in reversed(surveys.of_instrument(db(), instrument.id, "straightness", 60))
    ]
    bows = [one for one in found if one.figures.straight is not None]
    turned = rod_turns.of_instrument(db(), instrument.id)
    answers = []
    for i, turn in enumerate(turned):
        until = turned[i + 1].at if i + 1 < len(turned) else "9999"
        before = [one for one in bows if one.survey.taken_at <= turn.at]
        after = [one for one in bows if turn.at < one.survey.taken_at <= until]
        answers.append((turn, _answer(turn, before[-1], after[0]) if before and after else None))
    return answers


def _answer(turn: rod_turns.RodTurn, before: Surveyed, after: Surveyed) -> Turn | None:
    """A turn's effect, only where both readings are of one surface and string state."""
    one, other = before.survey.head, after.survey.head
    if (one.surface, one.string_state) != (other.surface, other.string_state):
        return None
    assert before.figures.straight is not None
    assert after.figures.straight is not None
    return Turn(turn.turns, before.figures.straight.relief_mm, after.figures.straight.relief_mm)


@screen.get("/instruments/<int:instrument_id>/neck")
def show(instrument_id: int) -> str:
    """The bow as last read, what is asked of it, and the rod's next turn. `?aim=` chooses between the two gates."""
    with here():
        instrument = instruments.get(db(), instrument_id)
    spec = instrument.spec
    opened = jobs.open_of(db(), [instrument_id]).get(instrument_id)
    aim = request.args.get("aim", "fretwork" if opened and opened.kind != "setup" else "playing")
    aim = aim if aim in AIMS else "playing"
    playing = _playing_relief(instrument, opened)
    target = 0.0 if aim == "fretwork" else playing
    bow = latest(instrument, "straightness")
    turns = recorded_turns(instrument)
    answered = [answer for _, answer in turns if answer is not None]
    shown: dict[str, Any] = {"bow": None}
    # a turn since the last reading: what the neck does now is not known yet
    waiting = bool(turns and bow and turns[-1][0].at >= bow.survey.taken_at)
    if bow is not None and bow.figures.straight is not None:
        found = bow.figures.straight
        slack = turns[-1][0].slack if turns else False
        rod: Any = spec.rod
        advice = truss_rod(found.relief_mm, target, rod, answered, slack=slack)
        positions = fret_positions(spec.mean_scale_mm, bow.survey.frets)
        gaps = {fret: um / 1000 for (_, fret), um in bow.values.items() if um is not None}
        shown = {
            "bow": bow,
            "found": found,
            "advice": advice,
            "call": rod_call(found, target, aim, rod, advice, answered, display().fine_mm),
            "curve": neck_curve(gaps, positions, found, target, display(), mirrored=spec.left_handed != (settings()["nut_side"] == "right")),
            "response": rod_chart(answered, advice.mm_per_turn, advice.mm_per_turn_sd, display()),
            "straight_mm": STRAIGHT_MM,
            "within_mm": WITHIN_MM,
        }  # fmt: skip
    return render_template(
        "neck/show.html", section="instruments", instrument=instrument, aim=aim, aims=AIMS, target=target, turns=turns, waiting=waiting,
        playing_target=playing, surfaces=SURFACES, states=STRING_STATES, turn_words=turn_words, steps_64=STEPS_64,
        opened=opened, twist=_twist(instrument), **shown,
    )  # fmt: skip


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
    with here():
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

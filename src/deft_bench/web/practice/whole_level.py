"""A whole level and dress: its stage with every tool for frets and rod, and its debrief."""

from collections.abc import Callable, Mapping
from typing import Any

from flask import render_template, request

from deft_bench.bench.likely import Likely, likely
from deft_bench.bench.practice.attempts import PracticeError
from deft_bench.bench.practice.moments import Moment, felt_so_far, moments
from deft_bench.bench.practice.whole import read_on_the_stage, work
from deft_bench.bench.practice.whole_level import LevelJob
from deft_bench.core.calls import frets_named
from deft_bench.core.frets.heights import LANES
from deft_bench.core.neck.rod_call import turn_words
from deft_bench.core.practice.level_work import FLAT_SHARE, METAL_SHARE, STROKES
from deft_bench.core.practice.whole_neck import (
    LEVEL_MM,
    LEVELS,
    SIXTEENTHS,
    Deed,
    What,
)
from deft_bench.core.survey_kinds import FLAT_UM, HOME_UM, LIGHT_UM, ROCKS_UM, SURVEY_KINDS
from deft_bench.store import instruments, practice_necks, surveys
from deft_bench.web.drawing.beamed_neck import UM_FOR_ALL, under_beam
from deft_bench.web.drawing.truth_and_belief import truth_and_belief
from deft_bench.web.practice.whole_page import FEELS, WholePage, moment_shown, words_of
from deft_bench.web.support import Form, db, display, now, settings

ALL_LANES = "all three"
DOES: Mapping[str, What] = {
    "press": "press",
    "tap": "tap",
    "light": "stroke",
    "firm": "stroke",
    "ink": "ink",
    "lift": "lift",
    "wait": "wait",
}
AT_FRET = ("press", "tap", "light", "firm", "lift")
"""What is done to the fret under the hand."""
READS: Mapping[str, tuple[str, bool, bool]] = {
    "rock": ("rocker", True, True),
    "rock_lane": ("rocker", False, True),
    "against_light": ("light", True, False),
    "edge": ("straightness", False, False),
    "gauge": ("fret_heights", False, False),
}
"""What a tool reads: the survey, whether at one fret only, and whether in the chosen lane only."""
TOLD: Mapping[tuple[str, int | None], str] = {
    ("rocker", ROCKS_UM): "rocks",
    ("rocker", FLAT_UM): "sits flat",
    ("light", LIGHT_UM): "shows light under it",
    ("light", HOME_UM): "is home",
}
"""What a tool at one fret says, in words."""


def _done(kept: practice_necks.Kept, form: Form) -> tuple[LevelJob | None, str]:
    """Do what a form asks for; the job after it where that is known, and what it told, empty with an error in the form.
    Raises PracticeError.
    """
    did = form.text("did")
    turn = next((n for n in SIXTEENTHS if did == f"turn {n}"), 0)
    what: What | None = "turn" if turn else DOES.get(did)
    if what is None and did not in READS:
        raise PracticeError(f"Choose one of: {', '.join([*READS, *DOES])}.")
    at_fret = did in AT_FRET or (did in READS and READS[did][1])
    fret = form.count("fret", 1, instruments.get(db(), kept.instrument_id).spec.frets) if at_fret else None
    lift_um = form.length("lift") if did == "lift" else None
    if form.errors:
        return None, ""
    lane = form.text("lane", ALL_LANES)
    lanes, frets = LANES if lane == ALL_LANES else (lane,), [fret] if fret else []
    if what is None:
        return None, _read(kept.id, did, frets, lanes)
    mm = (lift_um or 0) / 1000
    after = work(db(), now(), kept.id, what, frets, sixteenths=turn, lanes=lanes, firm=did == "firm", mm=mm)
    return after, deed_words(after.steps[-1].deed)


def _read(neck_id: int, did: str, frets: list[int], lanes: tuple[str, ...]) -> str:
    """Read with a tool on the stage; what it said, in words."""
    kind, at_fret, in_lane = READS[did]
    wanted = lanes if in_lane else LANES
    survey = read_on_the_stage(db(), settings(), now(), neck_id, kind, frets if at_fret else (), wanted)
    values = surveys.values(db(), survey.id)
    said = [(lane, TOLD[kind, values[lane, fret]]) for lane in wanted for fret in frets if (lane, fret) in values]
    if said:
        each = {words for _, words in said}
        where = f"fret {frets[0]}"
        if len(each) == 1:
            return f"{where.capitalize()} {each.pop()}{' in every lane' if len(said) > 1 else ''}"
        return f"{where.capitalize()}: " + ", ".join(f"{lane} {words}" for lane, words in said)
    label = SURVEY_KINDS[kind].label.lower()
    where = (
        "on the board" if kind == "straightness" else f"in {'every lane' if len(wanted) > 1 else f'the {wanted[0]}'}"
    )
    return f"Read: {label} {where}"


def deed_words(one: Deed) -> str:
    """What was done and what it told."""
    frets = frets_named(list(one.frets)) if one.frets else ""
    return _WORDS[one.what](one, frets)


def _turned(one: Deed, frets: str) -> str:
    how = "Tightened" if one.sixteenths > 0 else "Loosened"
    return f"{how} {turn_words(one.sixteenths / 16)}: {FEELS[one.feel]}"


def _stroked(one: Deed, frets: str) -> str:
    where = "all three lanes" if len(one.lanes) == len(LANES) else f"the {one.lanes[0]}"
    return f"{STROKES} {'firm' if one.firm else 'light'} strokes along {where}, the hand over fret {one.hand}"


def _planned(one: Deed, frets: str) -> str:
    return f"Levelled to the plan, {display().fine_mm(one.off_mm)} off" if one.off_mm else "Marked the plan as done"


_WORDS: dict[What, Callable[[Deed, str], str]] = {
    "turn": _turned,
    "wait": lambda one, frets: "Retuned and let it settle",
    "press": lambda one, frets: f"Pressed {frets}: {'it gives' if one.gives else 'it stands firm'}",
    "tap": lambda one, frets: f"Tapped {frets}: {'it went home' if one.gives else 'it was home already'}",
    "stroke": _stroked,
    "ink": lambda one, frets: "Inked every top again",
    "lift": lambda one, frets: f"Lifted {frets}" + (f" by {display().fine_mm(one.mm)}" if one.mm else " into line"),
    "plan": _planned,
    "spot": lambda one, frets: f"Filed {frets} into line, {display().fine_mm(one.off_mm)} off",
    "replace": lambda one, frets: f"New wire in {frets}",
}


def _stage(found: LevelJob, form: Form, say: str, template: str) -> str:
    sent: dict[str, Any] = {
        "fret": form.text("fret", "11"),
        "lane": form.text("lane", ALL_LANES),
        "lift": form.text("lift"),
    }
    return render_template(
        template,
        section="practice",
        found=found,
        part="practice/neck_stage.html",
        levels=LEVELS,
        drawn=under_beam(found.neck, found.neck.neck.positions, felt=felt_so_far(db(), found)),
        say=say,
        deed_words=deed_words,
        lanes=[ALL_LANES, *LANES],
        values=sent,
        level_mm=LEVEL_MM,
        errors=form.errors,
    )


def _believed(found: LevelJob, moment: Moment) -> Likely | None:
    return likely(db(), settings(), found.job, found.instrument, until=moment.at)


def _debrief(found: LevelJob) -> str:
    told = moments(db(), found)
    shown = moment_shown(told)
    moment = told[shown] if told else None
    believed = _believed(found, moment) if moment else None
    # what a reading told: how near the tops were known before it, and after
    earlier = _believed(found, told[shown - 1]) if moment and moment.kind and shown else None
    lying = (moment.neck if moment else found.truth).now
    part = request.headers.get("HX-Target") == "moment"
    return render_template(
        "practice/moment.html" if part else "practice/whole_debrief.html",
        section="practice",
        part=part,
        found=found,
        score=found.score,
        program=found.kept.outcome["program"],
        levels=LEVELS,
        drawn=under_beam(
            found.neck,
            found.neck.neck.positions,
            found.neck.to_come_off(),
            dict(sorted(found.truth.neck.unseated.items())),
        ),
        moments=told,
        shown=shown,
        moment=moment,
        moment_words=words_of(deed_words),
        chart=truth_and_belief(lying.positions, lying.heights(), believed.lanes if believed else None),
        known_mm=believed.within_mm if believed else None,
        known_before_mm=earlier.within_mm if earlier else None,
        call=believed.judged.call.say if believed else "",
        sure=believed.judged.sure if believed else "",
        shares=(FLAT_SHARE, METAL_SHARE),
        level_mm=LEVEL_MM,
        for_all_mm=UM_FOR_ALL / 1000,
    )


PAGE = WholePage(_done, _stage, _debrief)

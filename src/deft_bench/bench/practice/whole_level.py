"""A whole level and dress on a practice neck: what the book says done on its frets, and what is done by hand there."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace
from datetime import datetime
from typing import Any

from deft_bench.bench.level_planning import base_survey
from deft_bench.bench.practice.whole_kind import Step, WholeJob, WholeKind
from deft_bench.bench.survey_results import moved_since_read
from deft_bench.core.acts import MOVES_BOW, MOVES_HEIGHTS, Act
from deft_bench.core.instrument import STARTING, Spec
from deft_bench.core.practice.drills import WHOLE
from deft_bench.core.practice.whole_neck import (
    CROWN_MM,
    LEVELS,
    READING_SECONDS,
    CutTo,
    Deed,
    PracticeNeck,
    What,
    WholeScore,
    answered,
    as_json,
    cut_to_plan,
    deed_from,
    do,
    in_line,
    lifted,
    neck_from,
    practice_neck,
    replaced,
    score,
)
from deft_bench.core.survey import SurveyHead
from deft_bench.core.survey_kinds import SURVEY_KINDS, Place
from deft_bench.core.times import stamp
from deft_bench.store import acts, jobs, practice_necks, rod_turns, seating, surveys
from deft_bench.store.database import Connection

BOARD = "board"
LevelJob = WholeJob[PracticeNeck, Deed]


class LevelKind(WholeKind[PracticeNeck, Deed]):
    """Level and dress."""

    drill = WHOLE
    job_kind = "level_and_dress"
    levels = LEVELS
    reading_seconds = READING_SECONDS

    def spec(self, truth: PracticeNeck) -> Spec:
        return replace(
            STARTING["electric"],
            bass_scale_um=round(1000 * truth.neck.scale_mm),
            treble_scale_um=round(1000 * truth.neck.scale_mm),
            frets=truth.neck.frets,
            fret_height_um=round(1000 * CROWN_MM),
            rod="dual",
        )

    def drawn(self, seed: int, level: int) -> PracticeNeck:
        return practice_neck(seed, level)

    def as_json(self, one: PracticeNeck | Deed) -> dict[str, Any]:
        return as_json(one)

    def neck_from(self, kept: Mapping[str, Any]) -> PracticeNeck:
        return neck_from(kept)

    def deed_from(self, kept: Mapping[str, Any]) -> Deed:
        return deed_from(kept)

    def score(
        self, truth: PracticeNeck, end: PracticeNeck, seconds: float, program_end: PracticeNeck, program_seconds: float
    ) -> WholeScore:
        return score(truth, end, seconds, program_end, program_seconds)

    def score_from(self, kept: Mapping[str, Any]) -> WholeScore:
        return WholeScore(**kept)

    def do(self, neck: PracticeNeck, what: What, *args: Any, **how: Any) -> tuple[PracticeNeck, Deed]:
        return do(neck, what, *args, **how)

    def recorded(
        self, db: Connection, job: jobs.Job, neck: PracticeNeck, act: Act, before: Sequence[Step[PracticeNeck, Deed]]
    ) -> tuple[PracticeNeck, Deed]:
        def stroked(since: str) -> bool:
            return any(step.deed.what == "stroke" and step.at >= since for step in before)

        return as_recorded(db, job, neck, act, stroked)

    def into_the_book(self, db: Connection, now: datetime, found: LevelJob, deed: Deed) -> str:
        at, job = stamp(now), found.job
        if deed.what == "turn" and deed.feel not in ("stops", "forced"):
            rod_turns.add(db, found.instrument.id, at, 4 * deed.sixteenths)
            return "rod"
        if deed.what == "tap" and deed.gives:
            acts.keep(db, job.id, "reseat", deed.frets, at)
            return "reseat"
        if deed.what == "press" and not deed.gives:
            base = base_survey(db, job)
            if base is not None:
                seating.keep(db, job.id, base.id, deed.frets, at)
            return ""
        if deed.what == "lift":
            acts.keep(db, job.id, "lift", deed.frets, at)
            return "lift"
        if deed.what == "stroke" and deed.off_mm > 0:
            return _spot(db, at, found, deed)
        return ""

    def answered(self, neck: PracticeNeck, head: SurveyHead, place: Place) -> int:
        return answered(neck, head, place)

    def headed(self, head: SurveyHead, neck: PracticeNeck) -> SurveyHead:
        if head.kind == "straightness":
            head = replace(head, method="gap", surface=BOARD)
        if head.kind == "fret_heights":
            head = replace(head, resolution_um=10)
        if SURVEY_KINDS[head.kind].named_frets == "span":
            head = replace(head, at_frets=(1, neck.neck.frets))
        return head

    def holds(self, db: Connection, found: LevelJob, survey: surveys.Survey) -> bool:
        moves = MOVES_BOW if survey.head.kind == "straightness" else MOVES_HEIGHTS
        return moved_since_read(db, survey, moves) is None


def as_recorded(
    db: Connection, job: jobs.Job, neck: PracticeNeck, act: Act, stroked: Callable[[str], bool]
) -> tuple[PracticeNeck, Deed]:
    """What the book says was done, done by a steady hand; `stroked` says whether strokes were made by hand since some
    moment: a plan that is marked as done then is done already.
    """
    if act.kind == "rod":
        turn = next(one for one in rod_turns.of_instrument(db, job.instrument_id) if one.at == act.at)
        rod, feel = neck.rod.turned(turn.turns)
        return replace(neck, rod=rod.waited()), Deed("turn", sixteenths=round(16 * turn.turns), feel=feel)
    plan = next((one for one in jobs.plans(db, job.id) if one.done_at == act.at), None)
    if act.kind == "level":
        if plan is None or stroked(plan.accepted_at):
            return neck, Deed("plan")
        return cut_to_plan(neck, _lines_of(plan))
    frets = act.frets or tuple(range(1, neck.neck.frets + 1))
    if act.kind == "reseat":
        return do(neck, "tap", frets)
    if act.kind == "refret":
        return replaced(neck, frets), Deed("replace", frets)
    if act.kind == "spot":
        after, off = in_line(neck, frets, up=False)
        return after, Deed("spot", frets, off_mm=off)
    if plan is not None and plan.level.raise_um:
        raised = {fret: um / 1000 for fret, um in plan.level.raise_um.items()}
        return lifted(neck, raised), Deed("lift", tuple(raised), mm=max(raised.values()))
    return in_line(neck, frets, up=True)[0], Deed("lift", frets)


def _lines_of(plan: jobs.AcceptedPlan) -> dict[str, CutTo]:
    level = plan.level
    only = frozenset(level.touched()) if level.school == "marked" else None
    if only is None and level.left_out:
        only = frozenset(range(1, len(level.drops_um) + 1)) - set(level.left_out)
    return {
        lane: CutTo(
            level.heights_mm[lane],
            line["offset_um"] / 1000,
            line["slope_um_per_m"] / 1e6,
            level.drops_mm,
            only,
        )
        for lane, line in plan.outcome["lines"].items()
    }


def _spot(db: Connection, at: str, found: LevelJob, deed: Deed) -> str:
    """Strokes toward an accepted plan are recorded when it is marked done; others touch single frets, once for all
    strokes between two readings.
    """
    plan = jobs.last_plan(db, found.job.id)
    if plan is not None and not plan.done_at and plan.level.kind == "level":
        return ""
    last = next((act for act in reversed(acts.of_instrument(db, found.instrument.id)) if act.kind == "spot"), None)
    read_since = last is None or practice_necks.read_last(db, found.job.id) > last.at
    if last is not None and not read_since and set(deed.frets) <= set(last.frets):
        return ""
    acts.keep(db, found.job.id, "spot", deed.frets, at)
    return "spot"

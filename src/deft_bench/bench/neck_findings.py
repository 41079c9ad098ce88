"""The neck's bow and what to do about it: what was read, by which gate it is judged, and the rod's next turn."""

from dataclasses import dataclass

from deft_bench.bench.level_planning import Choices, make_plan
from deft_bench.bench.rod import advice_for, answers, recorded_turns
from deft_bench.bench.survey_results import (
    SurveyResults,
    height_surveys,
    latest,
    moved_since_read,
    questioned,
    survey_results,
)
from deft_bench.core.acts import MOVES_BOW
from deft_bench.core.calls import Call
from deft_bench.core.doubts import doubted_call
from deft_bench.core.neck.rod_call import rod_call
from deft_bench.core.neck.straightness import Straightness
from deft_bench.core.neck.truss_rod import Rod, RodAdvice, Turn
from deft_bench.core.neck.twist import Twist, twist
from deft_bench.core.shop_settings import ShopSettings
from deft_bench.core.strings.customary import string_kind
from deft_bench.core.survey import UNDER_STRING, heights_from, pressed_fret
from deft_bench.core.survey_figures import gaps_of_tops
from deft_bench.store import instruments, jobs, rod_turns, setups, surveys
from deft_bench.store.database import Connection

Turned = tuple[rod_turns.RodTurn, Turn | None]
"""A recorded turn, and what it did where that was read."""


@dataclass(frozen=True, slots=True)
class Bow:
    """The bow as it is judged: by straightness readings, or `by_tops` where Level judges the neck by its heights;
    gaps mm by fret, the advice for the rod and the call.
    """

    survey: SurveyResults
    found: Straightness
    gaps: dict[int, float]
    by_tops: bool
    advice: RodAdvice
    call: Call


@dataclass(frozen=True, slots=True)
class NeckFindings:
    """All of it: relief wanted now and for playing, mm, the turns on record, what was done since the bow was read
    (empty: it holds), the bow (None: not read) and the twist (None: not to be told).
    """

    target: float
    playing_target: float
    turns: list[Turned]
    waiting: str
    bow: Bow | None
    twist: Twist | None

    @property
    def answered(self) -> list[Turn]:
        """Turns of which is known what they did."""
        return answers(self.turns)


def neck_findings(
    db: Connection, settings: ShopSettings, instrument: instruments.Instrument, opened: jobs.Job | None, aim: str
) -> NeckFindings:
    """The neck for an aim: `fretwork` (straight) or `playing` (the relief wanted)."""
    playing = _playing_relief(db, settings, instrument, opened)
    target = 0.0 if aim == "fretwork" else playing
    read = latest(db, settings, instrument, "straightness")
    turns = recorded_turns(db, settings, instrument)
    waiting = _waiting(db, read, turns) if read else ""
    bow = _bow(db, settings, instrument, opened, aim, target, read, turns, waiting) if read else None
    return NeckFindings(target, playing, turns, waiting, bow, _twist(db, instrument))


def _bow(
    db: Connection,
    settings: ShopSettings,
    instrument: instruments.Instrument,
    opened: jobs.Job | None,
    aim: str,
    target: float,
    read: SurveyResults,
    turns: list[Turned],
    waiting: str,
) -> Bow | None:
    if read.figures.straight is None:
        return None
    found = read.figures.straight
    gaps = {fret: um / 1000 for (_, fret), um in read.values.items() if um is not None}
    head, frets = read.survey.head, read.survey.frets
    if head.method in UNDER_STRING:
        # the string touches where it is pressed
        gaps |= {1: 0.0, pressed_fret(head.method, frets, instrument.spec.joint_fret): 0.0}
    tops = _judged_tops(db, settings, instrument, opened) if aim == "fretwork" and not waiting else None
    if tops is not None:
        # Level judges the neck by its latest heights: so does this screen
        found, gaps = tops
    rod: Rod = instrument.spec.rod  # type: ignore[assignment]
    advice = advice_for(instrument, found, target, turns)
    passed_over = opened.override_note if opened else ""
    length = settings.display.fine_mm
    call = rod_call(found, target, aim, rod, advice, answers(turns), length, passed_over=passed_over)
    odd = [] if tops is not None else questioned(db, settings, read.survey)
    call = doubted_call(call, odd) if odd else call
    return Bow(read, found, gaps, tops is not None, advice, call)


def _waiting(db: Connection, bow: SurveyResults, turns: list[Turned]) -> str:
    """What was done since the bow was read, in words: what the neck does now is not known yet. Empty when the
    reading holds.
    """
    if turns and turns[-1][0].at >= bow.survey.taken_at:
        return "the rod was turned"
    moved = moved_since_read(db, bow.survey, MOVES_BOW)
    return moved.said if moved else ""


def _judged_tops(
    db: Connection, settings: ShopSettings, instrument: instruments.Instrument, opened: jobs.Job | None
) -> tuple[Straightness, dict[int, float]] | None:
    """The bow on the fret tops and its gaps by fret (mm), when that is what the Level screen judges the neck by;
    else None.
    """
    heights = height_surveys(db, opened) if opened is not None else []
    if opened is None or not heights:
        return None
    base = survey_results(db, settings, heights[-1], instrument)
    try:
        planning = make_plan(db, settings, opened, instrument, base, Choices())
    except ValueError:
        return None
    if planning.stale or planning.straight.board is not None or planning.straight.tops is None:
        return None
    request = planning.plan.request
    return planning.straight.tops, gaps_of_tops(request.heights, list(request.positions_mm))


def _playing_relief(
    db: Connection, settings: ShopSettings, instrument: instruments.Instrument, opened: jobs.Job | None
) -> float:
    """Relief wanted for playing, mm: the accepted setup's, else the shop's preset for the strings and the hand."""
    accepted = setups.last_accepted(db, opened.id) if opened else None
    spec = instrument.spec
    return accepted.target.relief_mm if accepted else settings.preset(string_kind(spec)).relief_for(spec.hand)


def _twist(db: Connection, instrument: instruments.Instrument) -> Twist | None:
    """The twist of the latest survey of heights above one reference; None without one."""
    spec = instrument.spec
    for survey in surveys.of_instrument(db, instrument.id, "fret_heights", 6):
        if survey.head.method == "height":
            positions = spec.positions_mm(survey.frets)
            heights = heights_from(surveys.values(db, survey.id), "height", survey.frets)
            width = (spec.nut_width_um + spec.last_fret_width_um) / 2000
            found = twist(positions, heights, spec.mean_scale_mm, width)
            if found is not None:
                return found
    return None

"""What each page of the setup shows, put together from the core's answers."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from flask import url_for

from deft_bench.bench.setup_readings import SetupSurveys
from deft_bench.core.board.layout import Spacing
from deft_bench.core.board.positions import fret_position
from deft_bench.core.board.strings_on_board import NutSpacing, nut_spacing
from deft_bench.core.calls import Call, Length, listed_words
from deft_bench.core.limits import ACTION_GATE_MM, GATE_CENTS, RELIEF_GATE_MM
from deft_bench.core.strings.assembled import Assembled, fret_first
from deft_bench.core.strings.clearance import Strung
from deft_bench.core.strings.diagnose import Diagnosis, Heard, buzz_call, cause_words, diagnose
from deft_bench.core.strings.intonation import CentsReading, begin_with, eighths, intonation, intonation_call, turns_for
from deft_bench.core.strings.notes import cents_between
from deft_bench.core.strings.nut_depth import (
    LOW_REMEDIES,
    SlotRead,
    blank_fit,
    feeler_stack,
    gap_side,
    nut_call,
    nut_slot,
)
from deft_bench.core.strings.reach import CHANGES, Change, Seat, effect
from deft_bench.core.strings.saddle_height import (
    SaddleMove,
    SaddleRead,
    one_piece,
    pocket_shim,
    raise_for,
    saddle_call,
    saddle_radius,
)
from deft_bench.core.strings.setup_call import setup_call
from deft_bench.core.strings.setup_job import SetupReadings, SetupTarget
from deft_bench.core.strings.setup_plan import SetupPlan, gap_range, pulls, saddle_starts, scales, string_names
from deft_bench.core.strings.setup_solve import Solved, string_offsets
from deft_bench.core.strings.string_set import CONSTRUCTIONS, WRAPS, relief_per_newton
from deft_bench.core.survey_kinds import BUZZES_UM
from deft_bench.core.units import Display
from deft_bench.store import instruments, surveys
from deft_bench.web.drawing.intonation_chart import intonation_chart
from deft_bench.web.drawing.nut_spacing import spacing_view
from deft_bench.web.drawing.saddle_view import saddle_view
from deft_bench.web.drawing.string_side import margin_map
from deft_bench.web.support import db, display, settings


@dataclass(frozen=True, slots=True)
class ToDo:
    """One thing to do for a setup, in order: where it is done and whether it is done already."""

    what: str
    say: str
    href: str
    done: bool


def call_of(
    instrument: instruments.Instrument,
    plan: SetupPlan,
    now: Assembled,
    present: Sequence[Strung],
    solved: Solved,
    names: Mapping[int, str],
    length: Length,
) -> Call:
    """The sentence of the Setup screen."""
    first = fret_first(plan, instrument.spec, now, solved, settings().rock_mm)
    return setup_call(solved, plan.margin_um / 1000, present, now.frame.relief_mm, names, length, now.unread, first)


def to_do(
    instrument: instruments.Instrument,
    plan: SetupPlan,
    found: SetupReadings,
    solved: Solved,
    names: Mapping[int, str],
    shown: Display,
) -> list[ToDo]:
    """Rod, nut, saddles, re-read: what leads from the setup as read to the solved one."""
    here = instrument.id
    rows: list[ToDo] = []
    if found.relief_mm is None:
        rows.append(
            ToDo(
                "Rod",
                "read the relief with the strings at pitch first",
                url_for("setup.intake", instrument_id=here),
                False,
            )
        )
    else:
        off = found.relief_mm - solved.relief_mm
        say = (
            f"leave it: {shown.fine_mm(found.relief_mm)} is within {shown.fine_mm(RELIEF_GATE_MM)}"
            if abs(off) <= RELIEF_GATE_MM
            else (
                f"{'tighten' if off > 0 else 'loosen'} toward {shown.fine_mm(solved.relief_mm)}; it has"
                f" {shown.fine_mm(found.relief_mm)}"
            )
        )
        rows.append(
            ToDo("Rod", say, url_for("neck.show", aim="playing", instrument_id=here), abs(off) <= RELIEF_GATE_MM)
        )
    high, low = [], []
    for number, gap in found.gap_mm.items():
        side = gap_side(gap, *gap_range(plan, number))
        if side == "high":
            high.append(names[number])
        elif side == "low":
            low.append(names[number])
    words = [f"file {listed_words(high)} in steps"] if high else []
    words += [f"{listed_words(low)} {'is' if len(low) == 1 else 'are'} cut too low"] if low else []
    rows.append(
        ToDo(
            "Nut",
            "; ".join(words) if words else "leave it" if found.gap_mm else "read the first-fret gaps first",
            url_for("setup.nut", instrument_id=here),
            bool(found.gap_mm) and not words,
        )
    )
    moves = {
        one.string: _move(instrument, plan, one.string, found.action_mm[one.string], one.action_12_mm)
        for one in solved.strung
        if one.string in found.action_mm and abs(found.action_mm[one.string] - one.action_12_mm) > ACTION_GATE_MM
    }
    if not found.action_mm:
        say = "read the action first"
    elif not moves:
        say = f"leave them: every string is within {shown.fine_mm(ACTION_GATE_MM)}"
    else:
        mean = sum(move.raise_mm for move in moves.values()) / len(moves)
        say = (
            f"{'raise' if mean > 0 else 'lower'} {len(moves)} of {len(solved.strung)} saddles,"
            f" {shown.fine_mm(min(abs(m.raise_mm) for m in moves.values()))} to"
            f" {shown.fine_mm(max(abs(m.raise_mm) for m in moves.values()))}"
        )
    rows.append(ToDo("Saddle", say, url_for("setup.saddle", instrument_id=here), bool(found.action_mm) and not moves))
    rows.append(
        ToDo(
            "Re-read",
            "relief, action and first-fret gaps: each moves the others",
            url_for("setup.intake", instrument_id=here),
            False,
        )
    )
    return rows


def _move(
    instrument: instruments.Instrument, plan: SetupPlan, number: int, now_mm: float, target_mm: float
) -> SaddleMove:
    """One saddle's move with the travel that the plan holds; none is known of a one-piece saddle."""
    travel = None if instrument.spec.bridge == "one_piece" else (plan.travel_up_um / 1000, plan.travel_down_um / 1000)
    return raise_for(scales(instrument.spec)[number - 1], plan.compensation_um / 1000, now_mm, target_mm, travel=travel)


def strings_page(instrument: instruments.Instrument, plan: SetupPlan, tried: SetupPlan) -> dict[str, Any]:
    """Tension of each string, of the set, and what changing to it does to the neck."""
    spec = instrument.spec
    before, after = pulls(plan, spec), pulls(tried, spec)
    length = fret_position(spec.mean_scale_mm, spec.frets)
    per = relief_per_newton(spec.mean_scale_mm, length, (spec.nut_width_um + spec.last_fret_width_um) / 2000)
    change = sum(after) - sum(before)
    courses = []
    if spec.strings == 12:
        courses = [after[i] + after[i + 1] for i in range(0, 12, 2)]
    return {
        "tried": tried,
        "tensions": after,
        "tensions_before": before,
        "total": sum(after),
        "change": change,
        "relief_change": per * change,
        "courses": courses,
        "assumed": [
            i
            for i, one in enumerate(tried.strings, start=1)
            if one.wound and one.core_mm is None and one.unit_weight is None
        ],
        "constructions": CONSTRUCTIONS,
        "wraps": WRAPS,
        "starts": saddle_starts(tried, spec),
    }


def spacings(instrument: instruments.Instrument, plan: SetupPlan) -> dict[str, NutSpacing]:
    """Both schools of nut spacing; raises ValueError where the strings would touch."""
    gauges = [one.gauge_mm for one in plan.strings]
    schools: tuple[tuple[Spacing, str], ...] = (("equal_gaps", "Equal gaps"), ("equal_centres", "Equal centres"))
    return {
        words: nut_spacing(
            instrument.spec.nut_width_um / 1000, plan.edge_bass_um / 1000, plan.edge_treble_um / 1000, gauges, school
        )
        for school, words in schools
    }


def nut_page(
    instrument: instruments.Instrument,
    plan: SetupPlan,
    found: SetupSurveys,
    files_um: Sequence[int],
    blades_um: Sequence[int],
) -> dict[str, Any]:
    """Every slot with its filing, the blank and both spacings."""
    spec = instrument.spec
    rows: list[dict[str, Any]] = []
    reads: list[SlotRead] = []
    files = [um / 1000 for um in files_um]
    blades = [um / 1000 for um in blades_um]
    for number, (make, scale) in enumerate(zip(plan.strings, scales(spec), strict=True), start=1):
        low, high = gap_range(plan, number)
        gap = found.found.gap_mm.get(number)
        slot = nut_slot(scale, high if gap is None else gap, high, plan.bearing_fret, make.gauge_mm, files)
        read = SlotRead(number, gap, low, high, slot)
        reads.append(read)
        stop = spec.fret_height_um / 1000 + slot.target_height_mm
        rows.append(
            {
                "number": number,
                "gap": gap,
                "low": low,
                "high": high,
                "slot": slot,
                "too_low": read.side == "low",
                "file": read.file_mm,
                "stop": stop,
                "stack": feeler_stack(stop, blades),
                "make": make,
            }
        )
    try:
        both, why = spacings(instrument, plan), ""
    except ValueError as error:
        both, why = {}, f"{str(error)[:1].upper()}{str(error)[1:]}."
    fit = blank_fit(
        (plan.blank_length_um / 1000, plan.blank_thickness_um / 1000, plan.blank_height_um / 1000),
        plan.blank_base,
        (spec.nut_width_um / 1000, plan.nut_thickness_um / 1000),
        plan.seat_base,
        plan.nut_height_um / 1000,
    )
    return {
        "rows": rows,
        "call": nut_call(reads, string_names(plan), display().fine_mm),
        "survey": found.of.get("strings"),
        "files": files_um,
        "blades": blades_um,
        "fit": fit,
        "spacing": (
            spacing_view(
                spec.nut_width_um / 1000, both, [one.gauge_mm for one in plan.strings], display(), spec.left_handed
            )
            if both
            else None
        ),
        "spacing_problem": why,
        "remedies": LOW_REMEDIES,
    }


def saddle_page(
    instrument: instruments.Instrument, plan: SetupPlan, found: SetupReadings, now: Assembled, target: SetupTarget
) -> dict[str, Any]:
    """Every saddle's move to its target, the one-piece saddle's cut, the shim, and what the neck's seat would
    change.
    """
    spec, shown, names = instrument.spec, display(), string_names(plan)
    rows: list[dict[str, Any]] = []
    reads: list[SaddleRead] = []
    moves: list[SaddleMove] = []
    for one in now.strings:
        act = found.action_mm.get(one.string)
        want = target.action_mm.get(one.string)
        move = None if act is None or want is None else _move(instrument, plan, one.string, act, want)
        if move is not None:
            moves.append(move)
        read = SaddleRead(one.string, act, want, move)
        reads.append(read)
        rows.append(
            {
                "number": one.string,
                "now": act,
                "want": want,
                "move": move,
                "turns": None if move is None else turns_for(move.raise_mm, plan.height_thread_um / 1000),
                "within": read.within,
            }
        )
    strung = now.strung()
    offsets = string_offsets(spec.spread_saddle_um / 1000, spec.strings)
    board = None if plan.board_radius_saddle_um is None else plan.board_radius_saddle_um / 1000
    made = saddle_radius([one.saddle_height_mm for one in strung], offsets, board)
    cut = (
        one_piece(moves, spec.spread_saddle_um / 1000, plan.saddle_overhang_um / 1000)
        if spec.bridge == "one_piece" and len(moves) == spec.strings and len(moves) > 1
        else None
    )
    shim = (
        pocket_shim(moves, plan.pocket_um / 1000, plan.mouth_to_saddle_um / 1000)
        if moves and spec.joint == "bolt_on"
        else None
    )
    out = [row for row in rows if row["move"] is not None and row["move"].over_mm]
    seat = Seat(
        plan.pocket_um / 1000,
        plan.mouth_to_saddle_um / 1000,
        plan.pickup_from_saddle_um / 1000,
        plan.travel_up_um / 1000,
        plan.travel_down_um / 1000,
        plan.pickup_gap_um / 1000,
        plan.pickup_target_um / 1000,
        plan.pickup_up_um / 1000,
        plan.pickup_down_um / 1000,
    )
    tries: tuple[tuple[Change, float], ...] = (
        ("deepen", 0.5),
        ("deepen", 1.0),
        ("full_shim", 0.5),
        ("body_shim", 0.25),
        ("body_shim", 0.5),
        ("mouth_shim", 0.25),
    )
    seats = [(CHANGES[kind], size, effect(seat, kind, size, spec.mean_scale_mm)) for kind, size in tries]
    return {
        "rows": rows,
        "eighths": eighths,
        "cut": cut,
        "shim": shim,
        "out": out,
        "seat": seat,
        "seats": seats if spec.joint == "bolt_on" else [],
        "made_radius": made,
        "drawing": saddle_view(strung, offsets, board, rows, cut, plan, shown, spec),
        "call": saddle_call(reads, cut, shim, names, shown.fine_mm),
    }


def intonation_page(instrument: instruments.Instrument, plan: SetupPlan, found: SetupSurveys) -> dict[str, Any]:
    """Every string's fit, its move in mm and turns, and the call."""
    spec, shown = instrument.spec, display()
    survey = found.of.get("intonation")
    gate = GATE_CENTS[spec.bridge]
    sd = max(0.1, survey.head.resolution_um / 100) if survey else 1.0
    thread = plan.intonation_thread_um / 1000
    rows: list[dict[str, Any]] = []
    names = string_names(plan)
    for number, scale in enumerate(scales(spec), start=1):
        read = [CentsReading(fret, cents) for fret, cents in found.found.cents.get(number, {}).items()]
        if not read:
            rows.append({"number": number, "read": [], "fit": None, "call": None})
            continue
        fit = intonation(scale, read, sd)
        gap = found.found.gap_mm.get(number)
        first = None if gap is None else gap_side(gap, *gap_range(plan, number))
        movable = spec.bridge in ("individual", "tail_mounted")

        def turns(shift: float) -> str:
            count = turns_for(shift, thread)
            return f"{eighths(count)} turn{'s' if abs(count) > 1 else ''} of the screw"

        call = intonation_call(fit, read, gate, first, shown.fine_mm, turns if movable else None)
        rows.append(
            {
                "number": number,
                "read": read,
                "fit": fit,
                "call": call,
                "turns": turns_for(fit.saddle_shift_mm, thread) if movable else None,
                "true": all(abs(one.cents) <= gate + 1e-9 for one in read),
                "worst": max((one.cents for one in read), key=abs),
            }
        )
    first_string = begin_with({row["number"]: (row["fit"], row["call"]) for row in rows if row["call"]})
    return {
        "rows": rows,
        "gate": gate,
        "survey": survey,
        "chart": intonation_chart(
            [(names[row["number"]], row["read"], row["fit"]) for row in rows if row["fit"]], gate
        ),
        "eighths": eighths,
        "worst": next((row for row in rows if row["number"] == first_string), None),
        "sound": surveys.sounded(db(), survey.id) if survey else [],
        "starts": saddle_starts(plan, spec, found.found.action_mm),
    }


def heard_in(found: SetupSurveys) -> list[Heard]:
    """The notes of the latest buzz survey."""
    survey = found.of.get("buzz")
    if survey is None:
        return []
    return [
        Heard(int(lane), fret, um == BUZZES_UM) for (lane, fret), um in sorted(surveys.values(db(), survey.id).items())
    ]


def diagnosed(now: Assembled, heard: Sequence[Heard]) -> Diagnosis:
    """What explains the notes that were heard."""
    return diagnose(now.frame, now.strings, heard, now.pluck_mm)


def buzz_page(
    instrument: instruments.Instrument, plan: SetupPlan, found: SetupSurveys, now: Assembled
) -> dict[str, Any]:
    """What was heard on the map of the predicted clearance, the causes, and this player's hand."""
    names, shown = string_names(plan), display()
    heard = heard_in(found)
    diagnosis = diagnosed(now, heard)
    marks = {(one.string, one.fret): one.buzz for one in heard}
    causes = [(cause, *cause_words(cause, shown.fine_mm, names)) for cause in diagnosis.causes[:6]]
    return {
        "survey": found.of.get("buzz"),
        "heard": heard,
        "marks": marks,
        "diagnosis": diagnosis,
        "causes": causes,
        "call": buzz_call(diagnosis, heard, names, shown.fine_mm) if heard else None,
        "map": margin_map(list(diagnosis.strung), names, shown),
        "now": now,
        "forces": {one.string: one.pluck_n for one in now.strings},
        "learned": len(plan.pluck_n) == len(plan.strings),
    }


@dataclass(frozen=True, slots=True)
class Step:
    """One note to play: string, what (open, harmonic, fretted) and where."""

    string: int
    what: str
    fret: int

    @property
    def code(self) -> str:
        """How a form names it."""
        return f"{self.string}-{self.what}-{self.fret}"


def sound_steps(survey: surveys.Survey) -> list[Step]:
    """Open, the harmonic over fret 12, then the fretted notes; string by string, the lowest first."""
    steps = []
    for string in range(survey.head.strings, 0, -1):
        steps += [Step(string, "open", 0), Step(string, "harmonic", 12)]
        steps += [Step(string, "fretted", fret) for fret in sorted(survey.head.at_frets) if fret <= survey.frets]
    return steps


def step_named(survey: surveys.Survey, code: str) -> Step | None:
    """The step of a form's code."""
    return next((step for step in sound_steps(survey) if step.code == code), None)


def listen_page(survey: surveys.Survey, plan: SetupPlan, asked: Mapping[str, str]) -> dict[str, Any]:
    """The notes in turn with what was heard of each, and the one to play now."""
    steps = sound_steps(survey)
    heard = {(one.string, one.what, one.fret): one for one in surveys.sounded(db(), survey.id)}
    wanted = step_named(survey, asked.get("step", ""))
    at = wanted or next((step for step in steps if (step.string, step.what, step.fret) not in heard), None)
    rows: dict[int, list[dict[str, Any]]] = {}
    for step in steps:
        one = heard.get((step.string, step.what, step.fret))
        base = heard.get((step.string, "open", 0))
        cents = cents_between(one.hz, base.hz * 2 ** (step.fret / 12)) if one and base and step.what != "open" else None
        rows.setdefault(step.string, []).append({"step": step, "heard": one, "cents": cents})
    aims = {}
    for number, make in enumerate(plan.strings, start=1):
        if make.note or make.hz:
            aims[number] = make.pitch_hz(plan.a4_hz)
    return {
        "survey": survey,
        "sounds": rows,
        "at": at,
        "aims": aims,
        "left": sum((s.string, s.what, s.fret) not in heard for s in steps),
        "all": len(steps),
    }

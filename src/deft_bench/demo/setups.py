"""The demo's setups: three open ones on different bridges, each as far as it has come, and one that is finished."""

import random
from dataclasses import dataclass, field, replace
from datetime import UTC, date, datetime, time, timedelta
from typing import Any

from deft_bench.core.board.positions import fret_position, fret_positions
from deft_bench.core.described import to_fields
from deft_bench.core.strings.assembled import assemble, errors_of, solve, target_of, target_record
from deft_bench.core.strings.clearance import clearance, held
from deft_bench.core.strings.notes import K_CENTS
from deft_bench.core.strings.setup_job import SetupReadings
from deft_bench.core.strings.setup_plan import SetupPlan, scales, starting_setup
from deft_bench.core.survey import SurveyHead, heights_from, places
from deft_bench.core.survey_kinds import BUZZES_UM, CLEAN_UM, SURVEY_KINDS, Place
from deft_bench.store import instruments, jobs, presets, setups, surveys
from deft_bench.store.database import Connection


@dataclass(frozen=True, slots=True)
class Visit:
    """One setup: what is asked, when it is promised (days from today), what is read (mm, cents by string), and what
    changes in the plan.

    `sharp` is (saddle, nut) error in mm by string; `proud_12` is how far fret 12 has come up since it was read: what is
    `played` buzzes over it.
    """

    name: str
    asked: str
    ago: int
    promised: int
    relief: float
    action: tuple[float, ...]
    gap: tuple[float, ...]
    sharp: tuple[tuple[float, float], ...] = ()
    at_frets: tuple[int, ...] = (12,)
    played: tuple[int, ...] = ()
    proud_12: float = 0.0
    changed: dict[str, int] = field(default_factory=dict)


VISITS = (
    Visit(
        "Knot No. 6",
        "Stiff to play; the saddles are nearly down",
        4,
        5,
        0.36,
        (2.9, 3.0, 3.15, 3.3),
        (0.12, 0.15, 0.24, 0.31),
        ((0.6, 0.1), (0.9, 0.2), (1.2, 0.5), (1.6, 0.7)),
        (1, 3, 5, 7, 12),
        changed={"travel_down_um": 700, "travel_up_um": 4_500, "pickup_gap_um": 5_200, "pickup_up_um": 2_200},
    ),
    Visit(
        "Phalarope No. 10",
        "First string rattles open since the nut was recut",
        3,
        7,
        0.12,
        (1.9, 2.0, 2.1, 2.2),
        (0.01, 0.05, 0.09, 0.11),
        ((0.4, 0.0), (0.2, 0.1), (-0.5, 0.0), (0.9, 0.1)),
        (1, 3, 5, 7, 12),
        changed={"bridge_radius_um": 305_000, "post_spacing_um": 70_000},
    ),
    Visit(
        "Turnstone No. 3",
        "Back to pitch for the term; buzzes past the seventh",
        2,
        10,
        0.2,
        (2.0, 2.0, 2.05, 2.05, 2.15, 2.15, 2.2, 2.2, 2.3, 2.3, 2.4, 2.4),
        (0.05, 0.05, 0.06, 0.06, 0.05, 0.09, 0.06, 0.1, 0.1, 0.1, 0.1, 0.11),
        tuple((0.1 * (i % 5) - 0.1, 0.0) for i in range(12)),
        (12,),
        (7, 8, 9, 10, 11),
        0.12,
    ),
)


def make_setups(db: Connection, today: date) -> None:
    """Store all of them as they stand on a day."""
    for visit in VISITS:
        _open(db, visit, today)
    presets.put(db, presets.NamedPreset("Slide", "electric", 250, 2_300, 2_600, 700, 110, 2_800))
    presets.put(db, presets.NamedPreset("Low and light", "electric", 120, 1_300, 1_600, None, 75))
    _finished(db, today)


def _at(day: date, hour: int, minute: int = 0) -> str:
    return datetime.combine(day, time(hour, minute), UTC).isoformat(timespec="milliseconds").replace("+00:00", "Z")


def _head(kind: str, when: str, strings: int, at_frets: tuple[int, ...] = ()) -> SurveyHead:
    tools = {
        "strings": ("feeler gauges and a string-height rule", 50),
        "intonation": ("tuner", 50),
        "buzz": ("by ear", 1),
        "straightness": ("straightedge and feeler gauges", 20),
    }
    tool, resolution = tools[kind]
    counted = 0 if kind == "straightness" else strings
    return SurveyHead(
        kind,
        when,
        SURVEY_KINDS[kind].methods[0],
        "fret_tops",
        tool,
        resolution,
        "tuned",
        21.0,
        51.0,
        "lane_by_lane",
        "",
        counted,
        at_frets,
    )


def _keep(
    db: Connection, made: instruments.Instrument, job: int, head: SurveyHead, rows: dict[Place, int], at: str
) -> None:
    survey = surveys.start(db, made.id, job, made.spec.frets, head, at)
    surveys.add_many(db, survey, [(place, um, f"{um / 1000:g}") for place, um in rows.items()], at)


def _relief(db: Connection, made: instruments.Instrument, job: int, when: str, relief: float, at: str) -> None:
    x, chance = fret_positions(made.spec.mean_scale_mm, made.spec.frets), random.Random(made.id)
    rows: dict[Place, int] = {
        ("middle", fret): (
            round(100 * (4 * relief * (at_x - x[0]) * (x[-1] - at_x) / (x[-1] - x[0]) ** 2 + chance.gauss(0, 0.003)))
            * 10
        )
        for fret, at_x in enumerate(x, start=1)
    }
    _keep(db, made, job, _head("straightness", when, 0), rows, at)


def _strings(
    db: Connection,
    made: instruments.Instrument,
    job: int,
    when: str,
    action: tuple[float, ...],
    gap: tuple[float, ...],
    at: str,
) -> None:
    rows: dict[Place, int] = {(str(n), 12): round(mm * 1000) for n, mm in enumerate(action, start=1)}
    rows |= {(str(n), 1): round(mm * 1000) for n, mm in enumerate(gap, start=1)}
    _keep(db, made, job, _head("strings", when, made.spec.strings), rows, at)


def _cents(
    db: Connection,
    made: instruments.Instrument,
    job: int,
    when: str,
    sharp: tuple[tuple[float, float], ...],
    frets: tuple[int, ...],
    at: str,
) -> None:
    chance = random.Random(made.id + 7)
    rows: dict[Place, int] = {}
    for n, ((saddle, nut), scale) in enumerate(zip(sharp, scales(made.spec), strict=True), start=1):
        for fret in frets:
            left = scale - fret_position(scale, fret)
            cents = K_CENTS * (saddle * (1 / left - 1 / scale) + nut / scale) + chance.gauss(0, 0.3)
            rows[str(n), fret] = round(2 * cents) * 50
    _keep(db, made, job, _head("intonation", when, made.spec.strings, frets), rows, at)


def _plan(db: Connection, made: instruments.Instrument, visit: Visit, at: str) -> SetupPlan:
    changed: dict[str, Any] = dict(visit.changed)
    plan = replace(starting_setup(made.spec), **changed)
    setups.PLANS.save(db, made.id, plan, at)
    return plan


def _open(db: Connection, visit: Visit, today: date) -> None:
    made = instruments.get(db, instruments.named(db, visit.name)[0])
    day = today - timedelta(days=visit.ago)
    job = jobs.open_job(
        db, made.id, "setup", _at(day, 9), (today + timedelta(days=visit.promised)).isoformat(), visit.asked
    )
    plan = _plan(db, made, visit, _at(day, 9, 10))
    _relief(db, made, job, "before", visit.relief, _at(day, 10))
    _strings(db, made, job, "before", visit.action, visit.gap, _at(day, 10, 20))
    _cents(db, made, job, "before", visit.sharp, visit.at_frets, _at(day, 10, 40))
    if visit.played:
        head = _head("buzz", "before", made.spec.strings)
        buzzes = _buzzes(plan, made, visit)
        rows = {
            place: BUZZES_UM if (int(place[0]), place[1]) in buzzes else CLEAN_UM
            for place in places(head, made.spec.frets)
            if place[1] in visit.played
        }
        _keep(db, made, job, head, rows, _at(day, 11))
    if visit.name == "Phalarope No. 10":
        _accept(
            db,
            made,
            plan,
            job,
            SetupReadings(visit.relief, dict(enumerate(visit.action, start=1)), dict(enumerate(visit.gap, start=1))),
            _at(day, 12),
        )


def _buzzes(plan: SetupPlan, made: instruments.Instrument, visit: Visit) -> set[tuple[int, int]]:
    """The notes that buzz on this neck, its twelfth fret being proud."""
    found = SetupReadings(visit.relief, dict(enumerate(visit.action, start=1)), dict(enumerate(visit.gap, start=1)))
    now = assemble(plan, made.spec, found)
    proud = [visit.proud_12 if fret == 12 else 0.0 for fret in range(1, made.spec.frets + 1)]
    held_there = held(now.strings, now.strung())
    return {
        (string.string, fret)
        for string in clearance(replace(now.frame, errors=proud), held_there, now.stroke)
        for fret, least in enumerate(string.least())
        if least < 0
    }


def _errors(db: Connection, made: instruments.Instrument) -> dict[str, list[float]]:
    """How the frets stood off their lines when they were last read."""
    survey = surveys.of_instrument(db, made.id, "fret_heights", 1)[0]
    heights = heights_from(surveys.values(db, survey.id), survey.head.method, survey.frets)
    return errors_of(heights, made.spec.mean_scale_mm, survey.frets)


def _accept(
    db: Connection, made: instruments.Instrument, plan: SetupPlan, job: int, found: SetupReadings, at: str
) -> dict[int, float]:
    now = assemble(plan, made.spec, found, _errors(db, made))
    solved = solve(plan, made.spec, now)
    actions = {string.string: string.action_12_mm for string in solved.strung}
    target = target_of(plan, solved.relief_mm, actions)
    inputs = {"plan": to_fields(plan), "relief_um": None, "surveys": {}, "unread": list(now.unread)}
    setups.accept(db, job, at, inputs, target_record(target))
    return {0: solved.relief_mm, **actions}


def _finished(db: Connection, today: date) -> None:
    """Whimbrel: set up five weeks ago, from intake to a neck that plays clean."""
    visit = Visit(
        "Whimbrel No. 8", "Set for a lighter hand", 36, 0, 0.46, (2.7, 2.8, 2.9, 3.05), (0.19, 0.18, 0.22, 0.27)
    )
    made = instruments.get(db, instruments.named(db, visit.name)[0])
    day = today - timedelta(days=visit.ago)
    job = jobs.open_job(db, made.id, "setup", _at(day, 9), (day + timedelta(days=2)).isoformat(), visit.asked)
    plan = _plan(db, made, visit, _at(day, 9, 10))
    _relief(db, made, job, "before", visit.relief, _at(day, 9, 30))
    _strings(db, made, job, "before", visit.action, visit.gap, _at(day, 9, 50))
    _cents(
        db, made, job, "before", ((1.9, 0.2), (2.3, 0.4), (2.8, 0.6), (3.4, 0.9)), (1, 3, 5, 7, 12), _at(day, 10, 10)
    )
    found = SetupReadings(visit.relief, dict(enumerate(visit.action, start=1)), dict(enumerate(visit.gap, start=1)))
    wanted = _accept(db, made, plan, job, found, _at(day, 11))
    after = tuple(round(wanted[n] * 50) / 50 for n in range(1, 5))
    _relief(db, made, job, "between", wanted[0] + 0.01, _at(day, 14))
    _strings(db, made, job, "after", after, (0.12, 0.13, 0.14, 0.14), _at(day, 15))
    _cents(db, made, job, "after", ((0.1, 0.0), (-0.1, 0.1), (0.2, 0.0), (0.1, 0.1)), (1, 3, 5, 7, 12), _at(day, 16))
    head = _head("buzz", "after", made.spec.strings)
    _keep(db, made, job, head, dict.fromkeys(places(head, made.spec.frets), CLEAN_UM), _at(day, 16, 30))
    jobs.close(db, job, _at(day, 17))

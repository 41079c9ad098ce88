"""One instrument's history as a single line of time: what was read, what was done to it, the jobs it stood in."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Literal

from deft_bench.bench.survey_results import SurveyResults
from deft_bench.core.acts import Act
from deft_bench.core.survey_kinds import ACTION_FRET
from deft_bench.core.times import moment
from deft_bench.store import jobs

Kind = Literal["survey", "act", "job", "climate"]
KINDS: dict[Kind, str] = {"survey": "Surveys", "act": "Work on it", "job": "Jobs", "climate": "Climate"}
Series = list[tuple[str, float, float | None]]
"""(when, mm, % RH), the oldest first"""


@dataclass(frozen=True, slots=True)
class Week:
    """The bench's climate over a week: the least and the most, % RH and °C."""

    humidity: tuple[float, float]
    temperature_c: tuple[float, float]


@dataclass(frozen=True, slots=True)
class Moment:
    """One thing that happened, with what it was: a survey with its figures, an act, a job that was opened or closed
    (`closed`), or a week's climate.
    """

    at: str
    kind: Kind
    survey: SurveyResults | None = None
    act: Act | None = None
    job: jobs.Job | None = None
    closed: bool = False
    week: Week | None = None


def timeline(
    visits: Sequence[SurveyResults],
    done: Sequence[Act],
    every_job: Sequence[jobs.Job],
    climates: Sequence[tuple[str, float, float]] = (),
    only: str = "",
) -> list[Moment]:
    """Everything, or one kind of it, the latest first; of an inspection only what was read; of `climates` (when, °C,
    % RH), oldest first, those while it was here for a job, a week together.
    """
    found = [Moment(visit.survey.taken_at, "survey", survey=visit) for visit in visits]
    found += [Moment(act.at, "act", act=act) for act in done]
    for job in every_job:
        if job.kind == "inspection":  # its survey says all
            continue
        found.append(Moment(job.opened_at, "job", job=job))
        if job.closed_at is not None and job.closed_at != job.opened_at:
            found.append(Moment(job.closed_at, "job", job=job, closed=True))
    found += _weeks(every_job, climates)
    return sorted((one for one in found if only in ("", one.kind)), key=lambda one: one.at, reverse=True)


def _weeks(every_job: Sequence[jobs.Job], climates: Sequence[tuple[str, float, float]]) -> list[Moment]:
    weeks: dict[tuple[int, int], list[tuple[str, float, float]]] = {}
    for entry in climates:
        if any(job.opened_at <= entry[0] and (job.closed_at is None or entry[0] <= job.closed_at) for job in every_job):
            year, number, _ = moment(entry[0]).isocalendar()
            weeks.setdefault((year, number), []).append(entry)
    found = []
    for entries in weeks.values():
        at, temperatures, humidities = zip(*entries, strict=True)
        week = Week((min(humidities), max(humidities)), (min(temperatures), max(temperatures)))
        found.append(Moment(at[-1], "climate", week=week))
    return found


def series(visits: Sequence[SurveyResults]) -> dict[str, Series]:
    """What changes over the years, by name: relief, the mean action over fret 12, the worst fret off its line, and the
    lowest crown that was read; each with the humidity at which it was read.
    """
    found: dict[str, Series] = {"Relief": [], "Action over fret 12": [], "Worst fret": [], "Lowest crown": []}
    for visit in reversed(visits):
        head, figures = visit.survey.head, visit.figures
        if head.kind == "straightness" and figures.straight:
            mm, name = figures.straight.relief_mm, "Relief"
        elif head.kind == "strings" and (
            over := [um for (_, fret), um in visit.values.items() if fret == ACTION_FRET and um is not None]
        ):
            mm, name = sum(over) / len(over) / 1000, "Action over fret 12"
        elif head.kind == "fret_heights" and figures.complete:
            worst = max((figures.proud[1] if figures.proud else 0.0, -figures.low[1] if figures.low else 0.0))
            mm, name = worst, "Worst fret"
        elif head.kind == "crown_height" and (crowns := [um for um in visit.values.values() if um is not None]):
            mm, name = min(crowns) / 1000, "Lowest crown"
        else:
            continue
        found[name].append((visit.survey.taken_at, mm, head.humidity))
    return found


def moved_between(
    earlier: Mapping[str, Sequence[float | None]], later: Mapping[str, Sequence[float | None]]
) -> dict[str, list[float | None]]:
    """By lane and fret, how much higher over its lane's fair line a place stands in the later survey, mm; None where
    either has no reading.
    """
    return {
        lane: [None if a is None or b is None else b - a for a, b in zip(earlier[lane], off, strict=True)]
        for lane, off in later.items()
        if lane in earlier
    }

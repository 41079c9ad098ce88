"""Intonation: every string's fit, its move in mm and turns, and the call."""

from collections.abc import Sequence
from dataclasses import dataclass, replace

from deft_bench.bench.setup.readings import SetupSurveys, cents_of
from deft_bench.bench.survey_results import questioned
from deft_bench.core.calls import Call
from deft_bench.core.doubts import doubted_call
from deft_bench.core.instrument import Spec
from deft_bench.core.limits import GATE_CENTS
from deft_bench.core.shop_settings import ShopSettings
from deft_bench.core.strings.intonation import (
    CentsReading,
    Intonation,
    Pressing,
    begin_with,
    eighths,
    intonation,
    intonation_call,
    pressing_of,
    turns_for,
)
from deft_bench.core.strings.nut_depth import gap_side
from deft_bench.core.strings.reachable import cents_within
from deft_bench.core.strings.setup_plan import SetupPlan, gap_range, pulls, saddle_starts, scales
from deft_bench.store.database import Connection

SCREWED = ("individual", "tail_mounted")
"""Bridges whose saddles are moved by a screw each."""
LEAST_SD_CENTS, UNREAD_SD_CENTS = 0.1, 1.0
"""What a tuner is good to at best, and what is taken where it was not said."""


@dataclass(frozen=True, slots=True)
class StringFit:
    """What one string's readings say; `turns` of the screw where there is one, `worst` the furthest reading, cents."""

    fit: Intonation
    call: Call
    turns: float | None
    worst: float
    true: bool


@dataclass(frozen=True, slots=True)
class IntonationRow:
    """One string: its readings, and what they say (None where nothing was read)."""

    number: int
    read: Sequence[CentsReading]
    fitted: StringFit | None


@dataclass(frozen=True, slots=True)
class IntonationFindings:
    """All strings; `gate` in cents, `worst` the string to begin with, `starts` where a new bridge's saddles start."""

    rows: list[IntonationRow]
    gate: float
    worst: IntonationRow | None
    starts: list[float | None]

    @property
    def some_reached(self) -> bool:
        """Whether a string passes only as the best that its saddle can do."""
        fitted = [row.fitted for row in self.rows if row.fitted]
        return any(one.true and abs(one.worst) > self.gate + 1e-9 for one in fitted)


def intonation_findings(
    db: Connection, settings: ShopSettings, spec: Spec, plan: SetupPlan, found: SetupSurveys
) -> IntonationFindings:
    """Intonation as last read."""
    survey = found.of.get("intonation")
    odd = questioned(db, settings, survey) if survey else []
    sd = max(LEAST_SD_CENTS, survey.head.resolution_um / 100) if survey else UNREAD_SD_CENTS
    rows = []
    for number, (scale, pull) in enumerate(zip(scales(spec), pulls(plan, spec), strict=True), start=1):
        read = cents_of(found.found, number)
        gap = found.found.gap_mm.get(number)
        first = None if gap is None else gap_side(gap, *gap_range(plan, number))
        pressing = _pressing(plan, found, number, scale, pull)
        fit = intonation(scale, read, sd, pressing=pressing) if read else None
        fitted = _fitted(settings, spec, plan, fit, read, first) if fit else None
        own = [doubt for doubt in odd if doubt.place[0] == str(number)]
        if fitted and own:
            fitted = replace(fitted, call=doubted_call(fitted.call, own))
        rows.append(IntonationRow(number, read, fitted))
    first_string = begin_with({row.number: (row.fitted.fit, row.fitted.call) for row in rows if row.fitted})
    return IntonationFindings(
        rows,
        GATE_CENTS[spec.bridge],
        next((row for row in rows if row.number == first_string), None),
        saddle_starts(plan, spec, found.found.action_mm),
    )


def _pressing(plan: SetupPlan, found: SetupSurveys, number: int, scale_mm: float, pull_n: float) -> Pressing | None:
    """What a string is pressed through, by the action and gap as last read; None where one is not read."""
    action, gap = found.found.action_mm.get(number), found.found.gap_mm.get(number)
    if action is None or gap is None:
        return None
    return pressing_of(plan.strings[number - 1], scale_mm, pull_n, action, gap, plan.bearing_fret)


def _fitted(
    settings: ShopSettings,
    spec: Spec,
    plan: SetupPlan,
    fit: Intonation,
    read: Sequence[CentsReading],
    first_gap: str | None,
) -> StringFit:
    gate, thread = GATE_CENTS[spec.bridge], plan.intonation_thread_um / 1000
    screwed = spec.bridge in SCREWED

    def turns(shift: float) -> str:
        count = turns_for(shift, thread)
        return f"{eighths(count)} turn{'s' if abs(count) > 1 else ''} of the screw"

    return StringFit(
        fit,
        intonation_call(fit, read, gate, first_gap, settings.display.fine_mm, turns if screwed else None),
        turns_for(fit.saddle_shift_mm, thread) if screwed else None,
        max((reading.cents for reading in read), key=abs),
        all(abs(reading.cents) <= cents_within(gate, fit.reachable_cents) + 1e-9 for reading in read),
    )

"""Intonation: every string's fit, its move in mm and turns, and the call."""

from collections.abc import Mapping, Sequence
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
    with_one_saddle,
)
from deft_bench.core.strings.nut_depth import gap_side
from deft_bench.core.strings.reachable import STRINGS_A_SADDLE, cents_within, on_one_saddle
from deft_bench.core.strings.setup_plan import SetupPlan, gap_range, pulls, saddle_starts, scales
from deft_bench.store.database import Connection

SCREWED = (*STRINGS_A_SADDLE, "tail_mounted")
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
    """All strings; `gate` in cents, `worst` the string to begin with, `starts` where a new bridge's saddles start;
    `screwed` whether a screw moves each saddle, and `shared` how many strings lie on one.
    """

    rows: list[IntonationRow]
    gate: float
    worst: IntonationRow | None
    starts: list[float | None]
    screwed: bool
    shared: int

    @property
    def some_reached(self) -> bool:
        """Whether a string passes only as the best that its saddle can do."""
        fitted = [row.fitted for row in self.rows if row.fitted]
        return any(one.true and abs(one.worst) > self.gate + 1e-9 for one in fitted)


def intonation_findings(
    db: Connection,
    settings: ShopSettings,
    spec: Spec,
    plan: SetupPlan,
    found: SetupSurveys,
    wanted: Mapping[int, tuple[float, float]],
) -> IntonationFindings:
    """Intonation as last read; `wanted` first-fret gaps are those that a job accepted; the plan's where none are."""
    survey = found.of.get("intonation")
    odd = questioned(db, settings, survey) if survey else []
    sd = max(LEAST_SD_CENTS, survey.head.resolution_um / 100) if survey else UNREAD_SD_CENTS
    rows, fits = [], _fits(spec, plan, found, sd)
    for number in range(1, spec.strings + 1):
        read = cents_of(found.found, number)
        gap = found.found.gap_mm.get(number)
        first = None if gap is None else gap_side(gap, *(wanted.get(number) or gap_range(plan, number)))
        fit = fits.get(number)
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
        spec.bridge in SCREWED,
        STRINGS_A_SADDLE.get(spec.bridge, 1),
    )


def _fits(spec: Spec, plan: SetupPlan, found: SetupSurveys, sd_cents: float) -> dict[int, Intonation]:
    """What the readings of each string say of its saddle, by number; of strings on one saddle by one shift."""
    length, pull = scales(spec), pulls(plan, spec)
    read = {number: cents_of(found.found, number) for number in range(1, spec.strings + 1)}
    fits = {
        n: intonation(length[n - 1], cents, sd_cents, pressing=_pressing(plan, found, n, length[n - 1], pull[n - 1]))
        for n, cents in read.items()
        if cents
    }
    for group in on_one_saddle(spec.bridge, spec.strings):
        if len(group) > 1 and (known := [n for n in group if n in fits]):
            shared = with_one_saddle([length[n - 1] for n in known], [read[n] for n in known], [fits[n] for n in known])
            fits |= dict(zip(known, shared, strict=True))
    return fits


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

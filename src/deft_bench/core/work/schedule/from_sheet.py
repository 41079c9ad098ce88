"""A job for the schedule from its run sheet: the steps not yet done in the sheet's own order, so that no rule is
broken.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date, datetime, time, tzinfo

from deft_bench.core.work.run_sheet import RunSheet, held_by
from deft_bench.core.work.schedule.bench import Step

PART_USABLE = time(12)
"""A part that comes on a day is counted on from noon."""
LEAST_LEFT_MIN = 5.0
"""What a step that has run longer than it should is still taken to need."""


@dataclass(frozen=True, slots=True)
class Awaited:
    """A part on order: what, the day it is due, and the step that needs it (empty: the first after the intake)."""

    what: str
    due: date
    step: str = ""


def steps_left(
    sheet: RunSheet,
    minutes: Mapping[str, float],
    waits: Mapping[str, float],
    *,
    resting: Mapping[str, datetime] | None = None,
    running: Mapping[str, float] | None = None,
    parts: Sequence[Awaited] = (),
    zone: tzinfo | None = None,
    done: Sequence[str] = (),
) -> tuple[Step, ...]:
    """The steps still to do. `minutes` and `waits` (with leads) are by operation; `resting` says until when
    something done still cures, `running` how long a step has been worked on, `done` what the record shows as
    behind beyond the sheet.
    """
    behind = {step.operation.code for step in sheet.steps if step.done} | set(done)
    left = [step.operation for step in sheet.steps if step.operation.code not in behind]
    place = {one.code: k for k, one in enumerate(left)}
    first_work = next((one.code for one in left if one.stage != "intake"), "")
    found = []
    for k, one in enumerate(left):
        before = [rule.before for rule in sheet.rules if rule.after == one.code]
        before += [
            rule.before for rule in held_by(sheet, one.code, [*(resting or {}), *(other.code for other in left[:k])])
        ]
        held = (
            [(resting[code], f"{_title(sheet, code)} rests") for code in before if code in (resting or {})]
            if resting
            else []
        )
        for part in parts:
            if one.code == (part.step if part.step in place else first_work):
                held.append((datetime.combine(part.due, PART_USABLE, zone), part.what))
        until, why = max(held, default=(None, ""), key=lambda item: item[0])
        spent = (running or {}).get(one.code)
        # a clock that was set back since does not make the work longer
        work = minutes[one.code] if spent is None else max(LEAST_LEFT_MIN, minutes[one.code] - max(0.0, spent))
        found.append(
            Step(
                one.code,
                one.title,
                max(1, round(work)),
                round(waits[one.code]),
                tuple(sorted({place[code] for code in before if place.get(code, k) < k and waits[code]})),
                prepared=bool(one.lead_days),
                holds=one.holds,
                outdoors=one.outdoors,
                not_before=until,
                why_not_before=why,
            )
        )
    return tuple(found)


def _title(sheet: RunSheet, code: str) -> str:
    return next((step.operation.title for step in sheet.steps if step.operation.code == code), code)

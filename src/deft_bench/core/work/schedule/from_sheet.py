"""A job for the schedule from its run sheet: the steps not yet done in the sheet's own order, so that no rule is
broken.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date, datetime, time, tzinfo

from deft_bench.core.work.catalogue import Operation
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
    place = {operation.code: k for k, operation in enumerate(left)}
    resting, running = resting or {}, running or {}
    awaited = _awaited(parts, left, zone)
    steps = []
    for k, operation in enumerate(left):
        code = operation.code
        before = [rule.before for rule in sheet.rules if rule.after == code]
        before += [rule.before for rule in held_by(sheet, code, [*resting, *(other.code for other in left[:k])])]
        held = [(resting[other], f"{_title(sheet, other)} rests") for other in before if other in resting]
        until, why = max([*held, *awaited.get(code, ())], default=(None, ""), key=lambda item: item[0])
        steps.append(
            Step(
                code,
                operation.title,
                max(1, round(_work_left(minutes[code], running.get(code)))),
                round(waits[code]),
                tuple(sorted({place[other] for other in before if place.get(other, k) < k and waits[other]})),
                prepared=bool(operation.lead_days),
                holds=operation.holds,
                outdoors=operation.outdoors,
                not_before=until,
                why_not_before=why,
            )
        )
    return tuple(steps)


def _awaited(
    parts: Sequence[Awaited], left: Sequence[Operation], zone: tzinfo | None
) -> dict[str, list[tuple[datetime, str]]]:
    """By operation: when the parts that it waits for can be used, and what they are. A part for none of the steps
    holds the first work.
    """
    codes = [operation.code for operation in left]
    first_work = next((operation.code for operation in left if operation.phase != "intake"), "")
    awaited: dict[str, list[tuple[datetime, str]]] = {}
    for part in parts:
        usable = datetime.combine(part.due, PART_USABLE, zone), part.what
        awaited.setdefault(part.step if part.step in codes else first_work, []).append(usable)
    return awaited


def _work_left(planned_min: float, spent_min: float | None) -> float:
    """Minutes still to work; a clock that was set back since does not make the work longer."""
    return planned_min if spent_min is None else max(LEAST_LEFT_MIN, planned_min - max(0.0, spent_min))


def _title(sheet: RunSheet, code: str) -> str:
    return next((step.operation.title for step in sheet.steps if step.operation.code == code), code)

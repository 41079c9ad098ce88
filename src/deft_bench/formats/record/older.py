"""Records of older versions, brought up to this one, a step a version.

A step says what the next version had more, and what an older record means by not having it. What a record does hold is
never changed: it is judged by the schema, like every other.
"""

from collections.abc import Mapping
from copy import deepcopy
from dataclasses import dataclass, field
from typing import Any


@dataclass(frozen=True, slots=True)
class Step:
    """The fields that one version has more than the version before, with what they are where they were not yet."""

    record: Mapping[str, Any] = field(default_factory=dict)
    job: Mapping[str, Any] = field(default_factory=dict)
    survey: Mapping[str, Any] = field(default_factory=dict)
    plan_inputs: Mapping[str, Any] = field(default_factory=dict)


STEPS: Mapping[int, Step] = {
    # to 2: boards and refrets
    1: Step(
        {"project": False, "board_plans": [], "board_ticks": [], "rod_turns": []},
        {"refret_plans": [], "fitted": [], "polished": [], "order": []},
        plan_inputs={"school": "full"},
    ),
    # to 3: setups, run sheets and estimates
    2: Step(
        {"setup_plans": []},
        {"setups": [], "sheet_plans": [], "sheet_events": [], "estimates": []},
        {"strings": 0, "at_frets": [], "sounded": []},
    ),
    # to 4: the weight of a promise, frets ticked within a step
    3: Step(job={"weight": 1, "sheet_ticks": []}),
}


def brought_up(record: Any) -> Any:
    """An older record as this version has it; anything else as it is."""
    while isinstance(record, dict) and isinstance(version := record.get("version"), int) and version in STEPS:
        step = STEPS[version]
        record = _with(record, step.record) | {"version": version + 1}
        for name, more in (("jobs", step.job), ("surveys", step.survey)):
            if name in record:
                record[name] = _each(record[name], more)
        for job in _objects(record.get("jobs")):
            for plan in _objects(job.get("plans")):
                if "inputs" in plan:
                    plan["inputs"] = _with(plan["inputs"], step.plan_inputs)
    return record


def _with(found: Any, more: Mapping[str, Any]) -> Any:
    """An object with what it lacks; anything else as it is."""
    return {**deepcopy(dict(more)), **found} if isinstance(found, dict) else found


def _each(found: Any, more: Mapping[str, Any]) -> Any:
    return [_with(one, more) for one in found] if isinstance(found, list) else found


def _objects(found: Any) -> list[dict[str, Any]]:
    return [one for one in found if isinstance(one, dict)] if isinstance(found, list) else []

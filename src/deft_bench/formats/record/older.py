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
    """What one version has more than the version before, with what it is where it was not yet; what it calls otherwise,
    and what it has no more.
    """

    record: Mapping[str, Any] = field(default_factory=dict)
    job: Mapping[str, Any] = field(default_factory=dict)
    survey: Mapping[str, Any] = field(default_factory=dict)
    plan_inputs: Mapping[str, Any] = field(default_factory=dict)
    level_plan: Mapping[str, Any] = field(default_factory=dict)
    rod_turn: Mapping[str, Any] = field(default_factory=dict)
    survey_renamed: Mapping[str, str] = field(default_factory=dict)
    board_plan: Mapping[str, Any] = field(default_factory=dict)
    board_plan_dropped: frozenset[str] = frozenset()
    seating_by_fret: bool = False
    spec: Mapping[str, Any] = field(default_factory=dict)
    job_event: Mapping[str, Any] = field(default_factory=dict)
    sounded: Mapping[str, Any] = field(default_factory=dict)
    reading: Mapping[str, Any] = field(default_factory=dict)
    sheet_event: Mapping[str, Any] = field(default_factory=dict)
    fret_act: Mapping[str, Any] = field(default_factory=dict)


_SHOPS_RULE = {"rule_step": "", "rule_fine": "", "rule_fine_to_um": 150_000, "rule_read": "1"}
"""A board is marked with the shop's rule where it has none of its own."""

_NOBODY = {"by": None}
"""Nobody was named."""

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
    # to 5: a survey says when it was taken in a field of that name; the school alone says how a machine cuts; frets are
    # found home, not necks; what was recorded by mistake is withdrawn; a level plan keeps the crowns that were
    # read; a board may have a rule of its own, and an octave of another number of frets
    4: Step(
        spec={"divisions": 12},
        job={"withdrawn_at": None, "events": []},
        survey={"withdrawn_at": None},
        plan_inputs={"crown_height_um": {}},
        level_plan={"withdrawn_at": None},
        rod_turn={"withdrawn_at": None},
        survey_renamed={"stage": "when"},
        board_plan={
            "blank_length_um": None,
            "blank_width_um": None,
            "drawing_from": "nut",
            "spread_by": "saddle",
            "neck_shape": "c",
            "facet_rounds": 2,
            **_SHOPS_RULE,
        },
        board_plan_dropped=frozenset({"machine_follow"}),
        seating_by_fret=True,
    ),
    # to 6: steps of a job are signed off with a reason
    5: Step(job_event={"step": ""}),
    # to 7: surveys by ink and blades; what was done to single frets
    6: Step(job={"fret_acts": []}, survey={"strokes": 0, "blades_um": []}),
    # to 8: a rocker stands on frets further off than the neighbours
    7: Step(survey={"reach": 1}),
    # to 9: lengths of the specification may be unknown
    8: Step(spec={"unknown": []}),
    # to 10: the spread of a survey's gauge; how well a note's pitch is known
    9: Step(survey={"spread_um": None}, sounded={"sd_cents": None}),
    # to 11: what a note as heard has of a buzz
    10: Step(sounded={"ear": None}),
    # to 12: who read and who did it
    11: Step(
        reading=_NOBODY,
        sheet_event=_NOBODY,
        fret_act=_NOBODY,
        job_event=_NOBODY,
        level_plan={**_NOBODY, "done_by": None},
        rod_turn=_NOBODY,
    ),
}


def brought_up(record: Any) -> Any:
    """An older record as this version has it; anything else as it is."""
    while isinstance(record, dict) and isinstance(version := record.get("version"), int) and version in STEPS:
        step = STEPS[version]
        record = _with(record, step.record) | {"version": version + 1}
        for name, more in (("jobs", step.job), ("surveys", step.survey)):
            if name in record:
                record[name] = _each(record[name], more)
        if step.survey_renamed and isinstance(record.get("surveys"), list):
            record["surveys"] = [_renamed(survey, step.survey_renamed) for survey in record["surveys"]]
        for survey in _objects(record.get("surveys")):
            _bring_up_parts(survey, {"sounded": step.sounded, "readings": step.reading})
        _bring_up_specs(record, step)
        _bring_up_boards(record, step)
        if step.seating_by_fret:
            record["jobs"] = _found_home(record.get("jobs"), _objects(record.get("surveys")))
        for job in _objects(record.get("jobs")):
            _bring_up_job(job, step)
        for turn in _objects(record.get("rod_turns")):
            turn |= {name: value for name, value in step.rod_turn.items() if name not in turn}
    return record


def _bring_up_parts(holder: dict[str, Any], more: Mapping[str, Mapping[str, Any]]) -> None:
    """What every entry of some lists has more."""
    for name, fields in more.items():
        if name in holder:
            holder[name] = _each(holder[name], fields)


def _bring_up_job(job: dict[str, Any], step: Step) -> None:
    _bring_up_parts(job, {"events": step.job_event, "sheet_events": step.sheet_event, "fret_acts": step.fret_act})
    for plan in _objects(job.get("plans")):
        plan |= {name: value for name, value in step.level_plan.items() if name not in plan}
        if "inputs" in plan:
            plan["inputs"] = _with(plan["inputs"], step.plan_inputs)


def _bring_up_specs(record: dict[str, Any], step: Step) -> None:
    for holder in (record, *_objects(record.get("revisions"))):
        if "spec" in holder:
            holder["spec"] = _with(holder["spec"], step.spec)


def _bring_up_boards(record: dict[str, Any], step: Step) -> None:
    for saved in _objects(record.get("board_plans")):
        if isinstance(saved.get("plan"), dict):
            kept = {name: value for name, value in saved["plan"].items() if name not in step.board_plan_dropped}
            saved["plan"] = _with(kept, step.board_plan)


def _with(found: Any, more: Mapping[str, Any]) -> Any:
    """An object with what it lacks; anything else as it is."""
    return {**deepcopy(dict(more)), **found} if isinstance(found, dict) else found


def _found_home(jobs: Any, surveys: list[dict[str, Any]]) -> Any:
    """Jobs that say frets are home where they said that the whole neck was: by the job's last heights."""
    if not isinstance(jobs, list):
        return jobs
    found = []
    for job in jobs:
        if isinstance(job, dict) and "found_home" not in job and isinstance(job.get("seated"), bool):
            heights = [one for one in surveys if one.get("job") == job.get("uid") and one.get("kind") == "fret_heights"]
            said = []
            if job["seated"] and heights and isinstance(frets := heights[-1].get("frets"), int) and 0 < frets <= 60:
                last = heights[-1]
                every = list(range(1, frets + 1))
                said = [{"survey": last.get("uid"), "frets": every, "at": last.get("taken_at"), "taken_back_at": None}]
            job = {name: value for name, value in job.items() if name != "seated"} | {"found_home": said}
        found.append(job)
    return found


def _renamed(found: Any, names: Mapping[str, str]) -> Any:
    """An object with its fields' newer names, in order; anything else as it is."""
    if not isinstance(found, dict) or set(found) & set(names.values()):
        return found
    return {names.get(name, name): value for name, value in found.items()}


def _each(found: Any, more: Mapping[str, Any]) -> Any:
    return [_with(entry, more) for entry in found] if isinstance(found, list) else found


def _objects(found: Any) -> list[dict[str, Any]]:
    return [entry for entry in found if isinstance(entry, dict)] if isinstance(found, list) else []

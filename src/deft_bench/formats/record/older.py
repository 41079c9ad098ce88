"""Records of older versions, brought up to this one."""

from typing import Any

from deft_bench.formats.record.schema import VERSION


def brought_up(record: Any) -> Any:
    """An older record as this version has it: version 1 knew no boards and no refrets, version 2 no setups, 3 no
    weights and no frets ticked in a step.
    """
    if not isinstance(record, dict) or record.get("version") not in (1, 2, 3):
        return record
    older = record["version"]
    jobs_then, surveys_then = record.get("jobs"), record.get("surveys")
    if older == 1 and isinstance(jobs_then, list):
        for job in jobs_then:
            for plan in job.get("plans", []) if isinstance(job, dict) and isinstance(job.get("plans"), list) else []:
                if isinstance(plan, dict) and isinstance(plan.get("inputs"), dict):
                    plan["inputs"].setdefault("school", "full")
    started: dict[str, Any] = {"weight": 1, "sheet_ticks": []}
    if older < 3:
        started |= {"setups": [], "sheet_plans": [], "sheet_events": [], "estimates": []}
    if older == 1:
        started |= {"refret_plans": [], "fitted": [], "polished": [], "order": []}
    if isinstance(jobs_then, list):
        jobs_then = [{**started, **job} if isinstance(job, dict) else job for job in jobs_then]
    if older < 3 and isinstance(surveys_then, list):
        plain = {"strings": 0, "at_frets": [], "sounded": []}
        surveys_then = [{**plain, **survey} if isinstance(survey, dict) else survey for survey in surveys_then]
    return {
        **({"project": False, "board_plans": [], "board_ticks": [], "rod_turns": []} if older == 1 else {}),
        **({"setup_plans": []} if older < 3 else {}),
        **record,
        "version": VERSION,
        "jobs": jobs_then,
        "surveys": surveys_then,
    }

"""What a schema cannot see: a record whose parts contradict each other, or that no bench could hold."""

from collections import Counter
from typing import Any

from deft_bench.core.board import plan as board_plan
from deft_bench.core.described import from_fields
from deft_bench.core.instrument import Spec, problems
from deft_bench.core.strings import setup_plan
from deft_bench.core.survey import SurveyHead, head_problems
from deft_bench.core.survey_kinds import SURVEY_KINDS


def contradictions(record: dict[str, Any]) -> list[str]:
    """A line for each thing that is impossible though every field by itself has its form."""
    job_uids = {job["uid"] for job in record["jobs"]}
    return [
        *_spec_lines(record),
        *_board_lines(record),
        *_survey_lines(record, job_uids),
        *_plan_lines(record),
        *_uid_lines(record),
        *(
            f"pins[{i}].job: names no job of this record"
            for i, pin in enumerate(record["pins"])
            if pin["job"] is not None and pin["job"] not in job_uids
        ),
    ]


def head_of(survey: dict[str, Any]) -> SurveyHead:
    """A survey's head from its document."""
    fields = {name: survey[name] for name in SurveyHead.__dataclass_fields__}
    return SurveyHead(**{**fields, "at_frets": tuple(survey["at_frets"]), "blades_um": tuple(survey["blades_um"])})


def _spec_lines(record: dict[str, Any]) -> list[str]:
    specs = [("spec", record["spec"])]
    specs += [(f"revisions[{i}].spec", one["spec"]) for i, one in enumerate(record["revisions"])]
    return [f"{where}.{field}: {why}" for where, spec in specs for field, why in problems(Spec(**spec)).items()]


def _survey_lines(record: dict[str, Any], job_uids: set[str]) -> list[str]:
    lines = []
    for i, survey in enumerate(record["surveys"]):
        here = f"surveys[{i}]"
        if survey["job"] is not None and survey["job"] not in job_uids:
            lines.append(f"{here}.job: names no job of this record")
        lines += [f"{here}.{field}: {why}" for field, why in head_problems(head_of(survey)).items()]
        lines += _chain(here, survey)
    return lines


def _plan_lines(record: dict[str, Any]) -> list[str]:
    lines = []
    frets_of = {survey["uid"]: survey["frets"] for survey in record["surveys"]}
    for i, job in enumerate(record["jobs"]):
        for k, plan in enumerate(job["plans"]):
            here = f"jobs[{i}].plans[{k}]"
            if plan["survey"] in frets_of:
                lines += _plan_shape(here, plan, frets_of[plan["survey"]])
            else:
                lines.append(f"{here}.survey: names no survey of this record")
        for k, said in enumerate(job["found_home"]):
            here = f"jobs[{i}].found_home[{k}]"
            if said["survey"] not in frets_of:
                lines.append(f"{here}.survey: names no survey of this record")
            elif any(fret > frets_of[said["survey"]] for fret in said["frets"]):
                lines.append(f"{here}.frets: past the last fret of its survey")
    return lines


def _uid_lines(record: dict[str, Any]) -> list[str]:
    held = [*record["jobs"], *record["surveys"], *record["pins"], *record["rod_turns"]]
    held += [plan for job in record["jobs"] for plan in job["plans"]]
    return [
        f"uid {uid}: stands twice in this record" for uid, n in Counter(mark["uid"] for mark in held).items() if n > 1
    ]


def _board_lines(record: dict[str, Any]) -> list[str]:
    """What is impossible about saved boards and refrets: the latest of each must be what a form would take."""
    spec = Spec(**record["spec"])
    if problems(spec):
        return []
    lines = []
    if record["board_plans"]:
        last = board_plan.fitted(from_fields(board_plan.BoardPlan, record["board_plans"][-1]["plan"]), spec)
        here = f"board_plans[{len(record['board_plans']) - 1}].plan"
        lines += [f"{here}.{field}: {why}" for field, why in board_plan.plan_problems(last, spec).items()]
    for k, saved in enumerate(record["setup_plans"]):
        lines += _setup_plan_lines(saved["plan"], f"setup_plans[{k}].plan")
    for i, job in enumerate(record["jobs"]):
        lines += _job_plan_lines(job, f"jobs[{i}]", spec.frets)
    ticks = Counter((tick["line"], tick["fret"]) for tick in record["board_ticks"])
    lines += [f"board_ticks: {line} fret {fret} stands twice" for (line, fret), times in ticks.items() if times > 1]
    return lines


def _setup_plan_lines(plan: dict[str, Any], here: str) -> list[str]:
    lengths = {len(plan["gap_low_um"]), len(plan["gap_high_um"]), len(plan["strings"])}
    if len(lengths) > 1 or len(plan["pluck_n"]) not in (0, len(plan["strings"])):
        return [f"{here}: its strings, gaps and forces differ in number"]
    return [
        f"{here}.{field}: {why}"
        for field, why in setup_plan.plan_problems(from_fields(setup_plan.SetupPlan, plan)).items()
    ]


def _job_plan_lines(job: dict[str, Any], here: str, frets: int) -> list[str]:
    """What is impossible about a job's refrets and accepted setups."""
    lines = [
        f"{here}.refret_plans[{k}].plan.frets: this board has {frets} frets"
        for k, saved in enumerate(job["refret_plans"])
        if any(fret > frets for fret in saved["plan"]["frets"])
    ]
    for k, accepted in enumerate(job["setups"]):
        for name in ("action_um", "gap_um"):
            strings = set(accepted["target"][name])
            if not strings or strings != {str(n + 1) for n in range(len(strings))}:
                lines.append(f"{here}.setups[{k}].target.{name}: must name every string once, 1 to the last")
    return lines


def _chain(here: str, survey: dict[str, Any]) -> list[str]:
    """What is wrong with a survey's readings: each is the first of its place, or replaces the latest one there."""
    lines = []
    latest: dict[tuple[str, int], int] = {}
    lanes = SURVEY_KINDS[survey["kind"]].lanes_of(survey["strings"])
    for k, reading in enumerate(survey["readings"]):
        place = reading["lane"], reading["fret"]
        open_string = reading["fret"] == 0 and survey["kind"] != "buzz"
        if reading["lane"] not in lanes or reading["fret"] > survey["frets"] or open_string:
            lines.append(
                f"{here}.readings[{k}]: fret {reading['fret']} {reading['lane']} is not a place of this survey"
            )
        elif reading["replaces"] != latest.get(place):
            lines.append(
                f"{here}.readings[{k}].replaces: must name the reading before it at this place, or be null for the"
                " first"
            )
        latest[place] = k
        if not _can_hold(survey, reading["value_um"]):
            lines.append(f"{here}.readings[{k}].value_um: is no answer, or no blade, of this survey")
    return lines


def _can_hold(survey: dict[str, Any], value_um: int | None) -> bool:
    """Whether a survey can hold a value: of tests one of their answers, of blades one of the set."""
    answers = SURVEY_KINDS[survey["kind"]].answers
    if value_um is None or not (answers or survey["blades_um"]):
        return True
    return value_um in ({stored for stored, _ in answers.values()} or {0, *survey["blades_um"]})


def _plan_shape(here: str, plan: dict[str, Any], frets: int) -> list[str]:
    """What is wrong with the lengths of a plan's lists: one entry a fret everywhere."""
    outcome, inputs = plan["outcome"], plan["inputs"]
    lists = {f"outcome.removal_um.{lane}": offs for lane, offs in outcome["removal_um"].items()}
    lists |= {f"inputs.heights_um.{lane}": heights for lane, heights in inputs["heights_um"].items()}
    lists |= {"outcome.drops_um": outcome["drops_um"], "outcome.removed_um": outcome["removed_um"]}
    lines = [
        f"{here}.{name}: must hold one entry a fret, {frets} in all"
        for name, found in lists.items()
        if len(found) != frets
    ]
    if inputs["survey"] != plan["survey"]:
        lines.append(f"{here}.inputs.survey: names another survey than the plan does")
    return lines

"""`schedule`: jobs over bench hours, with cures, fixtures, preparations, parts and promises; how far from proven
best it stopped.
"""

from collections.abc import Mapping
from datetime import UTC, date, datetime, tzinfo
from typing import Any
from zoneinfo import ZoneInfo, ZoneInfoNotFoundError

from deft_bench.core.work.catalogue import HARDNESS, WARM_C
from deft_bench.core.work.job_sheet import minutes_of
from deft_bench.core.work.run_sheet import RunSheetError, run_sheet
from deft_bench.core.work.schedule.bench import (
    MOST_WEIGHT,
    WEEKDAYS,
    Bench,
    Job,
    Pin,
    Placed,
    Step,
    Technician,
)
from deft_bench.core.work.schedule.from_sheet import Awaited, steps_left
from deft_bench.core.work.schedule.grid import ScheduleError
from deft_bench.core.work.schedule.hours import read_shifts
from deft_bench.core.work.schedule.planning import plan_bench
from deft_bench.core.work.schedule.solve import LIMIT_S
from deft_bench.formats.calc.fields import Schema, listed, request
from deft_bench.formats.calc.run_sheet import EXTENT, USUAL_FACTS, extent_asked
from deft_bench.formats.operations_toml import shipped
from deft_bench.formats.strict_json import RequestError

ABOUT = (
    "Several jobs over bench hours: least lateness by weight, then least moved, idle and changeovers, with the proven"
    " bound of each"
)

_CODE: Schema = {"type": "string", "minLength": 1, "maxLength": 60}
_TEXT: Schema = {"type": "string", "maxLength": 120}
_DAY: Schema = {"type": "string", "pattern": r"^\d{4}-\d{2}-\d{2}$"}
_MOMENT: Schema = {"type": "string", "maxLength": 40, "description": "ISO 8601; local time where it has no offset"}
_MINUTES: Schema = {"type": "integer", "minimum": 0, "maximum": 60_000}


def _object(properties: dict[str, Schema], required: list[str]) -> Schema:
    return {"type": "object", "properties": properties, "required": required, "additionalProperties": False}


_STEP = _object(
    {
        "code": _CODE,
        "title": _TEXT,
        "minutes": _MINUTES,
        "wait_minutes": _MINUTES,
        "after": listed(_CODE, least=0, most=200),
        "prepared": {"type": "boolean"},
        "holds": _TEXT,
        "outdoors": {"type": "boolean"},
        "not_before": _MOMENT,
        "technician": _TEXT,
    },
    ["code", "minutes"],
)
_SHEET = _object(
    {
        "route": _CODE,
        **EXTENT,
        "facts": {"type": "object", "additionalProperties": _TEXT},
        "schools": {"type": "object", "additionalProperties": _CODE},
        "done": listed(_CODE, least=0, most=200),
        "hardness": {"type": "string", "enum": list(HARDNESS)},
        "parts": listed(_object({"what": _TEXT, "due": _DAY, "step": _CODE}, ["what", "due"]), least=0, most=20),
    },
    ["route", "frets", "strings"],
)
_JOB = _object(
    {
        "code": _CODE,
        "title": _TEXT,
        "promised": _DAY,
        "weight": {"type": "integer", "minimum": 1, "maximum": MOST_WEIGHT},
        "arrives": _MOMENT,
        "steps": listed(_STEP, least=0, most=200),
        "sheet": _SHEET,
    },
    ["code"],
)
_PLACED = _object(
    {
        "job": _CODE,
        "step": _CODE,
        "part": {"type": "integer", "minimum": 1},
        "parts": {"type": "integer", "minimum": 1},
        "technician": _TEXT,
        "start": _MOMENT,
        "end": _MOMENT,
        "free_at": _MOMENT,
    },
    ["job", "step", "technician", "start"],
)

SCHEMA = request(
    {
        "now": _MOMENT,
        "zone": {"type": "string", "maxLength": 60, "default": "UTC"},
        "technicians": listed(
            _object(
                {
                    "name": _CODE,
                    "hours": {
                        "type": "object",
                        "properties": {day: {"type": "string", "maxLength": 200} for day in WEEKDAYS},
                        "additionalProperties": False,
                    },
                    "days_off": listed(_DAY, least=0, most=400),
                },
                ["name", "hours"],
            ),
            most=10,
        ),
        "fixtures": {"type": "object", "additionalProperties": {"type": "integer", "minimum": 0, "maximum": 99}},
        "dry": listed({"type": "array", "items": _MOMENT, "minItems": 2, "maxItems": 2}, least=0, most=100),
        "jobs": listed(_JOB, least=0, most=60),
        "pins": listed(
            _object({"job": _CODE, "step": _CODE, "at": _MOMENT, "technician": _TEXT}, ["job", "step", "at"]),
            least=0,
            most=200,
        ),
        "before": listed(_PLACED, least=0, most=2000),
        "temperature_c": {"type": "number", "minimum": -10, "maximum": 50, "default": WARM_C},
        "seconds": {"type": "number", "minimum": 0, "maximum": 60, "default": LIMIT_S},
    },
    ["now", "technicians", "jobs"],
    ABOUT,
)


class _Reader:
    """Reads a request into a bench, gathering what is wrong by its path."""

    def __init__(self, asked: Mapping[str, Any]) -> None:
        self.asked = asked
        self.wrong: list[str] = []
        self.zone: tzinfo = UTC
        try:
            self.zone = ZoneInfo(asked.get("zone", "UTC"))
        except (ZoneInfoNotFoundError, ValueError, OSError):
            self.wrong.append(f"zone: no time zone is called “{asked['zone'][:40]}”")

    def moment(self, text: str | None, path: str) -> datetime | None:
        if text is None:
            return None
        try:
            at = datetime.fromisoformat(text.replace("Z", "+00:00"))
        except ValueError:
            self.wrong.append(
                f"{path}: “{text[:30]}” is no moment; give it as 2026-08-24T09:00 with or without an offset"
            )
            return datetime(2000, 1, 1, tzinfo=self.zone)
        return at if at.tzinfo else at.replace(tzinfo=self.zone)

    def day(self, text: str | None, path: str) -> date | None:
        try:
            return date.fromisoformat(text) if text is not None else None
        except ValueError:
            self.wrong.append(f"{path}: “{text}” is no date")
            return None

    def bench(self) -> Bench:
        asked = self.asked
        now = self.moment(asked["now"], "now")
        technicians = tuple(self._technician(one, f"technicians[{i}]") for i, one in enumerate(asked["technicians"]))
        jobs = tuple(self._job(one, f"jobs[{i}]") for i, one in enumerate(asked["jobs"]))
        pins = tuple(
            Pin(
                one["job"],
                one["step"],
                self.moment(one["at"], f"pins[{i}].at") or datetime.max,
                one.get("technician", ""),
            )
            for i, one in enumerate(asked.get("pins", []))
        )
        windows = None
        if "dry" in asked:
            found = [
                (self.moment(a, f"dry[{i}][0]"), self.moment(b, f"dry[{i}][1]"))
                for i, (a, b) in enumerate(asked["dry"])
            ]
            windows = tuple((a, b) for a, b in found if a is not None and b is not None)
        before = tuple(self._placed(one, f"before[{i}]") for i, one in enumerate(asked.get("before", [])))
        if self.wrong:
            raise RequestError(self.wrong)
        assert now is not None
        return Bench(now, self.zone, technicians, jobs, asked.get("fixtures", {}), windows, pins, before)

    def _technician(self, one: Mapping[str, Any], path: str) -> Technician:
        week = {}
        for day, text in one["hours"].items():
            try:
                week[WEEKDAYS.index(day)] = read_shifts(text)
            except ValueError as error:
                self.wrong.append(f"{path}.hours.{day}: {error}")
        off = [self.day(day, f"{path}.days_off[{i}]") for i, day in enumerate(one.get("days_off", []))]
        return Technician(one["name"], week, frozenset(day for day in off if day is not None))

    def _placed(self, one: Mapping[str, Any], path: str) -> Placed:
        start = self.moment(one["start"], f"{path}.start") or datetime.max
        end = self.moment(one.get("end"), f"{path}.end") or start
        return Placed(
            one["job"],
            one["step"],
            one.get("part", 1),
            one.get("parts", 1),
            one["technician"],
            start,
            end,
            self.moment(one.get("free_at"), f"{path}.free_at") or end,
        )

    def _job(self, one: Mapping[str, Any], path: str) -> Job:
        if ("steps" in one) == ("sheet" in one):
            self.wrong.append(f"{path}: give either its steps or the sheet that they come from")
        steps = self._of_sheet(one["sheet"], path) if "sheet" in one else self._steps(one.get("steps", []), path)
        return Job(
            one["code"],
            one.get("title", ""),
            steps,
            self.day(one.get("promised"), f"{path}.promised"),
            one.get("weight", 1),
            self.moment(one.get("arrives"), f"{path}.arrives"),
        )

    def _steps(self, asked: list[Mapping[str, Any]], path: str) -> tuple[Step, ...]:
        codes = [step["code"] for step in asked]
        steps = []
        for k, step in enumerate(asked):
            after = []
            for code in step.get("after", []):
                if code in codes[:k]:
                    after.append(codes.index(code))
                else:
                    self.wrong.append(f"{path}.steps[{k}].after: “{code}” is no step that stands before it")
            steps.append(
                Step(
                    step["code"],
                    step.get("title", ""),
                    step["minutes"],
                    step.get("wait_minutes", 0),
                    tuple(after),
                    step.get("prepared", False),
                    step.get("holds", ""),
                    step.get("outdoors", False),
                    self.moment(step.get("not_before"), f"{path}.steps[{k}].not_before"),
                    step.get("technician", ""),
                )
            )
        return tuple(steps)

    def _of_sheet(self, asked: Mapping[str, Any], path: str) -> tuple[Step, ...]:
        facts = USUAL_FACTS | asked.get("facts", {})
        try:
            sheet = run_sheet(shipped(), asked["route"], facts, asked.get("schools", {}), done=asked.get("done", ()))
        except RunSheetError as error:
            self.wrong.append(f"{path}.sheet.{error.where}: {error}")
            return ()
        try:
            extent = extent_asked(asked, f"{path}.sheet")
        except RequestError as error:
            self.wrong += error.lines
            return ()
        warmth = self.asked.get("temperature_c", WARM_C)
        hardness = asked.get("hardness", "medium")
        operations = [step.operation for step in sheet.steps]
        minutes = {operation.code: minutes_of(operation, extent, hardness, None) for operation in operations}
        parts = []
        for i, part in enumerate(asked.get("parts", [])):
            due = self.day(part["due"], f"{path}.sheet.parts[{i}].due")
            if due is not None:
                parts.append(Awaited(part["what"], due, part.get("step", "")))
        return steps_left(
            sheet,
            minutes,
            {operation.code: operation.ready_after(warmth) for operation in operations},
            parts=parts,
            zone=self.zone,
        )


def answer(asked: dict[str, Any]) -> dict[str, Any]:
    """Answer one request; a job, technician or pin that cannot be planned is named under `left_out` and the rest is
    planned.
    """
    whole = _Reader(asked).bench()
    try:
        planned = plan_bench(whole, asked.get("seconds", LIMIT_S))
    except ScheduleError as error:
        raise RequestError([f"{error.where}: {error}"]) from None
    bench, found, troubles = planned.bench, planned.found, planned.troubles
    titles = {(job.code, step.code): step.title for job in bench.jobs for step in job.steps}
    return {
        "placed": [placed_fields(one) | {"title": titles[one.job, one.step]} for one in found.placed],
        "aims": [{"name": aim.name, "value": aim.value, "bound": aim.bound, "gap": aim.gap} for aim in found.aims],
        "jobs": [
            {
                "code": job.code,
                "finish": found.finish[job.code].isoformat() if job.steps else None,
                "promised": job.promised.isoformat() if job.promised else None,
                "days_late": found.days_late[job.code],
            }
            for job in bench.jobs
        ],
        "at_risk": [
            {"job": risk.job, "days": risk.days, "alone": risk.alone, "say": risk.say} for risk in planned.risks
        ],
        "left_out": [{"where": trouble.where, "why": trouble.why} for trouble in troubles],
    }


def placed_fields(one: Placed) -> dict[str, Any]:
    """A placed step as JSON."""
    return {
        "job": one.job,
        "step": one.step,
        "part": one.part,
        "parts": one.parts,
        "technician": one.technician,
        "start": one.start.isoformat(),
        "end": one.end.isoformat(),
        "free_at": one.free_at.isoformat(),
    }

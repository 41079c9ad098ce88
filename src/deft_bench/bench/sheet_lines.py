"""A run sheet's steps as they are worked: the lines of the sheet, what is known at the step in hand, and what is done
to them.
"""

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import datetime

from deft_bench.bench.refret_progress import notches_in
from deft_bench.bench.schools import change_elsewhere
from deft_bench.bench.sheet_gates import GateReading, gate_reading, is_read
from deft_bench.bench.sheet_state import RELIEVE, SheetState, catalogue, plan_for, sheet_state, tool_states
from deft_bench.core.calls import frets_named
from deft_bench.core.frets.grit_ladder import Rung, grit_ladder, read_shelf
from deft_bench.core.frets.notch import Notch
from deft_bench.core.shop_settings import ShopSettings
from deft_bench.core.times import moment, stamp
from deft_bench.core.work.catalogue import HARDNESS, Catalogue, Operation, Rule
from deft_bench.core.work.extent import Extent
from deft_bench.core.work.job_sheet import Event, Learned, SheetPlan, StepRecord, records
from deft_bench.core.work.pace import Pace, pace
from deft_bench.core.work.run_sheet import RunSheet, held_by, too_early
from deft_bench.core.work.schedule.bench import Placed
from deft_bench.core.work.stock import amount
from deft_bench.core.work.tools import ToolState
from deft_bench.formats.operations_toml import Problem
from deft_bench.store import instruments, jobs, polish, schedules, sheets, stock
from deft_bench.store.database import Connection, transaction

START_UM = 50.0
"""What a crowning file leaves: the ladder of the sheet begins there, as on the page for crowning and polish."""
NOTCHED = (RELIEVE, "slot_depth", "overbend_cut", "seat")
"""Where what is in the slots is named."""
HAPPENS = ("started", "finished", "skipped", "reopened", "note")


class SheetRefusedError(ValueError):
    """What was asked of the sheet is not done; the words say why."""


@dataclass(frozen=True, slots=True)
class SheetLine:
    """One step of the sheet: its number, gate in the shop's units, time, what happened, and the rules it would break
    now.
    """

    number: int
    operation: Operation
    gate: str
    minutes: float
    own: Learned | None
    record: StepRecord
    proved: bool
    early: list[Rule]

    @property
    def done(self) -> bool:
        """Whether it is behind."""
        return self.record.done or self.proved


@dataclass(frozen=True, slots=True)
class WorkedSheet:
    """A job's sheet with all that it is made from."""

    job: jobs.Job
    instrument: instruments.Instrument
    book: Catalogue
    problems: list[Problem]
    plan: SheetPlan
    state: SheetState
    lines: list[SheetLine]

    @property
    def resting(self) -> set[str]:
        """Steps that are done and still cure or rest."""
        return {timer.step for timer in self.state.running if timer.kind == "rests"}

    @property
    def in_hand(self) -> SheetLine | None:
        """The step to do now: one that is started, else the first whose turn has come."""
        left = [line for line in self.lines if not line.done]
        started = next((line for line in left if line.record.started_at), None)
        return started or next((line for line in left if not line.early), left[0] if left else None)

    def line(self, code: str) -> SheetLine | None:
        """The line of an operation; None for one that is not on this sheet."""
        return next((line for line in self.lines if line.operation.code == code), None)

    def offered(self, code: str) -> tuple[int, ...]:
        """The frets that are ticked off within a step; none for one that is not on this sheet."""
        line = self.line(code)
        if line is None:
            return ()
        extent = self.state.job_sheet.extent
        return extent.ticked(line.operation.counts) if line.operation.by_fret else extent.every

    def why_early(self, rules: Sequence[Rule]) -> str:
        """What comes before a step, and what is spoiled otherwise."""
        resting = self.resting
        return "; ".join(
            f"“{self.book.operations[rule.before].title}”"
            f" {'is not over' if rule.before in resting else 'comes first'}, or {rule.spoils}"
            for rule in rules[:3]
        )


@dataclass(frozen=True, slots=True)
class AtStep:
    """What is known at the step in hand: its gate's reading, what its gate lacks (empty: nothing), frets and abrasives
    ticked, the pace, its tools, what is short, what is on order, when it is planned, the notches that tangs need.
    """

    reading: GateReading | None
    lacks: str
    ticked: Mapping[int, str]
    per_fret: bool
    frets: tuple[int, ...]
    pace: Pace | None
    rungs: list[Rung]
    grits: list[str]
    polished: Mapping[tuple[str, float], str]
    tools: list[ToolState]
    materials: list[tuple[str, str, str]]
    awaited: list[stock.Order]
    planned: Placed | None
    notches: tuple[Notch, ...] = ()


def worked_sheet(
    db: Connection, settings: ShopSettings, now: datetime, job: jobs.Job, instrument: instruments.Instrument
) -> WorkedSheet:
    """The job's sheet as it is now: what follows a cure waits until it is over."""
    book, problems = catalogue(db)
    state = sheet_state(db, settings, now, job, instrument, tool_states(db, now, book))
    found = state.job_sheet
    resting = [timer.step for timer in state.running if timer.kind == "rests"]
    over = sorted(found.behind - set(resting))
    lines = []
    for number, step in enumerate(found.sheet.steps, start=1):
        code = step.operation.code
        lines.append(
            SheetLine(
                number,
                step.operation,
                re.sub(r"\{([\d.]+)\}", lambda mm: settings.display.fine_mm(float(mm[1])), step.operation.gate),
                state.minutes[code],
                state.own[code],
                found.known.get(code, StepRecord()),
                code in found.proved,
                [] if code in found.behind else _early(found.sheet, code, over, resting),
            )
        )
    return WorkedSheet(job, instrument, book, problems, found.plan, state, lines)


def _early(sheet: RunSheet, code: str, over: Sequence[str], resting: Sequence[str]) -> list[Rule]:
    """The rules that doing a step now would break, what still cures or rests first."""
    rules = [*held_by(sheet, code, resting), *too_early(sheet, code, over)]
    return sorted(rules, key=lambda rule: rule.before not in resting)


def at_step(db: Connection, settings: ShopSettings, now: datetime, sheet: WorkedSheet, line: SheetLine) -> AtStep:
    """What is known at a step."""
    job, operation, code = sheet.job, line.operation, line.operation.code
    ticked = sheets.fret_ticks(db, job.id, code)
    names = {name.lower() for name in operation.tools}
    reading = gate_reading(db, settings, operation, job, sheet.instrument) if line.gate else None
    return AtStep(
        reading,
        gate_lacks(job, line, reading),
        ticked,
        operation.by_fret,
        sheet.state.job_sheet.extent.ticked(operation.counts),
        pace_of(ticked, len(sheet.state.job_sheet.extent.ticked(operation.counts)), now),
        _ladder(settings) if "shelf" in operation.grits else [],
        [read_shelf(grit)[0].words for grit in operation.grits if grit != "shelf"],
        polish.done(db, job.id),
        [tool for tool in tool_states(db, now, sheet.book) if tool.near and tool.tool.name.lower() in names],
        _materials(db, operation, sheet.state.job_sheet.extent),
        [order for order in stock.orders(db) if order.job_id == job.id and order.step in (code, "")],
        _planned(db, job.id, code),
        notches_in(db, job, sheet.instrument) if code in NOTCHED else (),
    )


def _ladder(settings: ShopSettings) -> list[Rung]:
    try:
        return list(grit_ladder(START_UM, "bright", settings.shelf()).steps)
    except ValueError:
        return []


def _materials(db: Connection, operation: Operation, extent: Extent) -> list[tuple[str, str, str]]:
    """What a step uses up: name, how much, and what is short in words."""
    there = {item.name.lower(): item for item in stock.items(db)} if operation.materials else {}
    materials = []
    for material, wanted in operation.uses(extent):
        item = there.get(material.name.lower())
        short = f"only {amount(item.have, item.unit)} there" if item is not None and item.have < wanted else ""
        materials.append((material.name, amount(wanted, material.unit), short))
    return materials


def _planned(db: Connection, job_id: int, code: str) -> Placed | None:
    saved = schedules.latest(db)
    placed = saved.placed if saved else ()
    return next((step for step in placed if step.job == str(job_id) and step.step == code), None)


def pace_of(ticked: Mapping[int, str], frets: int, now: datetime) -> Pace | None:
    """How fast frets are ticked off, and when the last will be."""
    return pace([moment(at) for at in ticked.values()], frets, now)


def gate_lacks(job: jobs.Job, line: SheetLine, reading: GateReading | None) -> str:
    """What a gate that is read lacks, in words; empty where it passes, cannot be told, or is the technician's word."""
    if not line.gate or line.proved or not is_read(line.operation, job):
        return ""
    if reading is None:
        return "nothing is read for its gate"
    return f"its gate is not met: {reading.say}" if reading.passes is False else ""


def happen(
    db: Connection, settings: ShopSettings, now: datetime, sheet: WorkedSheet, code: str, what: str, note: str
) -> int | None:
    """Start, finish, skip or reopen a step, or note something at it; returns the event's id. What was done already is
    not done twice: None.

    Raises SheetRefusedError: a step whose turn has not come is started or finished only with a reason, and so is one
    finished whose gate was not read or is not met.
    """
    line = sheet.line(code)
    if line is None or what not in HAPPENS:
        raise SheetRefusedError("That step is not part of this job.")
    if what in ("skipped", "note") and not note:
        raise SheetRefusedError("Say why it is skipped." if what == "skipped" else "Nothing was written.")
    if what in ("started", "finished") and line.early and not note:
        why = sheet.why_early(line.early)
        raise SheetRefusedError(f"Not {what}: {why}. Say why it is done now, or do that first.")
    if what == "finished" and not note and not line.record.done:
        lacks = gate_lacks(sheet.job, line, gate_reading(db, settings, line.operation, sheet.job, sheet.instrument))
        if lacks:
            raise SheetRefusedError(f"Not finished: {lacks}. Read it, or say why it is done without.")
    under_way = bool(line.record.started_at) and not line.record.done
    if (what == "finished" and line.record.done) or (what == "started" and under_way):
        return None
    used = {material.name: quantity for material, quantity in line.operation.uses(sheet.state.job_sheet.extent)}
    return sheets.happened(db, sheet.job.id, Event(code, what, stamp(now), note), used)


def tick(db: Connection, now: datetime, sheet: WorkedSheet, code: str, fret: int) -> bool:
    """Tick one fret off within a step, or take it back; whether it is ticked now. The first tick is the start.

    Raises SheetRefusedError while something still cures that the step waits for, or for a fret that is none.
    """
    line = sheet.line(code)
    held = [rule for rule in line.early if rule.before in sheet.resting] if line and not line.record.started_at else []
    if held:
        raise SheetRefusedError(f"Not ticked: {sheet.why_early(held)}.")
    offered = sheet.offered(code)
    if fret not in offered:
        which = frets_named(list(offered)) if line else "none, of a step of another job"
        raise SheetRefusedError(f"Not ticked: what is ticked here is {which}.")
    with transaction(db):
        ticked = sheets.toggle_tick(db, sheet.job.id, code, fret, stamp(now))
        if not records(sheets.events(db, sheet.job.id)).get(code, StepRecord()).started_at:
            sheets.add(db, sheet.job.id, Event(code, "started", stamp(now)))
    return ticked


def put_repair(db: Connection, settings: ShopSettings, now: datetime, job: jobs.Job, code: str, note: str) -> str:
    """Put a repair on the sheet, or open it again; its title. It comes as early as its rules let it.

    Raises SheetRefusedError for an operation that is no repair.
    """
    book, _ = catalogue(db)
    # a step that an obstruction brings by itself is not put on the sheet for good
    plan = replace(plan_for(db, settings, job, book), added=sheets.plan_of(db, job.id, job.kind).added)
    repair = book.operations.get(code)
    if repair is None or not repair.repair:
        raise SheetRefusedError("That is no repair.")
    with transaction(db):
        if code not in plan.added:
            sheets.PLANS.save(db, job.id, replace(plan, added=(*plan.added, code)), stamp(now))
        elif records(sheets.events(db, job.id)).get(code, StepRecord()).done:
            sheets.add(db, job.id, Event(code, "reopened", stamp(now)))
        if note:
            sheets.add(db, job.id, Event(code, "note", stamp(now), note))
    return repair.title


def change_plan(
    db: Connection, settings: ShopSettings, now: datetime, job: jobs.Job, asked: Mapping[str, str]
) -> list[str]:
    """Another route, schools or hardness: what is not yet done is planned again, what is done stays. A school that is
    said elsewhere too is changed there; returns what else was planned again.

    Raises SheetRefusedError for what is on none of the lists.
    """
    book, _ = catalogue(db)
    before = plan_for(db, settings, job, book)
    route, hardness = asked.get("route", before.route), asked.get("hardness", before.hardness)
    schools = {code: asked.get(code, before.schools.get(code, one.default)) for code, one in book.schools.items()}
    wrong = [school.title for code, school in book.schools.items() if schools[code] not in school.choices]
    if route not in book.routes or wrong or hardness not in HARDNESS:
        which = f" for {', '.join(wrong)}" if wrong else ""
        raise SheetRefusedError(f"Not changed: choose one of the lists’ own entries{which}.")
    plan = SheetPlan(route, schools, sheets.plan_of(db, job.id, job.kind).added, hardness)
    with transaction(db):
        sheets.PLANS.save(db, job.id, plan, stamp(now))
        return change_elsewhere(db, now, job, instruments.get(db, job.instrument_id), schools)

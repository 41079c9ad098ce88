"""Crowning and ends: every fret's land and crown after the last level, and the end work that is ticked off."""

from dataclasses import dataclass
from datetime import datetime

from deft_bench.core.frets.crown import CrownMiss, crown_gate, land, wander_cents
from deft_bench.core.refret import END_STEPS, SIDES
from deft_bench.core.times import stamp
from deft_bench.store import instruments, jobs, order_ticks, surveys
from deft_bench.store.database import Connection

END_TICK = "end "
"""With what the ticks of end work begin among those of a job."""


@dataclass(frozen=True, slots=True)
class Crown:
    """One fret before and after crowning: land of the last level (mm), the wander on it (cents), the line and offset
    read.
    """

    fret: int
    land_mm: float
    flat_cents: float
    sharp_cents: float
    line_mm: float | None
    offset_mm: float | None

    @property
    def told(self) -> bool:
        """Whether there is something to say of it: a flat, or a line that was read."""
        return self.land_mm > 0 or self.line_mm is not None or self.offset_mm is not None


@dataclass(frozen=True, slots=True)
class Crowns:
    """Every fret's crown, those that miss the gate, and whether all were read."""

    crowns: list[Crown]
    misses: list[CrownMiss]
    all_read: bool

    @property
    def widest(self) -> Crown:
        """The fret with the widest land."""
        return max(self.crowns, key=lambda crown: crown.land_mm)


def crowns_of(db: Connection, job: jobs.Job, instrument: instruments.Instrument) -> Crowns:
    """The crowns by the last level plan and what was read since: lines read before it are gone with the metal."""
    spec = instrument.spec
    plan = next((plan for plan in reversed(jobs.plans(db, job.id)) if plan.level.kind == "level"), None)
    removed = [(um or 0) / 1000 for um in plan.level.removed_um] if plan else []
    since = (plan.done_at if plan else None) or ""
    read: dict[str, dict[int, float]] = {"crown_line": {}, "crown_offset": {}}
    for survey in surveys.of_job(db, job.id):
        if survey.head.kind in read and survey.taken_at >= since:
            values = surveys.values(db, survey.id).items()
            read[survey.head.kind] |= {fret: um / 1000 for (_, fret), um in values if um is not None}
    lines, offsets = read["crown_line"], read["crown_offset"]
    crowns = []
    for fret, place in enumerate(spec.positions_mm(), 1):
        taken = removed[fret - 1] if fret <= len(removed) else 0.0
        flat = land(spec.crown_width_um / 1000, spec.fret_height_um / 1000, taken)
        low, high = wander_cents(spec.mean_scale_mm, place, flat)
        crowns.append(Crown(fret, flat, low, high, lines.get(fret), offsets.get(fret)))
    return Crowns(crowns, crown_gate(lines, offsets), len(lines) == spec.frets)


def ends_done(db: Connection, job: jobs.Job) -> set[str]:
    """End work that is ticked off, as "step side"."""
    ticks = order_ticks.ticks(db, job.id)
    return {step.removeprefix(END_TICK) for step in ticks if step.startswith(END_TICK)}


def toggle_end(db: Connection, now: datetime, job: jobs.Job, which: str) -> None:
    """Tick end work off, step and side, or take it back; what is none is left alone."""
    if which not in {f"{step} {side}" for step in END_STEPS for side in SIDES}:
        return
    if which in ends_done(db, job):
        order_ticks.take_back(db, job.id, f"{END_TICK}{which}")
    else:
        order_ticks.keep(db, job.id, f"{END_TICK}{which}", stamp(now), "")


def last_sprout(db: Connection, instrument: instruments.Instrument) -> tuple[str, float] | None:
    """When sprout was last read, and the most of it in mm."""
    for survey in surveys.of_instrument(db, instrument.id, "sprout", 3):
        read = [um for um in surveys.values(db, survey.id).values() if um is not None]
        if read:
            return survey.taken_at, max(read) / 1000
    return None

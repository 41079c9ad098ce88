"""One choice of a school wherever it is said: the board's plan and the refret hold it, the run sheet follows and
changes it there.
"""

from collections.abc import Mapping
from dataclasses import replace
from datetime import datetime

from deft_bench.bench.refret_progress import refret_plan
from deft_bench.core.board.plan import BoardPlan
from deft_bench.core.board.section import School
from deft_bench.core.refret import RefretPlan
from deft_bench.core.times import stamp
from deft_bench.store import boards, instruments, jobs, refrets
from deft_bench.store.database import Connection

SLOT_DEPTHS: dict[School, str] = {
    "flat_before_radius": "flat",
    "two_stage": "two_stage",
    "follow_radius": "along_curve",
}
"""The sheet's school of slot depth by the board plan's."""
OVERSIZE_UM = BoardPlan().oversize_um
GLUED = "thin"
"""What a refret is glued with when the sheet only says that it is, until it is said on its own page."""


def of_board(plan: BoardPlan) -> dict[str, str]:
    """The schools that a board's plan says."""
    return {"slot_depth": SLOT_DEPTHS[plan.school], "width": "oversize" if plan.oversize_um else "final"}


def of_refret(plan: RefretPlan) -> dict[str, str]:
    """The schools that a refret says."""
    return {"fret_glue": "dry" if plan.glue == "dry" else "glued"}


def shared_schools(db: Connection, job: jobs.Job, instrument: instruments.Instrument) -> dict[str, str]:
    """The schools of a job's sheet that are said elsewhere: on the board's pages, and on its refret's."""
    found = of_board(boards.plan_of(db, instrument.id, instrument.spec))
    if job.kind == "refret" or refrets.PLANS.last(db, job.id) is not None:
        found |= of_refret(refret_plan(db, job, instrument)[0])
    return found


def change_elsewhere(
    db: Connection, now: datetime, job: jobs.Job, instrument: instruments.Instrument, chosen: Mapping[str, str]
) -> list[str]:
    """Save the schools of a sheet where else they are said; the names of what was planned again with them."""
    before = shared_schools(db, job, instrument)
    chosen = {**before, **chosen}
    changed = {code for code, choice in before.items() if chosen[code] != choice}
    said = []
    if changed & {"slot_depth", "width"}:
        board = boards.plan_of(db, instrument.id, instrument.spec)
        # a choice of the shop's own has no counterpart on the board's pages
        school = next((school for school, code in SLOT_DEPTHS.items() if code == chosen["slot_depth"]), board.school)
        oversize = 0 if chosen["width"] == "final" else board.oversize_um or OVERSIZE_UM
        boards.save(db, instrument.id, instrument.spec, replace(board, school=school, oversize_um=oversize), stamp(now))
        said.append("the board’s plan")
    if "fret_glue" in changed:
        refret = refret_plan(db, job, instrument)[0]
        glue = "dry" if chosen["fret_glue"] == "dry" else GLUED
        refrets.PLANS.save(db, job.id, replace(refret, glue=glue), stamp(now))
        said.append("the refret")
    return said

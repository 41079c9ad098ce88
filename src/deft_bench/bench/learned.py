"""What this bench has learned from what became of its calls: how often frets that stand far up sit loose."""

from dataclasses import dataclass

from deft_bench.core.evidence.prior import PRIORS, History, held, loose_share, missed_share
from deft_bench.core.frets.heights import deviations
from deft_bench.core.frets.metal import more_than_planned, off_plan
from deft_bench.core.shop_settings import ShopSettings
from deft_bench.core.survey import heights_from
from deft_bench.store import instruments, jobs, outcomes, refrets, surveys
from deft_bench.store.database import Connection
from deft_bench.store.kept import kept_of_all


@dataclass(frozen=True, slots=True)
class Learned:
    """What this bench has learned of frets that stand far up, by their history: how many were looked under, how many
    sat loose, the share that is believed now, and the usual one.
    """

    history: History
    looked: int
    loose: int
    share: float
    usual: float


@dataclass(frozen=True, slots=True)
class Lifts:
    """Lifted frets that were read again: how many, how many held, and the share that is believed to miss."""

    read: int
    held: int
    missed: float


@kept_of_all
def lifts_of(db: Connection, settings: ShopSettings) -> Lifts:
    """What became of the frets that this bench lifted: by the first survey of heights after each of the last lifts."""
    found: list[bool] = []
    for lift in outcomes.lifted(db, settings.learned_from):
        after = (one for one in surveys.of_job(db, lift.job_id) if one.head.kind == "fret_heights")
        survey = next((one for one in after if (surveys.read_from(db, one.id) or "") > lift.at), None)
        if survey is None:
            continue
        spec = instruments.get(db, survey.instrument_id).spec
        lanes = heights_from(surveys.values(db, survey.id), survey.head.method, survey.frets)
        off = [deviations(spec.positions_mm(survey.frets), lane) for lane in lanes.values()]
        judged = [held([lane[fret - 1] for lane in off]) for fret in lift.frets if fret <= survey.frets]
        found += [one for one in judged if one is not None]
    return Lifts(len(found), sum(found), missed_share(found.count(False), found.count(True)))


@dataclass(frozen=True, slots=True)
class Levels:
    """Frets whose crowns were read before and after a level: how many, how much more than planned came off at the mean,
    and how much more is believed now, mm.
    """

    frets: int
    mean_mm: float
    more_mm: float


@kept_of_all
def levels_of(db: Connection, settings: ShopSettings) -> Levels:
    """How this bench's levels kept to their plans, by the crowns that were read."""
    off: list[float] = []
    for one in outcomes.levelled(db, settings.learned_from):
        off += off_plan(one.taken, one.crowns)
    return Levels(len(off), sum(off) / len(off) if off else 0.0, more_than_planned(off))


HISTORY_OF_KIND: dict[str, History] = {"refret": "new_wire"}
"""What frets have been through by the kind of their job; else they were played."""


@kept_of_all
def learned_of(db: Connection, settings: ShopSettings) -> list[Learned]:
    """What this bench has learned since it began, or since that was put back."""
    loose: dict[History, int] = {}
    home: dict[History, int] = {}
    for kind, found in outcomes.looked_under(db, settings.learned_from).items():
        history = HISTORY_OF_KIND.get(kind, "played")
        loose[history] = loose.get(history, 0) + found.loose
        home[history] = home.get(history, 0) + found.home
    learned = []
    for one in PRIORS:
        were, not_so = loose.get(one, 0), home.get(one, 0)
        learned.append(Learned(one, were + not_so, were, loose_share(one, were, not_so), PRIORS[one].loose))
    return learned


def history_of(db: Connection, job: jobs.Job) -> History:
    """What the frets have been through: new wire where it was put in by this job."""
    return "new_wire" if refrets.fitted(db, job.id) else HISTORY_OF_KIND.get(job.kind, "played")

"""The likely neck of a job: all that was read and done in it, as evidence in time order, and the one judgement of it.

A judgement depends on nothing but what it was made from: the same evidence is judged once and kept.
"""

import json
import zlib
from collections import OrderedDict
from collections.abc import Callable, Mapping, Sequence
from dataclasses import asdict, dataclass
from threading import Lock

import numpy as np

from deft_bench.bench.learned import history_of, learned_of, levels_of, lifts_of
from deft_bench.bench.metal import metal_now
from deft_bench.core.calls import Length
from deft_bench.core.evidence.actions import Levelling, Spread
from deft_bench.core.evidence.judged import Judged, judge
from deft_bench.core.evidence.kinds import (
    Act,
    CrownHeight,
    Daylight,
    Evidence,
    Feeler,
    Heights,
    Ink,
    Rocker,
    without_rounding,
)
from deft_bench.core.evidence.likely_neck import Draws, Neck, likely_neck
from deft_bench.core.evidence.update import updated
from deft_bench.core.frets.heights import LANES
from deft_bench.core.frets.rocker import around
from deft_bench.core.limits import SEATING_GAP_MM
from deft_bench.core.shop_settings import ShopSettings
from deft_bench.core.survey_kinds import GONE_UM, LEFT_UM, LIGHT_UM, PARTLY_UM, ROCKS_UM, Place
from deft_bench.store import acts, instruments, jobs, seating, surveys
from deft_bench.store.database import Connection

KEPT, KEPT_DRAWN = 64, 8
"""So many judgements are kept, the latest asked for; and the draws of so many necks."""
ACTS = {
    "rod": "rod",
    "reseat": "reseated",
    "lift": "lifted",
    "shim": "lifted",
    "spot": "levelled",
    "level": "levelled",
    "refret": "reseated",
}
"""What an act that is on record is to the likely neck."""


@dataclass(frozen=True, slots=True)
class Told:
    """One piece of evidence with when it was had and the survey that it stands in (None: an act, or what was said)."""

    at: str
    evidence: Evidence
    survey_id: int | None = None


@dataclass(frozen=True, slots=True)
class Likely:
    """The judgement of a neck and what it was made from, in time order."""

    told: tuple[Told, ...]
    judged: Judged

    @property
    def within_mm(self) -> float:
        """Within how much the tops are known, nine of ten times, on the mean."""
        spans = [one.high - one.low for row in self.lanes.values() for one in row]
        return sum(spans) / len(spans)

    def slip_places(self) -> list[tuple[int, Place, float | None]]:
        """(survey, place, what was probably meant in mm) of every reading that is probably a slip."""
        found = []
        for slip in self.judged.slips:
            survey_id = self.told[slip.index].survey_id
            if survey_id is not None:
                found.append((survey_id, (LANES[slip.lane], slip.fret), slip.meant_mm))
        return found

    def read_by(self, length: Length) -> dict[Place, list[str]]:
        """What each place was read by, in words, in the order in which it was; `length` writes lengths."""
        found: dict[Place, list[str]] = {}
        for one in self.told:
            for place, word in _places_read(one.evidence, length):
                words = found.setdefault(place, [])
                if word not in words:
                    words.append(word)
        return found

    @property
    def lanes(self) -> dict[str, tuple[Spread, ...]]:
        """The likely height of every place with its spread, by lane."""
        return dict(zip(LANES, self.judged.heights, strict=True))

    def heights_mm(self) -> dict[str, list[float]]:
        """The likely height of every fret over its lane's fair line, by lane."""
        return {lane: [one.mean for one in row] for lane, row in self.lanes.items()}


_judged: OrderedDict[str, Judged] = OrderedDict()
_drawn: OrderedDict[tuple[object, ...], tuple[Sequence[Evidence], Draws, bool]] = OrderedDict()
_lock = Lock()


TELLING = ("fret_heights", "rocker", "ink", "blades")
"""Surveys that tell of the fret tops: a call is made from any of them."""


def telling_surveys(db: Connection, job: jobs.Job) -> list[surveys.Survey]:
    """The job's surveys of the fret tops that hold a reading, oldest first."""
    found = [survey for survey in surveys.of_job(db, job.id) if survey.head.kind in TELLING]
    counts = surveys.counts(db, [survey.id for survey in found])
    return [survey for survey in found if counts[survey.id]]


def evidence_of(
    db: Connection, job: jobs.Job, instrument: instruments.Instrument, until: str | None = None
) -> list[Told]:
    """All that tells of the neck in a job, or did at a moment, in the order in which it was had."""
    told: list[Told] = []
    for survey in surveys.of_job(db, job.id):
        read = _READ.get(survey.head.kind)
        standing, at = _standing(db, survey, until)
        if read is not None and at is not None and survey.frets == instrument.spec.frets:
            values = {place: um for place, um in standing.items() if um is not None}
            told += [Told(at, one, survey.id) for one in read(survey, values)]
    for home in seating.in_force(db, job.id):
        told += [Told(home.at, Daylight(lane, fret, 0.0)) for fret in home.frets for lane in range(len(LANES))]
    first = min((one.at for one in told), default=None)
    if first is not None:
        told += [Told(act.at, Act(ACTS[act.kind], act.frets)) for act in acts.of_instrument(db, instrument.id)]
    last = until or max((one.at for one in told), default="")
    return sorted((one for one in told if first is not None and first <= one.at <= last), key=lambda one: one.at)


def _standing(
    db: Connection, survey: surveys.Survey, until: str | None
) -> tuple[Mapping[Place, int | None], str | None]:
    """What stands in a survey, or stood at a moment, and since when it was read."""
    if until is not None:
        return surveys.values_at(db, survey.id, until)
    return surveys.values(db, survey.id), surveys.read_from(db, survey.id)


def _places_read(one: Evidence, length: Length) -> list[tuple[Place, str]]:
    """The places that a piece of evidence tells of, and by what."""
    if isinstance(one, Act):
        return []
    lane = LANES[one.lane]
    if isinstance(one, Heights):
        return [((lane, fret), f"gauge {length(mm)}") for fret, mm in one.readings.items()]
    if isinstance(one, Feeler):
        stops = "none stops" if one.stops_mm is None else f"{length(one.stops_mm)} stops"
        passes = f"blade {length(one.passes_mm)} passes" if one.passes_mm else "no blade passes"
        return [((lane, one.fret), f"{passes}, {stops}")]
    if isinstance(one, Rocker):
        return [((lane, one.frets[1]), "rocks" if one.rocks else "sits flat")]
    if isinstance(one, Ink):
        shown = {"gone": one.gone, "partly gone": one.partly, "left": one.left}
        return [((lane, fret), f"ink {word}") for word, frets in shown.items() for fret in frets]
    if isinstance(one, Daylight):
        return [((lane, one.fret), "daylight under it" if one.gap_mm else "no daylight under it")]
    return [((lane, one.fret), f"crown {length(one.mm)}")]


def _heights(survey: surveys.Survey, values: Mapping[Place, int]) -> list[Evidence]:
    gap, resolution = survey.head.method == "gap", survey.head.resolution_um / 1000
    spread = survey.head.spread_um
    own = None if spread is None else without_rounding(spread / 1000, resolution)
    found: list[Evidence] = []
    for lane, name in enumerate(LANES):
        readings = {fret: um / 1000 for (of, fret), um in sorted(values.items()) if of == name}
        if readings:
            found.append(Heights(lane, readings, resolution, gap, own))
    return found


def _rocker(survey: surveys.Survey, values: Mapping[Place, int]) -> list[Evidence]:
    return [
        Rocker(LANES.index(lane), around(fret, survey.head.reach), um == ROCKS_UM, survey.head.resolution_um / 1000)
        for (lane, fret), um in sorted(values.items())
    ]


def _seating(survey: surveys.Survey, values: Mapping[Place, int]) -> list[Evidence]:
    return [
        Daylight(LANES.index(lane), fret, um / 1000 if um / 1000 >= SEATING_GAP_MM else 0.0)
        for (lane, fret), um in sorted(values.items())
    ]


def _light(survey: surveys.Survey, values: Mapping[Place, int]) -> list[Evidence]:
    """Light that was seen is as wide as a seating gap at least."""
    return [
        Daylight(LANES.index(lane), fret, SEATING_GAP_MM if um == LIGHT_UM else 0.0)
        for (lane, fret), um in sorted(values.items())
    ]


def _crowns(survey: surveys.Survey, values: Mapping[Place, int]) -> list[Evidence]:
    return [CrownHeight(LANES.index(lane), fret, um / 1000) for (lane, fret), um in sorted(values.items())]


def _ink(survey: surveys.Survey, values: Mapping[Place, int]) -> list[Evidence]:
    over = survey.head.at_frets or (1, survey.frets)
    found: list[Evidence] = []
    for lane, name in enumerate(LANES):
        shown = {um: tuple(fret for (of, fret), at in sorted(values.items()) if (of, at) == (name, um)) for um in _INK}
        if any(shown.values()):
            found.append(Ink(lane, over[0], over[-1], survey.head.strokes, *shown.values()))
    return found


def _blades(survey: surveys.Survey, values: Mapping[Place, int]) -> list[Evidence]:
    def stops(um: int) -> float | None:
        return next((blade / 1000 for blade in survey.head.blades_um if blade > um), None)

    return [Feeler(LANES.index(lane), fret, um / 1000, stops(um)) for (lane, fret), um in sorted(values.items())]


_INK = (GONE_UM, PARTLY_UM, LEFT_UM)
_READ: dict[str, Callable[[surveys.Survey, Mapping[Place, int]], list[Evidence]]] = {
    "fret_heights": _heights,
    "rocker": _rocker,
    "seating": _seating,
    "light": _light,
    "crown_height": _crowns,
    "ink": _ink,
    "blades": _blades,
}
"""What a survey of each kind tells of the neck."""


def likely(
    db: Connection,
    settings: ShopSettings,
    job: jobs.Job,
    instrument: instruments.Instrument,
    *,
    as_it_lies: bool = False,
    quick: bool = False,
    until: str | None = None,
) -> Likely | None:
    """The likely neck of a job and its judgement; None before anything is read. `as_it_lies`: its straightness is
    settled elsewhere. `quick`: while it is read, what was drawn a moment ago may be brought up to one reading more.
    `until`: by what was read and done up to that moment.
    """
    told = evidence_of(db, job, instrument, until)
    if not any(not isinstance(one.evidence, (Act, CrownHeight, Daylight)) for one in told):
        return None
    spec = instrument.spec
    history = history_of(db, job)
    learned = {one.history: one.share for one in learned_of(db, settings)}
    missed = lifts_of(db, settings).missed if any(_is_lift(one) for one in told) else None
    neck = Neck(np.array(spec.positions_mm()), history, spec.joint_fret, learned[history], missed)
    levelling = Levelling(more_mm=round(levels_of(db, settings).more_mm, 3))
    held = metal_now(db, instrument).heights_mm
    least = settings.least_kept_mm(spec.fret_height_um / 1000)
    made_from = [asdict(one.evidence) | {"is": type(one.evidence).__name__} for one in told]
    # of the neck and its evidence alone: what else is asked of it must not draw another neck
    drawn_from = json.dumps([*_of(neck), made_from], sort_keys=True)
    key = json.dumps([drawn_from, levelling.more_mm, held, least, settings.system, as_it_lies])
    if (made := _known(key)) or (quick and (made := _known(f"{key} quick"))):
        return Likely(tuple(told), made)
    evidence = [one.evidence for one in told]
    seed = zlib.crc32(drawn_from.encode())
    draws, is_quick = _draws(job.uid, neck, evidence, seed, quick=quick)
    length = settings.display.fine_mm
    found = judge(
        neck,
        evidence,
        held,
        least,
        seed,
        length,
        as_it_lies=as_it_lies,
        draws=draws,
        levelling=levelling,
    )
    with _lock:
        _judged[f"{key} quick" if is_quick else key] = found
        while len(_judged) > KEPT:
            _judged.popitem(last=False)
    return Likely(tuple(told), found)


def _of(neck: Neck) -> tuple[object, ...]:
    """A neck by what is known of it before."""
    return tuple(neck.positions_mm), neck.history, neck.joint_fret, neck.loose, neck.missed


def _is_lift(one: Told) -> bool:
    return isinstance(one.evidence, Act) and one.evidence.kind == "lifted"


def _known(key: str) -> Judged | None:
    """A judgement that was made before."""
    with _lock:
        if key in _judged:
            _judged.move_to_end(key)
        return _judged.get(key)


def _draws(job_uid: str, neck: Neck, evidence: Sequence[Evidence], seed: int, *, quick: bool) -> tuple[Draws, bool]:
    """Draws of a job's neck, and whether they are those of a moment ago brought up to one reading more (`quick`)."""
    of = job_uid, *_of(neck)
    with _lock:
        last = _drawn.get(of)
    draws, is_quick = None, False
    if last is not None:
        before, earlier, was_quick = last
        if list(before) == list(evidence) and (quick or not was_quick):
            draws, is_quick = earlier, was_quick
        elif quick:
            draws, is_quick = updated(neck, earlier, before, evidence), True
    if draws is None:
        draws, is_quick = likely_neck(neck, evidence, seed), False
    with _lock:
        _drawn[of] = evidence, draws, is_quick
        _drawn.move_to_end(of)
        while len(_drawn) > KEPT_DRAWN:
            _drawn.popitem(last=False)
    return draws, is_quick

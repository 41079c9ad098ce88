"""What a rocker survey comes down to, for its screen: explanations on the neck, the call, and the next test."""

from collections.abc import Mapping
from dataclasses import dataclass

from deft_bench.core.calls import Call
from deft_bench.core.frets.heights import LANES
from deft_bench.core.frets.rocker import Edge, Observation, RockerLane, around, rocker_edges, rocker_lane
from deft_bench.core.frets.rocker_call import disagreements, rocker_call
from deft_bench.core.shop_settings import ShopSettings
from deft_bench.core.survey import heights_from
from deft_bench.core.survey_kinds import ROCKS_UM, Place
from deft_bench.store import instruments, surveys
from deft_bench.store.database import Connection


@dataclass(frozen=True, slots=True)
class RockerResults:
    """The lanes tested, the call (None before the first test), and where heights of the same neck disagree."""

    lanes: Mapping[str, RockerLane]
    call: Call | None
    disagree: tuple[tuple[str, int, str], ...]

    @property
    def next_test(self) -> Place | None:
        """The place of the test that would settle most, the first lane's that has one."""
        return next(((lane, found.next_test[1]) for lane, found in self.lanes.items() if found.next_test), None)

    def off_mm(self, frets: int, values: Mapping[Place, int | None]) -> dict[str, list[float | None]]:
        """By lane and fret: how far the best explanation displaces it, zero where tested, None where not."""
        found: dict[str, list[float | None]] = {}
        for lane, seen in self.lanes.items():
            best = seen.explanations[0] if seen.explanations else None
            row: list[float | None] = [
                0.0 if values.get((lane, fret)) is not None else None for fret in range(1, frets + 1)
            ]
            if best is not None:
                for fret, mm in best.proud.items():
                    row[fret - 1] = mm
                for fret, mm in best.low.items():
                    row[fret - 1] = -mm
            found[lane] = row
        return found

    def sure_of(self, lane: str, fret: int) -> bool:
        """Whether every smallest explanation displaces this fret."""
        return lane in self.lanes and fret in {n for n, _ in self.lanes[lane].sure}


def rocker_results(
    db: Connection,
    settings: ShopSettings,
    survey: surveys.Survey,
    instrument: instruments.Instrument,
    values: Mapping[Place, int | None],
    feel_mm: float,
) -> RockerResults:
    """Explain a rocker survey as far as it has come, against the latest heights of the same neck."""
    positions = instrument.spec.positions_mm(survey.frets)
    lanes: dict[str, RockerLane] = {}
    taken: dict[str, int] = {}
    for lane in LANES:
        seen = [
            Observation(around(fret, survey.head.reach), um == ROCKS_UM)
            for (at, fret), um in values.items()
            if at == lane and um is not None
        ]
        if seen:
            lanes[lane], taken[lane] = rocker_lane(positions, seen, feel_mm), len(seen)
    call = rocker_call(lanes, taken, survey.frets, settings.display.fine_mm) if lanes else None
    return RockerResults(lanes, call, tuple(_against_heights(db, survey, lanes, positions, feel_mm)))


def _against_heights(
    db: Connection, survey: surveys.Survey, lanes: Mapping[str, RockerLane], positions: list[float], feel_mm: float
) -> list[tuple[str, int, str]]:
    """Disagreements with the latest heights read in the same job (or of the instrument, outside one)."""
    found = surveys.of_job(db, survey.job_id) if survey.job_id else []
    heights = next((one for one in reversed(found) if one.head.kind == "fret_heights"), None)
    if heights is None or heights.frets != survey.frets:
        return []
    read = heights_from(surveys.values(db, heights.id), heights.head.method, heights.frets)
    return disagreements(lanes, positions, read, feel_mm)


def edges(instrument: instruments.Instrument, frets: int, reach: int) -> dict[int, Edge]:
    """Which rocker edge tests which fret."""
    return {edge.fret: edge for edge in rocker_edges(instrument.spec.positions_mm(frets), reach=reach)}

"""The demo bench: an instrument-lending library in the invented harbour town of Quillhaven, ready for the autumn term.

Everything here is made up. The data depend only on the day they are made for: the same day gives the same bench.
"""

import math
import random
from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from datetime import UTC, date, datetime, time, timedelta
from pathlib import Path
from typing import Any

from deft_bench.bench.metal import metal_now
from deft_bench.core.board.marking import marking_lines
from deft_bench.core.board.plan import starting_plan
from deft_bench.core.board.positions import fret_positions
from deft_bench.core.board.rules import Rule
from deft_bench.core.board.strings_on_board import post_grid
from deft_bench.core.frets.heights import LANES
from deft_bench.core.frets.level_call import level_call
from deft_bench.core.frets.levelling import LevelRequest, least_height, plan_level
from deft_bench.core.frets.notch import Obstruction
from deft_bench.core.frets.plan_record import Circumstances, record_inputs, record_outcome
from deft_bench.core.frets.rocker import rock_of
from deft_bench.core.instrument import STARTING, Spec
from deft_bench.core.refret import starting_refret
from deft_bench.core.shop_settings import ShopSettings
from deft_bench.core.simulated_neck import SimulatedNeck
from deft_bench.core.survey import SurveyHead, heights_from
from deft_bench.core.survey_kinds import FLAT_UM, GONE_UM, LEFT_UM, PARTLY_UM, ROCKS_UM, SURVEY_KINDS, Place
from deft_bench.demo.practice import make_practice
from deft_bench.demo.setups import make_setups
from deft_bench.demo.sheets import make_sheets
from deft_bench.demo.week import PEOPLE, make_week
from deft_bench.store import boards, instruments, jobs, notes, refrets, rod_turns, shop, surveys
from deft_bench.store.database import Connection, open_database


@dataclass(frozen=True, slots=True)
class Neck:
    """One loan instrument: its specification, its fault, and what is asked of the bench this time.

    Lengths mm. `faults` are heights off the line by (lane, fret); `bow` is the forward bow that the fret tops are read
    with in the latest survey; `swing` is relief gained from 35 to 65 % humidity, `twist` how far the bass side of the
    last fret rises over the treble side.
    """

    spec: Spec
    seed: int
    faults: dict[tuple[str, int], float] = field(default_factory=dict)
    wear: float = 0.006
    bow: float = 0.0
    relief: float = 0.18
    swing: float = 0.12
    asked: str = ""
    promised: int | None = None
    past_level: float = 0.0
    partial: bool = False
    method: str = "gap"
    twist: float = 0.0
    flaws: tuple[tuple[int, str, str], ...] = ()


def _every_lane(faults: dict[int, float]) -> dict[tuple[str, int], float]:
    return {(lane, fret): mm for fret, mm in faults.items() for lane in ("bass", "middle", "treble")}


def _spec(kind: str, name: str, **changed: Any) -> Spec:
    return replace(STARTING[kind], name=name, **changed)


def necks() -> list[Neck]:
    """The twelve loan instruments and their faults."""
    short = {"bass_scale_um": 628_000, "treble_scale_um": 628_000, "frets": 21, "joint_fret": 16}
    hump = {fret: 0.024 * (fret - 16) for fret in range(17, 23)}
    worn = {(lane, fret): -0.05 for fret in (1, 2, 3, 5) for lane in ("middle", "treble")}
    return [
        Neck(
            _spec(
                "electric", "Heron No. 4", **short, note="Loan case 4. Student hand; likes a low middle of the neck."
            ),
            seed=4,
            faults={("bass", 9): -0.09, ("middle", 9): -0.095, ("treble", 9): -0.085, ("treble", 5): 0.045},
            asked="Notes die at 8 and buzz around it",
            promised=2,
            past_level=0.06,
            flaws=((9, "bass", "Fret end lifts under a fingernail on the bass side"),),
        ),
        Neck(
            _spec("acoustic", "Plover No. 7", note="Lives near the radiator in the reading room."),
            seed=7,
            bow=0.14,
            relief=0.3,
            swing=0.2,
            asked="High action, hard work past the fifth",
            promised=4,
        ),
        Neck(
            _spec(
                "electric",
                "Dunlin No. 2",
                nut_width_um=42_500,
                fret_height_um=1_000,
                note="Third set of fingers a term.",
            ),
            seed=2,
            faults=worn | {("bass", 3): -0.03},
            past_level=0.3,
            asked="Worn hard in the first five frets",
            promised=6,
        ),
        Neck(
            _spec("electric", "Curlew No. 11", bass_scale_um=635_000, treble_scale_um=635_000, joint="set"),
            seed=11,
            faults=_every_lane(hump),
            asked="Chokes above the fifteenth",
            promised=9,
        ),
        Neck(
            _spec("classical", "Avocet No. 1", note="No rod: read the bow at every visit."),
            seed=1,
            wear=0.02,
            relief=0.12,
            swing=0.07,
            asked="Check and dress before the term",
            promised=11,
        ),
        Neck(
            _spec("twelve_string", "Turnstone No. 3", note="Kept tuned a whole tone down on loan."),
            seed=3,
            relief=0.26,
            swing=0.16,
            past_level=0.05,
        ),
        Neck(
            _spec("baritone", "Godwit No. 5", rod="single"),
            seed=5,
            relief=-0.09,
            swing=0.05,
            faults={("bass", 7): 0.05, ("middle", 7): 0.055, ("treble", 7): 0.05},
            asked="One fret ticks on every string",
            promised=13,
        ),
        Neck(_spec("short_bass", "Knot No. 6"), seed=6, relief=0.28, past_level=0.04),
        Neck(
            _spec("long_bass", "Whimbrel No. 8", left_handed=True, note="The only left-handed bass in the library."),
            seed=8,
            relief=0.33,
            swing=0.18,
            wear=0.008,
        ),
        Neck(
            _spec("seven_string", "Sanderling No. 9"),
            seed=9,
            partial=True,
            method="height",
            twist=0.4,
            faults={("bass", 6): 0.05, ("bass", 15): -0.04, ("bass", 22): 0.03, ("middle", 20): 0.04},
            asked="New loan, first inspection",
            promised=16,
        ),
        Neck(
            _spec("tenor", "Phalarope No. 10", bound=True, nibs=True, bridge="two_post"),
            seed=10,
            relief=0.1,
            swing=0.06,
        ),
        Neck(
            _spec(
                "acoustic",
                "Redshank No. 12",
                bass_scale_um=632_000,
                treble_scale_um=632_000,
                nut_radius_um=305_000,
                end_radius_um=305_000,
                bound=True,
                nibs=True,
                note="Small body; cylinder radius under a tapered board.",
            ),
            seed=12,
            faults={("bass", fret): 0.018 + 0.002 * (fret - 8) for fret in range(8, 13)},
            relief=0.22,
            swing=0.15,
        ),
    ]


def humidity_on(day: date) -> float:
    """The library's winter-dry, summer-damp air: % RH through the year."""
    return 49 + 13 * math.sin((day.timetuple().tm_yday - 115) / 365.25 * 2 * math.pi)


def make_demo(path: Path, today: date) -> None:
    """Fill a new database with the demo bench as it stands on a day: the loan instruments, a refret of a bound
    board, a fretless bass that gets frets, and a seven-string board in the making; raises StoreError when the
    file cannot be used.
    """
    db = open_database(path)
    try:
        shop.change(db, {"demo": "1"})
        for n, neck in enumerate(necks()):
            db.person = PEOPLE[n % 3 == 2]
            _Bench(db, neck, today).fill()
        db.person = PEOPLE[0]
        _rods(db, today)
        _rocker_survey(db, today)
        _wire_stock(db, today)
        _bound_refret(db, today)
        _fretless_conversion(db, today)
        _board_in_the_making(db, today)
        make_setups(db, today)
        make_sheets(db, today)
        make_week(db, today)
        _crown_heights(db, today)
        _ink_and_blades(db, today)
        db.person = ""
        make_practice(db, shop.settings(db), today)
        for back in range(60, -1, -3):
            day = today - timedelta(days=back)
            chance = random.Random(day.toordinal())
            shop.add_climate(
                db,
                _at(day, 8),
                round(20.5 + chance.uniform(-0.9, 1.2), 1),
                round(humidity_on(day) + chance.uniform(-3, 3)),
            )
    finally:
        db.close()


def _rods(db: Connection, today: date) -> None:
    """Plover's rod answers well; Godwit's single rod is slack against its back-bow, and turning it further does
    nothing.
    """
    visits = {
        "Plover No. 7": (20, (0.46, 0.37, 0.33), (16, 8), False),
        "Godwit No. 5": (15, (-0.09, -0.088), (-8,), True),
    }
    for name, (ago, reliefs, turns, slack) in visits.items():
        instrument = instruments.get(db, instruments.named(db, name)[0])
        day, chance = today - timedelta(days=ago), random.Random(instrument.id)
        xs = fret_positions(instrument.spec.mean_scale_mm, instrument.spec.frets)
        head = replace(
            _head("straightness", "before", "straightedge and feeler gauges", 20, day),
            string_state="tuned",
            surface="fret_tops",
        )
        for k, relief in enumerate(reliefs):
            gaps = {
                ("middle", fret): (
                    round(
                        100 * (4 * relief * (x - xs[0]) * (xs[-1] - x) / (xs[-1] - xs[0]) ** 2 + chance.gauss(0, 0.003))
                    )
                    * 10
                )
                for fret, x in enumerate(xs, 1)
            }
            _read(db, instrument.id, None, instrument.spec.frets, head, gaps, _at(day, 10 + k))
            if k < len(turns):
                rod_turns.add(
                    db, instrument.id, _at(day, 10 + k, 30), turns[k], slack, uid=f"{instrument.id * 100 + k:032x}"
                )


def _rocker_survey(db: Connection, today: date) -> None:
    """Heron tested with a rocker as well: both neighbours of the low ninth rock; the treble lane is half done."""
    instrument = instruments.get(db, instruments.named(db, "Heron No. 4")[0])
    neck = next(one for one in necks() if one.spec.name == "Heron No. 4")
    xs, frets = fret_positions(instrument.spec.mean_scale_mm, instrument.spec.frets), instrument.spec.frets
    job = jobs.open_of(db, [instrument.id])[instrument.id]
    answers = {}
    for lane, fret in SURVEY_KINDS["rocker"].places(frets, "lane_by_lane")[: 2 * (frets - 2) + 9]:
        heights = [neck.faults.get((lane, n), 0.0) for n in range(1, frets + 1)]
        answers[lane, fret] = ROCKS_UM if rock_of(xs, heights, (fret - 1, fret, fret + 1)) >= 0.02 else FLAT_UM
    day = today - timedelta(days=1)
    survey = surveys.start(
        db, instrument.id, job.id, frets, _head("rocker", "before", "fret rocker", 20, day), _at(day, 14)
    )
    rows = [(place, um, "r" if um == ROCKS_UM else "f") for place, um in answers.items()]
    surveys.add_many(db, survey, rows, _at(day, 14, 10))


def _crown_heights(db: Connection, today: date) -> None:
    """Dunlin's first five frets, worn under the fingers and levelled before: how much of them is left."""
    instrument = instruments.get(db, instruments.named(db, "Dunlin No. 2")[0])
    neck = next(one for one in necks() if one.spec.name == "Dunlin No. 2")
    job, day = jobs.open_of(db, [instrument.id])[instrument.id], today - timedelta(days=1)
    left = metal_now(db, instrument).heights_mm
    heights = {
        (lane, fret): round(100 * (left[fret - 1] + neck.faults.get((lane, fret), 0.0))) * 10
        for lane in LANES
        for fret in range(1, 6)
    }
    head = _head("crown_height", "before", "crown-height gauge", 20, day)
    _read(db, instrument.id, job.id, instrument.spec.frets, head, heights, _at(day, 15))


def _ink_and_blades(db: Connection, today: date) -> None:
    """Curlew's upper frets inked and stroked with the beam, Godwit tried with blades about its seventh: what was read
    by hand, beside the numbers.
    """
    day = today - timedelta(days=1)
    for name, hour in (("Curlew No. 11", 15), ("Godwit No. 5", 16)):
        instrument = instruments.get(db, instruments.named(db, name)[0])
        job, frets = jobs.open_of(db, [instrument.id])[instrument.id], instrument.spec.frets
        read = next(one for one in surveys.of_job(db, job.id) if one.head.kind == "fret_heights")
        tops = heights_from(surveys.values(db, read.id), read.head.method, frets)
        hand = SimulatedNeck(
            instrument.spec.mean_scale_mm, {lane: tuple(mm or 0.0 for mm in row) for lane, row in tops.items()}, {}
        )
        if name.startswith("Curlew"):
            beam = tuple(range(12, frets + 1))
            head = replace(_head("ink", "before", "levelling beam", 10, day), strokes=4, at_frets=beam)
            shown = {lane: hand.ink(lane, beam[0], frets, head.strokes) for lane in LANES}
            keys = (GONE_UM, PARTLY_UM, LEFT_UM)
            found = {(lane, fret): keys[kept] for lane, row in shown.items() for fret, kept in row.items()}
        else:
            blades = ShopSettings().feelers_um
            some = tuple(range(4, 11))
            head = replace(_head("blades", "before", "straightedge and feeler blades", 10, day), blades_um=blades)
            head = replace(head, at_frets=some)
            mm = [um / 1000 for um in blades]
            found = {(lane, fret): round(1000 * hand.blade(lane, fret, mm)) for lane in LANES for fret in some}
        _read(db, instrument.id, job.id, frets, head, found, _at(day, hour))


def _wire_stock(db: Connection, today: date) -> None:
    """Four wires on the shelf: crown width and height, tang depth and width, width over the barbs, in µm."""
    pieces, at = [(305_000, 6), (220_000, 2)], _at(today - timedelta(days=40), 9)
    refrets.add_wire(db, "Medium", (2_300, 1_100, 1_600, 480, 780), 255_000, pieces, at)
    refrets.add_wire(db, "Narrow, low", (2_000, 950, 1_500, 480, 760), 255_000, [(610_000, 3)], at)
    refrets.add_wire(db, "Tall", (2_700, 1_400, 1_600, 500, 800), 290_000, [(305_000, 8)], at)
    refrets.add_wire(db, "Bass, wide", (2_900, 1_350, 1_700, 520, 860), 216_000, [(305_000, 5), (180_000, 3)], at)


def _head(kind: str, when: str, tool: str, resolution_um: int, day: date) -> SurveyHead:
    """The heading of a survey of slots, seating, sprout or straightness on the bench."""
    surface = "board" if kind in ("slot_depth", "straightness") and when == "before" else "fret_tops"
    humidity = float(round(humidity_on(day)))
    return SurveyHead(
        kind, when, SURVEY_KINDS[kind].methods[0], surface, tool, resolution_um, "off", 21.0, humidity, "lane_by_lane"
    )


def _read(
    db: Connection, instrument_id: int, job: int | None, frets: int, head: SurveyHead, um: dict[Place, int], at: str
) -> None:
    survey = surveys.start(db, instrument_id, job, frets, head, at)
    surveys.add_many(db, survey, [(place, value, f"{value / 1000:g}") for place, value in um.items()], at)


def _bound_refret(db: Connection, today: date) -> None:
    """Redshank: new frets in a bound board, nibs gone, two frets not home, and the neck bowed back by tight tangs."""
    instrument = instruments.get(db, instruments.named(db, "Redshank No. 12")[0])
    spec, frets = instrument.spec, instrument.spec.frets
    chance = random.Random(1212)
    for months in (22, 19, 13, 10, 7, 1):
        day = today - timedelta(days=30 * months)
        dry = max(0.0, (52 - humidity_on(day)) * 0.011)
        values = {
            place: round(max(0.0, dry + chance.gauss(0, 0.01)) * 100) * 10
            for place in SURVEY_KINDS["sprout"].places(frets, "lane_by_lane")
        }
        _read(db, instrument.id, None, frets, _head("sprout", "before", "feeler gauges", 20, day), values, _at(day, 11))
    opened = today - timedelta(days=5)
    job = jobs.open_job(
        db,
        instrument.id,
        "refret",
        _at(opened, 9),
        (today + timedelta(days=8)).isoformat(),
        "Worn through to the board at 2 and 3",
    )
    wire = refrets.wires(db)[1]
    plan = replace(
        starting_refret(spec, 580, 300, wire.tang_width_um),
        wire=wire.name,
        crown_width_um=wire.crown_width_um,
        fret_height_um=wire.fret_height_um,
        tang_depth_um=wire.tang_depth_um,
        barb_width_um=wire.barb_width_um,
        wire_radius_um=wire.radius_um or 255_000,
        pieces_um=wire.pieces_um,
        nibs_said=True,
        tool="soft-faced hammer",
        support="a padded caul under the fret",
        spring_back_um=20,
        obstructions=(Obstruction(7, "screw of the old rod anchor", "bass", None, 1_400),),
    )
    refrets.PLANS.save(db, job, plan, _at(opened, 9, 30))
    bow = {("middle", fret): round(10 + 4 * chance.random()) for fret in range(1, frets + 1)}
    _read(
        db,
        instrument.id,
        job,
        frets,
        _head("straightness", "before", "notched straightedge", 20, opened),
        bow,
        _at(opened, 10),
    )
    depth = {
        place: 1_900 + 10 * chance.randint(-4, 6) for place in SURVEY_KINDS["slot_depth"].places(frets, "lane_by_lane")
    }
    _read(
        db, instrument.id, job, frets, _head("slot_depth", "before", "depth gauge", 20, opened), depth, _at(opened, 13)
    )
    refrets.PLANS.save(db, job, replace(plan, cut=tuple(range(1, frets + 1))), _at(opened, 15))
    fitted = today - timedelta(days=1)
    refrets.fit(db, job, instrument.id, plan, _at(fitted, 11))
    gaps = {place: 10 * chance.randint(0, 1) for place in SURVEY_KINDS["seating"].places(frets, "lane_by_lane")}
    gaps |= {("middle", 7): 50, ("bass", 7): 30, ("treble", 15): 40}
    _read(
        db,
        instrument.id,
        job,
        frets,
        _head("seating", "after", "feeler gauges against the light", 10, fitted),
        gaps,
        _at(fitted, 14),
    )
    xs = fret_positions(spec.mean_scale_mm, frets)
    shape = [4 * (x - xs[0]) * (xs[-1] - x) / (xs[-1] - xs[0]) ** 2 for x in xs]
    back = {("middle", fret): round(-62 * bend + chance.gauss(0, 3)) for fret, bend in enumerate(shape, 1)}
    _read(
        db,
        instrument.id,
        job,
        frets,
        _head("straightness", "after", "straightedge and feeler gauges", 20, fitted),
        back,
        _at(fitted, 15),
    )


def _fretless_conversion(db: Connection, today: date) -> None:
    """Ruff: a fretless bass that is given frets. The board is radiused already, so the slots follow the curve; two
    are shallow.
    """
    spec = _spec(
        "long_bass",
        "Ruff No. 13",
        fret_height_um=1_350,
        crown_width_um=2_900,
        tang_depth_um=1_700,
        barb_width_um=860,
        note="Given to the library as a fretless; frets asked for, flush lines were never inlaid.",
    )
    start = today - timedelta(days=12)
    made = instruments.add(db, spec, _at(start, 9), uid=f"{13:032x}")
    board = replace(
        starting_plan(spec),
        school="follow_radius",
        oversize_um=0,
        tang_width_um=520,
        kerf_um=620,
        blank_thickness_um=spec.board_thickness_um,
        inlay_style="none",
        pin_frets=(),
        posts_um=tuple((round(x * 1000), round(y * 1000)) for x, y in post_grid(4, 1, 48, 38, -16, 11)),
        post_um=12_000,
    )
    boards.save(db, made, spec, board, _at(start, 10))
    job = jobs.open_job(
        db,
        made,
        "refret",
        _at(start, 11),
        (today + timedelta(days=14)).isoformat(),
        "Fretless to fretted, twenty frets",
    )
    wire = refrets.wires(db)[0]
    plan = replace(
        starting_refret(spec, 620, 300, wire.tang_width_um),
        wire=wire.name,
        wire_radius_um=216_000,
        pieces_um=wire.pieces_um,
        seat="pressed",
        tool="arbor press",
    )
    refrets.PLANS.save(db, job, plan, _at(start, 11, 30))
    chance = random.Random(1313)
    day = today - timedelta(days=2)
    depth = {
        place: 2_000 + 10 * chance.randint(-5, 5)
        for place in SURVEY_KINDS["slot_depth"].places(spec.frets, "lane_by_lane")
    }
    depth |= {("bass", 4): 1_620, ("treble", 4): 1_740, ("middle", 11): 1_760}
    _read(db, made, job, spec.frets, _head("slot_depth", "before", "depth gauge", 20, day), depth, _at(day, 16))


def _board_in_the_making(db: Connection, today: date) -> None:
    """Sandpiper: a seven-string multi-scale board, marked as far as fret 9 along the bass string."""
    spec = _spec(
        "seven_string",
        "Sandpiper No. 14",
        nut_radius_um=305_000,
        end_radius_um=457_000,
        board_thickness_um=6_350,
        note="For a neck that is still a blank; ebony-like board, blocks of pale wood.",
    )
    start = today - timedelta(days=4)
    made = instruments.add(db, spec, _at(start, 9), uid=f"{14:032x}", project=True)
    plan = replace(
        starting_plan(spec),
        school="flat_before_radius",
        bit_reach_um=8_000,
        inlay_style="blocks",
        inlay_share=58,
        inlay_side_um=7_000,
        oversize_um=1_500,
        posts_um=tuple((round(x * 1000), round(y * 1000)) for x, y in post_grid(7, 2, 40, 31, 24, -1.5)),
        set_fraction=64,
    )
    boards.save(db, made, spec, plan, _at(start, 10))
    line = marking_lines(spec.outline(), Rule())[0]
    for mark in line.marks[:10]:
        boards.tick(db, made, line.name, mark.fret, round(mark.from_datum_mm * 1000), _at(start, 14, mark.fret))


def _at(day: date, hour: int, minute: int = 0) -> str:
    return datetime.combine(day, time(hour, minute), UTC).isoformat(timespec="milliseconds").replace("+00:00", "Z")


class _Bench:
    """Writes one instrument's history, the oldest first."""

    def __init__(self, db: Connection, neck: Neck, today: date) -> None:
        self.db, self.neck, self.today = db, neck, today
        self.spec = neck.spec
        self.chance = random.Random(neck.seed)
        self.positions = fret_positions(self.spec.mean_scale_mm, self.spec.frets)
        self.wear = {
            (lane, fret): self.chance.gauss(0, neck.wear)
            for lane in ("bass", "middle", "treble")
            for fret in range(1, self.spec.frets + 1)
        }
        self.id = 0

    def fill(self) -> None:
        """Enter the instrument, two years of checks, an earlier level where there was one, and the job of this
        visit.
        """
        start = self.today - timedelta(days=760 - 5 * self.neck.seed)
        self.id = instruments.add(self.db, self.spec, _at(start, 9), uid=f"{self.neck.seed:032x}")
        day = start + timedelta(days=3)
        for k in range(8):
            self.check(day)
            if k == 1 and self.neck.past_level:
                self.past_level(day + timedelta(days=1))
            elif k in (3, 6):
                self.heights_check(day, 0.25 + 0.12 * k)
            day += timedelta(days=91 + self.chance.randint(-9, 9))
        if self.neck.asked:
            self.this_visit()
        for fret, lane, note in self.neck.flaws:
            notes.add(self.db, self.id, None, fret, lane, note, None, _at(self.today - timedelta(days=3), 9, 40))

    def head(self, day: date, kind: str, when: str, strings: str) -> SurveyHead:
        """A survey's heading on a day."""
        straight = kind == "straightness"
        return SurveyHead(
            kind=kind,
            when=when,
            method="gap" if straight else self.neck.method,
            surface="fret_tops",
            tool=(
                "straightedge and feeler gauges"
                if straight or self.neck.method == "gap"
                else "height gauge on a reference beam"
            ),
            resolution_um=20 if straight or self.neck.method == "gap" else 10,
            string_state=strings,
            temperature_c=round(20.5 + self.chance.uniform(-1, 1.5), 1),
            humidity=round(humidity_on(day) + self.chance.uniform(-4, 4)),
            order="lane_by_lane",
        )

    def check(self, day: date) -> None:
        """Relief under a straightedge with the strings at pitch: it follows the humidity."""
        head = self.head(day, "straightness", "before", "tuned")
        relief = self.neck.relief + self.neck.swing * ((head.humidity or 50) - 50) / 30 + self.chance.gauss(0, 0.008)
        job = self.closed_job(day, "Loan check")
        survey = surveys.start(self.db, self.id, job, self.spec.frets, head, _at(day, 10))
        rows = []
        for fret in range(1, self.spec.frets + 1):
            gap = relief * self.parabola(fret) + self.chance.gauss(0, 0.004)
            rows.append(self.row(("middle", fret), gap))
        surveys.add_many(self.db, survey, rows, _at(day, 10, 6))

    def parabola(self, fret: int) -> float:
        """A bow of one between the end frets, by the position of a fret."""
        u = (self.positions[fret - 1] - self.positions[0]) / (self.positions[-1] - self.positions[0])
        return 4 * u * (1 - u)

    def closed_job(self, day: date, note: str) -> int:
        """An inspection that was opened and closed on one day."""
        job = jobs.open_job(self.db, self.id, "inspection", _at(day, 9, 30), None, note)
        jobs.close(self.db, job, _at(day, 11))
        return job

    def row(self, place: Place, mm: float) -> tuple[Place, int, str]:
        """A reading as the tool shows it, to a hundredth."""
        value = round(mm * 100) / 100 + 0.0
        return place, round(value * 1000), f"{value:g}"

    def true_height(self, place: Place, share: float, bow: float) -> float:
        """Height of a fret top over a line, mm: wear and fault grown to a share, and the bow of the day."""
        return (
            self.wear[place] * min(1.0, share + 0.3)
            + self.neck.faults.get(place, 0.0) * share
            + {"bass": 0.5, "middle": 0.0, "treble": -0.5}[place[0]]
            * self.neck.twist
            * self.positions[place[1] - 1]
            / self.positions[-1]
            - bow * self.parabola(place[1])
        )

    def readings(self, share: float, bow: float, places: Sequence[Place]) -> list[tuple[Place, int, str]]:
        """A fret-height survey's rows, by the method that this neck is read with."""
        if self.neck.method == "height":
            return [self.row(place, self.true_height(place, share, bow) + 0.4) for place in places]
        heights = {place: self.true_height(place, share, bow) for place in places}
        # a straightedge rests on the highest frets of its lane: gaps count down from there
        top = {
            lane: max((h for (at, _), h in heights.items() if at == lane), default=0.0)
            for lane in ("bass", "middle", "treble")
        }
        return [self.row(place, top[place[0]] - height) for place, height in heights.items()]

    def heights_survey(self, day: date, job: int, when: str, share: float, bow: float, places: Sequence[Place]) -> int:
        """A fret-height survey with the strings off."""
        survey = surveys.start(
            self.db,
            self.id,
            job,
            self.spec.frets,
            self.head(day, "fret_heights", when, "off"),
            _at(day, 13 if when == "before" else 16),
        )
        surveys.add_many(
            self.db, survey, self.readings(share, bow, places), _at(day, 13 if when == "before" else 16, 20)
        )
        return survey

    def heights_check(self, day: date, share: float) -> None:
        """An earlier look at the fret tops, with the fault still growing."""
        places = SURVEY_KINDS["fret_heights"].places(self.spec.frets, "lane_by_lane")
        self.heights_survey(day, self.closed_job(day, "Fret check"), "before", share, 0.0, places)

    def past_level(self, day: date) -> None:
        """A level in an earlier year: survey, plan carried out, after-survey, metal gone."""
        job = jobs.open_job(self.db, self.id, "level_and_dress", _at(day, 12), day.isoformat(), "Level and dress")
        jobs.set_nut(self.db, job, "out")
        lanes, frets = ("bass", "middle", "treble"), self.spec.frets
        low = {3, frets - 2}
        places = SURVEY_KINDS["fret_heights"].places(frets, "lane_by_lane")
        survey_id = surveys.start(
            self.db, self.id, job, frets, self.head(day, "fret_heights", "before", "off"), _at(day, 13)
        )
        heights = {
            (lane, fret): self.wear[lane, fret] - (self.neck.past_level if fret in low else 0.0)
            for lane, fret in places
        }
        top = {lane: max(heights[lane, fret] for fret in range(1, frets + 1)) for lane in lanes}
        surveys.add_many(self.db, survey_id, [self.row(p, top[p[0]] - h) for p, h in heights.items()], _at(day, 13, 20))
        self.carry_out(job, survey_id, day)
        self.heights_survey(day + timedelta(days=1), job, "after", 0.0, 0.0, places)
        jobs.close(self.db, job, _at(day + timedelta(days=1), 17))

    def carry_out(self, job: int, survey_id: int, day: date) -> None:
        """Plan the level from the readings, accept it whole and mark it done."""
        survey = surveys.get(self.db, survey_id)
        height = self.spec.fret_height_um / 1000
        request = LevelRequest(
            positions_mm=tuple(self.positions),
            heights=heights_from(surveys.values(self.db, survey_id), survey.head.method, self.spec.frets),
            drops_mm=(0.0,) * self.spec.frets,
            left_out=frozenset(),
            objective="least_metal",
            fret_height_mm=(height,) * self.spec.frets,
            least_height_mm=least_height(height),
            polish_loss_mm=ShopSettings().polish_loss_mm,
            rock_mm=ShopSettings().rock_mm,
        )
        plan = plan_level(request)
        around = Circumstances(survey.uid, round(self.spec.mean_scale_mm * 1000), "out", seated=True)
        call = level_call(plan, home=range(1, self.spec.frets + 1))
        outcome = record_outcome(plan, plan.level_all, "level", [], call)
        inputs = record_inputs(plan, plan.level_all, around)
        jobs.accept_plan(self.db, job, survey_id, _at(day, 14), inputs, outcome)
        jobs.mark_done(self.db, jobs.plans(self.db, job)[-1], self.id, _at(day, 16))

    def this_visit(self) -> None:
        """The open job, surveyed as far as it has come."""
        job = jobs.open_job(
            self.db,
            self.id,
            "level_and_dress",
            _at(self.today - timedelta(days=3), 9),
            (self.today + timedelta(days=self.neck.promised)).isoformat() if self.neck.promised else None,
            self.neck.asked,
        )
        places = SURVEY_KINDS["fret_heights"].places(self.spec.frets, "lane_by_lane")
        if self.neck.partial:
            places = places[: self.spec.frets + 7]
        self.heights_survey(self.today - timedelta(days=1), job, "before", 1.0, self.neck.bow, places)

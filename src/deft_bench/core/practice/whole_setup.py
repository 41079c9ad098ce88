"""A practice neck for whole setups: its frets, rod and strings as one hidden truth that answers surveys and is set up.

The same seed and level are the same neck: six strings of the usual set on an electric, under a medium hand, as the
program takes them where nothing else is said. Slots, saddles and pulls are those of the simulated setup
(`core/simulated_setup.py`), rod and frets those of the other whole job. Lengths mm, slots and saddles over the straight
line through the neck's ends, string 1 first.
"""

from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass, replace
from functools import cache
from typing import Any, Literal

import numpy as np

from deft_bench.core.board.positions import fret_position
from deft_bench.core.frets.heights import LANES
from deft_bench.core.instrument import STARTING
from deft_bench.core.practice.kept import fields_of
from deft_bench.core.practice.numbered import chance_of
from deft_bench.core.practice.set_up import FILED_MM, NOTES_MOST, SCREW_MM
from deft_bench.core.practice.straight import Feel, RodNeck, why_no_rod
from deft_bench.core.practice.whole_neck import READING_SECONDS as NECK_READING_SECONDS
from deft_bench.core.practice.whole_neck import SECONDS as NECK_SECONDS
from deft_bench.core.practice.whole_neck import SIXTEENTHS, PracticeNeck
from deft_bench.core.practice.whole_neck import answered as neck_answered
from deft_bench.core.practice.whole_neck import as_json as neck_as_json
from deft_bench.core.practice.whole_neck import neck_from as practice_neck_from
from deft_bench.core.practice.worth import against, fading
from deft_bench.core.simulated_neck import SimulatedNeck
from deft_bench.core.simulated_setup import SimulatedSetup
from deft_bench.core.strings.assembled import assemble
from deft_bench.core.strings.intonation import pressing_of
from deft_bench.core.strings.notes import K_CENTS
from deft_bench.core.strings.setup_job import SetupReadings
from deft_bench.core.strings.setup_plan import SetupPlan, plucks, pulls, starting_setup, stroke_of
from deft_bench.core.strings.setup_solve import setup_solve
from deft_bench.core.survey import SurveyHead
from deft_bench.core.survey_kinds import BUZZES_UM, CLEAN_UM, PER_CENT, Place

SPEC = STARTING["electric"]
SCALE_MM, FRETS, STRINGS = SPEC.mean_scale_mm, SPEC.frets, SPEC.strings
BEARING_FRET = 2
"""A first-fret gap is read with the string held between the second and the third fret."""
EVEN_MM = 0.006
ALONG_MM = 0.15
"""A quarter turn of a saddle's screw along the string."""
QUARTERS = (-4, -1, 1, 4)
"""Quarter turns of a screw at once."""
BENCH_HUMIDITY, SAME_AIR = 45, 5
"""The bench's air, %; wood from air that is no further off has nothing to take on."""
AIR_MM = (0.08, 0.16)
"""How far the relief of a neck from another air moves, either way, once it is at home in the bench's."""
SETTLED_MM, RELIEF_MM = 0.2, (0.1, 0.28)
HIGHER_MM, HIGH_MM = 0.1, 0.5
"""So much more action than the program's on the mean is low, and so much is worth nothing."""
GAP_MM, GAP_OFF_MM, CUT_LOW_MM = 0.02, 0.2, 0.1
"""How far the worst first-fret gap may lie outside what is wanted; over it by the second, or under it by the third, is
worth nothing.
"""
TRUE_CENTS, OFF_CENTS = 2.5, 12.0
SOUND_SHARE, SLOT_SHARE, CENTS_SHARE = 0.4, 0.2, 0.2
READING_SECONDS = {**NECK_READING_SECONDS, "straightness": 20.0, "strings": 6.0, "intonation": 10.0, "buzz": 1.5}
"""What a reading of each kind takes: a practice neck with strings answers these surveys."""

What = Literal["turn", "wait", "rest", "air", "file", "touch", "screw", "along", "frets"]
AT_STRING: tuple[What, ...] = ("file", "touch", "screw", "along")
SECONDS: Mapping[What, float] = {
    "turn": NECK_SECONDS["turn"],
    "wait": NECK_SECONDS["wait"],
    "rest": 120.0,
    "air": 30.0,
    "file": 25.0,
    "touch": 12.0,
    "screw": 10.0,
    "along": 25.0,
    "frets": 600.0,
}
"""What each takes on a bench, tuned again; two days in the bench's air take no more than hanging it up."""
LEVELS: Mapping[int, str] = {
    1: "saddles too high or too low, and intonation off",
    2: "relief, saddles and intonation",
    3: "a neck as it comes: another air, relief, high slots, saddles, intonation",
}


@dataclass(frozen=True, slots=True)
class PracticeSetup:
    """A strung neck: its frets and rod, slots and saddles, how far each saddle lies behind the scale, and the air, %,
    that its wood is at home in, and the relief that the bench's air will still add.
    """

    neck: PracticeNeck
    nut_mm: tuple[float, ...]
    saddle_mm: tuple[float, ...]
    behind_mm: tuple[float, ...]
    air: int = BENCH_HUMIDITY
    air_mm: float = 0.0

    @property
    def strung(self) -> SimulatedSetup:
        """The strings on it as it lies now."""
        plan = _plan()
        return SimulatedSetup(
            self.neck.now,
            self.nut_mm,
            self.saddle_mm,
            tuple(pulls(plan, SPEC)),
            tuple(plucks(plan, SPEC)),
            plan.strings,
            stroke_of(plan),
        )

    @property
    def settled(self) -> "PracticeSetup":
        """As it will be once rod and wood have settled in the bench's air."""
        rod = self.neck.rod.waited()
        neck = replace(self.neck, rod=replace(rod, bow_mm=rod.bow_mm + self.air_mm))
        return replace(self, neck=neck, air=BENCH_HUMIDITY, air_mm=0.0)

    def gaps_mm(self) -> tuple[float, ...]:
        """First-fret gaps; a slot that is cut through to the fret has none."""
        strung = self.strung
        return tuple(max(0.0, strung.first_gap(n, BEARING_FRET)) for n in range(1, STRINGS + 1))

    def actions_mm(self) -> tuple[float, ...]:
        """Actions over fret 12."""
        return tuple(one.action_12_mm for one in self.strung.over())

    def cents(self, string: int, fret: int) -> float:
        """How sharp a string sounds fretted at a fret against its open note: what pressing adds, less what the saddle
        behind the scale takes (docs/methods/intonation.md).
        """
        x, strung = fret_position(SCALE_MM, fret), self.strung
        action, gap = strung.action(string), max(0.0, strung.first_gap(string, BEARING_FRET))
        make, pull = strung.makes[string - 1], strung.tension_n[string - 1]
        pressed = pressing_of(make, SCALE_MM, pull, action, gap, BEARING_FRET)
        moved = K_CENTS * self.behind_mm[string - 1] * (1 / (SCALE_MM - x) - 1 / SCALE_MM)
        return pressed.cents(SCALE_MM, fret) - moved

    def buzzing(self) -> dict[int, tuple[int, ...]]:
        """The places where each string buzzes, 0 open, by its number."""
        found: dict[int, tuple[int, ...]] = {}
        for string, fret in self.strung.heard():
            found[string] = (*found.get(string, ()), fret)
        return found


@dataclass(frozen=True, slots=True)
class Deed:
    """One thing done by hand, with what it told: how the wrench went, the air that the wood came from; filed down to a
    stop over the frets' line (None without one); screwed by quarter turns, up or back positive.
    """

    what: What
    string: int = 0
    sixteenths: int = 0
    quarters: int = 0
    stop_mm: float | None = None
    feel: Feel = ""
    air: int = 0

    @property
    def seconds(self) -> float:
        """What it takes on a bench."""
        return SECONDS[self.what]


@cache
def _plan() -> SetupPlan:
    return starting_setup(SPEC)


def practice_setup(seed: int, level: int) -> PracticeSetup:
    """The neck of a seed and a level, 1 to 3; raises ValueError for another."""
    chance = chance_of(seed, level, max(LEVELS), 35)
    tops = {lane: tuple(np.round(chance.normal(0, EVEN_MM, FRETS), 4).tolist()) for lane in LANES}
    air, air_mm = BENCH_HUMIDITY, 0.0
    if level == 3 and chance.random() < 0.7:
        air += int(chance.choice([-1, 1]) * chance.integers(10, 19))
        air_mm = round(float(chance.choice([-1, 1]) * chance.uniform(*AIR_MM)), 3)
    relief = float(chance.uniform(0.12, 0.24))
    if level > 1:
        relief = float(chance.uniform(0.36, 0.5) if chance.random() < 0.6 else chance.uniform(-0.1, 0.02))
    if relief < RELIEF_MM[0]:
        air_mm = abs(air_mm)  # a string tells nothing of a back-bow: no air makes it deeper
    slack = float(chance.choice([0.0, 0.125])) if level == 3 else 0.0
    answer, creep = round(float(chance.uniform(0.3, 0.5)), 3), round(float(chance.uniform(0.1, 0.3)), 3)
    rod = RodNeck(round(relief, 3), answer, creep, slack, 2.0, taken_up=slack / 2)
    plan = _plan()
    usual = assemble(plan, SPEC, SetupReadings(relief_mm=SETTLED_MM), tops)
    nut = np.array([one.nut_height_mm for one in usual.strings])
    lowest = setup_solve(
        usual.frame,
        [replace(one, action_12_mm=None) for one in usual.strings],
        (SETTLED_MM, SETTLED_MM),
        plan.margin_um / 1000,
        stroke=usual.stroke,
    )
    if level == 3:
        nut = nut + chance.uniform(0.1, 0.25, STRINGS) * (chance.random(STRINGS) < 0.8)
    by = float(chance.uniform(1.1, 1.7)) if chance.random() < 0.6 else -float(chance.uniform(0.9, 1.3))
    saddle = [max(0.1, one.saddle_height_mm + by + float(chance.normal(0, 0.15))) for one in lowest.strung]
    made = PracticeSetup(
        PracticeNeck(SimulatedNeck(SCALE_MM, tops, {}), rod),
        tuple(np.round(nut, 3).tolist()),
        tuple(np.round(saddle, 3).tolist()),
        (0.0,) * STRINGS,
        air,
        air_mm,
    )
    off = chance.uniform(1.5, 4.0, STRINGS) * chance.choice([-1, 1], STRINGS)
    behind = [made.cents(n, 12) * SCALE_MM / K_CENTS + off[n - 1] for n in range(1, STRINGS + 1)]
    return replace(made, behind_mm=tuple(np.round(behind, 3).tolist()))


def why_no_drill(truth: PracticeSetup) -> str:
    """Why a neck cannot be practised on, as far as it can be told without playing it; empty where it can."""
    if truth.neck.taken or truth.neck.since_ink or truth.neck.wasted_mm or truth.neck.bowed_mm:
        return (
            "nothing has come off a neck that nobody has touched: leave taken, since_ink, wasted_mm and bowed_mm empty"
        )
    if truth.neck.neck.scale_mm != SCALE_MM:
        return f"neck.neck.scale_mm: the strings are those of a scale of {SCALE_MM:g} mm"
    if truth.neck.neck.bow_mm or truth.neck.neck.unseated:
        return "neck.neck: the bow is the rod's, in neck.rod.bow_mm, and every fret is home"
    return why_no_rod(truth.neck.rod)


# --- reading


def answered(found: PracticeSetup, head: SurveyHead, place: Place) -> int:
    """What a survey of this heading reads at a place, as it is stored (µm, hundredths of a cent, or an answer's
    number), rounded to what its tool tells. Raises ValueError for a kind that no practice neck answers.
    """
    lane, fret = place
    if head.kind == "strings":
        mm = found.gaps_mm() if fret == 1 else found.actions_mm()
        return max(0, round(mm[int(lane) - 1] * 1000 / head.resolution_um) * head.resolution_um)
    if head.kind == "intonation":
        return round(found.cents(int(lane), fret) * PER_CENT / head.resolution_um) * head.resolution_um
    if head.kind == "buzz":
        return BUZZES_UM if found.strung.buzzes(int(lane), fret) else CLEAN_UM
    return neck_answered(found.neck, head, place)


# --- working


def do(
    found: PracticeSetup,
    what: What,
    string: int = 0,
    *,
    sixteenths: int = 0,
    quarters: int = 0,
    stop_mm: float | None = None,
) -> tuple[PracticeSetup, Deed]:
    """Do one thing by hand; the neck after it, and what it told. Raises ValueError where it cannot be done."""
    if what == "turn":
        if sixteenths not in SIXTEENTHS:
            raise ValueError("turn a sixteenth, an eighth or a quarter either way: never more at once")
        rod, feel = found.neck.rod.turned(sixteenths / 16)
        return with_rod(found, rod), Deed("turn", sixteenths=sixteenths, feel=feel)
    if what == "air":
        return found, Deed("air", air=found.air)
    if what == "wait":
        return with_rod(found, found.neck.rod.waited()), Deed("wait")
    if what == "rest":
        return found.settled, Deed("rest", air=found.air)
    if what not in AT_STRING:
        raise ValueError(f"choose one of: {', '.join(SECONDS)}")
    if not 1 <= string <= STRINGS:
        raise ValueError(f"there is no string {string}: 1 to {STRINGS}")
    return _filed(found, what, string, stop_mm) if what in FILED_MM else _screwed(found, what, string, quarters)


def _filed(found: PracticeSetup, what: What, string: int, stop_mm: float | None) -> tuple[PracticeSetup, Deed]:
    """A slot filed, never under the blades where they lie."""
    slot = found.nut_mm[string - 1]
    left = slot - FILED_MM[what]
    if stop_mm is not None:
        left = max(min(slot, stop_mm), left)
    return replace(found, nut_mm=_with(found.nut_mm, string, left)), Deed(what, string, stop_mm=stop_mm)


def _screwed(found: PracticeSetup, what: What, string: int, quarters: int) -> tuple[PracticeSetup, Deed]:
    """A saddle's screw turned: for its height, or along the string."""
    if quarters not in QUARTERS:
        raise ValueError("turn a screw a quarter or a whole turn either way")
    said = Deed(what, string, quarters=quarters)
    if what == "along":
        behind = found.behind_mm[string - 1] + ALONG_MM * quarters
        return replace(found, behind_mm=_with(found.behind_mm, string, behind)), said
    at = found.saddle_mm[string - 1] + SCREW_MM * quarters
    if at < 0:
        raise ValueError(f"the saddle of string {string} lies on the plate: it goes no lower")
    return replace(found, saddle_mm=_with(found.saddle_mm, string, at)), said


def with_rod(found: PracticeSetup, rod: RodNeck) -> PracticeSetup:
    """With its rod as it is now."""
    return replace(found, neck=replace(found.neck, rod=rod))


def _with(values: Sequence[float], string: int, value: float) -> tuple[float, ...]:
    return tuple(value if n == string else one for n, one in enumerate(values, 1))


# --- what it was worth


@dataclass(frozen=True, slots=True)
class WholeSetupScore:
    """Of 100, of the neck as it settles: how many notes buzz, the mean action and the program's, the first-fret gap
    that lies furthest over what is wanted and the one furthest under it, the worst cents at the twelfth, and the time
    against the program's.
    """

    points: int
    buzzing: int
    action_mm: float
    program_action_mm: float
    over_mm: float
    under_mm: float
    cents: float
    relief_mm: float
    forced: bool
    seconds: float
    program_seconds: float
    program_points: int


def wanted_gaps_mm() -> list[tuple[float, float]]:
    """The first-fret gaps that are wanted, string 1 first."""
    plan = _plan()
    return [(low / 1000, high / 1000) for low, high in zip(plan.gap_low_um, plan.gap_high_um, strict=True)]


def score(end: PracticeSetup, seconds: float, program_end: PracticeSetup, program_seconds: float) -> WholeSetupScore:
    """What a job was worth that ended on a neck, against the program's own play of the same."""
    made = [
        _scored(neck, took, program_end, program_seconds)
        for neck, took in ((end, seconds), (program_end, program_seconds))
    ]
    return replace(made[0], program_points=made[1].points)


def _scored(end: PracticeSetup, seconds: float, program_end: PracticeSetup, program_seconds: float) -> WholeSetupScore:
    lies, theirs = end.settled, program_end.settled
    buzzing = sum(map(len, lies.buzzing().values()))
    action, their_action = (float(np.mean(one.actions_mm())) for one in (lies, theirs))
    gaps = list(zip(lies.gaps_mm(), wanted_gaps_mm(), strict=True))
    over = max(0.0, *(gap - high for gap, (_, high) in gaps))
    under = max(0.0, *(low - gap for gap, (low, _) in gaps))
    cents = max(abs(lies.cents(n, 12)) for n in range(1, STRINGS + 1))
    forced = end.neck.rod.forced
    good = 0.0 if forced else fading(buzzing, 0, NOTES_MOST) * fading(action - their_action, HIGHER_MM, HIGH_MM)
    slots = min(fading(over, GAP_MM, GAP_OFF_MM), fading(under, GAP_MM, CUT_LOW_MM))
    shares = SOUND_SHARE + SLOT_SHARE * slots + CENTS_SHARE * fading(cents, TRUE_CENTS, OFF_CENTS)
    spared = (1 - SOUND_SHARE - SLOT_SHARE - CENTS_SHARE) * against(program_seconds, seconds)
    return WholeSetupScore(
        round(100 * good * (shares + spared)),
        buzzing,
        action,
        their_action,
        over,
        under,
        cents,
        lies.neck.rod.bow_mm,
        forced,
        seconds,
        program_seconds,
        0,
    )


# --- as it is kept


def as_json(one: PracticeSetup | Deed) -> dict[str, Any]:
    """As it is kept."""
    kept = asdict(one)
    return kept if isinstance(one, Deed) else kept | {"neck": neck_as_json(one.neck)}


def setup_from(kept: Mapping[str, Any]) -> PracticeSetup:
    """A neck as it was kept."""
    return PracticeSetup(**{**fields_of(kept), "neck": practice_neck_from(kept["neck"])})


def deed_from(kept: Mapping[str, Any]) -> Deed:
    """A deed as it was kept."""
    return Deed(**kept)

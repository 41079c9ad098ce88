"""Seat the frets: wire tapped or pressed into slots, ends first, and what springs back, sticks or is in the way.

The same seed and level are the same board. A wire is a beam over a curved board: what it is bent too little lifts its
ends, and only the barbs hold them (docs/methods/practice.md). Lengths mm, forces N.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any, Literal

from deft_bench.core.practice.kept import fields_of
from deft_bench.core.practice.numbered import WORTH_PLAYING, chance_of
from deft_bench.core.practice.worth import against, fading, took

FRETS, ZONES = 6, ("bass", "middle", "treble")
ENDS = (0, 2)
HALF_MM, STIFF_N = 26.0, 20.0
"""From the middle of the wire to where its end sits, and its force at an end that is bent up a millimetre."""
STANDS_MM = 1.2
"""How far a wire stands up before it goes in."""
TAP_MM, PRESS_MM, LEVER = 0.45, 0.8, 0.3
"""What a blow drives in, what the press does everywhere; what a tap on the middle lifts loose ends, as a share."""
HELD_MM = 0.35
"""An end that is in so far is held by its barbs."""
BEND = 0.12
"""What one pass of the bender takes off the wire's radius."""
FORCES = 3
"""So many blows on what is in the way crack the board."""
HOME_MM, UP_MM = 0.03, 0.15
"""Daylight under the worst fret: all up to the first, nothing from the second on."""
SEEN_MM = 0.02
TIME_SHARE = 0.3
MOST_DONE = 140

What = Literal["tap", "press", "look", "pull", "bend", "notch", "glue"]
SECONDS: Mapping[What, float] = {
    "tap": 3.0,
    "press": 15.0,
    "look": 6.0,
    "pull": 30.0,
    "bend": 20.0,
    "notch": 40.0,
    "glue": 90.0,
}
LEVELS: Mapping[int, str] = {
    1: "wire bent well, slots that hold",
    2: "wire bent too little, slots that hold less",
    3: "wire bent too little, and something in the way",
}


@dataclass(frozen=True, slots=True)
class Fret:
    """A fret: what its barbs hold at an end, N; the radius its wire is bent to; what is in the way in which zone, and
    how high; how far each zone stands up; blows on what is in the way; whether it is glued.
    """

    hold_n: float
    wire_mm: float
    blocked: int = -1
    blocked_mm: float = 0.0
    up_mm: tuple[float, float, float] = (STANDS_MM,) * 3
    forced: int = 0
    glued: bool = False

    def springs_mm(self, board_mm: float) -> float:
        """What an end springs back: l²/2 (1/R − 1/r) less what the barbs hold, never less than nothing."""
        lifts = HALF_MM**2 / 2 * (1 / board_mm - 1 / self.wire_mm)
        return 0.0 if self.glued else max(0.0, lifts - self.hold_n / STIFF_N)

    def least_mm(self, zone: int, board_mm: float) -> float:
        """How far a zone stands up at best, as things are."""
        least = self.springs_mm(board_mm) if zone in ENDS else 0.0
        return max(least, self.blocked_mm) if zone == self.blocked else least


@dataclass(frozen=True, slots=True)
class Slotted:
    """A board of a radius, and the frets that go into it."""

    board_mm: float
    frets: tuple[Fret, ...]

    def daylight_mm(self) -> tuple[float, ...]:
        """The most under each fret."""
        return tuple(max(one.up_mm) for one in self.frets)

    @property
    def cracked(self) -> bool:
        """Whether a fret was driven on what was in its way."""
        return any(one.forced >= FORCES for one in self.frets)


@dataclass(frozen=True, slots=True)
class Done:
    """One thing done to a fret, by its number from 1, in a zone; `seen_mm` is the daylight of a look, `feels` what a
    blow told: goes, home, springs, rings.
    """

    what: What
    fret: int
    zone: str = "middle"
    seen_mm: tuple[float, ...] = ()
    feels: str = ""

    @property
    def seconds(self) -> float:
        """What it takes on a bench."""
        return SECONDS[self.what]


@dataclass(frozen=True, slots=True)
class SeatingScore:
    """Of 100: the daylight under the worst fret, whether the board cracked, the time against the program's."""

    points: int
    worst_mm: float
    cracked: bool
    seconds: float
    program_seconds: float


def slotted(seed: int, level: int) -> Slotted:
    """The board of a seed and a level, 1 to 3; raises ValueError for another."""
    chance = chance_of(seed, level, max(LEVELS), 33)
    board = float(chance.choice([241.0, 254.0, 305.0]))
    wire = board * float(chance.uniform(0.9, 0.98) if level == 1 else chance.uniform(1.25, 1.5))
    holds = chance.uniform(6, 9, FRETS) if level == 1 else chance.uniform(1.0, 7.0, FRETS)
    frets = [Fret(round(float(one), 1), round(wire, 1)) for one in holds]
    if level > 2:
        for number in chance.choice(FRETS, 2, replace=False):
            zone, high = int(chance.integers(3)), round(float(chance.uniform(0.2, 0.5)), 2)
            frets[number] = replace(frets[number], blocked=zone, blocked_mm=high)
    return Slotted(board, tuple(frets))


def why_no_drill(truth: Slotted) -> str:
    """Why a board cannot be practised on; empty where it can."""
    if any(one.up_mm != (STANDS_MM,) * 3 or one.forced or one.glued for one in truth.frets):
        return "nobody has touched its frets yet: leave up_mm, forced and glued out"
    done, end = by_program(truth)
    if len(done) > MOST_DONE or score(truth, done, end, (done, end)).points < WORTH_PLAYING:
        return "the program itself cannot seat these frets"
    return ""


def do(on: Slotted, what: What, fret: int, zone: str = "middle") -> tuple[Slotted, Done]:
    """Do one thing; the board after it, and what it said. Raises ValueError where it cannot be done."""
    if not 1 <= fret <= FRETS:
        raise ValueError(f"there is no fret {fret}: 1 to {FRETS}")
    if zone not in ZONES:
        raise ValueError(f"choose a zone: {', '.join(ZONES)}")
    one, at = on.frets[fret - 1], ZONES.index(zone)
    out = one.up_mm == (STANDS_MM,) * 3
    if what in ("bend", "notch") and not out:
        raise ValueError(f"fret {fret} is in its slot: pull it first")
    seen: tuple[float, ...] = ()
    feels = ""
    if what == "tap":
        one, feels = _tapped(one, at, on.board_mm)
    elif what == "press":
        one, feels = _pressed(one, on.board_mm)
    elif what == "look":
        seen = tuple(round(round(up / SEEN_MM) * SEEN_MM, 4) for up in one.up_mm)
    elif what == "pull":
        one = replace(one, up_mm=(STANDS_MM,) * 3, glued=False)
    elif what == "bend":
        one = replace(one, wire_mm=one.wire_mm * (1 - BEND))
    elif what == "notch":
        one = replace(one, blocked=-1, blocked_mm=0.0) if one.blocked == at else one
    else:
        one = replace(one, glued=True)
        up = [min(mm, one.least_mm(n, on.board_mm)) if mm < HELD_MM else mm for n, mm in enumerate(one.up_mm)]
        one = replace(one, up_mm=_settled(one, up, on.board_mm))
    frets = (*on.frets[: fret - 1], one, *on.frets[fret:])
    return Slotted(on.board_mm, frets), Done(what, fret, zone, seen, feels)


def _tapped(one: Fret, at: int, board_mm: float) -> tuple[Fret, str]:
    up, least = list(one.up_mm), one.least_mm(at, board_mm)
    if up[at] <= least + 1e-9:
        rings = at == one.blocked and least == one.blocked_mm
        feels = "rings" if rings else "springs" if least > SEEN_MM / 2 else "home"
        return replace(one, forced=one.forced + rings), feels
    drop = min(TAP_MM, up[at] - least)
    up[at] -= drop
    if at not in ENDS:
        # the middle first: what the barbs do not hold yet is levered up
        for end in ENDS:
            up[end] += LEVER * drop if up[end] > HELD_MM else 0.0
    return replace(one, up_mm=_settled(one, up, board_mm)), "goes"


def _pressed(one: Fret, board_mm: float) -> tuple[Fret, str]:
    least = [one.least_mm(zone, board_mm) for zone in range(3)]
    rings = (
        one.blocked >= 0 and one.up_mm[one.blocked] <= one.blocked_mm + 1e-9 and one.blocked_mm >= least[one.blocked]
    )
    moved = any(up > low + 1e-9 for up, low in zip(one.up_mm, least, strict=True))
    up = [max(low, up - PRESS_MM) for up, low in zip(one.up_mm, least, strict=True)]
    feels = "rings" if rings else "goes" if moved else "springs" if max(least) > SEEN_MM / 2 else "home"
    return replace(one, up_mm=_settled(one, up, board_mm), forced=one.forced + rings), feels


def _settled(one: Fret, up: Sequence[float], board_mm: float) -> tuple[float, float, float]:
    held = [max(mm, one.least_mm(zone, board_mm)) for zone, mm in enumerate(up)]
    return held[0], held[1], held[2]


def by_program(on: Slotted) -> tuple[list[Done], Slotted]:
    """What the program would do, and the board after it: press; where that does not bring it home, a look, and a blow
    on what stands up; where an end springs the fret is pulled and bent more, where a blow rings it is notched there.
    """
    done: list[Done] = []

    def act(what: What, fret: int, zone: str = "middle") -> Done:
        nonlocal on
        on, said = do(on, what, fret, zone)
        done.append(said)
        return said

    more = 0
    for fret in range(1, FRETS + 1):
        for _ in range(more):
            act("bend", fret)
        for _ in range(10):
            feels = "goes"
            while feels == "goes":
                feels = act("press", fret).feels
            if feels == "home":
                break
            standing = [zone for zone, mm in zip(ZONES, act("look", fret).seen_mm, strict=True) if mm > 0]
            told = {zone: act("tap", fret, zone).feels for zone in standing}
            act("pull", fret)
            for zone, felt in told.items():
                if felt == "rings":
                    act("notch", fret, zone)
            if "springs" in told.values():
                act("bend", fret)
                more += 1
    return done, on


def score(truth: Slotted, done: Sequence[Done], end: Slotted, program: tuple[Sequence[Done], Slotted]) -> SeatingScore:
    """What an attempt was worth that ended in seated frets, against what `by_program` does."""
    seconds, theirs = took(done), took(program[0])
    worst = max(end.daylight_mm())
    good = 0.0 if end.cracked else fading(worst, HOME_MM, UP_MM)
    spared = against(theirs, seconds)
    points = round(100 * good * (1 - TIME_SHARE + TIME_SHARE * spared))
    return SeatingScore(points, worst, end.cracked, seconds, theirs)


def slotted_from(kept: Mapping[str, Any]) -> Slotted:
    """A board as it was kept."""
    return Slotted(kept["board_mm"], tuple(Fret(**fields_of(one)) for one in kept["frets"]))


def done_from(kept: Mapping[str, Any]) -> Done:
    """What was done, as it was kept."""
    return Done(**fields_of(kept))

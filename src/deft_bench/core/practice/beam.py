"""Level with the beam: bring the tops of a straight neck level, seat what is only out of its slot, take no metal too
many.

The same seed and level are the same neck. Metal comes off where the beam bears (`core/frets/beam_contact.py`); a fret
out of its slot gives under beam and finger, is pressed home by a tap, and ends low where it was ground before that.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any, Literal, cast

import numpy as np

from deft_bench.core.board.positions import fret_positions
from deft_bench.core.frets.heights import LANES
from deft_bench.core.frets.levelling import band_width, to_come_off
from deft_bench.core.practice.level_work import FIRM_MM, STROKES, added, ink_left, ten_strokes, work_points
from deft_bench.core.practice.numbered import WORTH_PLAYING, chance_of
from deft_bench.core.practice.worth import fading, took

FRETS, SCALE_MM = 22, 640.0
READ_MM = 0.01
"""What the gauge reads to."""
SECONDS: Mapping["What", float] = {"stroke": 20.0, "press": 3.0, "tap": 10.0, "ink": 25.0, "read": 120.0}
"""What each takes on a bench; strokes by the lane."""
LEVEL_MM, OFF_MM = 0.01, 0.022
"""Half the width of the band that holds a lane: up to the first it is level, from the second on worth nothing."""
EVEN_MM = 0.005
PROUD_MM, LIFTED_MM = (0.06, 0.11), (0.1, 0.2)
STANDS_OUT_MM, ABOUT = 0.025, 3
"""What stands so far over the median of so many on either side the program presses."""
MOST_ROUNDS = 60

What = Literal["stroke", "press", "tap", "ink", "read"]
LEVELS: Mapping[int, str] = {
    1: "two frets stand proud",
    2: "one is proud, one only out of its slot",
    3: "three or four are out, and the lanes differ",
}
POSITIONS = tuple(fret_positions(SCALE_MM, FRETS))


@dataclass(frozen=True, slots=True)
class BeamNeck:
    """Tops by lane, mm over a straight line; how far each fret is out of its slot; what came off each since it was
    inked, and off each in all; and what came off frets that were out of their slots.
    """

    tops: Mapping[str, tuple[float, ...]]
    lifted: tuple[float, ...]
    since_ink: Mapping[str, tuple[float, ...]] = field(default_factory=dict)
    taken: Mapping[str, tuple[float, ...]] = field(default_factory=dict)
    wasted_mm: float = 0.0

    def seated(self, lane: str) -> tuple[float, ...]:
        """The tops of a lane as they lie with every fret home."""
        return tuple(h - up for h, up in zip(self.tops[lane], self.lifted, strict=True))

    def home(self) -> "BeamNeck":
        """With every fret home."""
        return replace(self, tops={lane: self.seated(lane) for lane in LANES}, lifted=(0.0,) * FRETS)

    @property
    def taken_mm(self) -> float:
        """All metal that came off."""
        return sum(sum(offs) for offs in self.taken.values())

    @property
    def band_mm(self) -> float:
        """Half the width of the narrowest band that holds the tops of a lane, every fret home; of the worst lane."""
        return max(band_width(list(zip(POSITIONS, self.seated(lane), strict=True))) for lane in LANES) / 2

    def to_come_off(self, lane: str) -> tuple[float, ...]:
        """What the level programme would take off each fret as it stands."""
        return tuple(to_come_off(POSITIONS, self.tops[lane]))

    def ink(self, lane: str) -> tuple[int, ...]:
        """The ink on each fret: 2 whole, 1 thin, 0 gone."""
        return ink_left(self.since_ink.get(lane, (0.0,) * FRETS))


@dataclass(frozen=True, slots=True)
class Done:
    """One thing done: strokes in some lanes with the hand over a fret, light or firm; a fret pressed (`gives`: it
    moved) or tapped (it went home); inked again; or read, to what should come off by lane.
    """

    what: What
    fret: int = 0
    lanes: tuple[str, ...] = ()
    firm: bool = False
    gives: bool | None = None
    read: Mapping[str, tuple[float, ...]] = field(default_factory=dict)

    @property
    def seconds(self) -> float:
        """What it takes on a bench."""
        return SECONDS[self.what] * (len(self.lanes) if self.what == "stroke" else 1)


@dataclass(frozen=True, slots=True)
class BeamScore:
    """Of 100: how level it ends with every fret home (half the width of its band), the metal and the seconds against
    the program's; the metal that came off frets which were only out of their slots, and the least that the level
    programme takes where every top is touched.
    """

    points: int
    band_mm: float
    taken_mm: float
    program_mm: float
    wasted_mm: float
    least_mm: float
    seconds: float
    program_seconds: float


def beam_neck(seed: int, level: int) -> BeamNeck:
    """The neck of a seed and a level, 1 to 3; raises ValueError for another."""
    chance = chance_of(seed, level, max(LEVELS), 16)
    while True:
        made = _drawn(chance, level)
        if not why_no_drill(made, level):
            return made


def why_no_drill(truth: BeamNeck, level: int) -> str:
    """Why a neck cannot be practised on at a level; empty where it can."""
    if truth.taken or truth.since_ink or truth.wasted_mm:
        return "nothing has come off a neck that nobody has touched: leave taken, since_ink and wasted_mm empty"
    if level == 1 and any(truth.lifted):
        return "lifted: on level 1 every fret is home"
    program = by_program(truth)
    if score(truth, *program, program).points < WORTH_PLAYING:
        return "the program itself cannot bring these tops level"
    return ""


def _drawn(chance: np.random.Generator, level: int) -> BeamNeck:
    many = 2 if level < 3 else int(chance.integers(3, 5))
    frets = [int(n) for n in chance.choice(np.arange(3, FRETS - 1), many, replace=False)]
    loose = set[int]() if level == 1 else set(frets[: many // 2])
    lifted = tuple(float(chance.uniform(*LIFTED_MM)) if n in loose else 0.0 for n in range(1, FRETS + 1))
    proud = {n: float(chance.uniform(*PROUD_MM)) for n in frets if n not in loose}
    tops = {}
    for lane in LANES:
        share = float(chance.uniform(0.6, 1.0)) if level == 3 else 1.0
        tops[lane] = tuple(
            float(chance.normal(0, EVEN_MM)) + lifted[n - 1] + share * proud.get(n, 0.0) for n in range(1, FRETS + 1)
        )
    return BeamNeck(tops, lifted)


def do(
    neck: BeamNeck, what: What, fret: int = 0, lanes: Sequence[str] = (), firm: bool = False
) -> tuple[BeamNeck, Done]:
    """Do one thing; the neck after it, and what it said. Raises ValueError where it cannot be done."""
    if what in ("stroke", "press", "tap") and not 1 <= fret <= FRETS:
        raise ValueError(f"there is no fret {fret}: 1 to {FRETS}")
    if what == "stroke":
        return _stroke(neck, fret, lanes, firm)
    if what == "ink":
        return replace(neck, since_ink={}), Done("ink")
    if what == "read":
        found = {lane: tuple(round(off / READ_MM) * READ_MM for off in neck.to_come_off(lane)) for lane in LANES}
        return neck, Done("read", read=found)
    gives = neck.lifted[fret - 1] > 0
    if what == "tap" and gives:
        tops = {lane: _put(neck.tops[lane], fret, neck.seated(lane)[fret - 1]) for lane in LANES}
        neck = replace(neck, tops=tops, lifted=_put(neck.lifted, fret, 0.0))
    return neck, Done(what, fret, gives=gives)


def _put(values: tuple[float, ...], fret: int, value: float) -> tuple[float, ...]:
    return (*values[: fret - 1], value, *values[fret:])


def _stroke(neck: BeamNeck, fret: int, lanes: Sequence[str], firm: bool) -> tuple[BeamNeck, Done]:
    """Ten strokes in each of some lanes."""
    offs = ten_strokes(POSITIONS, neck.tops, neck.lifted, fret, lanes, firm=firm)
    rows = {lane: off.tolist() for lane, off in offs.items()}
    tops = {lane: tuple(top - off for top, off in zip(neck.tops[lane], row, strict=True)) for lane, row in rows.items()}
    after = replace(
        neck,
        tops={**neck.tops, **tops},
        since_ink=added(neck.since_ink, rows),
        taken=added(neck.taken, rows),
        wasted_mm=neck.wasted_mm + sum(float(off[np.array(neck.lifted) > 0].sum()) for off in offs.values()),
    )
    return after, Done("stroke", fret, tuple(lanes), firm)


def by_program(neck: BeamNeck) -> tuple[list[Done], BeamNeck]:
    """What the program would do, and the neck after it: read the tops, press what stands out, tap home what gives,
    then stroke with the hand at the middle of what should still come off, firmly while there is much.
    """
    done: list[Done] = []

    def step(what: What, fret: int = 0, lanes: Sequence[str] = (), firm: bool = False) -> Done:
        nonlocal neck
        neck, said = do(neck, what, fret, lanes, firm)
        done.append(said)
        return said

    step("read")
    for fret in _standing_out(neck):
        if step("press", fret).gives:
            step("tap", fret)
    for lane in LANES:
        for _ in range(MOST_ROUNDS):
            off = np.array(neck.to_come_off(lane))
            if band_width(list(zip(POSITIONS, neck.tops[lane], strict=True))) / 2 <= LEVEL_MM:
                break
            hand = float(off @ np.array(POSITIONS) / off.sum())
            fret = 1 + int(np.argmin(np.abs(np.array(POSITIONS) - hand)))
            step("stroke", fret, [lane], bool(off.sum() > 3 * STROKES * FIRM_MM))
    return done, neck


def _standing_out(neck: BeamNeck) -> list[int]:
    """Frets that stand over the median of those about them in any lane."""
    found = set[int]()
    for tops in neck.tops.values():
        for n in range(1, FRETS + 1):
            about = tops[max(0, n - 1 - ABOUT) : n + ABOUT]
            if tops[n - 1] - float(np.median(about)) >= STANDS_OUT_MM:
                found.add(n)
    return sorted(found)


def score(truth: BeamNeck, done: Sequence[Done], end: BeamNeck, program: tuple[Sequence[Done], BeamNeck]) -> BeamScore:
    """What an attempt was worth that began on one neck and ended on another, against what `by_program` does."""
    theirs, their_end = program
    least = sum(sum(truth.home().to_come_off(lane)) for lane in LANES)
    seconds, their_seconds = took(done), took(theirs)
    flat = fading(end.band_mm, LEVEL_MM, OFF_MM)
    return BeamScore(
        work_points(flat, end.taken_mm, their_end.taken_mm, seconds, their_seconds),
        end.band_mm,
        end.taken_mm,
        their_end.taken_mm,
        end.wasted_mm,
        least,
        seconds,
        their_seconds,
    )


def neck_from(kept: Mapping[str, Any]) -> BeamNeck:
    """A neck as it was kept."""
    lanes = {
        name: {lane: tuple(values) for lane, values in kept[name].items()} for name in ("tops", "since_ink", "taken")
    }
    return BeamNeck(lifted=tuple(kept["lifted"]), wasted_mm=kept["wasted_mm"], **lanes)


def done_from(kept: Mapping[str, Any]) -> Done:
    """What was done, as it was kept."""
    read = {lane: tuple(offs) for lane, offs in kept["read"].items()}
    what = cast("What", kept["what"])
    return Done(what, kept["fret"], tuple(kept["lanes"]), kept["firm"], kept["gives"], read)

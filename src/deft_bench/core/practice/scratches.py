"""Scratches out: from the marks of levelling to the finish asked, by abrasives one finer than the other, and the board
and pickups kept from them.

The same seed and level are the same fret. An abrasive leaves scratches of its own, and takes off by its size; what lies
deeper stays, and hides among scratches that run as it does (docs/methods/practice.md). Depths µm.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any, Literal, cast

import numpy as np

from deft_bench.core.frets.grit_ladder import FINISH_UM, Abrasive, grit_ladder
from deft_bench.core.practice.kept import fields_of
from deft_bench.core.practice.numbered import WORTH_PLAYING, chance_of
from deft_bench.core.practice.worth import against, fading, took

DEPTH_SHARE, RATE_SHARE = 0.15, 0.04
"""How deep an abrasive scratches, and what ten strokes take off, as shares of its particles' size."""
HIDES = 1.5
"""A mark is seen among scratches that run as it does from so many times their depth on."""
DEEPER = 1.25
LEFT = 4.0
"""Marks so many times the coarsest abrasive's are called deeper; so many times the finish's they are worth nothing."""
KIT: tuple[Abrasive, ...] = (
    Abrasive("fepa_p", 320),
    Abrasive("fepa_p", 400),
    Abrasive("fepa_p", 600),
    Abrasive("fepa_p", 800),
    Abrasive("fepa_p", 1200),
    Abrasive("fepa_p", 2000),
    Abrasive("pad", 2500),
    Abrasive("compound", 3),
    Abrasive("compound", 1),
    Abrasive("wool", 4),
)
LADDER = KIT[:-1]
"""What the program works with: wool sheds steel."""
BOARD_SPOILED, PICKUPS_SPOILED, DRY = 0.5, 0.5, 0.9
"""What is left of the worth with a scratched board, with filings on the pickups, and with the board not oiled."""
WAYS = ("along", "across")
STROKES: Mapping[str, int] = {"rub": 10, "rub_more": 50}
FINISH_SHARE, METAL_SHARE = 0.6, 0.2
MOST_DONE = 100
GUARDS: tuple["What", ...] = ("tape", "cover")

What = Literal["rub", "rub_more", "look", "tape", "cover", "oil"]
SECONDS: Mapping[What, float] = {"rub": 10.0, "rub_more": 40.0, "look": 8.0, "tape": 25.0, "cover": 10.0, "oil": 30.0}
CHANGE_S = 6.0
LEVELS: Mapping[int, str] = {
    1: "fine marks, to a bright finish",
    2: "marks both ways, to a bright finish, on a bare board with pickups",
    3: "deep marks both ways, to a mirror, on a bare board with pickups",
}


@dataclass(frozen=True, slots=True)
class Scratched:
    """A fret's top: the finish asked; by way along and across it the deepest marks, and the scratches of what was last
    rubbed that way; the abrasive last in hand, and what came off. On a `bare` board tape goes on first and oil last,
    and pickups are there to be covered; how often the board was rubbed bare, and whether wool shed on the pickups.
    """

    finish: str
    marks_um: tuple[float, float]
    fresh_um: tuple[float, float] = (0.0, 0.0)
    held: int = -1
    taken_um: float = 0.0
    bare: bool = False
    taped: bool = False
    covered: bool = False
    oiled: bool = False
    scratched: int = 0
    filings: bool = False

    @property
    def kept(self) -> float:
        """What is left of the worth by what became of the board and the pickups."""
        board = BOARD_SPOILED if self.scratched else 1.0
        return board * (PICKUPS_SPOILED if self.filings else 1.0) * (DRY if self.bare and not self.oiled else 1.0)

    @property
    def asked_um(self) -> float:
        """How deep scratches of the finish are."""
        return DEPTH_SHARE * FINISH_UM[self.finish]

    @property
    def deepest_um(self) -> float:
        """The deepest of all marks."""
        return max(self.marks_um)

    def seen_um(self) -> tuple[float, float]:
        """What the lamp shows of each way: the deepest marks, or where those hide the fresh scratches."""
        return cast(
            "tuple[float, float]",
            tuple(
                mark if mark > HIDES * fresh else min(mark, fresh)
                for mark, fresh in zip(self.marks_um, self.fresh_um, strict=True)
            ),
        )


@dataclass(frozen=True, slots=True)
class Done:
    """One thing done: rubbed with an abrasive, by its place in the kit, one way; a look, with what it showed; or the
    board taped, where it `holds`, or oiled.
    """

    what: What
    abrasive: int = 0
    way: str = "along"
    seen_um: tuple[float, ...] = ()
    changed: bool = False
    holds: bool = True

    @property
    def seconds(self) -> float:
        """What it takes on a bench."""
        return SECONDS[self.what] + CHANGE_S * self.changed


@dataclass(frozen=True, slots=True)
class ScratchScore:
    """Of 100: how deep the deepest marks are, what came off and the time, against the program's."""

    points: int
    deepest_um: float
    taken_um: float
    program_um: float
    seconds: float
    program_seconds: float


def scratched(seed: int, level: int) -> Scratched:
    """The fret of a seed and a level, 1 to 3; raises ValueError for another."""
    chance = chance_of(seed, level, max(LEVELS), 32)
    along, across = float(chance.uniform(3.8, 4.8)), 0.0
    if level > 1:
        across = float(chance.uniform(2.5, 4.4))
    if level > 2:
        along = float(chance.uniform(4.8, 6.2))
    marks = (along, across) if chance.random() < 0.5 else (across, along)
    return Scratched("mirror" if level > 2 else "bright", (round(marks[0], 2), round(marks[1], 2)), bare=level > 1)


def why_no_drill(truth: Scratched) -> str:
    """Why a fret cannot be practised on; empty where it can."""
    if truth != Scratched(truth.finish, truth.marks_um, bare=truth.bare):
        return "nobody has rubbed it yet: leave all but finish, marks_um and bare out"
    if truth.deepest_um <= LEFT * truth.asked_um:
        return "its marks are nearly as fine as that finish already"
    done, end = by_program(truth)
    if len(done) > MOST_DONE or score(truth, done, end, (done, end)).points < WORTH_PLAYING:
        return "the program itself cannot bring it to that finish"
    return ""


def do(on: Scratched, what: What, abrasive: int = 0, way: str = "along") -> tuple[Scratched, Done]:
    """Do one thing; the fret after it, and what it showed. Raises ValueError where it cannot be done."""
    if what == "look":
        return on, Done(what, on.held, seen_um=tuple(round(one, 1) for one in on.seen_um()))
    if what in ("tape", "cover", "oil"):
        return _guarded(on, what)
    if not 0 <= abrasive < len(KIT):
        raise ValueError(f"there is no abrasive {abrasive + 1}: 1 to {len(KIT)}")
    if way not in WAYS:
        raise ValueError(f"rub one of: {', '.join(WAYS)}")
    size, at = KIT[abrasive].size_um, WAYS.index(way)
    off = RATE_SHARE * size * STROKES[what] / 10
    marks = [max(0.0, mark - off) for mark in on.marks_um]
    marks[at] = max(marks[at], DEPTH_SHARE * size)
    fresh = [
        0.0 if n != at and mark == 0 else one for n, (one, mark) in enumerate(zip(on.fresh_um, marks, strict=True))
    ]
    fresh[at] = DEPTH_SHARE * size
    after = replace(
        on,
        marks_um=(marks[0], marks[1]),
        fresh_um=(min(fresh[0], marks[0]), min(fresh[1], marks[1])),
        held=abrasive,
        taken_um=on.taken_um + off,
        scratched=on.scratched + (on.bare and not on.taped),
        filings=on.filings or (on.bare and not on.covered and KIT[abrasive].kind == "wool"),
    )
    return after, Done(what, abrasive, way, changed=abrasive != on.held)


def _guarded(on: Scratched, what: What) -> tuple[Scratched, Done]:
    """The board taped, the pickups covered, or the tape off and the board oiled: on oil no tape holds."""
    if not on.bare:
        raise ValueError("the board is lacquered and there are no pickups: nothing is taped, covered or oiled")
    if what == "tape":
        return replace(on, taped=not on.oiled), Done(what, on.held, holds=not on.oiled)
    return replace(on, covered=True) if what == "cover" else replace(on, oiled=True, taped=False), Done(what, on.held)


def as_of(mark_um: float) -> tuple[Abrasive, bool]:
    """The abrasive of the kit that leaves marks nearest to these, and whether they are deeper than the coarsest's."""
    near = min(LADDER, key=lambda one: abs(DEPTH_SHARE * one.size_um - mark_um))
    return near, mark_um > DEEPER * DEPTH_SHARE * KIT[0].size_um


def by_program(on: Scratched) -> tuple[list[Done], Scratched]:
    """What the program would do, and the fret after it: up the ladder of grits from the coarsest mark, the way turned
    with each, until the marks before it are gone; the board taped and the pickups covered first, and oiled last.
    """
    done: list[Done] = []
    for what in GUARDS if on.bare else ():
        on, said = do(on, what)
        done.append(said)
    start = max(on.deepest_um / DEPTH_SHARE, 1.0)
    steps = [KIT.index(rung.abrasive) for rung in grit_ladder(start, on.finish, LADDER).steps]
    way = int(np.argmin(on.marks_um))
    for abrasive in steps:
        other, own = 1 - way, DEPTH_SHARE * KIT[abrasive].size_um
        while max(on.marks_um[other], on.marks_um[way] - own) > 1e-6 or on.held != abrasive:
            more = max(on.marks_um[other], on.marks_um[way] - own) > 4 * RATE_SHARE * KIT[abrasive].size_um
            on, said = do(on, "rub_more" if more else "rub", abrasive, WAYS[way])
            done.append(said)
        way = other
    last: tuple[What, ...] = ("look", "oil") if on.bare else ("look",)
    for what in last:
        on, said = do(on, what)
        done.append(said)
    return done, on


def score(
    truth: Scratched, done: Sequence[Done], end: Scratched, program: tuple[Sequence[Done], Scratched]
) -> ScratchScore:
    """What an attempt was worth that ended in a finish, against what `by_program` does."""
    seconds, theirs = took(done), took(program[0])
    asked = max(end.asked_um, program[1].deepest_um)
    good = end.kept * fading(end.deepest_um, asked, LEFT * asked)
    metal = against(program[1].taken_um, end.taken_um, unspent=1.0)
    spared = against(theirs, seconds)
    points = round(100 * good * (FINISH_SHARE + METAL_SHARE * metal + (1 - FINISH_SHARE - METAL_SHARE) * spared))
    return ScratchScore(points, end.deepest_um, end.taken_um, program[1].taken_um, seconds, theirs)


def scratched_from(kept: Mapping[str, Any]) -> Scratched:
    """A fret as it was kept."""
    return Scratched(**fields_of(kept))


def done_from(kept: Mapping[str, Any]) -> Done:
    """What was done, as it was kept."""
    return Done(**fields_of(kept))

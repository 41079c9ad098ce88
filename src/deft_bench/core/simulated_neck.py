"""A neck with a hidden truth: it answers surveys as a tool would and changes when it is worked on.

For tests of the calls in a closed loop, and for practice. Heights in mm; every act returns a new neck.
"""

import random
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np

from deft_bench.core.board.positions import fret_positions
from deft_bench.core.evidence.beam_ink import hull_over
from deft_bench.core.evidence.kinds import INK_STROKE_MM
from deft_bench.core.frets.heights import LANES
from deft_bench.core.frets.rocker import Triple, rock_of

PARTLY_STROKES = 0.75
"""A top that lies within so many strokes of the beam's reach keeps part of its ink."""


@dataclass(frozen=True, slots=True)
class Tool:
    """What readings are taken with: rounded to `resolution_mm`, with a spread of `noise_mm`."""

    resolution_mm: float = 0.01
    noise_mm: float = 0.0

    def read(self, true_mm: float, chance: random.Random) -> float:
        """One reading of a true value."""
        return round((true_mm + chance.gauss(0, self.noise_mm)) / self.resolution_mm) * self.resolution_mm


@dataclass(frozen=True, slots=True)
class SimulatedNeck:
    """The truth: seated tops by lane, how far frets are out of their slots, bow, twist, and how the rod answers.

    `bow_mm` is relief, forward positive; `twist_mm` lifts the bass side of the last fret over the treble side; `rod_mm`
    is the relief a turn takes out, `rod_left` how many turns it still tightens.
    """

    scale_mm: float
    tops: Mapping[str, tuple[float, ...]]
    unseated: Mapping[int, float]
    bow_mm: float = 0.0
    twist_mm: float = 0.0
    rod_mm: float = 0.4
    rod_left: float = 2.0

    @property
    def frets(self) -> int:
        """How many frets it has."""
        return len(self.tops["middle"])

    @property
    def positions(self) -> list[float]:
        """Fret positions, mm."""
        return fret_positions(self.scale_mm, self.frets)

    def board(self, fret: int, lane: str = "middle") -> float:
        """How far the board at a fret lies over the straight line through its ends: bow is below it, mm."""
        xs = self.positions
        return self._board((xs[fret - 1] - xs[0]) / (xs[-1] - xs[0]), lane)

    def _board(self, share: float, lane: str) -> float:
        """How far the board lies over that line at a share of the way along it, mm."""
        side = {"bass": 0.5, "middle": 0.0, "treble": -0.5}[lane]
        return -4 * self.bow_mm * share * (1 - share) + side * self.twist_mm * share

    def height(self, lane: str, fret: int) -> float:
        """The true height of a fret top, mm."""
        return self.board(fret, lane) + self.tops[lane][fret - 1] + self.unseated.get(fret, 0.0)

    def heights(self) -> dict[str, list[float]]:
        """All true heights."""
        xs = self.positions
        shares = [(x - xs[0]) / (xs[-1] - xs[0]) for x in xs]
        return {
            lane: [
                self._board(share, lane) + top + self.unseated.get(fret, 0.0)
                for fret, (share, top) in enumerate(zip(shares, self.tops[lane], strict=True), 1)
            ]
            for lane in LANES
        }

    def survey(self, tool: Tool, chance: random.Random) -> dict[str, list[float | None]]:
        """Heights as a tool reads them."""
        return {lane: [tool.read(mm, chance) for mm in heights] for lane, heights in self.heights().items()}

    def gaps_on_board(self, tool: Tool, chance: random.Random) -> list[float]:
        """Gaps under a notched straightedge on the wood along the middle, fret 1 first, from its highest place."""
        wood = [self.board(fret) for fret in range(1, self.frets + 1)]
        top = max(wood)
        return [tool.read(top - mm, chance) for mm in wood]

    def rocks(self, lane: str, triple: Triple, feel_mm: float = 0.02) -> bool | None:
        """Whether a rocker rocks on a triple; None where it is too close to tell."""
        rock = rock_of(self.positions, self.heights()[lane], triple)
        return True if rock >= feel_mm else False if rock <= feel_mm / 2 else None

    def ink(self, lane: str, first: int, last: int, strokes: int) -> dict[int, int]:
        """What so many light strokes of a beam over a run of frets leave of the ink: 0 gone, 1 partly gone, 2 left."""
        tops = np.array([self.height(lane, fret) for fret in range(first, last + 1)])
        below = (hull_over(np.array(self.positions[first - 1 : last]), tops[None])[0] - tops) / INK_STROKE_MM
        return {
            fret: 0 if under < strokes - PARTLY_STROKES else 2 if under > strokes + PARTLY_STROKES else 1
            for fret, under in enumerate(below, first)
        }

    def under_edge(self, lane: str) -> list[float]:
        """Gaps over every fret under a straightedge that lies along a lane, mm, fret 1 first."""
        x, tops = np.array(self.positions), np.array(self.heights()[lane])
        middle = x.mean()
        # the edge lies on the two tops about its middle that bear it highest there
        at, slope = max(
            (tops[i] + (tops[k] - tops[i]) / (x[k] - x[i]) * (middle - x[i]), (tops[k] - tops[i]) / (x[k] - x[i]))
            for i in np.flatnonzero(x <= middle)
            for k in np.flatnonzero(x > middle)
        )
        gaps: list[float] = (at + slope * (x - middle) - tops).tolist()
        return gaps

    def blade(self, lane: str, fret: int, blades_mm: Sequence[float]) -> float:
        """The thickest of some blades that passes over a fret under a straightedge along a lane; 0: none."""
        gap = self.under_edge(lane)[fret - 1]
        return max((blade for blade in blades_mm if blade <= gap), default=0.0)

    def daylight(self, fret: int) -> float:
        """The gap under a crown, mm."""
        return self.unseated.get(fret, 0.0)

    def turn_rod(self, turns: float) -> "SimulatedNeck":
        """Tighten (positive) or loosen the rod; past its end it takes nothing more."""
        done = min(turns, self.rod_left)
        return replace(self, bow_mm=self.bow_mm - done * self.rod_mm, rod_left=self.rod_left - done)

    def reseat(self, frets: Sequence[int]) -> "SimulatedNeck":
        """Press frets home."""
        return replace(self, unseated={fret: mm for fret, mm in self.unseated.items() if fret not in frets})

    def lift(self, fret: int, raise_mm: float) -> "SimulatedNeck":
        """Raise a low fret by shimming or replacing it."""
        return replace(
            self,
            tops={
                lane: tuple(mm + (raise_mm if n == fret else 0.0) for n, mm in enumerate(tops, 1))
                for lane, tops in self.tops.items()
            },
        )

    def level(self, targets: Mapping[str, Sequence[float]]) -> tuple["SimulatedNeck", float]:
        """Take every top that stands above its lane's target down to it; returns the neck and the metal taken, mm."""
        taken = 0.0
        tops = {}
        for lane, target in targets.items():
            off = [max(0.0, self.height(lane, fret) - mm) for fret, mm in enumerate(target, 1)]
            taken += sum(off)
            tops[lane] = tuple(mm - less for mm, less in zip(self.tops[lane], off, strict=True))
        return replace(self, tops={**self.tops, **tops}), taken

"""Strings on the simulated neck, with a hidden truth: they answer readings as tools would, buzz when they are played,
and change when worked on.

For tests of the setup in a closed loop, and for practice. Heights in mm; every act returns a new setup.
"""

import random
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np

from deft_bench.core.simulated_neck import SimulatedNeck, Tool
from deft_bench.core.strings.clearance import OverString, Strung, over_frets
from deft_bench.core.strings.frame import StringFrame
from deft_bench.core.strings.simulated_string import AUDIBLE_DB, Ringing, loudest_buzz_db, ringing
from deft_bench.core.strings.string_set import StringMake
from deft_bench.core.strings.stroke import MEDIUM_STROKE, Stroke


@dataclass(frozen=True, slots=True)
class SimulatedSetup:
    """The truth, string 1 first: slot bottoms and saddles above the straight line through the neck's ends, pulls and
    plucks in N. `makes` are the strings themselves: without them they may be read but not heard.

    Files and screws work in steps: no slot is filed by less than `file_step_mm`, no saddle moved by less than
    `saddle_step_mm`.
    """

    neck: SimulatedNeck
    nut_mm: tuple[float, ...]
    saddle_mm: tuple[float, ...]
    tension_n: tuple[float, ...]
    pluck_n: tuple[float, ...]
    makes: tuple[StringMake, ...] = ()
    stroke: Stroke = MEDIUM_STROKE
    file_step_mm: float = 0.01
    saddle_step_mm: float = 0.0625

    @property
    def strings(self) -> int:
        """How many strings it has."""
        return len(self.nut_mm)

    def frame(self) -> StringFrame:
        """The neck as the strings truly see it."""
        bow = [self.neck.board(fret) for fret in range(1, self.neck.frets + 1)]
        lanes = {
            lane: [mm - b for mm, b in zip(heights, bow, strict=True)] for lane, heights in self.neck.heights().items()
        }
        return StringFrame(self.neck.scale_mm, self.neck.frets, self.neck.bow_mm, errors=lanes)

    def _over(self, string: int, pluck_n: float) -> OverString:
        i = string - 1
        return OverString(string, self.tension_n[i], self.nut_mm[i], pluck_n, saddle_height_mm=self.saddle_mm[i])

    def over(self) -> list[Strung]:
        """Every string over every fret, plucked by this player's hand."""
        frame, numbers = self.frame(), range(1, self.strings + 1)
        return [over_frets(frame, self._over(n, self.pluck_n[n - 1]), self.strings, self.stroke) for n in numbers]

    def action(self, string: int) -> float:
        """True action over fret 12."""
        return over_frets(self.frame(), self._over(string, self.pluck_n[string - 1]), self.strings).action_12_mm

    def first_gap(self, string: int, bearing_fret: int = 2) -> float:
        """True gap over fret 1 with the string held on the bearing fret."""
        tops, x = self.frame().tops(string, self.strings), self.frame().positions()
        share = float(x[0] / x[bearing_fret - 1])
        return float(self.nut_mm[string - 1] * (1 - share) + tops[bearing_fret - 1] * share - tops[0])

    def read(
        self, tool: Tool, chance: random.Random, bearing_fret: int = 2
    ) -> tuple[float, dict[int, float], dict[int, float]]:
        """Relief, actions and first-fret gaps as a tool reads them."""
        numbers = range(1, self.strings + 1)
        return (
            tool.read(self.neck.bow_mm, chance),
            {n: tool.read(self.action(n), chance) for n in numbers},
            {n: max(0.0, tool.read(self.first_gap(n, bearing_fret), chance)) for n in numbers},
        )

    def buzzes(self, string: int, fret: int, harder: float = 1.0) -> bool:
        """Whether a note is heard to buzz, plucked by this player's hand, or that many times as hard."""
        found = over_frets(
            self.frame(), self._over(string, self.pluck_n[string - 1] * harder), self.strings, self.stroke
        )
        return bool(np.nanmin(found.margin[fret]) < 0)

    def heard(self) -> list[tuple[int, int]]:
        """Every note that buzzes, as (string, fret)."""
        return [(one.string, f) for one in self.over() for f in range(self.neck.frets) if np.nanmin(one.margin[f]) < 0]

    def ringing(self, string: int, fret: int, harder: float = 1.0) -> Ringing:
        """A note as the simulated string plays it, plucked toward the board."""
        frame, i = self.frame(), string - 1
        strung = over_frets(frame, self._over(string, 0.0), self.strings, self.stroke)
        force = self.pluck_n[i] * harder
        return ringing(frame, strung, self.makes[i], self.tension_n[i], force, self.stroke, fret)

    def buzzes_aloud(self, played: Sequence[tuple[int, int]], harder: float = 1.0) -> list[bool]:
        """Whether each note (string, fret) buzzes audibly on the simulated string: a stroke toward the board, and this
        hand's share of one away from it.
        """
        notes = [self.ringing(string, fret, harder) for string, fret in played]
        return [bool(db > AUDIBLE_DB) for db in loudest_buzz_db(notes, self.stroke)]

    def turn_rod(self, turns: float) -> "SimulatedSetup":
        """Turn the rod; nut and saddles stay where they are against the neck's ends."""
        return replace(self, neck=self.neck.turn_rod(turns))

    def file_nut(self, string: int, off_mm: float) -> "SimulatedSetup":
        """File a slot, never by more than was asked."""
        steps = max(0, int(off_mm / self.file_step_mm + 1e-9))
        return replace(self, nut_mm=_with(self.nut_mm, string, -steps * self.file_step_mm))

    def move_saddle(self, string: int, raise_mm: float) -> "SimulatedSetup":
        """Turn a saddle's screw by the nearest step, upward where two are as near."""
        steps = int(np.floor(raise_mm / self.saddle_step_mm + 0.5))
        return replace(self, saddle_mm=_with(self.saddle_mm, string, steps * self.saddle_step_mm))

    def spot_level(self, fret: int, off: Mapping[str, float]) -> "SimulatedSetup":
        """Take one fret's top down in every lane."""
        tops = {
            lane: tuple(mm - (off.get(lane, 0.0) if n == fret else 0.0) for n, mm in enumerate(lane_tops, 1))
            for lane, lane_tops in self.neck.tops.items()
        }
        return replace(self, neck=replace(self.neck, tops=tops))


def _with(values: Sequence[float], string: int, by: float) -> tuple[float, ...]:
    return tuple(mm + (by if i == string else 0.0) for i, mm in enumerate(values, start=1))

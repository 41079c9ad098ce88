"""Sums of the bench: layers of tape for a fall-away, what comes off a nut slot, what comes off a one-piece saddle.

Each answer is what the program's own calculation makes of the same figures.
"""

from collections.abc import Mapping

import numpy as np

from deft_bench.core.board.positions import fret_positions
from deft_bench.core.calls import frets_named
from deft_bench.core.frets.fall_away_tape import fall_by_first_fret
from deft_bench.core.practice.numbered import chance_of
from deft_bench.core.practice.rounds import Round
from deft_bench.core.strings.nut_depth import nut_slot
from deft_bench.core.strings.saddle_height import one_piece, raise_for

ROUNDS = 4
FRETS, SCALE_MM = 22, 640.0
SLOT_WITHIN_MM, SADDLE_WITHIN_MM = 0.02, 0.08
TAPE_LEVELS: Mapping[int, str] = {1: "tape on the fret alone", 2: "tape on the fret and on the beam"}
SLOT_LEVELS: Mapping[int, str] = {1: "pressed between frets 2 and 3", 2: "pressed on fret 3, and some slots too low"}
SADDLE_LEVELS: Mapping[int, str] = {1: "under the outer strings", 2: "at the saddle’s ends, past the strings"}


def tape_layers(seed: int, level: int) -> tuple[Round, ...]:
    """How many layers of tape a fall-away wants; raises ValueError for a level that is not there."""
    chance = chance_of(seed, level, max(TAPE_LEVELS), 20)
    return tuple(_tape(chance, level) for _ in range(ROUNDS))


def _tape(chance: np.random.Generator, level: int) -> Round:
    xs = fret_positions(SCALE_MM, FRETS)
    while True:
        thick = float(chance.choice([0.05, 0.06, 0.08, 0.1]))
        on_beam = int(chance.integers(1, 3)) if level == 2 else 0
        layers, fret, first = int(chance.integers(1, 7)), int(chance.integers(9, 13)), int(chance.integers(14, 18))
        drop = round(fall_by_first_fret(xs, fret, (layers + on_beam) * thick, first).last_drop_mm, 2)
        if 0.05 <= drop <= 0.6:
            break
    beam = f", and {on_beam} layer{'s are' if on_beam > 1 else ' is'} on the beam above that fret" if on_beam else ""
    height = (layers + on_beam) * thick
    return Round(
        f"The tape is {{0}} thick. It goes on fret {fret}{beam}; fret {first} shall be the first that is cut, and fret"
        f" {FRETS} end {{1}} lower.",
        f"How many layers go on fret {fret}?",
        layers,
        f"The beam’s face lies on fret {first - 1} and falls {{1}} from there to fret {FRETS}: over fret {fret} it"
        f" stands {{2}} up, which is {layers + on_beam} layers in all.",
        asks="count",
        lengths_mm=(thick, drop, height),
    )


def slot_cuts(seed: int, level: int) -> tuple[Round, ...]:
    """How far the bottom of a nut slot may come down; raises ValueError for a level that is not there."""
    chance = chance_of(seed, level, max(SLOT_LEVELS), 21)
    return tuple(_slot(chance, level) for _ in range(ROUNDS))


def _slot(chance: np.random.Generator, level: int) -> Round:
    bearing = 2 if level == 1 else 3
    pressed = "between frets 2 and 3, so that it bears on 2," if level == 1 else "on fret 3"
    wanted = float(chance.choice([0.08, 0.1, 0.12]))
    too_low = level == 2 and chance.random() < 0.4
    gap = round(
        wanted - float(chance.uniform(0.03, 0.06)) if too_low else wanted + float(chance.uniform(0.05, 0.25)), 2
    )
    cut = nut_slot(SCALE_MM, gap, wanted, bearing).file_mm
    right = max(0.0, cut)
    working = (
        "It is under what is wanted already: nothing comes off. A shim, a fill or a new nut."
        if too_low
        else f"{{0}} − {{1}} over fret 1 is {{2}} at the slot: the string falls in a straight line to fret {bearing}."
    )
    return Round(
        f"On a scale of {{3}} a string pressed {pressed} shows {{0}} over fret 1; up to {{1}} is wanted.",
        "How far may the slot’s bottom come down?",
        right,
        working,
        asks="length",
        lengths_mm=(gap, wanted, right, SCALE_MM),
        within_mm=SLOT_WITHIN_MM,
    )


def saddle_cuts(seed: int, level: int) -> tuple[Round, ...]:
    """What comes off beneath a one-piece saddle; raises ValueError for a level that is not there."""
    chance = chance_of(seed, level, max(SADDLE_LEVELS), 22)
    return tuple(_saddle(chance, level) for _ in range(ROUNDS))


def _saddle(chance: np.random.Generator, level: int) -> Round:
    end = str(chance.choice(["bass", "treble"]))
    wanted = {"bass": round(float(chance.uniform(2.1, 2.5)), 1), "treble": round(float(chance.uniform(1.6, 1.9)), 1)}
    over = {name: round(mm + float(chance.uniform(0.2, 0.6)), 2) for name, mm in wanted.items()}
    moves = [raise_for(SCALE_MM, 0.0, over[name], wanted[name]) for name in ("treble", "bass")]
    spread, past = 52.0, 0.0 if level == 1 else float(round(chance.uniform(8, 14)))
    cut = one_piece(moves, spread, past)
    right = cut.take_off_bass_mm if end == "bass" else cut.take_off_treble_mm
    where = f"under the {end} string" if level == 1 else f"at the saddle’s {end} end, {{6}} past the string"
    slope = "" if level == 1 else " The cut’s line runs on past the outer strings, which lie {5} apart."
    return Round(
        "Over fret 12 the bass string stands {0} and the treble {1}; {2} and {3} are wanted.",
        f"How much comes off beneath it {where}?",
        right,
        f"{frets_named([12]).capitalize()} lies halfway, so the saddle moves twice as far as the action: {{4}}.{slope}",
        asks="length",
        lengths_mm=(over["bass"], over["treble"], wanted["bass"], wanted["treble"], right, spread, past),
        within_mm=SADDLE_WITHIN_MM,
    )

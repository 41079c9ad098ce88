"""Teaches the machine's ear on simulated notes and writes its weights; prints the table of docs/methods/buzz-ear.md.

`train_buzz.py 800` plays 800 random strings of eight notes, each in four rooms: half an hour on two cores.
"""

import sys
from collections.abc import Iterable
from multiprocessing import Pool
from pathlib import Path

import numpy as np
from sklearn.metrics import roc_auc_score
from sklearn.neural_network import MLPClassifier

from deft_bench.core.strings.ear.features import features
from deft_bench.core.strings.ear.hearing import Ear, asked
from deft_bench.core.strings.ear.room import ROOM_RATE, random_room
from deft_bench.core.strings.ear.simulated_notes import LOUDER_DB, SimulatedNote, simulated_strings
from deft_bench.core.strings.frame import Array
from deft_bench.formats import buzz_ear

AT_ONCE, ROOMS, NODES, PENALTY, NETWORKS = 50, 4, 16, 1.0, 3
LEAST_SNR_DB, MOST_SNR_DB = 20.0, 45.0
RECALL, SLIGHT_DB = 0.85, 1.0
HELD_OUT = 90_000
"""Seeds from here on are never taught."""
CHECKED_DB = (20.0, 30.0, 40.0)
String = tuple[list[SimulatedNote], list[Array]]
"""A string's notes, and their features in one room."""


def lessons_of(seed: int) -> list[String]:
    """Random strings in random rooms, each at a random distance from the noise."""
    chance = np.random.default_rng(seed)
    return [heard(notes, chance) for notes in simulated_strings(chance, AT_ONCE) for _ in range(ROOMS)]


def held_out(seed: int) -> list[list[String]]:
    """The same, in a room each, at every distance from the noise that is checked."""
    chance = np.random.default_rng(seed)
    every = simulated_strings(chance, AT_ONCE)
    return [[heard(notes, chance, snr_db) for notes in every] for snr_db in CHECKED_DB]


def heard(notes: list[SimulatedNote], chance: np.random.Generator, snr_db: float | None = None) -> String:
    """A string in a room, at a random distance from its noise unless told."""
    room = random_room(chance)
    snr_db = chance.uniform(LEAST_SNR_DB, MOST_SNR_DB) if snr_db is None else snr_db
    figures = [features(room.hear(one.sound, chance, snr_db), ROOM_RATE, one.hz) for one in notes]
    return notes, [one for one in figures if one is not None]


def lessons(strings: Iterable[String], chance: np.random.Generator) -> tuple[Array, Array]:
    """What the network is asked and should answer; half the notes beside some of the others only."""
    rows, answers = [], []
    for notes, figures in strings:
        for i in range(len(notes)):
            others = [k for k in range(len(notes)) if k != i]
            if chance.random() < 0.5:
                others = chance.choice(others, chance.integers(0, len(notes)), replace=False).tolist()
            some = [figures[i], *(figures[k] for k in others)]
            rows.append(asked(some, 0))
            answers.append(notes[i].buzzes)
    return np.array(rows), np.array(answers)


def taught(rows: Array, answers: Array) -> Ear:
    """Networks that were begun at random, side by side as one: its log odds are the mean of theirs."""
    middle, spread = rows.mean(axis=0), rows.std(axis=0) + 1e-6
    networks = []
    for seed in range(1, NETWORKS + 1):
        network = MLPClassifier((NODES,), alpha=PENALTY, max_iter=80, tol=1e-3, batch_size=256, random_state=seed)
        networks.append(network.fit((rows - middle) / spread, answers))
    first = (
        np.hstack([one.coefs_[0] for one in networks]),
        np.concatenate([one.intercepts_[0] for one in networks]),
    )
    last = (
        np.vstack([one.coefs_[1] for one in networks]) / NETWORKS,
        np.mean([one.intercepts_[1] for one in networks], axis=0),
    )
    return Ear(middle, spread, (first, last))


def row(name: str, ear: Ear, strings: list[String]) -> str:
    """A row of the table: how well it parts notes that buzz aloud from all others."""
    odds = np.concatenate([ear.log_odds(figures) for _, figures in strings])
    notes = [one for some, _ in strings for one in some]
    buzzes = np.array([one.buzzes for one in notes])
    slight = np.array([one.louder_db is None or one.louder_db < SLIGHT_DB for one in notes])
    said = odds >= np.quantile(odds[buzzes], 1 - RECALL)
    shares = [f"{100 * said[some].mean():.1f} %" for some in (~buzzes, slight)]
    return f"| {name} | {len(notes)} | {roc_auc_score(buzzes, odds):.3f} | {' | '.join(shares)} |"


def main() -> None:
    """Teach, write, and tell how well it does on strings that it was not taught."""
    count = int(sys.argv[1]) if len(sys.argv) > 1 else 800
    with Pool() as pool:
        strings = [one for some in pool.imap(lessons_of, range(1, 1 + count // AT_ONCE)) for one in some]
        ear = taught(*lessons(strings, np.random.default_rng(0)))
        said = f"{count} simulated strings of 8 notes, each in {ROOMS} rooms; a buzz is {LOUDER_DB:g} dB louder"
        Path(buzz_ear.__file__).with_name(buzz_ear.NAME).write_text(buzz_ear.written(ear, said), encoding="utf-8")
        buzz_ear.buzz_ear.cache_clear()
        unheard = pool.map(held_out, range(HELD_OUT, HELD_OUT + 4))
    print(f"| noise | notes | area under the curve | false at 85 % found | of those under {SLIGHT_DB:g} dB |")
    print("|---|---|---|---|---|")
    for k, snr_db in enumerate(CHECKED_DB):
        print(row(f"{snr_db:g} dB", buzz_ear.buzz_ear(), [one for some in unheard for one in some[k]]), flush=True)


if __name__ == "__main__":
    main()

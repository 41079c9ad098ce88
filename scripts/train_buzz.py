"""Teaches the machine's ear on simulated notes and writes its weights; prints the table of docs/methods/buzz-ear.md.

`train_buzz.py 600` plays 600 random strings of eight notes, each in three rooms: some twelve minutes on two cores.
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

AT_ONCE, ROOMS, NODES, PENALTY = 50, 3, 16, 1.0
LEAST_SNR_DB, MOST_SNR_DB = 20.0, 45.0
RECALL = 0.85
HELD_OUT = 90_000
"""Seeds from here on are never taught."""
String = tuple[list[SimulatedNote], list[Array]]
"""A string's notes, and their features in one room."""


def strings(seed: int, count: int = AT_ONCE, rooms: int = ROOMS, snr_db: float | None = None) -> list[String]:
    """Random strings in random rooms; at a random distance from the noise unless told."""
    chance = np.random.default_rng(seed)
    heard: list[String] = []
    for notes in simulated_strings(chance, count):
        for _ in range(rooms):
            room = random_room(chance)
            away = chance.uniform(LEAST_SNR_DB, MOST_SNR_DB) if snr_db is None else snr_db
            figures = [features(room.hear(one.sound, chance, away), ROOM_RATE, one.hz) for one in notes]
            heard.append((notes, [one for one in figures if one is not None]))
    return heard


def lessons(heard: Iterable[String], chance: np.random.Generator) -> tuple[Array, Array]:
    """What the network is asked and should answer; half the notes beside some of the others only."""
    rows, answers = [], []
    for notes, figures in heard:
        for i in range(len(notes)):
            others = [k for k in range(len(notes)) if k != i]
            if chance.random() < 0.5:
                others = chance.choice(others, chance.integers(0, len(notes)), replace=False).tolist()
            some = [figures[i], *(figures[k] for k in others)]
            rows.append(asked(some, 0))
            answers.append(notes[i].buzzes)
    return np.array(rows), np.array(answers)


def taught(rows: Array, answers: Array) -> Ear:
    """The network that answers best."""
    middle, spread = rows.mean(axis=0), rows.std(axis=0) + 1e-6
    network = MLPClassifier((NODES,), alpha=PENALTY, max_iter=80, batch_size=256, random_state=1)
    network.fit((rows - middle) / spread, answers)
    return Ear(middle, spread, tuple(zip(network.coefs_, network.intercepts_, strict=True)))


def row(name: str, ear: Ear, heard: list[String]) -> str:
    """A row of the table: how well it parts notes that buzz aloud from all others."""
    odds = np.concatenate([ear.log_odds(figures) for _, figures in heard])
    notes = [one for some, _ in heard for one in some]
    buzzes = np.array([one.buzzes for one in notes])
    free = np.array([one.louder_db is None for one in notes])
    bar = np.quantile(odds[buzzes], 1 - RECALL)
    others, clean = odds[~buzzes] >= bar, odds[free] >= bar
    area = roc_auc_score(buzzes, odds)
    return f"| {name} | {len(notes)} | {area:.3f} | {100 * others.mean():.1f} % | {100 * clean.mean():.1f} % |"


def main() -> None:
    """Teach, write, and tell how well it does on strings that it was not taught."""
    count = int(sys.argv[1]) if len(sys.argv) > 1 else 600
    with Pool() as pool:
        heard = [one for some in pool.imap(strings, range(1, 1 + count // AT_ONCE)) for one in some]
        ear = taught(*lessons(heard, np.random.default_rng(0)))
        said = f"{count} simulated strings of 8 notes, each in {ROOMS} rooms; a buzz is {LOUDER_DB:g} dB louder"
        path = Path(buzz_ear.__file__).with_name(buzz_ear.NAME)
        path.write_text(buzz_ear.written(ear, said), encoding="utf-8")
        buzz_ear.buzz_ear.cache_clear()
        shipped = buzz_ear.buzz_ear()
        print("| over the noise | notes | area under the curve | false at 85 % found | of them that touch nothing |")
        print("|---|---|---|---|---|")
        for snr_db in (20.0, 30.0, 40.0):
            asked_of = [(seed, AT_ONCE, 1, snr_db) for seed in range(HELD_OUT, HELD_OUT + 4)]
            unheard = [one for some in pool.starmap(strings, asked_of) for one in some]
            print(row(f"{snr_db:g} dB", shipped, unheard), flush=True)


if __name__ == "__main__":
    main()

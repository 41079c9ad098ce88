"""Cutting fret blanks from wire: the fewest pieces that yield them all, proven fewest, and of those the shortest.

A piece of length P yields n blanks when Σ lengths + (n − 1)·saw ≤ P, that is when Σ (length + saw) ≤ P + saw: bin
packing. Any k pieces can be replaced by the k longest, so only those are tried. A first plan puts each blank, longest
first, where it fits tightest. A lower bound comes from the pattern relaxation (column generation with a knapsack, as
cutting-stock textbooks give it); where the two differ, a search over what is between them decides. Lengths are whole
micrometres, so that no blank is lost to rounding; the relaxation's are rounded so that the bound stays a bound.

At last every set of blanks moves to the shortest piece that takes it, the fullest first, so that offcuts are cut before
whole pieces. The sets being given, no other choice of pieces is shorter together: what takes a set takes every lesser
one.
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache
from itertools import accumulate

import numpy as np

SEARCH_LIMIT = 60_000
PATTERN_ROUNDS = 300
GRAIN_UM = 20


@dataclass(frozen=True, slots=True)
class Cutting:
    """For each piece used, the places of its blanks in the list given. `proven` says that no fewer pieces can do."""

    pieces: tuple[tuple[int, ...], ...]
    piece_um: tuple[int, ...]
    proven: bool


def plan_cutting(blanks_um: Sequence[int], pieces_um: Sequence[int], saw_um: int) -> Cutting:
    """Cut all blanks from the fewest of the pieces; raises ValueError when they cannot all be cut.

    `proven` is False only when bound and plan differ and the search between them had to be cut short. The same question
    is answered from memory: pages ask it again and again.
    """
    return _planned(tuple(blanks_um), tuple(pieces_um), saw_um)


@lru_cache(maxsize=64)
def _planned(blanks_um: tuple[int, ...], pieces_um: tuple[int, ...], saw_um: int) -> Cutting:
    order = sorted(range(len(blanks_um)), key=lambda i: -blanks_um[i])
    sizes = [blanks_um[i] + saw_um for i in order]
    rooms = sorted((piece + saw_um for piece in pieces_um), reverse=True)
    if not rooms:
        raise ValueError("there is no wire to cut from")
    if sizes[0] > rooms[0]:
        raise ValueError(f"the blank of {blanks_um[order[0]] / 1000:g} mm is longer than any piece")
    found = _tightest(sizes, rooms)
    least = _at_least(sizes, rooms)
    proven = True
    if found is None or sum(map(bool, found)) > least:
        bound, patterns = _pattern_bound(sizes, rooms[0])
        least = max(least, bound)
        found = _from_patterns(sizes, rooms, patterns, found)
        most = len(rooms) + 1 if found is None else sum(map(bool, found))
        for count in range(least, most):
            better, finished = _search(sizes, rooms[:count], roomiest=True)
            if better is None and not finished:
                better, finished = _search(sizes, rooms[:count], roomiest=False)
            if better is not None:
                found = better
                break
            proven = proven and finished
    if found is None:
        raise ValueError("the pieces on hand are not enough" + ("" if proven else ", as far as could be searched"))
    used = [(tuple(sorted(order[i] for i in held)), room) for held, room in _shortest(found, sizes, rooms)]
    return Cutting(tuple(held for held, _ in used), tuple(room - saw_um for _, room in used), proven)


def _shortest(found: Sequence[list[int]], sizes: Sequence[int], rooms: Sequence[int]) -> list[tuple[list[int], int]]:
    """Every set of blanks with the shortest piece that takes it, the fullest set first."""
    free = sorted(rooms)
    chosen = []
    for held in sorted(filter(None, found), key=lambda held: -sum(sizes[i] for i in held)):
        room = next(room for room in free if room >= sum(sizes[i] for i in held))
        free.remove(room)
        chosen.append((held, room))
    return chosen


def _tightest(sizes: Sequence[int], rooms: Sequence[int]) -> list[list[int]] | None:
    """Each blank into the fullest opened piece that still takes it, else into the next longest; None when one is
    left.
    """
    left: list[int] = []
    held: list[list[int]] = []
    for i, size in enumerate(sizes):
        fits = [k for k, room in enumerate(left) if room >= size]
        if fits:
            k = min(fits, key=lambda k: left[k])
        elif len(left) < len(rooms) and rooms[len(left)] >= size:
            k = len(left)
            left.append(rooms[k])
            held.append([])
        else:
            return None
        left[k] -= size
        held[k].append(i)
    return held


def _pattern_bound(sizes: Sequence[int], room: int) -> tuple[int, list[np.ndarray]]:
    """A lower bound on the pieces of one length that hold all sizes, the pattern relaxation rounded up; and its
    patterns.

    Weights are rounded down and the room up, to `GRAIN_UM`. The dual bound (value over the dearest pattern's worth) is
    taken at each round, so that stopping early still gives a bound.
    """
    from scipy.optimize import linprog

    weights = [size // GRAIN_UM for size in sizes]
    capacity = -(-room // GRAIN_UM)
    patterns = [np.eye(1, len(sizes), i)[0] for i in range(len(sizes))]
    bound = 0.0
    for _ in range(PATTERN_ROUNDS):
        columns = np.array(patterns).T
        answer = linprog(np.ones(len(patterns)), A_ub=-columns, b_ub=-np.ones(len(sizes)), method="highs")
        prices = -answer.ineqlin.marginals
        pattern, worth = _best_pattern(weights, capacity, prices)
        bound = max(bound, answer.fun / max(worth, 1.0))
        if worth <= 1 + 1e-9 or math.ceil(bound - 1e-6) >= math.ceil(answer.fun - 1e-6):
            break
        patterns.append(pattern)
    return math.ceil(bound - 1e-6), patterns


def _from_patterns(
    sizes: Sequence[int], rooms: Sequence[int], patterns: Sequence[np.ndarray], known: list[list[int]] | None
) -> list[list[int]] | None:
    """The fewest of the relaxation's own patterns that cover all sizes, where they fit the pieces, or the plan
    known.
    """
    from scipy.optimize import Bounds, LinearConstraint, milp

    fitting = [p for p in patterns if sum(size for size, taken in zip(sizes, p, strict=True) if taken) <= rooms[0]]
    columns = np.array(fitting).T
    cover = LinearConstraint(columns, lb=np.ones(len(sizes)))
    answer = milp(
        np.ones(len(fitting)), constraints=cover, integrality=1, bounds=Bounds(0, 1), options={"time_limit": 2.0}
    )
    if answer.x is None or (known is not None and round(answer.fun) >= sum(map(bool, known))):
        return known
    chosen = [fitting[k] for k in range(len(fitting)) if answer.x[k] > 0.5]
    left = set(range(len(sizes)))
    held = []
    for pattern in chosen:
        held.append([i for i in sorted(left) if pattern[i]])
        left -= set(held[-1])
    # the fullest into the longest piece
    held.sort(key=lambda part: -sum(sizes[i] for i in part))
    fits = len(held) <= len(rooms) and all(
        sum(sizes[i] for i in part) <= room for part, room in zip(held, rooms, strict=False)
    )
    return held if fits else known


def _best_pattern(weights: Sequence[int], capacity: int, prices: np.ndarray) -> tuple[np.ndarray, float]:
    """The dearest set of blanks that fits one piece (0–1 knapsack over the capacity), and what it is worth."""
    worth = np.zeros(capacity + 1)
    taken = np.zeros((len(weights), capacity + 1), dtype=bool)
    for i, weight in enumerate(weights):
        with_it = worth[: capacity + 1 - weight] + prices[i]
        taken[i, weight:] = with_it > worth[weight:]
        worth[weight:] = np.maximum(worth[weight:], with_it)
    pattern = np.zeros(len(weights))
    room = capacity
    for i in range(len(weights) - 1, -1, -1):
        if taken[i, room]:
            pattern[i] = 1
            room -= weights[i]
    return pattern, float(worth[capacity])


def _at_least(sizes: Sequence[int], rooms: Sequence[int]) -> int:
    """The least number of longest pieces that could hold all by sum and by count."""
    smallest = list(accumulate(sorted(sizes)))
    room = places = 0
    for count, piece in enumerate(rooms, start=1):
        room += piece
        places += sum(total <= piece for total in smallest)
        if room >= sum(sizes) and places >= len(sizes):
            return count
    return len(rooms) + 1


def _search(sizes: Sequence[int], rooms: Sequence[int], *, roomiest: bool) -> tuple[list[list[int]] | None, bool]:
    """Put every size into the rooms; (what each room holds or None, whether the search ran to its end)."""
    left = list(rooms)
    held: list[list[int]] = [[] for _ in rooms]
    rest = [sum(sizes[i:]) for i in range(len(sizes) + 1)]
    seen: set[tuple[int, tuple[int, ...]]] = set()
    states = 0

    def place(i: int) -> bool:
        nonlocal states
        if i == len(sizes):
            return True
        if rest[i] > sum(left):
            return False
        key = i, tuple(sorted(left))
        if key in seen or states >= SEARCH_LIMIT:
            return False
        states += 1
        # like blanks share out best to the roomiest, unlike ones to the tightest; rooms with as much left are the same
        tried = set()
        for k in sorted(range(len(left)), key=lambda k: left[k], reverse=roomiest):
            if left[k] >= sizes[i] and left[k] not in tried:
                tried.add(left[k])
                left[k] -= sizes[i]
                held[k].append(i)
                if place(i + 1):
                    return True
                held[k].pop()
                left[k] += sizes[i]
        seen.add(key)
        return False

    done = place(0)
    return (held if done else None), states < SEARCH_LIMIT

"""Saddle heights: raise or lower for an action, what comes off a one-piece saddle, and what to do out of travel.

The open string is a straight line from nut to saddle, so a saddle moves (L + c)/x_at times as far as the action over a
fret at x_at. A neck in a pocket of length P whose mouth is D from the saddle turns about the pocket's end: by similar
triangles a shim of h·P/D at the body end lets saddles bottomed by h come up, and one of h·P/(D − P) at the mouth lets
saddles topped out by h come down.

Derived in docs/methods/saddle-height.md.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np

from deft_bench.core.board.positions import fret_position
from deft_bench.core.calls import Call, Length, listed_words
from deft_bench.core.limits import ACTION_GATE_MM, LEAST_CUT_MM

LEAST_BENEATH_MM = 0.15
"""Less than this is not cut beneath a saddle again, but filed on its top: a rule over fret 12 tells no finer line."""


@dataclass(frozen=True, slots=True)
class SaddleMove:
    """One string's saddle: raise positive, mm; `over_mm` how far that is past its travel (up positive, down
    negative), 0 within; `travel_mm` what is left of it (up, down), None where it is not known.
    """

    raise_mm: float
    over_mm: float
    travel_mm: tuple[float, float] | None = None


@dataclass(frozen=True, slots=True)
class OnePiece:
    """What comes off beneath a one-piece saddle at its two ends (negative: shim), and what the line leaves each
    string, mm.
    """

    take_off_bass_mm: float
    take_off_treble_mm: float
    residual_mm: tuple[float, ...]


@dataclass(frozen=True, slots=True)
class PocketShim:
    """A neck shim for saddles out of travel: where in the pocket and how thick, mm, by the worst string.

    `out_mm` is how far out of travel that string is; moving the whole neck by as much does the same (`or_else`: a full
    shim, or deepen).
    """

    at: str
    thickness_mm: float
    out_mm: float
    or_else: str

    def over_after(self, move: SaddleMove) -> float:
        """How far a saddle is out of its travel once the shim is in, mm: the strings all come down onto their saddles,
        or off them, by what the worst one lacked.
        """
        return _over(move.raise_mm + (self.out_mm if self.at == "body end" else -self.out_mm), move.travel_mm)


def raise_for(
    scale_mm: float,
    compensation_mm: float,
    now_mm: float,
    target_mm: float,
    at_fret: int = 12,
    travel: tuple[float, float] | None = None,
) -> SaddleMove:
    """The move of one saddle, with its travel left (up, down) where it is known."""
    up = (target_mm - now_mm) * (scale_mm + compensation_mm) / fret_position(scale_mm, at_fret)
    return SaddleMove(up, _over(up, travel), travel)


def _over(up_mm: float, travel_mm: tuple[float, float] | None) -> float:
    """How far a move is past a travel (up, down): up positive, down negative."""
    return 0.0 if travel_mm is None else max(0.0, up_mm - travel_mm[0]) + min(0.0, up_mm + travel_mm[1])


def one_piece(moves: Sequence[SaddleMove], spread_mm: float, overhang_mm: float) -> OnePiece:
    """The cut line under a one-piece saddle through the outer strings' take-offs; strings are listed treble first.

    Raises ValueError with fewer than two strings.
    """
    if len(moves) < 2:
        raise ValueError("a one-piece saddle's line needs two strings or more")
    offs = [-move.raise_mm for move in moves]
    treble, bass = offs[0], offs[-1]
    slope = (bass - treble) / spread_mm
    places = [spread_mm * i / (len(offs) - 1) for i in range(len(offs))]
    line = [treble + slope * place for place in places]
    residual = tuple(off - at for off, at in zip(offs, line, strict=True))
    return OnePiece(bass + slope * overhang_mm, treble - slope * overhang_mm, residual)


def beneath(moves: Sequence[SaddleMove], spread_mm: float, overhang_mm: float) -> OnePiece:
    """The straight cut beneath a one-piece saddle that takes the most off without leaving any string too low: what is
    left of each string is filed on its top. No end is shimmed while no string is low. (A linear programme in the line's
    two ends.) Raises ValueError as `one_piece` does.
    """
    from scipy.optimize import linprog

    if len(moves) < 2:
        raise ValueError("a one-piece saddle's line needs two strings or more")
    offs = np.array([-move.raise_mm for move in moves])
    bass_share = np.linspace(0.0, 1.0, len(offs))
    ends = np.column_stack([1 - bass_share, bass_share])
    least = None if offs.min() < 0 else 0.0
    found = linprog(-ends.mean(axis=0), A_ub=ends, b_ub=offs, bounds=[(least, None)] * 2)
    treble, bass = (float(end) for end in found.x)
    past = (bass - treble) / spread_mm * overhang_mm
    return OnePiece(bass + past, treble - past, tuple(float(mm) for mm in offs - ends @ found.x))


def pocket_shim(moves: Sequence[SaddleMove], pocket_mm: float, mouth_to_saddle_mm: float) -> PocketShim | None:
    """The shim that brings the worst string back into travel, None when all are within.

    `over_mm` negative: the saddle would have to go lower than it can (bottomed). Raises ValueError for a pocket longer
    than its distance.
    """
    if mouth_to_saddle_mm <= pocket_mm:
        raise ValueError("the saddle lies further from the pocket's mouth than the pocket is long")
    worst = max(moves, key=lambda move: abs(move.over_mm))
    out = worst.over_mm
    if abs(out) < 1e-9:
        return None
    if out < 0:
        return PocketShim("body end", -out * pocket_mm / mouth_to_saddle_mm, -out, "full shim")
    return PocketShim("mouth", out * pocket_mm / (mouth_to_saddle_mm - pocket_mm), out, "deepen the pocket")


def saddle_radius(
    saddle_heights_mm: Sequence[float], offsets_mm: Sequence[float], board_radius_mm: float | None
) -> float | None:
    """The radius that string undersides make at the saddle, mm: least squares of the arc's drop u²/2R; None when flat
    or unknown.

    Heights are above the board's own arc there.
    """
    offs = np.array(offsets_mm)
    if len(offs) < 3:
        return None
    board = np.zeros_like(offs) if board_radius_mm is None else board_radius_mm - np.sqrt(board_radius_mm**2 - offs**2)
    drop = board - np.array(saddle_heights_mm)
    fit = np.linalg.lstsq(np.column_stack([np.ones_like(offs), offs, offs**2]), drop, rcond=None)[0]
    return float(1 / (2 * fit[2])) if fit[2] > 1e-7 else None


@dataclass(frozen=True, slots=True)
class SaddleRead:
    """One string's action over fret 12 as read and as wanted, mm (None unknown), the move between them, and within
    what it counts as wanted.
    """

    string: int
    now_mm: float | None
    want_mm: float | None
    move: SaddleMove | None
    within_mm: float = ACTION_GATE_MM

    @property
    def within(self) -> bool:
        """Whether it is as wanted, to what a setup's gate allows."""
        return (
            self.now_mm is not None
            and self.want_mm is not None
            and abs(self.now_mm - self.want_mm) <= self.within_mm + 1e-9
        )


def to_cut(reads: Sequence[SaddleRead]) -> list[SaddleMove]:
    """The moves that a cut beneath is made for: a string that is as wanted is let be, though it lies a hair low."""
    moves = [(read, read.move) for read in reads if read.move is not None]
    return [replace(move, raise_mm=min(0.0, move.raise_mm)) if read.within else move for read, move in moves]


def _left_out(
    moves: Mapping[int, SaddleMove], shim: PocketShim | None, names: Mapping[int, str]
) -> list[tuple[str, float]]:
    """Strings that are out of travel with the shim in, by name, and by how much."""
    if shim is None:
        return []
    return [(names[string], by) for string, move in moves.items() if abs(by := shim.over_after(move)) > 1e-9]


def _out_of_travel(
    name: str,
    over_mm: float,
    shim: PocketShim | None,
    after: Sequence[tuple[str, float]],
    because: tuple[str, ...],
    length: Length,
) -> Call:
    say = f"{name} is {'topped out' if over_mm > 0 else 'bottomed'} by {length(abs(over_mm))}"
    if shim is not None and after:
        left = listed_words(
            [f"{who} {'topped out' if by > 0 else 'bottomed'} by {length(abs(by))}" for who, by in after]
        )
        say = (
            f"{say}, and the pocket’s shim for it leaves {left}: no shim suits all. Another bridge, or another action."
        )
        return Call(say, "out_of_travel", {}, because)
    if shim is not None:
        return Call(f"{say}: shim the pocket {length(shim.thickness_mm)} at the {shim.at}.", "shim", {}, because)
    return Call(f"{say}: another saddle, or refer for a neck reset.", "out_of_travel", {}, because)


def _one_piece_call(cut: OnePiece, because: tuple[str, ...], length: Length) -> Call:
    """What comes off beneath a one-piece saddle at its ends, and what is missing there."""
    ends = {"bass": cut.take_off_bass_mm, "treble": cut.take_off_treble_mm}
    missing = {end: -mm for end, mm in ends.items() if mm < -LEAST_CUT_MM}
    off = {end: mm for end, mm in ends.items() if mm > LEAST_CUT_MM}
    taken = " and ".join(f"{length(mm)} at its {end} end" for end, mm in off.items())
    if missing:
        lacks = " and ".join(f"{length(mm)} at its {end} end" for end, mm in missing.items())
        say = f"Shim or replace the saddle: {lacks} is missing{f'; {taken} comes off beneath' if taken else ''}."
        return Call(say, "shim", {}, because)
    say = f"Take off beneath the saddle {taken}: two thirds first, read, then the rest."
    return Call(say, "cut", {"most_mm": max(ends.values())}, because)


def _top_call(
    moved: Mapping[int, SaddleMove], names: Mapping[int, str], because: tuple[str, ...], length: Length
) -> Call:
    """A one-piece saddle of which no string is low and little is to come off beneath: what is left is its shape."""
    offs = {string: -move.raise_mm for string, move in moved.items()}
    where = listed_words([f"{length(off)} under {names[string]}" for string, off in offs.items()])
    say = f"File the saddle’s top, {where}: two thirds, read, then the rest; keep where each string leaves it."
    return Call(say, "top", {"most_mm": max(offs.values())}, because)


def _saddle_in_one_piece(
    cut: OnePiece, moved: Mapping[int, SaddleMove], names: Mapping[int, str], because: tuple[str, ...], length: Length
) -> Call:
    """Beneath while a string is low or much comes off there, then its top."""
    low = any(move.raise_mm > 0 for move in moved.values())
    if low or max(cut.take_off_bass_mm, cut.take_off_treble_mm) > LEAST_BENEATH_MM:
        return _one_piece_call(cut, because, length)
    return _top_call(moved, names, because, length)


def saddle_call(
    reads: Sequence[SaddleRead], cut: OnePiece | None, shim: PocketShim | None, names: Mapping[int, str], length: Length
) -> Call:
    """What to do with the saddles: read them, cure what is out of travel, cut or shim a one-piece saddle, or move
    each.
    """
    because = tuple(
        f"{names[read.string]}: {length(read.now_mm)} over fret 12, {length(read.want_mm)} is wanted."
        for read in reads
        if read.now_mm is not None and read.want_mm is not None
    )
    unread = [names[read.string] for read in reads if read.now_mm is None]
    if unread:
        return Call(f"Read the action: {listed_words(unread)}.", "read", {}, because)
    moves = {read.string: read.move for read in reads if read.move is not None}
    worst = max(moves, key=lambda string: abs(moves[string].over_mm), default=None)
    if worst is not None and moves[worst].over_mm:
        after = _left_out(moves, shim, names)
        return _out_of_travel(names[worst], moves[worst].over_mm, shim, after, because, length)
    moved = {read.string: read.move for read in reads if not read.within and read.move is not None}
    if not moved:
        return Call("Leave the saddles: every string is as wanted.", "none", {}, because)
    if cut is not None:
        return _saddle_in_one_piece(cut, moved, names, because, length)
    most = max(moved, key=lambda string: abs(moved[string].raise_mm))
    raised = moved[most].raise_mm
    more = f" and {len(moved) - 1} more as listed" if len(moved) > 1 else ""
    say = f"{'Raise' if raised > 0 else 'Lower'} {names[most]} by {length(abs(raised))}{more}, retune, read again."
    return Call(say, "move", {}, because)

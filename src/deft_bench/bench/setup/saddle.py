"""Saddles: raise or lower each, what comes off beneath a one-piece saddle, the neck's shim and the pickup's reach."""

from collections.abc import Sequence
from dataclasses import dataclass

from deft_bench.core.calls import Call
from deft_bench.core.instrument import Spec
from deft_bench.core.shop_settings import ShopSettings
from deft_bench.core.strings.assembled import Assembled
from deft_bench.core.strings.clearance import Strung
from deft_bench.core.strings.intonation import turns_for
from deft_bench.core.strings.reach import CHANGES, Change, Effect, Seat, effect
from deft_bench.core.strings.reachable import Reach
from deft_bench.core.strings.saddle_height import (
    OnePiece,
    PocketShim,
    SaddleMove,
    SaddleRead,
    beneath,
    pocket_shim,
    raise_for,
    saddle_call,
    saddle_radius,
    to_cut,
)
from deft_bench.core.strings.setup_job import SetupReadings, SetupTarget
from deft_bench.core.strings.setup_plan import SetupPlan, scales, string_names
from deft_bench.core.strings.setup_solve import string_offsets

SEATS: tuple[tuple[Change, float], ...] = (
    ("deepen", 0.5),
    ("deepen", 1.0),
    ("full_shim", 0.5),
    ("body_shim", 0.25),
    ("body_shim", 0.5),
    ("mouth_shim", 0.25),
)
"""Changes of the neck's seat that are shown, with their size in mm."""


@dataclass(frozen=True, slots=True)
class SaddleRow:
    """One saddle: action now and wanted over fret 12, mm, its move, and the turns of its screw."""

    number: int
    now: float | None
    want: float | None
    move: SaddleMove | None
    turns: float | None
    within: bool


@dataclass(frozen=True, slots=True)
class SaddleFindings:
    """Every saddle's move to its target, and what else could be done; lengths mm, the board's radius at the saddle
    None when flat.
    """

    rows: list[SaddleRow]
    strung: Sequence[Strung]
    offsets: Sequence[float]
    board_radius: float | None
    made_radius: float | None
    cut: OnePiece | None
    shim: PocketShim | None
    seat: Seat
    seats: list[tuple[str, float, Effect]]
    call: Call


def saddle_move(spec: Spec, plan: SetupPlan, number: int, now_mm: float, target_mm: float) -> SaddleMove:
    """One saddle's move with the travel that the plan holds; none is known of a one-piece saddle."""
    travel = None if spec.bridge == "one_piece" else (plan.travel_up_um / 1000, plan.travel_down_um / 1000)
    return raise_for(scales(spec)[number - 1], plan.compensation_um / 1000, now_mm, target_mm, travel=travel)


def saddle_findings(
    settings: ShopSettings,
    spec: Spec,
    plan: SetupPlan,
    read: SetupReadings,
    now: Assembled,
    target: SetupTarget,
    reach: Reach,
) -> SaddleFindings:
    """The saddles by the action as last read, toward a target, as near as can be `reach`ed."""
    rows, reads, moves = [], [], []
    for string in now.strings:
        number = string.string
        action, want = read.action_mm.get(number), target.action_mm.get(number)
        move = None if action is None or want is None else saddle_move(spec, plan, number, action, want)
        saddle = SaddleRead(number, action, want, move, reach.action_mm)
        turns = None if move is None else turns_for(move.raise_mm, plan.height_thread_um / 1000)
        reads.append(saddle)
        rows.append(SaddleRow(number, action, want, move, turns, saddle.within))
        moves += [move] if move is not None else []
    strung = now.strung()
    offsets = string_offsets(spec.spread_saddle_um / 1000, spec.strings)
    board = None if plan.board_radius_saddle_um is None else plan.board_radius_saddle_um / 1000
    cut = shim = None
    if spec.bridge == "one_piece" and len(moves) == spec.strings > 1:
        cut = beneath(to_cut(reads), spec.spread_saddle_um / 1000, plan.saddle_overhang_um / 1000)
    if spec.joint == "bolt_on" and moves:
        shim = pocket_shim(moves, plan.pocket_um / 1000, plan.mouth_to_saddle_um / 1000)
    seat = seat_of(plan)
    seats = [(CHANGES[kind], size, effect(seat, kind, size, spec.mean_scale_mm)) for kind, size in SEATS]
    return SaddleFindings(
        rows,
        strung,
        offsets,
        board,
        saddle_radius([string.saddle_height_mm for string in strung], offsets, board),
        cut,
        shim,
        seat,
        seats if spec.joint == "bolt_on" else [],
        saddle_call(reads, cut, shim, string_names(plan), settings.display.fine_mm),
    )


def seat_of(plan: SetupPlan) -> Seat:
    """The neck's seat with the travel that saddles and pickup have left, mm."""
    return Seat(
        plan.pocket_um / 1000,
        plan.mouth_to_saddle_um / 1000,
        plan.pickup_from_saddle_um / 1000,
        plan.travel_up_um / 1000,
        plan.travel_down_um / 1000,
        plan.pickup_gap_um / 1000,
        plan.pickup_target_um / 1000,
        plan.pickup_up_um / 1000,
        plan.pickup_down_um / 1000,
    )

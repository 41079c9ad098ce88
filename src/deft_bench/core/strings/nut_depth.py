"""Nut slots: how deep they are by the gap over the first fret, how far to file, with which file, and when to stop.

From the slot the string runs straight to the fret that it bears on, so its height over the fret line at the nut is
gap/(1 − x₁/x_p) by similar triangles. Pressed between frets 2 and 3 it bears on 2; fretted on 3 it bears on 3.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from itertools import combinations
from typing import Literal

from deft_bench.core.board.positions import fret_position
from deft_bench.core.calls import Call, Length, listed_words
from deft_bench.core.limits import SLOT_ROOM_MM

STEP_MM = 0.10
"""No more than this at one go when filing: then string up and read."""
TOO_LOW_MM = 0.005
WIDE_FILE = 1.15
"""A slot wider than this many times its string lets it rattle."""

LOW_REMEDIES: tuple[tuple[str, str], ...] = (
    ("Shim under the whole nut", "raises every slot: the others are filed again"),
    (
        "Fill this slot with dust of the same material and thin adhesive, and cut it again",
        "holds a while; it wears sooner than the nut",
    ),
    ("Make a new nut", "the blank and its spacing again; the lasting way"),
)


@dataclass(frozen=True, slots=True)
class NutSlot:
    """One slot now and as wanted, mm above the fret line at the nut; `file_mm` negative is too low already."""

    slot_height_mm: float
    target_height_mm: float
    file_mm: float
    slot_width_mm: float | None
    file_choice_mm: float | None
    steps_mm: tuple[float, ...]

    @property
    def file_is_wide(self) -> bool:
        """Whether the file on hand is over 15 % wider than the string: it rattles in such a slot."""
        if self.file_choice_mm is None or self.slot_width_mm is None:
            return False
        return self.file_choice_mm > WIDE_FILE * (self.slot_width_mm - SLOT_ROOM_MM) + 1e-9


def slot_height(scale_mm: float, gap_mm: float, bearing_fret: int) -> float:
    """Height of a slot's bottom above the fret line, mm; raises ValueError for a bearing fret under 2."""
    if bearing_fret < 2:
        raise ValueError("the string bears on fret 2 or further up while the gap over fret 1 is read")
    return gap_mm / (1 - fret_position(scale_mm, 1) / fret_position(scale_mm, bearing_fret))


def nut_slot(
    scale_mm: float,
    gap_mm: float,
    target_gap_mm: float,
    bearing_fret: int = 2,
    gauge_mm: float | None = None,
    files_mm: Sequence[float] = (),
) -> NutSlot:
    """Work one slot out. Steps stop short by half a step, never past the target."""
    now, wanted = slot_height(scale_mm, gap_mm, bearing_fret), slot_height(scale_mm, target_gap_mm, bearing_fret)
    width = None if gauge_mm is None else gauge_mm + SLOT_ROOM_MM
    choice = None if width is None else min((file for file in files_mm if file >= width - 1e-9), default=None)
    return NutSlot(now, wanted, now - wanted, width, choice, _steps(now - wanted))


def _steps(file_mm: float) -> tuple[float, ...]:
    """Cuts that come to `file_mm`, each at most STEP_MM and the last one half as much."""
    if file_mm <= TOO_LOW_MM:
        return ()
    steps: list[float] = []
    left = file_mm
    while left > STEP_MM:
        steps.append(min(STEP_MM, left - STEP_MM / 2))
        left -= steps[-1]
    return (*steps, left)


def feeler_stack(height_mm: float, blades_mm: Sequence[float], most: int = 4) -> tuple[float, ...] | None:
    """The fewest blades that come nearest to a height without being under it, within 0.02 mm; else None.

    Laid on the board against the nut they stop the file at the fret plane plus the wanted slot height.
    """
    for count in range(1, most + 1):
        fits = [c for c in combinations(sorted(set(blades_mm)), count) if -1e-9 <= sum(c) - height_mm <= 0.02]
        if fits:
            return min(fits, key=sum)
    return None


def gap_target(gauge_mm: float, construction: str, scale_mm: float) -> tuple[float, float]:
    """First-fret gap: usual, least and most (docs/methods/nut-depth.md). Nylon and bass more, wound more than plain."""
    if construction.startswith("nylon"):
        return 0.10, 0.18
    if scale_mm >= 740:
        return 0.08, 0.15
    return (0.03, 0.08) if construction == "plain" else (0.05, 0.12)


def gap_side(gap_mm: float, low_mm: float, high_mm: float) -> Literal["low", "right", "high"]:
    """Where a first-fret gap lies against what is wanted, both ends of the range included."""
    return "high" if gap_mm > high_mm + 1e-9 else "low" if gap_mm < low_mm - 1e-9 else "right"


@dataclass(frozen=True, slots=True)
class SlotRead:
    """One string's slot: its gap over fret 1 as read (None unread) and what is wanted, mm, with the filing to the upper
    end of that.

    More can come off later; nothing can be put back.
    """

    string: int
    gap_mm: float | None
    low_mm: float
    high_mm: float
    slot: NutSlot

    @property
    def side(self) -> str | None:
        """`low`, `right` or `high`; None unread."""
        return None if self.gap_mm is None else gap_side(self.gap_mm, self.low_mm, self.high_mm)

    @property
    def file_mm(self) -> float:
        """What comes off; nothing while the gap is as wanted."""
        return self.slot.file_mm if self.side == "high" else 0.0


def nut_call(reads: Sequence[SlotRead], names: Mapping[int, str], length: Length) -> Call:
    """What to do with the nut: slots that are too low first, for they mean a shim or a new nut; then the filing;
    then what is unread.
    """
    low = [names[read.string] for read in reads if read.side == "low"]
    high = [read for read in reads if read.side == "high"]
    unread = [names[read.string] for read in reads if read.gap_mm is None]
    because = tuple(
        f"{names[read.string]}: {length(read.gap_mm)} over fret 1; {length(read.low_mm)} to {length(read.high_mm)} is"
        " wanted."
        for read in reads
        if read.gap_mm is not None
    )
    if low:
        say = (
            f"{listed_words(low)} {'is' if len(low) == 1 else 'are'} cut too low: shim, fill, or make a new nut before"
            " any saddle is touched."
        )
        return Call(say, "too_low", {}, because)
    if high:
        most = max(high, key=lambda one: one.file_mm)
        steps = len(most.slot.steps_mm)
        say = (
            f"File {len(high)} slot{'s' if len(high) > 1 else ''}, {names[most.string]} most: {length(most.file_mm)} in"
            f" {steps} step{'s' if steps > 1 else ''}."
        )
        return Call(say, "file", {}, because)
    if unread:
        return Call(f"Read the gap over fret 1: {listed_words(unread)}.", "read", {}, because)
    return Call("Leave the nut: every gap is as wanted.", "none", {}, because)


@dataclass(frozen=True, slots=True)
class BlankFit:
    """What a nut blank wants before it fits, mm to take off (0 none), and why it cannot fit."""

    length_off_mm: float
    thickness_off_mm: float
    height_off_mm: float
    problems: tuple[str, ...]


def blank_fit(
    blank: tuple[float, float, float], blank_base: str, seat: tuple[float, float], seat_base: str, height_mm: float
) -> BlankFit:
    """Judge a blank (length, thickness, height) against its seat (length across the neck, thickness along it) and
    finished height.
    """
    problems = []
    names = ("long", "thick", "high")
    for name, have, want in zip(names, blank, (*seat, height_mm), strict=True):
        if have < want - 1e-9:
            problems.append(f"the blank is {have:g} mm {name} and {want:g} is needed")
    if blank_base != seat_base:
        problems.append(f"its base is {blank_base} and the seat is {seat_base}")
    offs = [max(0.0, have - want) for have, want in zip(blank, (*seat, height_mm), strict=True)]
    return BlankFit(offs[0], offs[1], offs[2], tuple(problems))

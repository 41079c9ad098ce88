"""The board and neck in cross-section: radius, slots under it, thickness, and what is left over the rod."""

import math
from dataclasses import dataclass
from fractions import Fraction
from typing import Literal

from deft_bench.core.field_checks import FieldError
from deft_bench.core.limits import (
    GLUE_BITE_MM,
    LEAST_OVER_ROD_MM,
    LEAST_WOOD_MM,
    LEAST_WOOD_SHARE,
    LOOSE_BITE_MM,
    OVERBEND_SHARE,
    PRESS_BITE_MM,
    THIN_EDGE_MM,
)

School = Literal["flat_before_radius", "two_stage", "follow_radius"]


def sagitta(radius_mm: float | None, width_mm: float) -> float:
    """How far an arc of this radius falls over half a width, mm: R − √(R² − w²/4); a flat board (None) falls nothing.

    Raises ValueError when the width is more than twice the radius.
    """
    if radius_mm is None:
        return 0.0
    if width_mm > 2 * radius_mm:
        raise FieldError("width", f"{width_mm:g} is wider than the circle: at most {2 * radius_mm:g}")
    # the plain difference loses digits on a flat arc; this is the same, multiplied out
    return width_mm**2 / 4 / (radius_mm + math.sqrt(radius_mm**2 - width_mm**2 / 4))


def radius_of(sagitta_mm: float, width_mm: float) -> float:
    """The radius of the arc that falls `sagitta_mm` over half of `width_mm`: w²/(8s) + s/2.

    Raises ValueError when the fall is more than half the width: that is past a half circle.
    """
    if sagitta_mm > width_mm / 2:
        raise ValueError(f"{sagitta_mm:g} is past a half circle: at most {width_mm / 2:g}")
    return width_mm**2 / (8 * sagitta_mm) + sagitta_mm / 2


@dataclass(frozen=True, slots=True)
class Cone:
    """A compound radius: linear in x from the nut to `end_x_mm`, and on beyond."""

    nut_radius_mm: float
    end_radius_mm: float
    end_x_mm: float

    def at(self, x_mm: float) -> float:
        """The radius at a distance from the nut, mm; raises ValueError where the cone has closed."""
        radius = self.nut_radius_mm + (self.end_radius_mm - self.nut_radius_mm) * x_mm / self.end_x_mm
        if radius <= 0:
            raise FieldError("end_radius", f"the cone has closed before {x_mm:g} from the nut")
        return radius


def string_heights(
    cone: Cone, y_nut_mm: float, y_saddle_mm: float, scale_mm: float, places_mm: list[float]
) -> list[float]:
    """Height of the arched surface under a string, below the crown line, at places along it: mm, negative.

    The string runs straight in plan from y at the nut to y at the saddle. Raises ValueError where it is off the arc.
    """
    heights = []
    for x in places_mm:
        y = y_nut_mm + (y_saddle_mm - y_nut_mm) * x / scale_mm
        heights.append(-sagitta(cone.at(x), 2 * abs(y)))
    return heights


def rises_over_chord(places_mm: list[float], heights_mm: list[float]) -> list[float]:
    """How far each height stands above the straight line from the first to the last, mm."""
    (x0, x1), (h0, h1) = (places_mm[0], places_mm[-1]), (heights_mm[0], heights_mm[-1])
    return [h - h0 - (h1 - h0) * (x - x0) / (x1 - x0) for x, h in zip(places_mm, heights_mm, strict=True)]


@dataclass(frozen=True, slots=True)
class Slot:
    """What a school of slotting cuts and leaves, mm. `first_cut_mm` is from the flat face; None follows the radius."""

    first_cut_mm: float | None
    final_depth_mm: float
    void_at_centre_mm: float
    wood_under_slot_mm: float
    edge_thickness_mm: float
    warnings: tuple[str, ...]


def slot(
    tang_mm: float,
    gap_mm: float,
    radius_mm: float | None,
    width_mm: float,
    thickness_mm: float,
    school: School,
    guide_mm: float = 0.8,
) -> Slot:
    """Depths of a fret slot under a radius by one of three schools; the derivation is in docs/methods/slot.md.

    The thickness is the board's at the centre when done. Raises ValueError when the slot comes through the board.
    """
    fall = sagitta(radius_mm, width_mm)
    final = tang_mm + gap_mm
    first: float | None = None
    deepest = fall + final
    void = gap_mm
    warnings = []
    if school == "flat_before_radius":
        first = final + fall
        void = gap_mm + fall
    elif school == "two_stage":
        first = fall + guide_mm
        deepest = max(deepest, first)
        void = max(gap_mm, first - tang_mm)
        if void > gap_mm + 1e-9:
            warnings.append(
                f"the guide cut leaves {void:.2f} mm hollow under the wire at the centre, more than the {gap_mm:g}"
                " asked"
            )
    wood = thickness_mm - deepest
    if wood <= 0:
        raise FieldError(
            "board_thickness",
            f"the slot would come through: it reaches {deepest:.2f} mm below the crown of a {thickness_mm:g} mm board",
        )
    if wood < LEAST_WOOD_MM or wood < LEAST_WOOD_SHARE * thickness_mm:
        warnings.append(f"only {wood:.2f} mm of wood left under the slot")
    return Slot(first, final, void, wood, thickness_mm - fall, tuple(warnings))


def thickness_passes(start_mm: float, target_mm: float, per_pass_mm: float) -> list[float]:
    """Thickness after each pass, mm, the last one at the target; none when it is there already.

    Worked in exact fractions of the decimals as given, so that no pass is lost or gained to rounding.
    """
    start, target, step = (Fraction(str(value)) for value in (start_mm, target_mm, per_pass_mm))
    if target >= start:
        return []
    count = -(-(start - target) // step)
    return [float(max(target, start - step * (i + 1))) for i in range(count)]


@dataclass(frozen=True, slots=True)
class NeckSection:
    """What comes off the back of a neck at one fret and what that leaves, mm."""

    remove_mm: float
    wood_over_rod_mm: float
    board_edge_mm: float
    warnings: tuple[str, ...]


def neck_section(
    blank_mm: float, board_mm: float, width_mm: float, radius_mm: float | None, rod_channel_mm: float, target_mm: float
) -> NeckSection:
    """Total thickness is blank and board at the centre; wood over the rod is from the channel's floor to the back."""
    remove = blank_mm + board_mm - target_mm
    over = target_mm - board_mm - rod_channel_mm
    edge = board_mm - sagitta(radius_mm, width_mm)
    warnings = []
    if remove < 0:
        warnings.append(f"the blank is {-remove:.2f} mm too thin for the target")
    if over <= 0:
        warnings.append("the channel would come out through the back")
    elif over < LEAST_OVER_ROD_MM:
        warnings.append(f"only {over:.2f} mm of wood over the rod")
    if edge < THIN_EDGE_MM:
        warnings.append(f"the board's edge is only {edge:.2f} mm")
    return NeckSection(remove, over, edge, tuple(warnings))


@dataclass(frozen=True, slots=True)
class WireFit:
    """How a wire sits in a slot; lengths mm."""

    tang_clearance_mm: float
    barb_bite_mm: float
    fit: Literal["loose", "glue", "press", "tight"]
    overbend_ok: bool


def wire_fit(
    slot_mm: float, tang_mm: float, barb_mm: float, wire_radius_mm: float, board_radius_mm: float | None
) -> WireFit:
    """Fit by the bite of the barbs: under 0.05 loose, under 0.15 glue, up to 0.30 press, else or a tang too wide:
    tight.

    The wire is overbent enough from 70 % of the board's radius up to just under it; on a flat board (None) always.
    """
    clearance, bite = slot_mm - tang_mm, barb_mm - slot_mm
    fit: Literal["loose", "glue", "press", "tight"]
    if clearance < 0 or bite > PRESS_BITE_MM + 1e-9:
        fit = "tight"
    elif bite < LOOSE_BITE_MM - 1e-9:
        fit = "loose"
    else:
        fit = "glue" if bite < GLUE_BITE_MM - 1e-9 else "press"
    bent = board_radius_mm is None or OVERBEND_SHARE * board_radius_mm <= wire_radius_mm < board_radius_mm
    return WireFit(clearance, bite, fit, bent)

"""The slotting program as RS-274 (G-code) for a three-axis router: plain moves only, no canned cycles, no tool
tables.
"""

from deft_bench.core.board.slotting import SlotProgram, slot_program
from deft_bench.core.units import MM_PER_INCH
from deft_bench.formats.board import Sheet

APPROACH_MM = 1.0
_BRACKETS = "()[]{}<>"


def write(sheet: Sheet) -> bytes:
    """Write the program; raises MachineError when mill, depth or holder do not allow it."""
    program = slot_program(sheet.spec, sheet.plan, sheet.view)
    return "\n".join([*_heading(sheet, program), *_moves(sheet, program), "M5", "M2", ""]).encode("ascii")


def _heading(sheet: Sheet, program: SlotProgram) -> list[str]:
    plan = sheet.plan
    unit = "inches" if plan.machine_units == "in" else "millimetres"
    datum = f"fret {program.datum_fret}" if program.datum_fret else "the nut line"
    follow = "along the radius" if plan.machine_follow == "radius" else "level"
    words = [
        sheet.title,
        f"{sheet.day}. Fret slots with an end mill of {plan.bit_um / 1000:g} mm, {follow}, in {unit}",
        (
            f"X 0 is {datum} on the centreline, X grows toward the saddle; Y 0 is the centreline; Z 0 is the crown of"
            " the face"
        ),
        (
            f"Slot depth {program.depth_mm:.3f} mm below the face; the deepest cut reaches {program.deepest_mm:.3f} mm"
            " below the crown"
        ),
        f"Feed {plan.feed_mm_min} mm/min, plunge {plan.plunge_mm_min} mm/min, safe height {plan.safe_um / 1000:g} mm",
        f"{program.cut_mm / 1000:.2f} m of cut in {len(program.passes)} passes",
        "RUN IT ABOVE THE WORK FIRST: set Z 0 well over the face, watch the whole run, then set it on the crown",
        (
            "Check the nut to fret 12 against half the scale before the first cut. Eyes, dust, loose cloth: local rules"
            " apply"
        ),
    ]
    lines = [f"({_plain(text)})" for text in words]
    return [*lines, "G20" if plan.machine_units == "in" else "G21", "G90 G17 G94", f"S{plan.spindle_rpm} M3"]


def _moves(sheet: Sheet, program: SlotProgram) -> list[str]:
    plan = sheet.plan
    per = MM_PER_INCH if plan.machine_units == "in" else 1.0
    places = 5 if plan.machine_units == "in" else 4
    side = -1.0 if sheet.spec.left_handed else 1.0

    def number(value: float) -> str:
        text = f"{value / per:.{places}f}"
        return text.lstrip("-") if not text.strip("-0.") else text

    safe = number(plan.safe_um / 1000)
    plunge, feed = number(plan.plunge_mm_min), number(plan.feed_mm_min)
    lines = [f"G0 Z{safe}"]
    fret, at = 0, None
    for one in program.passes:
        points = [(number(x), number(side * y), number(z)) for x, y, z in one.points]
        start = points[0]
        if one.fret != fret:
            lines.append(f"(fret {one.fret})")
            fret = one.fret
        if at != start[:2]:
            lines += [f"G0 Z{safe}", f"G0 X{start[0]} Y{start[1]}", f"G0 Z{number(APPROACH_MM)}"]
        lines.append(f"G1 Z{start[2]} F{plunge}")
        for k, (x, y, z) in enumerate(points[1:]):
            lines.append(f"G1 X{x} Y{y} Z{z}" + (f" F{feed}" if k == 0 else ""))
        at = points[-1][:2]
    lines.append(f"G0 Z{safe}")
    return lines


def _plain(text: str) -> str:
    """A comment that no controller stumbles over or runs: printable ASCII, no brackets, no line end."""
    ascii_only = text.encode("ascii", "replace").decode("ascii")
    return "".join(" " if not c.isprintable() else "" if c in _BRACKETS else c for c in ascii_only)[:200]

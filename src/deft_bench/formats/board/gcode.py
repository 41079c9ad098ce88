"""The slotting programs as RS-274 (G-code) for a three-axis router: plain moves only, no canned cycles, no tool tables.

One file a step of the school (`core/board/slotting`): its name, heading and button say which.
"""

from itertools import pairwise

from deft_bench.core.board.slotting import ON_THE_FLAT, STEPS, SlotPass, SlotProgram, Step, machine_steps, slot_program
from deft_bench.core.units import MM, MM_PER_INCH, Display
from deft_bench.formats.board import Sheet

INCHES = Display("in")
APPROACH_MM = 1.0
SPIN_UP_S = 3
"""How long the spindle is given to reach its speed."""
_BRACKETS = "()[]{}<>"


def write(sheet: Sheet) -> bytes:
    """Write the first program of the school; raises MachineError when mill, depth or holder do not allow it."""
    return _written(sheet, None)


def write_deepening(sheet: Sheet) -> bytes:
    """Write the second of two stages; raises MachineError where the school has none."""
    return _written(sheet, "deepen")


def _written(sheet: Sheet, step: Step | None) -> bytes:
    program = slot_program(sheet.spec, sheet.plan, sheet.view, step)
    writer = _Writer(sheet, program)
    return "\n".join([*writer.heading(), *writer.moves(), "M5", "M2", ""]).encode("ascii")


class _Writer:
    """Writes one program in its own units."""

    def __init__(self, sheet: Sheet, program: SlotProgram) -> None:
        self.sheet, self.program, self.plan = sheet, program, sheet.plan
        self.inches = sheet.plan.machine_units == "in"
        self.side = -1.0 if sheet.spec.left_handed else 1.0

    def number(self, value: float) -> str:
        """A millimetre figure as a word of the program."""
        text = f"{value / (MM_PER_INCH if self.inches else 1.0):.{5 if self.inches else 4}f}"
        return text.lstrip("-") if not text.strip("-0.") else text

    def said(self, mm: float) -> str:
        """A millimetre figure in a comment."""
        return f"{mm / MM_PER_INCH:.4f} in" if self.inches else f"{mm:.3f} mm"

    def heading(self) -> list[str]:
        """Comments for whoever runs it, then the modes and the spindle."""
        program, plan = self.program, self.plan
        steps = machine_steps(self.sheet.spec, plan, self.sheet.view)
        part = f" program {steps.index(program.step) + 1} of {len(steps)}"
        face = "the flat face of the blank" if program.step in ON_THE_FLAT else "the radiused face"
        speed = "in/min" if self.inches else "mm/min"
        feed, plunge = (
            f"{each / MM_PER_INCH if self.inches else each:.{1 if self.inches else 0}f} {speed}"
            for each in (plan.feed_mm_min, plan.plunge_mm_min)
        )
        words = [
            self.sheet.title_in(INCHES if self.inches else MM),
            f"{self.sheet.day}. Slots: {STEPS[program.step]},{part}, end mill {self.said(plan.bit_um / 1000)}",
            f"It starts on {face}. Z 0 is the crown of that face, Y 0 the centreline",
            f"X 0 is {program.datum_words} on the centreline, X grows toward the saddle",
            f"It ends {self.said(program.depth_mm)} below the finished face"
            f", {self.said(program.deepest_mm)} below the crown",
            f"No pass takes more than {self.said(plan.pass_um / 1000)}. The last frets come first, the nut last",
            "The nut is cut on its waste side: the string leaves at the face that is left standing",
            f"Feed {feed}, plunge {plunge}, safe height {self.said(plan.safe_um / 1000)}",
            f"{self.said(program.cut_mm)} of cut in {len(program.passes)} passes"
            f", about {program.minutes(plan):.0f} min",
            "RUN IT ABOVE THE WORK FIRST: set Z 0 well over the face, watch the whole run, then set it on the crown",
            "Check the nut to fret 12 against half the scale before the first cut"
            ". Eyes, dust, loose cloth: local rules apply",
        ]
        lines = [f"({_plain(text)})" for text in words]
        modes = ["G20" if self.inches else "G21", "G90 G17 G94", f"S{plan.spindle_rpm} M3", f"G4 P{SPIN_UP_S}"]
        return [*lines, *modes]

    def moves(self) -> list[str]:
        """Every pass; the mill rises only from slot to slot."""
        safe = self.number(self.plan.safe_um / 1000)
        lines, before = [f"G0 Z{safe}"], None
        for run in self.program.passes:
            lines += self._to(run, before)
            lines += self._along(run)
            before = run
        return [*lines, f"G0 Z{safe}"]

    def _to(self, run: SlotPass, before: SlotPass | None) -> list[str]:
        """From where the last pass ended to where this one begins, and down."""
        x, y, z = self._point(run.points[0])
        plunge = self.number(self.plan.plunge_mm_min)
        if before is not None and before.fret == run.fret:
            last = self._point(before.points[-1])
            lines = [] if last[:2] == (x, y) else [f"G1 X{x} Y{y} F{self.number(self.plan.feed_mm_min)}"]
            return lines if last[2] == z else [*lines, f"G1 Z{z} F{plunge}"]
        name = f"fret {run.fret}" if run.fret else "nut, waste side"
        rise = [f"({name})", f"G0 Z{self.number(self.plan.safe_um / 1000)}", f"G0 X{x} Y{y}"]
        return [*rise, f"G0 Z{self.number(APPROACH_MM)}", f"G1 Z{z} F{plunge}"]

    def _along(self, run: SlotPass) -> list[str]:
        feed = f" F{self.number(self.plan.feed_mm_min)}"
        places = [self._point(point) for point in run.points]
        return [f"G1 X{x} Y{y} Z{z}{feed if before == places[0] else ''}" for before, (x, y, z) in pairwise(places)]

    def _point(self, point: tuple[float, float, float]) -> tuple[str, str, str]:
        x, y, z = point
        return self.number(x), self.number(self.side * y), self.number(z)


def _plain(text: str) -> str:
    """A comment that no controller stumbles over or runs: printable ASCII, no brackets, no line end."""
    ascii_only = text.encode("ascii", "replace").decode("ascii")
    return "".join(" " if not c.isprintable() else "" if c in _BRACKETS else c for c in ascii_only)[:200]

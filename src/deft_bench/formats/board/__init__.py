"""A board as files in open formats, all at true scale and labelled. See docs/formats/board-exports.md.

Each format is a module beside this one, imported only when asked for, with a function from a `Sheet` to bytes.
"""

import importlib
from dataclasses import dataclass, replace
from itertools import pairwise

from deft_bench.core.board.fret_lines import Point
from deft_bench.core.board.plan import BoardPlan
from deft_bench.core.board.plan_view import PlanView, plan_view
from deft_bench.core.board.rules import Rule
from deft_bench.core.board.slotting import STEPS, machine_steps
from deft_bench.core.instrument import Spec
from deft_bench.core.text import printable
from deft_bench.core.units import MM, MM_PER_INCH, Display


@dataclass(frozen=True, slots=True)
class Sheet:
    """One saved board as it is drawn. `day` is YYYY-MM-DD; the rule is the board's, for the marking table; `display` is
    how lengths are written in tables and labels (a program for a machine is in its own units).
    """

    spec: Spec
    plan: BoardPlan
    view: PlanView
    day: str
    rule: Rule
    display: Display = MM

    @property
    def title(self) -> str:
        """Instrument and scale, for every label."""
        return self.title_in(self.display)

    def title_in(self, display: Display) -> str:
        """Instrument and scale, the lengths as they are written in one system."""
        scale = display.long(self.spec.bass_scale_um)
        if self.spec.fanned:
            scale += f" to {display.long(self.spec.treble_scale_um)}"
        return f"{printable(self.spec.name)}, scale {scale}, {self.spec.frets} frets"

    @property
    def unit(self) -> str:
        """The unit of the lengths in its tables."""
        return self.display.system

    def figure(self, mm: float, places: int = 3) -> str:
        """A length as its tables hold it: so many decimals of a millimetre, one more of an inch."""
        return f"{mm:.{places}f}" if self.unit == "mm" else f"{mm / MM_PER_INCH:.{places + 1}f}"

    def at(self, point: Point) -> Point:
        """A point as it lies on the bench, mm: face up, nut at the left, y away from you; a left-handed board is
        mirrored.
        """
        return point[0], -point[1] if self.spec.left_handed else point[1]


@dataclass(frozen=True, slots=True)
class Export:
    """One kind of file: what it is called, its ending and media type, and where it is made."""

    label: str
    ending: str
    media: str
    module: str
    function: str = "write"


EXPORTS: dict[str, Export] = {
    "svg": Export("Drawing, SVG", "svg", "image/svg+xml", "svg"),
    "dxf": Export("Drawing in layers, DXF", "dxf", "image/vnd.dxf", "dxf"),
    "pdf": Export("Template 1:1 in pages, PDF", "pdf", "application/pdf", "pdf", "write_tiled"),
    "pdf-long": Export("Template 1:1 on one long sheet, PDF", "pdf", "application/pdf", "pdf", "write_long"),
    "marking-csv": Export("Marking table, CSV", "csv", "text/csv; charset=utf-8", "tables", "write_marking"),
    "inlays-csv": Export("Inlay list, CSV", "csv", "text/csv; charset=utf-8", "tables", "write_inlays"),
    "slot-depths-csv": Export("Slot depths, CSV", "csv", "text/csv; charset=utf-8", "tables", "write_slot_depths"),
    "slot-depths-pdf": Export("Slot depths, PDF", "pdf", "application/pdf", "slot_depths_pdf"),
    "slots-gcode": Export("Slotting program, G-code", "ngc", "text/plain; charset=utf-8", "gcode"),
    "deepen-gcode": Export("Deepening program, G-code", "ngc", "text/plain; charset=utf-8", "gcode", "write_deepening"),
}


def sheet_of(spec: Spec, plan: BoardPlan, day: str, rule: Rule, display: Display = MM) -> Sheet:
    """Draw a board for export; raises ValueError where a piece cannot be drawn."""
    return Sheet(spec, plan, plan_view(spec, plan), day, rule, display)


PROGRAMS = {"slots-gcode": 0, "deepen-gcode": 1}
"""Which of its school's programs each kind of file is."""


def exports_of(spec: Spec, plan: BoardPlan, view: PlanView) -> dict[str, Export]:
    """The files that this board has: of the slotting programs those of its school, each called by its step."""
    steps = machine_steps(spec, plan, view)
    found = dict(EXPORTS)
    for kind, place in PROGRAMS.items():
        if place >= len(steps):
            del found[kind]
        else:
            found[kind] = replace(EXPORTS[kind], label=f"G-code: {STEPS[steps[place]]}")
    return found


def write_board(kind: str, sheet: Sheet) -> bytes:
    """Write one file. Raises KeyError for an unknown kind and MachineError where the slots cannot be milled as
    planned.
    """
    export = EXPORTS[kind]
    made: bytes = getattr(importlib.import_module(f"{__name__}.{export.module}"), export.function)(sheet)
    return made


def file_name(kind: str, sheet: Sheet) -> str:
    """A plain name for a file: heron-no-4-pdf-long.pdf."""
    name = "".join(c if c.isascii() and c.isalnum() else "-" for c in sheet.spec.name.lower()).strip("-") or "board"
    while "--" in name:
        name = name.replace("--", "-")
    steps = machine_steps(sheet.spec, sheet.plan, sheet.view)
    place = PROGRAMS.get(kind, len(steps))
    called = f"slots-{steps[place]}" if place < len(steps) else kind
    return f"{name}-{called}.{EXPORTS[kind].ending}"


def string_segments(sheet: Sheet) -> list[tuple[Point, Point]]:
    """Every string's path from nut to saddle, on the bench."""
    return [(sheet.at(string.nut), sheet.at(string.saddle)) for string in sheet.view.layout.strings]


def closed(points: tuple[Point, ...]) -> list[tuple[Point, Point]]:
    """The sides of a polygon."""
    return [*pairwise(points), (points[-1], points[0])]

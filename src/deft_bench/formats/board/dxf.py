"""The board as DXF (R2010, millimetres), one layer for each thing that is cut or drawn by itself."""

import io

from ezdxf import units
from ezdxf.enums import TextEntityAlignment
from ezdxf.filemanagement import new
from ezdxf.layouts.layout import Modelspace

from deft_bench.formats.board import Sheet, string_segments

LAYERS = {
    # name: colour number of the format's own palette
    "OUTLINE": 7,
    "OVERSIZE": 8,
    "BINDING": 8,
    "NUT": 6,
    "SLOTS": 1,
    "SLOT_LINES": 1,
    "CENTRELINE": 5,
    "STRINGS": 9,
    "INLAYS": 3,
    "MARKERS": 30,
    "PINS": 30,
    "LABEL": 7,
}


def write(sheet: Sheet) -> bytes:
    """Draw every layer; slots stand both as their kerf (SLOTS) and as middle lines (SLOT_LINES), inlays apart from
    them.
    """
    view = sheet.view
    document = new("R2010", units=units.MM)
    document.header["$MEASUREMENT"] = 1
    for name, colour in LAYERS.items():
        document.layers.add(name, color=colour)
    space = document.modelspace()

    def polygon(points: tuple[tuple[float, float], ...] | None, layer: str) -> None:
        if points:
            space.add_lwpolyline([sheet.at(point) for point in points], close=True, dxfattribs={"layer": layer})

    polygon(view.outline, "OUTLINE")
    polygon(view.oversize, "OVERSIZE")
    polygon(view.inner, "BINDING")
    polygon(view.nut_cut, "NUT")
    for slot in view.slots:
        polygon(slot.kerf, "SLOTS")
        space.add_line(sheet.at(slot.bass_end), sheet.at(slot.treble_end), dxfattribs={"layer": "SLOT_LINES"})
    least_x, least_y, most_x, _ = view.bounds
    space.add_line((least_x - 10, 0), (most_x + 10, 0), dxfattribs={"layer": "CENTRELINE"})
    for nut, saddle in string_segments(sheet):
        space.add_line(nut, saddle, dxfattribs={"layer": "STRINGS"})
    for piece in view.inlays:
        polygon(piece.corners, "INLAYS")
    dots = [("INLAYS", piece.centre, piece.diameter_mm) for piece in view.inlays if not piece.corners]
    dots += [("MARKERS", place, view.marker_mm) for _, place in view.markers]
    dots += [("PINS", place, view.pin_mm) for _, place in view.pins]
    for layer, place, diameter in dots:
        space.add_circle(sheet.at(place), diameter / 2, dxfattribs={"layer": layer})
    _label(space, sheet, -max(-least_y, view.bounds[3]) - 12)
    out = io.StringIO()
    document.write(out)
    return out.getvalue().encode("utf-8")


def _label(space: Modelspace, sheet: Sheet, foot: float) -> None:
    """The scale bar and what the drawing is of, at a height under it."""
    space.add_line((0, foot), (100, foot), dxfattribs={"layer": "LABEL"})
    for x in (0, 100):
        space.add_line((x, foot - 2), (x, foot + 2), dxfattribs={"layer": "LABEL"})
    for text, at in (("100 mm", (103, foot - 1.5)), (f"{sheet.title}, {sheet.day}", (130, foot - 1.5))):
        label = space.add_text(text, height=3.5, dxfattribs={"layer": "LABEL"})
        label.set_placement(at, align=TextEntityAlignment.LEFT)

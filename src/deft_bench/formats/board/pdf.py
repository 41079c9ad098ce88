"""The board as a template at 1:1: over A4 or Letter pages to tape together, or on one long sheet."""

import io
import math

from reportlab.lib.pagesizes import A4, LETTER, landscape
from reportlab.lib.units import mm
from reportlab.pdfgen.canvas import Canvas

from deft_bench.core.board.fret_lines import Point
from deft_bench.formats.board import Sheet, closed, string_segments

EDGE_MM = 10.0
"""Kept free on every side: no common printer reaches the paper's edge."""
OVERLAP_MM = 12.0
FOOT_MM = 24.0
PAPERS = {"a4": landscape(A4), "letter": landscape(LETTER)}


def write_tiled(sheet: Sheet) -> bytes:
    """Pages from nut to end with an overlap, registration crosses on both pages of each seam, and a check bar on
    every page.
    """
    width, height = (side / mm for side in PAPERS[sheet.plan.paper])
    least_x, least_y, most_x, most_y = _bounds(sheet)
    room_x, room_y = width - 2 * EDGE_MM, height - 2 * EDGE_MM - FOOT_MM
    columns = _tiles(most_x - least_x, room_x)
    rows = _tiles(most_y - least_y, room_y)
    out = io.BytesIO()
    canvas = Canvas(out, pagesize=PAPERS[sheet.plan.paper], pageCompression=1)
    _about(canvas, sheet)
    for row in range(rows):
        for column in range(columns):
            x0, y0 = least_x + column * (room_x - OVERLAP_MM), least_y + row * (room_y - OVERLAP_MM)
            canvas.saveState()
            clip = canvas.beginPath()
            clip.rect(EDGE_MM * mm, (EDGE_MM + FOOT_MM) * mm, room_x * mm, room_y * mm)
            canvas.clipPath(clip, stroke=0)
            _board(canvas, sheet, (EDGE_MM - x0, EDGE_MM + FOOT_MM - y0))
            canvas.restoreState()
            seams = [x0 + OVERLAP_MM / 2] if column else []
            seams += [x0 + room_x - OVERLAP_MM / 2] if column < columns - 1 else []
            for seam in seams:
                for level in (0.06, 0.94):
                    _cross(canvas, EDGE_MM + seam - x0, EDGE_MM + FOOT_MM + room_y * level)
            page = (
                f"page {row * columns + column + 1} of {rows * columns}; lay crosses on crosses, {OVERLAP_MM:g} mm"
                " overlap"
            )
            _foot(canvas, sheet, page)
            canvas.showPage()
    canvas.save()
    return out.getvalue()


def write_long(sheet: Sheet) -> bytes:
    """The whole board on one sheet as long as it needs, for a roll or a print shop."""
    least_x, least_y, most_x, most_y = _bounds(sheet)
    width, height = most_x - least_x + 2 * EDGE_MM, most_y - least_y + 2 * EDGE_MM + FOOT_MM
    out = io.BytesIO()
    canvas = Canvas(out, pagesize=(width * mm, height * mm), pageCompression=1)
    _about(canvas, sheet)
    _board(canvas, sheet, (EDGE_MM - least_x, EDGE_MM + FOOT_MM - least_y))
    _foot(canvas, sheet, "one sheet")
    canvas.showPage()
    canvas.save()
    return out.getvalue()


def _bounds(sheet: Sheet) -> tuple[float, float, float, float]:
    least_x, least_y, most_x, most_y = sheet.view.bounds
    reach = max(-least_y, most_y)
    return least_x - 4, -reach - 6, most_x + 4, reach + 6


def _tiles(length: float, room: float) -> int:
    return 1 if length <= room else math.ceil((length - OVERLAP_MM) / (room - OVERLAP_MM))


def _about(canvas: Canvas, sheet: Sheet) -> None:
    canvas.setTitle(sheet.title)
    canvas.setSubject("Fretboard template at 1:1")
    canvas.setCreator("Deft Bench")


def _board(canvas: Canvas, sheet: Sheet, by: Point) -> None:
    view = sheet.view

    def draw(points: tuple[Point, ...] | None, width_mm: float, dash: tuple[float, ...] = ()) -> None:
        if points:
            canvas.setLineWidth(width_mm * mm)
            canvas.setDash([part * mm for part in dash])
            for one, other in closed(tuple(sheet.at(point) for point in points)):
                _line(canvas, one, other, by)

    draw(view.outline, 0.2)
    draw(view.oversize, 0.12, (2.0, 1.0))
    draw(view.inner, 0.1)
    draw(view.nut_cut, 0.12)
    for slot in view.slots:
        draw(slot.kerf, 0.08)
        _line(canvas, sheet.at(slot.bass_end), sheet.at(slot.treble_end), by)
        x, y = sheet.at(slot.treble_end if not sheet.spec.left_handed else slot.bass_end)
        canvas.setFont("Helvetica", 6)
        canvas.drawCentredString(
            (x + by[0]) * mm, (y + by[1] + 2.0 + sheet.plan.oversize_um / 1000) * mm, str(slot.fret)
        )
    canvas.setLineWidth(0.05 * mm)
    canvas.setDash([6 * mm, 1.5 * mm, 1 * mm, 1.5 * mm])
    _line(canvas, (view.bounds[0], 0), (view.bounds[2], 0), by)
    canvas.setDash([])
    for nut, saddle in string_segments(sheet):
        _line(canvas, nut, saddle, by)
    canvas.setLineWidth(0.12 * mm)
    for piece in view.inlays:
        if piece.corners:
            draw(piece.corners, 0.12)
        else:
            _round(canvas, sheet.at(piece.centre), piece.diameter_mm, by)
    for places, diameter in ((view.markers, view.marker_mm), (view.pins, view.pin_mm)):
        for _, place in places:
            _round(canvas, sheet.at(place), diameter, by)


def _line(canvas: Canvas, one: Point, other: Point, by: Point) -> None:
    canvas.line((one[0] + by[0]) * mm, (one[1] + by[1]) * mm, (other[0] + by[0]) * mm, (other[1] + by[1]) * mm)


def _round(canvas: Canvas, centre: Point, diameter: float, by: Point) -> None:
    x, y = (centre[0] + by[0]) * mm, (centre[1] + by[1]) * mm
    canvas.circle(x, y, diameter / 2 * mm)
    for dx, dy in ((1.5, 0), (0, 1.5)):
        canvas.line(x - dx * mm, y - dy * mm, x + dx * mm, y + dy * mm)


def _cross(canvas: Canvas, x: float, y: float) -> None:
    canvas.setLineWidth(0.15 * mm)
    canvas.setDash([])
    canvas.line((x - 4) * mm, y * mm, (x + 4) * mm, y * mm)
    canvas.line(x * mm, (y - 4) * mm, x * mm, (y + 4) * mm)
    canvas.circle(x * mm, y * mm, 1.5 * mm)


def _foot(canvas: Canvas, sheet: Sheet, page: str) -> None:
    """The check bars and the label: a template is only used when its bar measures what it says."""
    canvas.setLineWidth(0.25 * mm)
    canvas.setDash([])
    for y, length, words in ((18.0, 100.0, "100 mm"), (12.0, 101.6, "4 in")):
        canvas.line(EDGE_MM * mm, y * mm, (EDGE_MM + length) * mm, y * mm)
        for x in (EDGE_MM, EDGE_MM + length):
            canvas.line(x * mm, (y - 1.5) * mm, x * mm, (y + 1.5) * mm)
        canvas.setFont("Helvetica", 8)
        canvas.drawString((EDGE_MM + length + 3) * mm, (y - 1) * mm, words)
    x = (EDGE_MM + 122) * mm
    for y, words in (
        (24.0, sheet.title),
        (18.5, f"{sheet.day}; {page}"),
        (13.0, "Print at 100 %. Measure both bars before you use it."),
    ):
        canvas.drawString(x, y * mm, words.encode("cp1252", "replace").decode("cp1252"))

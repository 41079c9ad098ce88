"""A nut's string spacing at 1:1 on one page: both schools, with check bars in both directions."""

import io
from collections.abc import Mapping, Sequence

from reportlab.lib.pagesizes import A4
from reportlab.lib.units import mm
from reportlab.pdfgen.canvas import Canvas

from deft_bench.core.board.strings_on_board import NutSpacing

LEFT_MM, TOP_MM, STRIP_MM, APART_MM = 25.0, 240.0, 14.0, 42.0


def write_template(name: str, nut_width_mm: float, both: Mapping[str, NutSpacing], gauges_mm: Sequence[float]) -> bytes:
    """The PDF. Bass edge at the left; each string has its centre line and its own width, and the strip is cut out
    along its outline.
    """
    out = io.BytesIO()
    canvas = Canvas(out, pagesize=A4, pageCompression=1)
    canvas.setTitle(f"Nut spacing, {name}")
    canvas.setFont("Helvetica-Bold", 12)
    canvas.drawString(LEFT_MM * mm, 275 * mm, f"Nut spacing, {name}")
    canvas.setFont("Helvetica", 9)
    canvas.drawString(
        LEFT_MM * mm,
        268 * mm,
        "Print at 100 %, no fitting to the page. Both bars must measure 50 mm before this is used. Bass edge at the"
        " left.",
    )
    for i, (school, found) in enumerate(both.items()):
        foot = TOP_MM - APART_MM * i
        canvas.setLineWidth(0.1 * mm)
        canvas.rect(LEFT_MM * mm, foot * mm, nut_width_mm * mm, STRIP_MM * mm)
        canvas.setFont("Helvetica-Bold", 9)
        canvas.drawString(LEFT_MM * mm, (foot + STRIP_MM + 3) * mm, school)
        canvas.setFont("Helvetica", 6)
        for number, (centre, gauge) in enumerate(zip(found.centres_mm, gauges_mm, strict=True), start=1):
            x = LEFT_MM + centre
            canvas.setLineWidth(0.08 * mm)
            canvas.line(x * mm, foot * mm, x * mm, (foot + STRIP_MM) * mm)
            canvas.setFillGray(0.75)
            canvas.rect((x - gauge / 2) * mm, (foot + STRIP_MM - 3) * mm, gauge * mm, 3 * mm, stroke=0, fill=1)
            canvas.setFillGray(0)
            canvas.drawCentredString(x * mm, (foot - 3) * mm, f"{number}")
            canvas.drawCentredString(x * mm, (foot - 6) * mm, f"{centre:.2f}")
    canvas.setLineWidth(0.2 * mm)
    canvas.line(LEFT_MM * mm, 40 * mm, (LEFT_MM + 50) * mm, 40 * mm)
    canvas.line(LEFT_MM * mm, 40 * mm, LEFT_MM * mm, 90 * mm)
    canvas.setFont("Helvetica", 8)
    canvas.drawString((LEFT_MM + 3) * mm, 43 * mm, "50 mm each way. Centres in mm from the bass edge.")
    canvas.showPage()
    canvas.save()
    return out.getvalue()

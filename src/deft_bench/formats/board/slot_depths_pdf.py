"""The slot depths fret by fret as a page for the bench."""

import io

from reportlab.lib.pagesizes import A4
from reportlab.lib.units import mm
from reportlab.platypus import Flowable, Paragraph, SimpleDocTemplate, Spacer, Table, TableStyle

from deft_bench.core.board.plan import SCHOOLS
from deft_bench.core.board.slot_table import slot_table
from deft_bench.formats.board import Sheet
from deft_bench.formats.setup_pdf import BODY, INK, RULE, SMALL, TITLE, plain


def write(sheet: Sheet) -> bytes:
    """One table on A4, in the unit of the sheet; raises ValueError where a slot comes through the board."""
    table = slot_table(sheet.spec, sheet.plan, sheet.view.layout)
    out = io.BytesIO()
    document = SimpleDocTemplate(
        out, pagesize=A4, leftMargin=15 * mm, rightMargin=15 * mm, topMargin=12 * mm, bottomMargin=12 * mm
    )
    story: list[Flowable] = [
        Paragraph("Slot depths", TITLE),
        Paragraph(plain(f"{sheet.title}. {sheet.day}. Slots {SCHOOLS[table.school]}. All in {sheet.unit}."), SMALL),
        Spacer(1, 2 * mm),
    ]
    if table.stop_mm is not None:
        one = f"One stop of {sheet.figure(table.stop_mm, 2)} from the flat face serves every slot"
        story.append(Paragraph(plain(f"{one}; what it leaves hollow is in the last column."), BODY))
    head = ["Fret", "From the flat", "Below the radius", "Fall at the edge", "Hollow", "Hollow by one stop"]
    rows = [
        [
            str(row.fret),
            "-" if row.first_mm is None else sheet.figure(row.first_mm, 2),
            sheet.figure(row.final_mm, 2),
            sheet.figure(row.fall_mm, 2),
            sheet.figure(row.hollow_mm, 2),
            sheet.figure(row.hollow_by_stop_mm, 2),
        ]
        for row in table.rows
    ]
    style = TableStyle(
        [
            ("FONT", (0, 0), (-1, 0), "Helvetica-Bold", 9),
            ("FONT", (0, 1), (-1, -1), "Helvetica", 9),
            ("TEXTCOLOR", (0, 0), (-1, -1), INK),
            ("ALIGN", (1, 0), (-1, -1), "RIGHT"),
            ("LINEBELOW", (0, 0), (-1, -1), 0.4, RULE),
            ("TOPPADDING", (0, 0), (-1, -1), 2),
            ("BOTTOMPADDING", (0, 0), (-1, -1), 2),
        ]
    )
    story += [Spacer(1, 2 * mm), Table([head, *rows], hAlign="LEFT", style=style, repeatRows=1)]
    document.build(story)
    return out.getvalue()

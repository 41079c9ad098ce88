"""The setup report as one A4 page, by ReportLab's page layout."""

import io
from collections.abc import Sequence

from reportlab.graphics.shapes import Circle, Drawing, Line, Rect, String
from reportlab.lib.colors import HexColor
from reportlab.lib.pagesizes import A4
from reportlab.lib.styles import ParagraphStyle
from reportlab.lib.units import mm
from reportlab.platypus import Flowable, KeepInFrame, Paragraph, SimpleDocTemplate, Spacer, Table, TableStyle

from deft_bench.core.strings.setup_report import SetupReport
from deft_bench.core.units import Display

INK, SOFT, TAPE, RULE = HexColor("#14192d"), HexColor("#4d5563"), HexColor("#ffdf7e"), HexColor("#d3d8d1")
BODY = ParagraphStyle("body", fontName="Helvetica", fontSize=9.5, leading=12.5, textColor=INK)
HEAD = ParagraphStyle(
    "head", parent=BODY, fontName="Helvetica-Bold", fontSize=12, leading=15, spaceBefore=7, spaceAfter=2
)
TITLE = ParagraphStyle("title", parent=HEAD, fontSize=18, leading=22)
SMALL = ParagraphStyle("soft", parent=BODY, textColor=SOFT)
ROOM_MM = 180.0


def write_report(title: str, about: Sequence[str], report: SetupReport, display: Display) -> bytes:
    """The page; `about` are the lines under the title. Whatever does not fit is made smaller, never cut off."""
    out = io.BytesIO()
    document = SimpleDocTemplate(
        out, pagesize=A4, leftMargin=15 * mm, rightMargin=15 * mm, topMargin=14 * mm, bottomMargin=14 * mm, title=title
    )
    story: list[Flowable] = [Paragraph(plain(title), TITLE)]
    story += [Paragraph(plain(line), SMALL) for line in about]
    story += _section("What was found", report.found)
    story += _section("What was done", [*report.done, *([report.played] if report.played else []), *report.left])
    story += [
        Paragraph("The setup, measured", HEAD),
        _card(report, display),
        Spacer(1, 3 * mm),
        _drawn(report, display),
    ]
    story += _section("Keeping it", report.care)
    document.build([KeepInFrame(ROOM_MM * mm, 266 * mm, story, mode="shrink")])
    return out.getvalue()


def plain(text: str) -> str:
    """Text as a paragraph takes it: nothing of it is markup, and only letters that the standard fonts have."""
    shown = text.replace("&", "&amp;").replace("<", "&lt;").replace(">", "&gt;")
    return shown.replace("−", "-").encode("cp1252", "replace").decode("cp1252")


def _section(head: str, lines: Sequence[str]) -> list[Flowable]:
    if not lines:
        return []
    return [Paragraph(head, HEAD), *(Paragraph(plain(line), BODY) for line in lines)]


def _mm(value: float | None, display: Display) -> str:
    return "-" if value is None else display.fine_number(value * 1000).replace("−", "-")


def _cents(value: float | None) -> str:
    return "-" if value is None else f"{value:+.1f}"


def _card(report: SetupReport, display: Display) -> Table:
    unit = display.system
    rows = [
        ["", f"Action over 12, {unit}", "", "", f"Gap over 1, {unit}", "", "Worst cents", ""],
        ["", "before", "wanted", "after", "before", "after", "before", "after"],
    ]
    rows.append(["Relief", *(_mm(value, display) for value in report.relief), "", "", "", ""])
    for row in report.rows:
        rows.append(
            [
                plain(row.name),
                *(_mm(v, display) for v in row.action),
                *(_mm(v, display) for v in row.gap),
                *map(_cents, row.cents),
            ]
        )
    table = Table(rows, colWidths=[22 * mm, *[22 * mm] * 7], hAlign="LEFT")
    table.setStyle(
        TableStyle(
            [
                ("FONT", (0, 0), (-1, -1), "Helvetica", 9),
                ("FONT", (0, 0), (-1, 1), "Helvetica-Bold", 8.5),
                ("FONT", (3, 2), (3, -1), "Helvetica-Bold", 9),
                ("TEXTCOLOR", (0, 0), (-1, -1), INK),
                ("ALIGN", (1, 0), (-1, -1), "RIGHT"),
                ("SPAN", (1, 0), (3, 0)),
                ("SPAN", (4, 0), (5, 0)),
                ("SPAN", (6, 0), (7, 0)),
                ("LINEBELOW", (0, 1), (-1, 1), 1, INK),
                ("LINEBELOW", (0, 2), (-1, -1), 0.4, RULE),
                ("TOPPADDING", (0, 0), (-1, -1), 1.5),
                ("BOTTOMPADDING", (0, 0), (-1, -1), 2),
            ]
        )
    )
    return table


def _drawn(report: SetupReport, display: Display) -> Drawing:
    """Action before (ring), wanted (bar) and after (dot), string by string."""
    width, height = ROOM_MM * mm, 34 * mm
    made = Drawing(width, height)
    shown = [v for row in report.rows for v in row.action if v is not None]
    if not shown:
        return made
    low, high = min(shown) - 0.1, max(shown) + 0.1
    foot, top = 6 * mm, height - 4 * mm

    def y(value: float) -> float:
        return float(foot + (value - low) / (high - low) * (top - foot))

    for value in (low + 0.1, high - 0.1):
        made.add(Line(24 * mm, y(value), width, y(value), strokeColor=RULE, strokeWidth=0.5))
        made.add(
            String(
                0,
                y(value) - 3,
                display.fine_mm(value).replace("−", "-"),
                fontName="Helvetica",
                fontSize=8,
                fillColor=SOFT,
            )
        )
    step = (width - 34 * mm) / max(1, len(report.rows))
    for i, row in enumerate(reversed(report.rows)):
        x = 30 * mm + step * (i + 0.5)
        before, wanted, after = row.action
        if before is not None and after is not None:
            made.add(Line(x, y(before), x, y(after), strokeColor=SOFT, strokeWidth=0.8))
        if wanted is not None:
            made.add(Rect(x - 7, y(wanted) - 1.2, 14, 2.4, fillColor=TAPE, strokeColor=None))
        if before is not None:
            made.add(Circle(x, y(before), 3, fillColor=HexColor("#ffffff"), strokeColor=SOFT))
        if after is not None:
            made.add(Circle(x, y(after), 3, fillColor=INK, strokeColor=INK))
        made.add(String(x, 0, row.name, fontName="Helvetica", fontSize=8, fillColor=INK, textAnchor="middle"))
    return made

"""An estimate as one A4 page, its options one under another."""

import io
from collections.abc import Sequence

from reportlab.lib.pagesizes import A4
from reportlab.lib.units import mm
from reportlab.platypus import Flowable, Paragraph, SimpleDocTemplate, Table, TableStyle

from deft_bench.core.work.estimate import Estimate, Item
from deft_bench.core.work.stock import amount
from deft_bench.formats.setup_pdf import BODY, HEAD, INK, RULE, SMALL, TITLE, plain


def write_estimate(
    name: str,
    asked: str,
    options: Sequence[tuple[str, Estimate, Sequence[Item], str | None]],
    currency: str,
    tax_percent: float,
) -> bytes:
    """The PDF; each option is (title, sums, materials and parts, least fret height left in words)."""
    out = io.BytesIO()
    document = SimpleDocTemplate(
        out,
        pagesize=A4,
        leftMargin=18 * mm,
        rightMargin=18 * mm,
        topMargin=16 * mm,
        bottomMargin=16 * mm,
        title=f"Estimate, {name}",
    )
    story: list[Flowable] = [Paragraph(plain(f"Estimate, {name}"), TITLE)]
    if asked:
        story.append(Paragraph(plain(asked), BODY))
    for title, sums, items, leaves in options:
        story.append(Paragraph(plain(title), HEAD))
        rows = [
            [
                plain(f"Labour, {sums.hours:.1f} hours ({sums.hours_low:.1f} to {sums.hours_high:.1f})"),
                f"{sums.labour:.2f}",
            ]
        ]
        rows += [
            [plain(f"{item.name}, {amount(item.quantity, item.unit)}".rstrip(" ,")), f"{cost:.2f}"]
            for item, cost in zip(items, sums.item_costs, strict=True)
            if cost
        ]
        if tax_percent:
            rows.append([f"Tax, {tax_percent:g} %", f"{sums.tax:.2f}"])
        rows.append([plain(f"Total, {currency}"), f"{sums.total:.2f}"])
        table = Table(rows, colWidths=[140 * mm, 30 * mm], hAlign="LEFT")
        table.setStyle(
            TableStyle(
                [
                    ("FONT", (0, 0), (-1, -1), "Helvetica", 9.5),
                    ("FONT", (0, -1), (-1, -1), "Helvetica-Bold", 10.5),
                    ("ALIGN", (1, 0), (1, -1), "RIGHT"),
                    ("TEXTCOLOR", (0, 0), (-1, -1), INK),
                    ("LINEBELOW", (0, 0), (-1, -2), 0.4, RULE),
                    ("LINEABOVE", (0, -1), (-1, -1), 1, INK),
                ]
            )
        )
        story.append(table)
        said = f"Likely between {sums.total_low:.2f} and {sums.total_high:.2f} {currency}."
        story.append(Paragraph(plain(said + (f" Least fret height left: {leaves}." if leaves else "")), SMALL))
    document.build(story)
    return out.getvalue()

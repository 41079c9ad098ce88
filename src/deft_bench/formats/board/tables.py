"""The marking table, the inlay list and the slot depths as CSV (UTF-8, comma, point), in the unit of the sheet."""

import csv
import io
from collections.abc import Iterable, Sequence

from deft_bench.core.board.inlays import strip_needed
from deft_bench.core.board.marking import CheckLine, check_lines, marking_lines
from deft_bench.core.board.plan_view import over_mm
from deft_bench.core.board.slot_table import slot_table
from deft_bench.formats.board import Sheet


def write_marking(sheet: Sheet) -> bytes:
    """One row a fret and marking line: the true place, the nearest mark of the rule, and what is at stake; then the
    check lines.
    """
    outline = sheet.spec.outline()
    rows: list[Sequence[object]] = []
    for line in marking_lines(outline, sheet.rule):
        rows += [
            (
                line.name,
                mark.fret,
                sheet.figure(mark.from_datum_mm),
                sheet.figure(mark.spacing_mm),
                sheet.figure(mark.mark_mm),
                sheet.figure(mark.rest_mm),
                f"{mark.cents:.2f}",
                f"{mark.at_stake_cents:.2f}",
                sheet.figure(mark.chained_mm),
                f"{mark.chained_cents:.2f}",
            )
            for mark in line.marks
        ]
    rows += [
        (_check_words(sheet, check), "", sheet.figure(check.mm))
        for check in check_lines(outline, sheet.view.lines, over_mm(sheet.spec, sheet.plan))
    ]
    head = (
        "line",
        "fret",
        f"from_datum_{sheet.unit}",
        f"spacing_{sheet.unit}",
        f"rule_mark_{sheet.unit}",
        f"past_mark_{sheet.unit}",
        "cents_if_at_mark",
        "cents_at_stake",
        f"chained_error_{sheet.unit}",
        "chained_cents",
    )
    return _written(head, rows)


def _check_words(sheet: Sheet, check: CheckLine) -> str:
    if check.trimmed_mm is None:
        return check.what
    return f"{check.what} ({sheet.figure(check.trimmed_mm)} {sheet.unit} when finished)"


def write_inlays(sheet: Sheet) -> bytes:
    """One row a piece with its true size and angles; the last row is the strip that all blocks come from."""
    rows: list[Sequence[object]] = []
    for piece in sheet.view.inlays:
        x, y = sheet.at(piece.centre)
        rows.append(
            (
                piece.fret,
                "block" if piece.corners else "dot",
                sheet.figure(x),
                sheet.figure(y),
                sheet.figure(piece.length_mm),
                sheet.figure(piece.nut_width_mm),
                sheet.figure(piece.body_width_mm),
                f"{piece.nut_angle_deg:.2f}",
                f"{piece.body_angle_deg:.2f}",
                sheet.figure(sheet.plan.inlay_depth_um / 1000),
                sheet.figure(piece.clearance_mm),
            )
        )
    strip = strip_needed(sheet.view.inlays, sheet.plan.kerf_um / 1000)
    if strip:
        rows.append(
            ("strip", f"{strip.pieces} pieces", "", "", sheet.figure(strip.width_mm), sheet.figure(strip.length_mm))
        )
    head = (
        "before_fret",
        "shape",
        f"x_{sheet.unit}",
        f"y_{sheet.unit}",
        f"length_{sheet.unit}",
        f"nut_side_width_{sheet.unit}",
        f"body_side_width_{sheet.unit}",
        "nut_side_angle_deg",
        "body_side_angle_deg",
        f"depth_{sheet.unit}",
        f"clearance_to_slot_{sheet.unit}",
    )
    return _written(head, rows)


def write_slot_depths(sheet: Sheet) -> bytes:
    """One row a fret: every step of the school, and what is hollow at mid-fret by its own depth and by one stop."""
    table = slot_table(sheet.spec, sheet.plan, sheet.view.layout)
    rows = [
        (
            row.fret,
            "" if row.first_mm is None else sheet.figure(row.first_mm),
            sheet.figure(row.final_mm),
            sheet.figure(row.fall_mm),
            sheet.figure(row.hollow_mm),
            "" if table.stop_mm is None else sheet.figure(table.stop_mm),
            sheet.figure(row.hollow_by_stop_mm),
            sheet.figure(row.wood_mm),
        )
        for row in table.rows
    ]
    head = (
        "fret",
        f"first_cut_from_flat_{sheet.unit}",
        f"final_below_radius_{sheet.unit}",
        f"fall_at_edge_{sheet.unit}",
        f"hollow_{sheet.unit}",
        f"one_stop_{sheet.unit}",
        f"hollow_by_one_stop_{sheet.unit}",
        f"wood_under_slot_{sheet.unit}",
    )
    return _written(head, rows)


def _written(head: Sequence[str], rows: Iterable[Sequence[object]]) -> bytes:
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\r\n")
    writer.writerow(head)
    # a name or note that a spreadsheet would take for a formula does not occur: every cell is ours
    writer.writerows(rows)
    return out.getvalue().encode()

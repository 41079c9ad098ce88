"""The marking table and the inlay list as CSV (UTF-8, comma, point)."""

import csv
import io
from collections.abc import Iterable, Sequence

from deft_bench.core.board.inlays import strip_needed
from deft_bench.core.board.marking import CheckLine, check_lines, marking_lines
from deft_bench.core.board.plan_view import over_mm
from deft_bench.core.board.slot_table import slot_table
from deft_bench.core.units import MM_PER_INCH
from deft_bench.formats.board import Sheet


def write_marking(sheet: Sheet) -> bytes:
    """One row a fret and marking line: the true place, the nearest mark of the rule, and what is at stake; then the
    check lines.
    """
    outline = sheet.spec.outline()
    rows: list[Sequence[object]] = []
    for line in marking_lines(outline, sheet.rule, sheet.read_share):
        rows += [
            (
                line.name,
                mark.fret,
                f"{mark.from_datum_mm:.3f}",
                f"{mark.from_datum_mm / MM_PER_INCH:.4f}",
                f"{mark.spacing_mm:.3f}",
                f"{mark.mark_mm:.3f}",
                f"{mark.rest_mm:.3f}",
                f"{mark.cents:.2f}",
                f"{mark.at_stake_cents:.2f}",
                f"{mark.chained_mm:.3f}",
                f"{mark.chained_cents:.2f}",
            )
            for mark in line.marks
        ]
    rows += [
        (_check_words(check), "", f"{check.mm:.3f}", f"{check.mm / MM_PER_INCH:.4f}")
        for check in check_lines(outline, sheet.view.lines, over_mm(sheet.spec, sheet.plan))
    ]
    head = (
        "line",
        "fret",
        "from_datum_mm",
        "from_datum_in",
        "spacing_mm",
        "rule_mark_mm",
        "past_mark_mm",
        "cents_if_at_mark",
        "cents_at_stake",
        "chained_error_mm",
        "chained_cents",
    )
    return _written(head, rows)


def _check_words(check: CheckLine) -> str:
    return check.what if check.trimmed_mm is None else f"{check.what} ({check.trimmed_mm:.3f} mm when finished)"


def write_inlays(sheet: Sheet) -> bytes:
    """One row a piece with its true size and angles; the last row is the strip that all blocks come from."""
    rows: list[Sequence[object]] = []
    for piece in sheet.view.inlays:
        x, y = sheet.at(piece.centre)
        rows.append(
            (
                piece.fret,
                "block" if piece.corners else "dot",
                f"{x:.3f}",
                f"{y:.3f}",
                f"{piece.length_mm:.3f}",
                f"{piece.nut_width_mm:.3f}",
                f"{piece.body_width_mm:.3f}",
                f"{piece.nut_angle_deg:.2f}",
                f"{piece.body_angle_deg:.2f}",
                f"{sheet.plan.inlay_depth_um / 1000:.3f}",
                f"{piece.clearance_mm:.3f}",
            )
        )
    strip = strip_needed(sheet.view.inlays, sheet.plan.kerf_um / 1000)
    if strip:
        rows.append(("strip", f"{strip.pieces} pieces", "", "", f"{strip.width_mm:.3f}", f"{strip.length_mm:.3f}"))
    head = (
        "before_fret",
        "shape",
        "x_mm",
        "y_mm",
        "length_mm",
        "nut_side_width_mm",
        "body_side_width_mm",
        "nut_side_angle_deg",
        "body_side_angle_deg",
        "depth_mm",
        "clearance_to_slot_mm",
    )
    return _written(head, rows)


def write_slot_depths(sheet: Sheet) -> bytes:
    """One row a fret: every step of the school, and what is hollow at mid-fret by its own depth and by one stop."""
    table = slot_table(sheet.spec, sheet.plan, sheet.view.layout)
    rows = [
        (
            row.fret,
            "" if row.first_mm is None else f"{row.first_mm:.3f}",
            f"{row.final_mm:.3f}",
            f"{row.fall_mm:.3f}",
            f"{row.hollow_mm:.3f}",
            "" if table.stop_mm is None else f"{table.stop_mm:.3f}",
            f"{row.hollow_by_stop_mm:.3f}",
            f"{row.wood_mm:.3f}",
        )
        for row in table.rows
    ]
    head = (
        "fret",
        "first_cut_from_flat_mm",
        "final_below_radius_mm",
        "fall_at_edge_mm",
        "hollow_mm",
        "one_stop_mm",
        "hollow_by_one_stop_mm",
        "wood_under_slot_mm",
    )
    return _written(head, rows)


def _written(head: Sequence[str], rows: Iterable[Sequence[object]]) -> bytes:
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\r\n")
    writer.writerow(head)
    # a name or note that a spreadsheet would take for a formula does not occur: every cell is ours
    writer.writerows(rows)
    return out.getvalue().encode()

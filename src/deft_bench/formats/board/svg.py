"""The board as SVG in millimetres: one user unit is one millimetre, one group a layer."""

from xml.sax.saxutils import escape

from deft_bench.core.board.fret_lines import Point
from deft_bench.formats.board import Sheet

MARGIN_MM = 15.0
STYLE = (
    "path,polygon,circle,line{fill:none;stroke:#000;stroke-width:.15}#oversize *{stroke-dasharray:2 1}"
    "#centreline *{stroke:#06c;stroke-dasharray:6 1.5 1 1.5}#strings *{stroke:#888}#slots *{stroke:#c00}"
    "#inlays *{stroke:#070}#pins *,#markers *{stroke:#a50}text{font:4px sans-serif;fill:#000}"
)


def write(sheet: Sheet) -> bytes:
    """Draw outline, oversize, nut line, slots with their kerf, strings, inlays, pins and markers, with a scale bar
    and label.
    """
    view = sheet.view
    least_x, least_y, most_x, most_y = view.bounds
    saddle = max(string.saddle[0] for string in view.layout.strings)
    left, right = least_x - MARGIN_MM, max(most_x, saddle) + MARGIN_MM
    reach = max(-least_y, most_y)
    top, height = -reach - MARGIN_MM, 2 * reach + 2 * MARGIN_MM + 22
    parts = [
        (
            f'<svg xmlns="http://www.w3.org/2000/svg" width="{right - left:.3f}mm" height="{height:.3f}mm" '
            f'viewBox="{left:.3f} {top:.3f} {right - left:.3f} {height:.3f}">'
        ),
        f"<title>{escape(sheet.title)}</title><style>{STYLE}</style>",
        _layer("outline", [_polygon(sheet, view.outline)]),
        _layer("oversize", [_polygon(sheet, view.oversize)] if view.oversize else []),
        _layer("binding", [_polygon(sheet, view.inner)] if view.inner else []),
        _layer("nut", [_polygon(sheet, view.nut_cut)]),
        _layer("slots", [_polygon(sheet, slot.kerf, f"slot-{slot.fret}") for slot in view.slots]),
        _layer("centreline", [_line((left, 0), (right, 0))]),
        _layer("strings", [_line(_down(sheet, s.nut), _down(sheet, s.saddle)) for s in view.layout.strings]),
        _layer("inlays", [_inlay(sheet, piece.centre, piece.diameter_mm, piece.corners) for piece in view.inlays]),
        _layer("markers", [_circle(_down(sheet, at), view.marker_mm) for _, at in view.markers]),
        _layer("pins", [_circle(_down(sheet, at), view.pin_mm) for _, at in view.pins]),
        _scale_bar(sheet, max(0.0, left + MARGIN_MM), reach + 12),
        "</svg>\n",
    ]
    return "\n".join(parts).encode()


def _down(sheet: Sheet, point: Point) -> Point:
    x, y = sheet.at(point)
    return x, -y


def _polygon(sheet: Sheet, points: tuple[Point, ...], name: str = "") -> str:
    named = f' id="{name}"' if name else ""
    return f'<polygon{named} points="{" ".join(f"{x:.4f},{y:.4f}" for x, y in (_down(sheet, p) for p in points))}"/>'


def _line(one: Point, other: Point) -> str:
    return f'<line x1="{one[0]:.4f}" y1="{one[1]:.4f}" x2="{other[0]:.4f}" y2="{other[1]:.4f}"/>'


def _circle(centre: Point, diameter: float) -> str:
    return f'<circle cx="{centre[0]:.4f}" cy="{centre[1]:.4f}" r="{diameter / 2:.4f}"/>'


def _inlay(sheet: Sheet, centre: Point, diameter: float, corners: tuple[Point, ...]) -> str:
    return _polygon(sheet, corners) if corners else _circle(_down(sheet, centre), diameter)


def _layer(name: str, shapes: list[str]) -> str:
    return f'<g id="{name}">{"".join(shapes)}</g>'


def _scale_bar(sheet: Sheet, x: float, y: float) -> str:
    metric = (
        f'<line id="bar-100-mm" x1="{x}" y1="{y}" x2="{x + 100}" y2="{y}"/><line x1="{x}" y1="{y - 2}" x2="{x}"'
        f' y2="{y + 2}"/><line x1="{x + 100}" y1="{y - 2}" x2="{x + 100}" y2="{y + 2}"/>'
    )
    inch = (
        f'<line x1="{x}" y1="{y + 5}" x2="{x + 101.6}" y2="{y + 5}"/><line x1="{x + 101.6}" y1="{y + 3}"'
        f' x2="{x + 101.6}" y2="{y + 7}"/>'
    )
    words = (
        f'<text x="{x + 106}" y="{y + 1.5}">100 mm</text><text x="{x + 106}" y="{y + 6.5}">4 in</text><text'
        f' x="{x + 130}" y="{y + 1.5}">{escape(sheet.title)}</text><text x="{x + 130}" y="{y + 6.5}">{sheet.day}, true'
        " scale, mm</text>"
    )
    return f'<g id="label">{metric}{inch}{words}</g>'

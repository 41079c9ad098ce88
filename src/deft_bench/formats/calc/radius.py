"""`radius`: the arc of a board, from its radius, its cone, or a measured sagitta."""

from typing import Any

from deft_bench.core.board.section import Cone, radius_of, sagitta
from deft_bench.core.field_checks import FieldError
from deft_bench.formats.calc.fields import POSITIVE, request
from deft_bench.formats.strict_json import RequestError

ABOUT = "Radius and sagitta of a board, single or compound, and the saddle radius a cone implies"

_RADIUS = {**POSITIVE, "maximum": 100_000}

SCHEMA = request(
    {
        "radius_mm": _RADIUS,
        "nut_radius_mm": _RADIUS,
        "end_radius_mm": _RADIUS,
        "end_x_mm": POSITIVE,
        "x_mm": {"type": "number", "minimum": 0, "maximum": 5000},
        "sagitta_mm": POSITIVE,
        "width_mm": POSITIVE,
        "scale_mm": POSITIVE,
    },
    [],
    ABOUT,
)

CONE = ("nut_radius_mm", "end_radius_mm", "end_x_mm")


def answer(asked: dict[str, Any]) -> dict[str, Any]:
    """Answer one request; `sagitta_mm` is null without a width, `saddle_radius_mm` unless compound with a scale."""
    ways = [name for name in ("radius_mm", "nut_radius_mm", "sagitta_mm") if name in asked]
    if len(ways) != 1:
        raise RequestError(
            ["radius_mm: give one of radius_mm, a cone (nut_radius_mm, end_radius_mm, end_x_mm), or sagitta_mm"]
        )
    width, saddle = asked.get("width_mm"), None
    try:
        if ways[0] == "sagitta_mm":
            if width is None:
                raise RequestError(["width_mm: missing; a sagitta is measured over a width"])
            radius = radius_of(asked["sagitta_mm"], width)
        elif ways[0] == "nut_radius_mm":
            missing = [name for name in (*CONE, "x_mm") if name not in asked]
            if missing:
                raise RequestError([f"{name}: missing" for name in missing])
            cone = Cone(*(asked[name] for name in CONE))
            radius = cone.at(asked["x_mm"])
            saddle = cone.at(asked["scale_mm"]) if "scale_mm" in asked else None
        else:
            radius = asked["radius_mm"]
        fall = sagitta(radius, width) if width is not None else None
    except ValueError as error:
        if isinstance(error, RequestError):
            raise
        of_cone = isinstance(error, FieldError) and error.field == "end_radius"
        field = "sagitta_mm" if ways[0] == "sagitta_mm" else "end_radius_mm" if of_cone else "width_mm"
        raise RequestError([f"{field}: {error}"]) from None
    return {"radius_mm": radius, "sagitta_mm": fall, "saddle_radius_mm": saddle}

"""`string-path-hump`: how far an arched board rises under a string that does not run along it."""

from typing import Any

from deft_bench.core.board.positions import fret_position
from deft_bench.core.board.section import Cone, rises_over_chord, string_heights
from deft_bench.formats.calc.fields import FRETS, POSITIVE, SCALE, request
from deft_bench.formats.calc.radius import CONE
from deft_bench.formats.strict_json import RequestError

ABOUT = "The hump that a string sees on a radiused board when its path is tapered, fret by fret"

_RADIUS = {**POSITIVE, "maximum": 100_000}
_Y = {"type": "number", "minimum": -500, "maximum": 500}

SCHEMA = request(
    {
        "scale_mm": SCALE,
        "radius_mm": _RADIUS,
        "nut_radius_mm": _RADIUS,
        "end_radius_mm": _RADIUS,
        "end_x_mm": POSITIVE,
        "string_y_nut_mm": _Y,
        "string_y_saddle_mm": _Y,
        "from_fret": {**FRETS, "minimum": 0},
        "to_fret": FRETS,
    },
    ["scale_mm", "string_y_nut_mm", "string_y_saddle_mm", "from_fret", "to_fret"],
    ABOUT,
)


def answer(asked: dict[str, Any]) -> dict[str, Any]:
    """Answer one request; `profile_mm` has one entry for each fret from `from_fret` to `to_fret`."""
    first, last, scale = asked["from_fret"], asked["to_fret"], asked["scale_mm"]
    if last - first < 2:
        raise RequestError([f"to_fret: must be at least {first + 2}: a chord needs a fret between its ends"])
    if "radius_mm" in asked:
        if any(name in asked for name in CONE):
            raise RequestError(["radius_mm: give radius_mm or a cone, not both"])
        cone = Cone(asked["radius_mm"], asked["radius_mm"], scale)
    else:
        missing = [name for name in CONE if name not in asked]
        if missing:
            raise RequestError([f"{name}: missing (or give radius_mm)" for name in missing])
        cone = Cone(*(asked[name] for name in CONE))
    places = [fret_position(scale, fret) for fret in range(first, last + 1)]
    try:
        heights = string_heights(cone, asked["string_y_nut_mm"], asked["string_y_saddle_mm"], scale, places)
    except ValueError as error:
        raise RequestError([f"radius_mm: the string runs off the arc: {error}"]) from None
    profile = rises_over_chord(places, heights)
    hump = max(profile)
    # a flat or conical run has no hump, only rounding
    return {"hump_mm": hump, "at_fret": first + profile.index(hump) if hump > 1e-9 else first, "profile_mm": profile}

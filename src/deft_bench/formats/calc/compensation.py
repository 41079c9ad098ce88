"""`compensation`: start positions of the saddles on a new bridge."""

from typing import Any

from deft_bench.core.strings.compensation import END_STIFFNESS, compensation
from deft_bench.core.strings.notes import A4_HZ
from deft_bench.formats.calc.fields import SCALE, listed, request
from deft_bench.formats.calc.strings_fields import A4, ACTION, MAKE, STRINGS_MOST, makes, numbers
from deft_bench.formats.strict_json import RequestError

ABOUT = "How far back of the scale each saddle starts: stretch by fretting and stiffness of the ends"

SCHEMA = request(
    {
        "scale_mm": SCALE,
        "a4_hz": A4,
        "strings": listed({**MAKE, "required": ["gauge_mm", "construction"]}, most=STRINGS_MOST),
        "action_12_mm": {"type": ["number", "array"], "minimum": 0, "maximum": 30, "items": ACTION},
        "end_stiffness": {"type": "number", "minimum": 0, "maximum": 1, "default": END_STIFFNESS},
    },
    ["strings"],
    ABOUT,
)


def answer(asked: dict[str, Any]) -> dict[str, Any]:
    """Answer one request; `action_12_mm` is one number, one a string, or stands with each string."""
    a4 = asked.get("a4_hz", A4_HZ)
    found = makes(asked["strings"], a4)
    common = asked.get("action_12_mm")
    if isinstance(common, list) and len(common) != len(found):
        raise RequestError([f"action_12_mm: must hold one entry a string, {len(found)} in all"])
    rows, lines, number = [], [], numbers(asked["strings"])
    for i, (make, one) in enumerate(zip(found, asked["strings"], strict=True)):
        action = one.get("action_12_mm", common[i] if isinstance(common, list) else common)
        if action is None:
            lines.append(f"strings[{i}].action_12_mm: give it here, or `action_12_mm` for all")
            continue
        scale = one.get("scale_mm", asked.get("scale_mm"))
        if scale is None:
            lines.append(f"strings[{i}].scale_mm: give it here, or `scale_mm` for all")
            continue
        back = compensation(make, scale, action, asked.get("end_stiffness", END_STIFFNESS), a4)
        rows.append(
            {
                "string": number[i],
                "saddle_back_mm": back.saddle_back_mm,
                "stretch_cents": back.stretch_cents,
                "stiffness_mm": back.stiffness_mm,
            }
        )
    if lines:
        raise RequestError(lines)
    return {"strings": rows}

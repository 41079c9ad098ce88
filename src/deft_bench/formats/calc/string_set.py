"""`string-set`: unit weight and tension of each string, and of the set."""

from typing import Any

from deft_bench.core.strings.notes import A4_HZ
from deft_bench.core.strings.string_set import tension_n
from deft_bench.formats.calc.fields import SCALE, listed, request
from deft_bench.formats.calc.strings_fields import A4, MAKE, STRINGS_MOST, makes, numbers
from deft_bench.formats.strict_json import RequestError

ABOUT = "Unit weight, pitch and tension of each string, and the set's total pull"

_STRING = {**MAKE, "properties": {k: v for k, v in MAKE["properties"].items() if k != "action_12_mm"}}

SCHEMA = request({"scale_mm": SCALE, "a4_hz": A4, "strings": listed(_STRING, most=STRINGS_MOST)}, ["strings"], ABOUT)


def answer(asked: dict[str, Any]) -> dict[str, Any]:
    """Answer one request; a string's own `scale_mm` goes before the set's."""
    a4 = asked.get("a4_hz", A4_HZ)
    found = makes(asked["strings"], a4)
    scales = [string.get("scale_mm", asked.get("scale_mm")) for string in asked["strings"]]
    missing = [
        f"strings[{i}].scale_mm: give it here, or `scale_mm` for all" for i, scale in enumerate(scales) if scale is None
    ]
    if missing:
        raise RequestError(missing)
    rows: list[dict[str, Any]] = []
    for number, make, scale in zip(numbers(asked["strings"]), found, scales, strict=True):
        hz, mass = make.pitch_hz(a4), make.mass()
        row: dict[str, Any] = {"string": number, "unit_weight_kg_per_m": mass, "hz": hz}
        row["tension_n"] = tension_n(mass, scale, hz)
        if make.wound and make.core_mm is None and make.unit_weight is None:
            row["assumed"] = ["core"]
        rows.append(row)
    return {"strings": rows, "total_tension_n": sum(row["tension_n"] for row in rows)}

"""`estimate`: minutes at a rate, materials and parts, tax, and the range from the spread of the times."""

from typing import Any

from deft_bench.core.work.estimate import Item, Labour, estimate
from deft_bench.formats.calc.fields import listed, request
from deft_bench.formats.strict_json import RequestError

ABOUT = "Hours, labour, materials, tax and total of a job, with the range from how far the shop's times spread"

_TEXT = {"type": "string", "maxLength": 200}
_MINUTES = {"type": "number", "minimum": 0, "maximum": 100_000}
_MONEY = {"type": "number", "minimum": 0, "maximum": 1_000_000}
_STEP = {
    "type": "object",
    "properties": {
        "code": _TEXT,
        "title": _TEXT,
        "phase": _TEXT,
        "minutes": _MINUTES,
        "low_minutes": _MINUTES,
        "high_minutes": _MINUTES,
    },
    "required": ["code", "minutes"],
    "additionalProperties": False,
}
_ITEM = {
    "type": "object",
    "properties": {"name": _TEXT, "quantity": _MONEY, "unit": _TEXT, "price": _MONEY},
    "required": ["name", "quantity", "price"],
    "additionalProperties": False,
}

SCHEMA = request(
    {
        "steps": listed(_STEP, least=0, most=200),
        "items": listed(_ITEM, least=0, most=200),
        "rate_per_hour": _MONEY,
        "tax_percent": {"type": "number", "minimum": 0, "maximum": 100, "default": 0},
    },
    ["steps", "rate_per_hour"],
    ABOUT,
)


def answer(asked: dict[str, Any]) -> dict[str, Any]:
    """Answer one request; a step without its own range is taken to spread by half of its minutes."""
    lines = [
        f"steps[{i}].low_minutes: low, minutes and high must rise"
        for i, one in enumerate(asked["steps"])
        if not one.get("low_minutes", 0) <= one["minutes"] <= one.get("high_minutes", one["minutes"])
    ]
    if lines:
        raise RequestError(lines)
    labour = [
        Labour(
            step["code"],
            step.get("title", ""),
            step.get("phase", ""),
            step["minutes"],
            step.get("low_minutes"),
            step.get("high_minutes"),
        )
        for step in asked["steps"]
    ]
    items = [
        Item(item["name"], item["quantity"], item.get("unit", ""), item["price"]) for item in asked.get("items", [])
    ]
    found = estimate(labour, items, asked["rate_per_hour"], asked.get("tax_percent", 0))
    return {
        "hours": found.hours,
        "hours_low": found.hours_low,
        "hours_high": found.hours_high,
        "labour": found.labour,
        "items": found.items,
        "item_costs": found.item_costs,
        "net": found.net,
        "tax": found.tax,
        "total": found.total,
        "total_low": found.total_low,
        "total_high": found.total_high,
        "by_phase": [{"phase": phase, "minutes": minutes, "labour": cost} for phase, minutes, cost in found.by_phase],
        "learned_share": found.learned_share,
    }

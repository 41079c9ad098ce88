"""JSON that is read strictly and refused in words: no NaN, no repeated names, and every bad field by its path."""

import json
import math
from collections.abc import Iterable, Mapping
from typing import Any

from jsonschema import Draft202012Validator, ValidationError

_KINDS = {
    "number": "a number", "integer": "a whole number", "string": "text", "array": "a list", "object": "an object",
    "boolean": "true or false", "null": "null",
}  # fmt: skip


class RequestError(ValueError):
    """A bad request; `lines` holds one line a field, `path: what is wrong`."""

    def __init__(self, lines: Iterable[str]) -> None:
        self.lines = list(lines)
        super().__init__("\n".join(self.lines))


def read_json(text: str | bytes) -> Any:
    """Parse JSON; raises RequestError for bad syntax, NaN or infinity, a repeated name, or absurd nesting."""
    try:
        return json.loads(text, parse_constant=_no_constant, parse_float=_finite, object_pairs_hook=_no_repeats)
    except json.JSONDecodeError as error:
        raise RequestError([f"line {error.lineno}, column {error.colno}: not JSON: {error.msg}"]) from None
    except UnicodeDecodeError:
        raise RequestError([".: not UTF-8 text"]) from None
    except RecursionError:
        raise RequestError([".: nested too deeply"]) from None
    except ValueError as error:
        raise RequestError([f".: {error}"]) from None


def _no_constant(name: str) -> None:
    raise ValueError(f"{name} is not a number that can be used")


def _finite(text: str) -> float:
    value = float(text)
    if math.isinf(value):
        raise ValueError(f"{text[:20]} is too large a number")
    return value


def _no_repeats(pairs: list[tuple[str, Any]]) -> dict[str, Any]:
    found = dict(pairs)
    if len(found) < len(pairs):
        names = [name for name, _ in pairs]
        repeated = next(name for name in names if names.count(name) > 1)
        raise ValueError(f"the name “{repeated[:40]}” stands twice in one object")
    return found


def check(value: object, schema: Mapping[str, Any]) -> None:
    """Check a value against a JSON Schema; raises RequestError with one line a field."""
    lines = [line for error in Draft202012Validator(schema).iter_errors(value) for line in _lines(error)]
    if lines:
        raise RequestError(dict.fromkeys(lines))


def _lines(error: ValidationError) -> Iterable[str]:
    """One line for each field that an error speaks of."""
    here = path(error.absolute_path)
    rule: Any = error.validator_value
    value: Any = error.instance
    if error.validator == "required":
        for name in rule:
            if name not in value:
                yield f"{_under(here, name)}: missing"
    elif error.validator == "additionalProperties":
        known = error.schema.get("properties", {}) if isinstance(error.schema, Mapping) else {}
        for name in value:
            if name not in known:
                yield f"{_under(here, str(name)[:60])}: unknown field; known: {', '.join(known)}"
    elif error.validator == "type":
        kinds = rule if isinstance(rule, list) else [rule]
        yield f"{here}: must be {' or '.join(_KINDS[kind] for kind in kinds)}"
    elif error.validator in _LIMITS:
        shown = "" if isinstance(value, (list, dict)) else f"{_shown(value)} "
        yield f"{here}: {shown}{_LIMITS[error.validator].format(rule)}"
    elif error.validator == "enum":
        yield f"{here}: must be one of {', '.join(_shown(item) for item in rule)}"
    else:
        yield f"{here}: {error.message[:200]}"


_LIMITS = {
    "minimum": "is less than {}",
    "maximum": "is more than {}",
    "exclusiveMinimum": "must be more than {}",
    "exclusiveMaximum": "must be less than {}",
    "minItems": "holds fewer than {} entries",
    "maxItems": "holds more than {} entries",
    "minLength": "is shorter than {} characters",
    "maxLength": "is longer than {} characters",
    "pattern": "does not have the form {}",
    "minProperties": "must name at least {}",
}


def _shown(value: object) -> str:
    text = json.dumps(value, ensure_ascii=False, default=str)
    return text if len(text) <= 40 else text[:37] + "…"


def path(parts: Iterable[str | int]) -> str:
    """A field's path as a person would write it: `readings[3].gap_mm`; the whole is `.`."""
    text = ""
    for part in parts:
        text += f"[{part}]" if isinstance(part, int) else f"{'.' if text else ''}{part}"
    return text or "."


def _under(here: str, name: str) -> str:
    return name if here == "." else f"{here}.{name}"


def tidy(value: Any) -> Any:
    """Round floats to a billionth, turn −0 into 0 and tuples into lists; raises ValueError on NaN or infinity."""
    if isinstance(value, float):
        if not math.isfinite(value):
            raise ValueError("an answer holds a number that is not finite")
        return round(value, 9) + 0.0
    if isinstance(value, dict):
        return {str(key): tidy(item) for key, item in value.items()}
    if isinstance(value, (list, tuple)):
        return [tidy(item) for item in value]
    return value

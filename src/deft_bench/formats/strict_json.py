"""JSON that is read strictly and refused in words: no NaN, no repeated names, and every bad field by its path."""

import json
import math
from collections import Counter
from collections.abc import Callable, Iterable, Mapping
from datetime import date, datetime
from functools import cache, partial
from itertools import islice
from typing import TYPE_CHECKING, Any

from deft_bench.core.text import barred
from deft_bench.core.times import YEARS

if TYPE_CHECKING:  # takes its time, and a server starts without it
    from jsonschema import FormatChecker, ValidationError

MOST_WHOLE = 2**53
"""Every whole number up to here is a float too."""
LARGEST, SMALLEST = 1e9, 1e-9
"""Sizes of figures in any unit that a bench uses: a kilometre in µm; less than a millionth of a µm in mm is nothing."""
MOST_LINES = 50
"""As many faults as anybody reads before they mend the first."""
_KINDS = {
    "number": "a number",
    "integer": "a whole number",
    "string": "text",
    "array": "a list",
    "object": "an object",
    "boolean": "true or false",
    "null": "null",
}


class RequestError(ValueError):
    """A bad request; `lines` holds one line a field, `path: what is wrong`, at most `MOST_LINES` and one that says that
    there is more.
    """

    def __init__(self, lines: Iterable[str]) -> None:
        self.lines = list(lines)
        if len(self.lines) > MOST_LINES:
            self.lines[MOST_LINES:] = ["and more of the kind: mend these first"]
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
    """A number with a point; a whole one is a whole number, however it is written; too small for any bench is 0."""
    value = float(text)
    if abs(value) < SMALLEST:
        return 0
    if math.isinf(value):
        raise ValueError(f"{text[:20]} is too large a number")
    return int(value) if value.is_integer() and abs(value) <= MOST_WHOLE else value


def _no_repeats(pairs: list[tuple[str, Any]]) -> dict[str, Any]:
    found = dict(pairs)
    if len(found) < len(pairs):
        repeated = Counter(name for name, _ in pairs).most_common(1)[0][0]
        raise ValueError(f"the name “{repeated[:40]}” stands twice in one object")
    return found


@cache
def _formats() -> "FormatChecker":
    """Dates and times that there are."""
    from jsonschema import FormatChecker

    formats = FormatChecker(())
    for name, kind in _CALENDAR.items():
        formats.checks(name)(partial(_is_one, kind))
    return formats


_CALENDAR: dict[str, type[date]] = {"day": date, "moment": datetime}


def _is_one(kind: type[date], value: object) -> bool:
    return not isinstance(value, str) or in_calendar(kind, value)


def in_calendar(kind: type[date], text: str) -> bool:
    """Whether a text is a day, or a moment, of the years that a bench sees."""
    try:
        return kind.fromisoformat(text).year in YEARS
    except ValueError:
        return False


def check(value: object, schema: Mapping[str, Any]) -> None:
    """Check a value against a JSON Schema, every text in it for what cannot be typed and every number for a size that
    no bench knows; raises RequestError with one line a field.

    Beside the standard the schema may ask for the formats `day` and `moment`: dates and times that there are.
    """
    # what is wrong in thousands of places is not looked for to its end
    for faults in (() if accepted(value, schema) else _faults(value, schema), _beyond_a_bench(value, ())):
        if lines := dict.fromkeys(islice(faults, MOST_LINES + 1)):
            raise RequestError(lines)


def _faults(value: object, schema: Mapping[str, Any]) -> Iterable[str]:
    """A line for each field that a schema refuses."""
    from jsonschema import Draft202012Validator

    validator = Draft202012Validator(schema, format_checker=_formats())
    return (line for error in validator.iter_errors(value) for line in _lines(error))


def accepted(value: object, schema: Mapping[str, Any]) -> bool:
    """Whether a schema surely accepts a value: it is compiled once to plain code, which says yes some fifty times
    faster than what finds every fault, and loads in a tenth of the time.
    """
    if id(schema) not in _compiled:
        _compiled[id(schema)] = schema, _compile(schema)
    try:
        _compiled[id(schema)][1](value)
    except Exception:  # whatever it was, the slower one says it in words
        return False
    return True


_compiled: dict[int, tuple[Mapping[str, Any], Callable[[object], object]]] = {}
"""Schemas, which are constants of modules, by their identity; held, so that it stays theirs."""


def _compile(schema: Mapping[str, Any]) -> Callable[[object], object]:
    import fastjsonschema

    formats = {name: partial(in_calendar, kind) for name, kind in _CALENDAR.items()}
    made: Callable[[object], object] = fastjsonschema.compile(draft_7(schema), formats=formats, use_default=False)
    return made


_SCHEMAS_BY_NAME = ("properties", "patternProperties")
_SCHEMA = ("items", "additionalProperties", "propertyNames", "not")
_LIMITED = ("Length", "Items", "Properties")
_PLAIN = {"type", "required", "enum", "const", "format", "pattern", "uniqueItems", "minimum", "maximum"}
_PLAIN |= {"exclusiveMinimum", "exclusiveMaximum", *(end + what for end in ("min", "max") for what in _LIMITED)}
_SAID = {"$schema", "title", "description", "default"}


def draft_7(schema: object) -> Any:
    """A schema of draft 2020-12 as draft 7, as far as this program's go: what begins a list is written otherwise (JSON
    Schema 2020-12, Release Notes, “Changes to items and additionalItems”).

    Raises KeyError for a word that it does not know, rather than pass it over.
    """
    if not isinstance(schema, Mapping):
        return schema
    made: dict[str, Any] = {}
    for word, rule in schema.items():
        if word in _SCHEMAS_BY_NAME:
            made[word] = {name: draft_7(one) for name, one in rule.items()}
        elif word == "prefixItems":
            made["items"] = [draft_7(one) for one in rule]
        elif word in _SCHEMA:
            made["additionalItems" if word == "items" and "prefixItems" in schema else word] = draft_7(rule)
        elif word in _PLAIN:
            made[word] = rule
        elif word not in _SAID:
            raise KeyError(word)
    return made


def _beyond_a_bench(value: object, parts: tuple[str | int, ...]) -> Iterable[str]:
    """A line for each number too large for any bench, and each text, or name of a field, that holds a control character
    or half of one.
    """
    if isinstance(value, (int, float)) and not isinstance(value, bool):
        if abs(value) > LARGEST:
            yield f"{path(parts)}: {_shown(value)} is more than any figure at a bench ({LARGEST:.0e})"
    elif isinstance(value, str):
        why = barred(value, lines=True)
        if why:
            yield f"{path(parts)}: {why[:1].lower()}{why[1:].rstrip('.')}"
    elif isinstance(value, dict):
        for name, item in value.items():
            if barred(name):
                yield f"{path(parts)}: the name of a field holds a control character"
            else:
                yield from _beyond_a_bench(item, (*parts, name))
    elif isinstance(value, list):
        for i, item in enumerate(value):
            yield from _beyond_a_bench(item, (*parts, i))


def _lines(error: "ValidationError") -> Iterable[str]:
    """One line for each field that an error speaks of."""
    here = path(error.absolute_path)
    rule: Any = error.validator_value
    value: Any = error.instance
    if error.validator == "required":
        return [f"{_under(here, name)}: missing" for name in rule if name not in value]
    if error.validator == "additionalProperties":
        known = error.schema.get("properties", {}) if isinstance(error.schema, Mapping) else {}
        return [
            f"{_under(here, str(name)[:60])}: unknown field; known: {', '.join(known)}"
            for name in value
            if name not in known
        ]
    return [f"{here}: {_why(error, rule, value)}"]


def _why(error: "ValidationError", rule: Any, value: Any) -> str:
    """What is wrong with one value."""
    if error.validator == "type":
        return f"must be {' or '.join(_KINDS[kind] for kind in (rule if isinstance(rule, list) else [rule]))}"
    if error.validator in _LIMITS:
        shown = "" if isinstance(value, (list, dict)) else f"{_shown(value)} "
        return f"{shown}{_LIMITS[error.validator].format(rule)}"
    if error.validator == "format":
        what = "day" if rule == "day" else "time"
        return f"{_shown(value)} is no {what} of the calendar from {YEARS[0]} to {YEARS[-1]}"
    if error.validator == "enum":
        return f"must be one of {', '.join(_shown(item) for item in rule)}"
    return error.message[:200]


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
    text = json.dumps(value, ensure_ascii=False, default=str).encode("utf-8", "replace").decode("utf-8")
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

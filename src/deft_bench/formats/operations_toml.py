"""Operations, rules, schools and routes as TOML: those shipped, and the shop's own beside them. See
docs/formats/operations-toml.md.

A bad entry of the shop's own is named with its line and reason and left out; the rest keeps working.
"""

import re
import tomllib
from collections.abc import Mapping
from dataclasses import dataclass, replace
from functools import cache
from importlib.resources import files
from typing import Any

from deft_bench.core.frets.grit_ladder import read_shelf
from deft_bench.core.work.catalogue import (
    PARTS,
    PHASES,
    SHOWN_BY,
    Catalogue,
    Material,
    Operation,
    Route,
    RouteStep,
    Rule,
    School,
    Watch,
    circle,
)
from deft_bench.core.work.extent import COUNTS

FORMAT, VERSION = "deft-bench-operations", 1
MOST_BYTES = 500_000
SHIPPED = ("operations.toml", "rules_and_routes.toml")
_CODE = re.compile(r"[a-z][a-z0-9_]{1,39}")
_FLAGS = ("cold", "scaled", "repair", "outdoors", "by_fret")
_NUMBERS = {"wait": 100_000.0, "open_minutes": 10_000.0, "lead_days": 365.0}
OLD_PHASE = "stage"
"""What `phase` was called in files of before."""
_OPERATION = {
    "title",
    "phase",
    OLD_PHASE,
    "minutes",
    "tools",
    "materials",
    "cautions",
    "watch",
    "gate",
    "grits",
    "page",
    "holds",
    "works_on",
    "shown_by",
    "counts",
    *_FLAGS,
    *_NUMBERS,
}
_TOP = {"format", "version", "operation", "rules", "schools", "routes", "groups", "cautions"}


@dataclass(frozen=True, slots=True)
class Problem:
    """What is wrong with the shop's own file: the line (0 where it is the whole file) and why."""

    line: int
    why: str


class _BadEntryError(ValueError):
    """One entry cannot be meant."""


@cache
def shipped() -> Catalogue:
    """The catalogue that comes with the program."""
    catalogue = Catalogue({}, (), {}, {}, {})
    for name in SHIPPED:
        text = files("deft_bench").joinpath("operations", name).read_text("utf-8")
        catalogue, problems = extend(catalogue, text)
        if problems:
            raise AssertionError(f"{name}: {problems}")
    return catalogue


def extend(base: Catalogue, text: str) -> tuple[Catalogue, list[Problem]]:
    """A catalogue with a file's own entries added or put in place of those of the same code; and every entry that
    was left out.
    """
    if len(text.encode()) > MOST_BYTES:
        return base, [Problem(0, f"the file is larger than {MOST_BYTES // 1000} kB")]
    try:
        data = tomllib.loads(text)
    except tomllib.TOMLDecodeError as error:
        at = re.search(r"line (\d+)", str(error))
        return base, [Problem(int(at[1]) if at else 0, f"not TOML: {error}")]
    except (RecursionError, ValueError):
        return base, [Problem(0, "not read: lists within lists, or a number of thousands of digits")]
    if data.get("format") != FORMAT or data.get("version") != VERSION:
        return base, [Problem(0, f'the first lines must say format = "{FORMAT}" and version = {VERSION}')]
    found = _Reader(base, text)
    found.read(data)
    return found.catalogue(), found.problems


class _Reader:
    """Reads one file over a catalogue, entry by entry."""

    def __init__(self, base: Catalogue, text: str) -> None:
        self.lines = text.splitlines()
        self.operations = dict(base.operations)
        self.rules = list(base.rules)
        self.routes = dict(base.routes)
        self.schools = dict(base.schools)
        self.cautions = dict(base.cautions)
        self.problems: list[Problem] = []

    def catalogue(self) -> Catalogue:
        return Catalogue(self.operations, tuple(self.rules), self.routes, self.schools, self.cautions)

    def read(self, data: Mapping[str, Any]) -> None:
        for name in data:
            if name not in _TOP:
                self._leave_out(name, f"“{name}” is none of: {', '.join(sorted(_TOP))}")
        for code, words in _table(data.get("cautions", {})).items():
            self._try(
                code, lambda code=code, words=words: self.cautions.update({_code(code): _text(words, "the caution")})
            )
        for code, entry in _table(data.get("schools", {})).items():
            self._try(
                f"schools.{code}",
                lambda code=code, entry=entry: self.schools.update({_code(code): _school(code, entry)}),
            )
        for code, entry in _table(data.get("operation", {})).items():
            self._try(
                f"operation.{code}",
                lambda code=code, entry=entry: self.operations.update({_code(code): self._operation(code, entry)}),
            )
        groups = {code: value for code, value in _table(data.get("groups", {})).items() if isinstance(value, list)}
        for entry in data.get("rules", []) if isinstance(data.get("rules", []), list) else []:
            self._try(_rule_place(entry), lambda entry=entry: self._rule(entry))
        for code, entry in _table(data.get("routes", {})).items():
            self._try(
                f"routes.{code}",
                lambda code=code, entry=entry: self.routes.update({_code(code): self._route(code, entry, groups)}),
            )

    def _try(self, place: str, work: Any) -> None:
        try:
            work()
        except _BadEntryError as error:
            self._leave_out(place, str(error))

    def _leave_out(self, place: str, why: str) -> None:
        self.problems.append(Problem(self._line(place), f"{place}: {why}"))

    def _line(self, place: str) -> int:
        """Where an entry begins: its table, its key, or a rule's two codes."""
        last = place.split(".")[-1]
        before, _, after = place.partition(" → ")
        for number, line in enumerate(self.lines, start=1):
            if after and f'"{before}"' in line and f'"{after}"' in line:
                return number
            if re.match(rf"\s*(\[{re.escape(place)}\]|{re.escape(last)}\s*=|\[{re.escape(place)}[\].])", line):
                return number
        return 0

    def _operation(self, code: str, entry: Any) -> Operation:
        entry = _table(entry)
        _known(entry, _OPERATION)
        phase = entry.get("phase", entry.get(OLD_PHASE))
        if phase not in PHASES:
            raise _BadEntryError(f"phase must be one of: {', '.join(PHASES)}")
        minutes = entry.get("minutes")
        if (
            not isinstance(minutes, list)
            or len(minutes) != 3
            or not all(_is_number(m) and 0 <= m <= 10_000 for m in minutes)
        ):
            raise _BadEntryError("minutes must be three numbers from 0 up: [base, per fret, per string]")
        cautions = tuple(_texts(entry.get("cautions", []), "cautions"))
        for caution in cautions:
            if caution not in self.cautions:
                raise _BadEntryError(f"no caution is called “{caution}”")
        made = Operation(
            code,
            _text(entry.get("title"), "title"),
            str(phase),
            (float(minutes[0]), float(minutes[1]), float(minutes[2])),
            tools=tuple(_texts(entry.get("tools", []), "tools")),
            cautions=cautions,
            gate=_text(entry.get("gate", ""), "gate", empty=True),
            page=_text(entry.get("page", ""), "page", empty=True),
            holds=_text(entry.get("holds", ""), "holds", empty=True),
            counts=_counts(entry.get("counts", "all")),
            grits=_grits(entry.get("grits", [])),
            works_on=_works_on(entry.get("works_on")),
            shown_by=_shown_by(entry.get("shown_by", {})),
            watch=tuple(
                Watch(*(_text(_table(item).get(key), f"watch.{key}") for key in ("mistake", "sign", "recover")))
                for item in _listed(entry.get("watch", []), "watch")
            ),
            materials=tuple(_material(item) for item in _listed(entry.get("materials", []), "materials")),
        )
        for name in _FLAGS:
            if not isinstance(entry.get(name, False), bool):
                raise _BadEntryError(f"{name} must be true or false")
        for name, most in _NUMBERS.items():
            if not _is_number(entry.get(name, 0)) or not 0 <= entry.get(name, 0) <= most:
                raise _BadEntryError(f"{name} must be a number from 0 to {most:g}")
        numbers = {
            "wait": float(entry.get("wait", 0)),
            "open_minutes": float(entry.get("open_minutes", 0)),
            "lead_days": int(entry.get("lead_days", 0)),
        }
        return replace(made, **numbers, **{name: entry.get(name, False) for name in _FLAGS})  # type: ignore[arg-type]

    def _rule(self, entry: Any) -> None:
        entry = _table(entry)
        _known(entry, {"rule", "before", "after", "spoils", "when", "unless"})
        codes = []
        for name in ("before", "after"):
            code = entry.get(name)
            if code not in self.operations:
                raise _BadEntryError(f"{name}: no operation is called “{str(code)[:40]}”")
            codes.append(str(code))
        number = entry.get("rule", 0)
        if not isinstance(number, int) or isinstance(number, bool) or number < 0:
            raise _BadEntryError("rule must be its number")
        made = Rule(
            number,
            codes[0],
            codes[1],
            _text(entry.get("spoils"), "spoils"),
            self._when(entry.get("when", {})),
            self._when(entry.get("unless", {})),
        )
        if codes[0] == codes[1]:
            raise _BadEntryError("an operation cannot come before itself")
        found = circle((*self.rules, made))
        if found:
            raise _BadEntryError(f"makes a circle: {' → '.join(found)}")
        self.rules.append(made)

    def _when(self, entry: Any) -> dict[str, tuple[str, ...]]:
        found = {}
        for name, values in _table(entry).items():
            school = self.schools.get(name)
            chosen = tuple(_texts(values, name))
            if school is not None:
                for value in chosen:
                    if value not in school.choices:
                        raise _BadEntryError(f"when.{name}: “{value}” is none of: {', '.join(school.choices)}")
            found[name] = chosen
        return found

    def _route(self, code: str, entry: Any, groups: Mapping[str, list[Any]]) -> Route:
        entry = _table(entry)
        _known(entry, {"title", "work", "steps"})
        steps: list[RouteStep] = []
        for item in _listed(entry.get("steps"), "steps"):
            if isinstance(item, str) and item.startswith("@"):
                if item[1:] not in groups:
                    raise _BadEntryError(f"no group is called “{item[1:41]}”")
                steps += [self._route_step(step) for step in groups[item[1:]]]
            else:
                steps.append(self._route_step(item))
        if not steps:
            raise _BadEntryError("a route has at least one step")
        return Route(code, _text(entry.get("title"), "title"), _text(entry.get("work", "setup"), "work"), tuple(steps))

    def _route_step(self, item: Any) -> RouteStep:
        code = item if isinstance(item, str) else _table(item).get("step")
        if code not in self.operations:
            raise _BadEntryError(f"no operation is called “{str(code)[:40]}”")
        return RouteStep(str(code), {} if isinstance(item, str) else self._when(item.get("when", {})))


def _rule_place(entry: Any) -> str:
    return f"{entry.get('before')} → {entry.get('after')}" if isinstance(entry, dict) else "rules"


def _school(code: str, entry: Any) -> School:
    entry = _table(entry)
    _known(entry, {"title", "default", "choices"})
    choices = {_code(name): _text(words, name) for name, words in _table(entry.get("choices")).items()}
    if entry.get("default") not in choices:
        raise _BadEntryError(f"default must be one of: {', '.join(choices)}")
    return School(code, _text(entry.get("title"), "title"), str(entry["default"]), choices)


def _grits(value: Any) -> tuple[str, ...]:
    found = _texts(value, "grits")
    try:
        if any(len(read_shelf(item)) != 1 for item in found if item != "shelf"):
            raise ValueError("one abrasive each")
    except ValueError as error:
        raise _BadEntryError(f"grits: {error}; give abrasives such as “fepa_p 120”, or “shelf”") from None
    return tuple(found)


def _counts(value: Any) -> str:
    if value not in COUNTS:
        raise _BadEntryError(f"counts must be one of: {', '.join(COUNTS)}")
    return str(value)


def _works_on(value: Any) -> tuple[str, ...] | None:
    if value is None:
        return None
    found = _texts(value, "works_on")
    if set(found) - set(PARTS):
        raise _BadEntryError(f"works_on may name {', '.join(PARTS)}, or nothing")
    return tuple(found)


def _shown_by(value: Any) -> dict[str, str]:
    shown = _table(value)
    _known(shown, set(SHOWN_BY))
    for kind, code in shown.items():
        if code not in SHOWN_BY[kind]:
            raise _BadEntryError(f"shown_by.{kind} must be one of: {', '.join(SHOWN_BY[kind])}")
    return shown


def _material(entry: Any) -> Material:
    entry = _table(entry)
    _known(entry, {"name", "unit", "base", "per_fret", "per_string"})
    numbers = [entry.get(name, 0) for name in ("base", "per_fret", "per_string")]
    if not all(_is_number(value) and value >= 0 for value in numbers):
        raise _BadEntryError("a material's quantities are numbers from 0 up")
    return Material(_text(entry.get("name"), "name"), _text(entry.get("unit"), "unit"), *map(float, numbers))


def _is_number(value: Any) -> bool:
    return isinstance(value, (int, float)) and not isinstance(value, bool) and value == value


def _table(value: Any) -> dict[str, Any]:
    if not isinstance(value, dict):
        raise _BadEntryError("must be a table")
    return value


def _listed(value: Any, name: str) -> list[Any]:
    if not isinstance(value, list):
        raise _BadEntryError(f"{name} must be a list")
    return value


def _texts(value: Any, name: str) -> list[str]:
    return [_text(item, name) for item in _listed(value, name)]


def _text(value: Any, name: str, empty: bool = False) -> str:
    if not isinstance(value, str) or (not value.strip() and not empty) or len(value) > 400:
        raise _BadEntryError(f"{name} must be a text of 1 to 400 characters")
    return value


def _code(value: str) -> str:
    if not _CODE.fullmatch(value):
        raise _BadEntryError("a code is small letters, digits and _, 2 to 40 of them")
    return value


def _known(entry: Mapping[str, Any], names: set[str]) -> None:
    unknown = sorted(set(entry) - names)
    if unknown:
        raise _BadEntryError(f"unknown field {', '.join(unknown)}; there are: {', '.join(sorted(names))}")

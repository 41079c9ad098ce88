"""Documents whose fields are described where they are declared: what each is called, its unit, range, choices and help.

From that one description a document is checked, written as JSON and read again (a field that an older version did not
have takes its default), its JSON Schema is made, and its boxes are drawn and read on every page.
"""

from collections.abc import Hashable, Mapping, Sequence
from dataclasses import MISSING, Field, dataclass, field, fields
from functools import cache
from typing import Any, TypeVar

from deft_bench.core.text import barred
from deft_bench.core.units import Display

T = TypeVar("T")
_STORED_UM = {"minimum": -5_000_000, "maximum": 5_000_000}


@dataclass(frozen=True, slots=True)
class Described:
    """One field: `what` it is called in a sentence, the `label` and `unit` of its box (a length's unit is the shop's),
    and `help` beside it.
    """

    what: str = ""
    label: str = ""
    unit: str = ""
    help: str = ""

    @property
    def is_length(self) -> bool:
        """Whether its box is typed in the shop's unit of length."""
        return False

    @property
    def is_count(self) -> bool:
        """Whether its box takes a whole number."""
        return False

    @property
    def title(self) -> str:
        """What stands over its box."""
        return self.label or f"{self.what[:1].upper()}{self.what[1:]}"

    def problem(self, value: Any, display: Display) -> str | None:
        """Why a value cannot be, in words; None when it can."""
        return None

    def to_json(self, value: Any) -> Any:
        """The value as JSON holds it."""
        return value

    def from_json(self, stored: Any) -> Any:
        """The value from what JSON held."""
        return stored

    def schema(self) -> dict[str, Any]:
        """What JSON may hold. Wider than what a form accepts: a record keeps what was once saved."""
        raise NotImplementedError

    def entry(self, value: Any, display: Display) -> str:
        """The value as its box shows it."""
        return str(value)


@dataclass(frozen=True, slots=True)
class LengthField(Described):
    """A length in whole µm from `least` to `most`; `optional`: it may be None."""

    least: int = 0
    most: int = 0
    optional: bool = False

    @property
    def is_length(self) -> bool:
        """It is."""
        return True

    def problem(self, value: Any, display: Display) -> str | None:
        """Out of range."""
        if (value is None and self.optional) or (value is not None and self.least <= value <= self.most):
            return None
        return f"The {self.what} is out of range; accepted: {display.long(self.least)} to {display.long(self.most)}."

    def schema(self) -> dict[str, Any]:
        """Whole µm, whatever its range."""
        return {"type": ["integer", "null"] if self.optional else "integer", **_STORED_UM}

    def entry(self, value: Any, display: Display) -> str:
        """The length in the shop's unit; empty for None."""
        return display.entry(value)


@dataclass(frozen=True, slots=True)
class CountField(Described):
    """A whole number from `least` to `most`."""

    least: int = 0
    most: int = 0
    stored_least: int = 0
    stored_most: int = 100_000

    @property
    def is_count(self) -> bool:
        """It is."""
        return True

    def problem(self, value: Any, display: Display) -> str | None:
        """Out of range."""
        if self.least <= value <= self.most:
            return None
        return f"The {self.what} is out of range; accepted: {self.least} to {self.most}{self.unit and ' '}{self.unit}."

    def schema(self) -> dict[str, Any]:
        """A whole number."""
        return {"type": "integer", "minimum": self.stored_least, "maximum": self.stored_most}


@dataclass(frozen=True, slots=True)
class NumberField(Described):
    """A number from `least` to `most`."""

    least: float = 0.0
    most: float = 0.0
    stored_least: float = 0.0
    stored_most: float = 100_000.0

    def problem(self, value: Any, display: Display) -> str | None:
        """Out of range."""
        if self.least <= value <= self.most:
            return None
        return f"Accepted: {self.least:g} to {self.most:g} {self.unit}.".replace(" .", ".")

    def schema(self) -> dict[str, Any]:
        """A number."""
        return {"type": "number", "minimum": self.stored_least, "maximum": self.stored_most}

    def entry(self, value: Any, display: Display) -> str:
        """Without zeros that say nothing."""
        return f"{value:g}"


@dataclass(frozen=True, slots=True)
class ChoiceField(Described):
    """One of some codes, each with its words."""

    choices: Mapping[Any, str] = field(default_factory=dict)

    def problem(self, value: Any, display: Display) -> str | None:
        """None of the codes."""
        return None if value in self.choices else f"Choose one of: {', '.join(self.choices.values())}."

    def schema(self) -> dict[str, Any]:
        """One of the codes."""
        return {"type": "string", "enum": list(self.choices)}


@dataclass(frozen=True, slots=True)
class TextField(Described):
    """One line of text."""

    most: int = 80

    def problem(self, value: Any, display: Display) -> str | None:
        """Too long, or with what cannot be typed."""
        return barred(value) or (f"At most {self.most} characters." if len(value) > self.most else None)

    def schema(self) -> dict[str, Any]:
        """Text."""
        return {"type": "string", "maxLength": 200}


@dataclass(frozen=True, slots=True)
class FlagField(Described):
    """Yes or no."""

    def schema(self) -> dict[str, Any]:
        """True or false."""
        return {"type": "boolean"}

    def entry(self, value: Any, display: Display) -> str:
        """What a ticked box sends; empty for one that is not."""
        return "1" if value else ""


@dataclass(frozen=True, slots=True)
class ListField(Described):
    """Several of one kind, kept as a tuple; `item` is the schema of one, `most` how many JSON may hold."""

    item: Mapping[str, Any] = field(default_factory=dict)
    most: int = 60

    def to_json(self, value: Any) -> Any:
        """A list, of lists where an item has several parts."""
        return [list(item) if isinstance(item, tuple) else item for item in value]

    def from_json(self, stored: Any) -> Any:
        """A tuple."""
        return tuple(tuple(item) if isinstance(item, list) else item for item in stored)

    def schema(self) -> dict[str, Any]:
        """An array of so many at most."""
        return {"type": "array", "maxItems": self.most, "items": dict(self.item)}

    def entry(self, value: Any, display: Display) -> str:
        """With commas between."""
        return ", ".join(map(str, value))


@dataclass(frozen=True, slots=True)
class LengthsField(ListField):
    """Several lengths in one box, µm."""

    @property
    def is_length(self) -> bool:
        """They are."""
        return True


FRET = {"type": "integer", "minimum": 1, "maximum": 60}


@dataclass(frozen=True, slots=True)
class FretsField(ListField):
    """Fret numbers, in order."""

    item: Mapping[str, Any] = field(default_factory=lambda: FRET)


def field_of(kind: Described, default: Any = MISSING) -> Any:
    """A described field of a dataclass, with its default where it has one."""
    made: Field[Any] = field(default=default, metadata={"described": kind})
    return made


def length(what: str, least: int, most: int, default: Any = MISSING, **box: Any) -> Any:
    """A field that holds a length, µm; `box` are `label`, `help` and `optional`."""
    return field_of(LengthField(what, least=least, most=most, **box), default)


def count(what: str, least: int, most: int, default: Any = MISSING, **box: Any) -> Any:
    """A field that holds a whole number; `box` are `label`, `unit`, `help` and what may be stored."""
    return field_of(CountField(what, least=least, most=most, **box), default)


def choice(what: str, choices: Mapping[Any, str], default: Any = MISSING, **box: Any) -> Any:
    """A field that holds one of some codes."""
    return field_of(ChoiceField(what, choices=choices, **box), default)


def described(document: type) -> dict[str, Described]:
    """Every described field of a document by name, in order."""
    return _described(document)


@cache
def _described(document: Hashable) -> dict[str, Described]:
    of: Any = document
    return {one.name: one.metadata["described"] for one in fields(of) if "described" in one.metadata}


def of_kind(document: type, kind: type[T]) -> dict[str, T]:
    """The fields of one kind (or of a kind made from it)."""
    return {name: found for name, found in described(document).items() if isinstance(found, kind)}


def choices_of(document: type) -> dict[str, Mapping[str, str]]:
    """The choices of every field that has some."""
    return {name: choice.choices for name, choice in of_kind(document, ChoiceField).items()}


def field_problems(document: Any, display: Display) -> dict[str, str]:
    """What is wrong with single fields, by name; what cannot stand together is the document's own matter."""
    found = {name: kind.problem(getattr(document, name), display) for name, kind in described(type(document)).items()}
    return {name: why for name, why in found.items() if why is not None}


def to_fields(document: Any) -> dict[str, Any]:
    """Every field by name, in order, as JSON holds it."""
    return {name: kind.to_json(getattr(document, name)) for name, kind in described(type(document)).items()}


def from_fields(document: type[T], stored: Mapping[str, Any]) -> T:
    """A document from stored fields: unknown ones are left out, missing ones take their defaults."""
    known = described(document)
    return document(**{name: known[name].from_json(value) for name, value in stored.items() if name in known})


def schema_of(document: type) -> dict[str, Any]:
    """What JSON may hold of each field, by name."""
    return {name: kind.schema() for name, kind in described(document).items()}


def entries(document: Any, display: Display, names: Sequence[str] | None = None) -> dict[str, str]:
    """Every field, or the named ones, as its box shows it."""
    known = described(type(document))
    return {name: known[name].entry(getattr(document, name), display) for name in names or known}

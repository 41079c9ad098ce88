"""A described document as a form: what each box shows, and what was typed in them."""

from collections.abc import Iterable
from dataclasses import dataclass
from typing import Any, Generic, TypeVar

from deft_bench.core.described import (
    ChoiceField,
    CountField,
    Described,
    FretsField,
    LengthField,
    NumberField,
    TextField,
    described,
)
from deft_bench.core.instrument import MOST_FRETS
from deft_bench.web.support import Form

T = TypeVar("T")


@dataclass(frozen=True, slots=True)
class PlanForm(Generic[T]):
    """A form as read: every box as it shows, what is wrong by field, and the document when nothing is."""

    values: dict[str, str]
    errors: dict[str, str]
    plan: T | None


def read_described(form: Form, document: type, names: Iterable[str] | None = None) -> dict[str, Any]:
    """The named fields of a document (all: those that have one box of their own) as typed; what cannot be meant is in
    `form.errors`.
    """
    known = described(document)
    wanted = known if names is None else {name: known[name] for name in names}
    return {name: _read(form, name, kind) for name, kind in wanted.items() if isinstance(kind, ONE_BOX)}


ONE_BOX = (LengthField, CountField, NumberField, ChoiceField, TextField, FretsField)


def _read(form: Form, name: str, kind: Described) -> Any:
    if isinstance(kind, LengthField):
        return form.length(name, optional=kind.optional)
    if isinstance(kind, CountField):
        return form.count(name, kind.least, kind.most)
    if isinstance(kind, NumberField):
        return form.number(name, kind.least, kind.most)
    if isinstance(kind, FretsField):
        return form.frets(name, MOST_FRETS)
    return form.text(name)

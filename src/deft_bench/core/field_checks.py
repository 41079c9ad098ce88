"""What is out of range in a document of fields, in the words of a form: shared by specifications, boards and
refrets.
"""

from collections.abc import Collection, Mapping

from deft_bench.core.text import barred
from deft_bench.core.units import Display


class FieldError(ValueError):
    """What is impossible about one input; `field` names it, so that a form or a request can say where."""

    def __init__(self, field: str, why: str) -> None:
        self.field = field
        super().__init__(why)


def choice_problems(document: object, choices: Mapping[str, Mapping[str, str]]) -> dict[str, str]:
    """Fields whose value is none of their choices, by name."""
    return {
        field: f"Choose one of: {', '.join(words.values())}."
        for field, words in choices.items()
        if getattr(document, field) not in words
    }


def length_problems(
    document: object, lengths: Mapping[str, tuple[str, int, int]], display: Display, optional: Collection[str] = ()
) -> dict[str, str]:
    """Lengths (µm) out of their range, by name; `lengths` holds what each is called and the least and most accepted."""
    problems = {}
    for field, (what, least, most) in lengths.items():
        value = getattr(document, field)
        if not (value is None and field in optional) and not least <= value <= most:
            problems[field] = f"The {what} is out of range; accepted: {display.long(least)} to {display.long(most)}."
    return problems


def text_problems(document: object, names: Collection[str], notes: Collection[str] = ()) -> dict[str, str]:
    """Texts that hold what cannot be typed, by name: `names` are one line, `notes` may be several."""
    found = {field: barred(getattr(document, field), lines=field in notes) for field in (*names, *notes)}
    return {field: why for field, why in found.items() if why is not None}

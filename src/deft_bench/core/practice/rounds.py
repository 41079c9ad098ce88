"""Drills in short rounds: a situation, a question, and the working that answers it, round after round.

A round asks for one of some choices, for a length, or for a number. What it says and its working hold their lengths
apart, so that they are written in the shop's units: `{0}` is the first of them.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any, Literal

Asks = Literal["choice", "length", "count"]
OFF_TIMES = 3.0
"""An answer this many times further off than counts as right is worth nothing."""


STRINGS = 6
"""Whose notes may be drawn."""


@dataclass(frozen=True, slots=True)
class Round:
    """One round. `right` is the place of a choice, a length in mm, or a number; a length counts in full `within_mm`.
    `gaps_mm` are gaps under an edge, fret 1 first, to be drawn; `buzzes` says of each note of six strings, string 1
    and the open note first, whether it buzzes (1) or not.
    """

    situation: str
    ask: str
    right: float
    why: str
    asks: Asks = "choice"
    choices: tuple[str, ...] = ()
    lengths_mm: tuple[float, ...] = ()
    within_mm: float = 0.0
    gaps_mm: tuple[float, ...] = ()
    buzzes: tuple[int, ...] = ()

    def worth(self, answer: float) -> float:
        """From 0 to 1, what an answer is worth."""
        if self.asks != "length":
            return float(round(answer) == round(self.right))
        off = abs(answer - self.right)
        return min(1.0, max(0.0, (OFF_TIMES - off / self.within_mm) / (OFF_TIMES - 1)))


def points(rounds: Sequence[Round], answers: Sequence[float]) -> int:
    """Of 100, what answers are worth: guessing among choices is worth nothing on the mean."""
    if not rounds:
        return 0
    guessed = sum(1 / len(one.choices) for one in rounds if one.asks == "choice") / len(rounds)
    share = sum(one.worth(answer) for one, answer in zip(rounds, answers, strict=False)) / len(rounds)
    return round(100 * max(0.0, (share - guessed) / (1 - guessed)))


def rounds_from(kept: Any) -> tuple[Round, ...]:
    """Rounds as they were kept, a JSON value."""
    found = []
    for one in kept["rounds"]:
        fields: dict[str, Any] = {
            name: tuple(value) if isinstance(value, list) else value for name, value in one.items()
        }
        found.append(Round(**fields))
    return tuple(found)


def why_no_drill(rounds: Sequence[Round]) -> str:
    """Why rounds cannot be practised; empty where they can."""
    for number, one in enumerate(rounds, 1):
        if one.asks == "choice" and not (len(one.choices) > 1 and 0 <= one.right < len(one.choices)):
            return f"rounds: number {number} has no right choice among its own"
        if one.asks == "choice" and len(set(one.choices)) != len(one.choices):
            return f"rounds: number {number} has the same choice twice"
        if one.asks == "length" and not one.within_mm > 0:
            return f"rounds: number {number} asks for a length: say within how much it is right"
        if len(one.buzzes) % STRINGS:
            return f"rounds: number {number} has notes of no {STRINGS} strings"
        try:
            for text in (one.situation, one.why):
                text.format(*one.lengths_mm)
        except (IndexError, KeyError, ValueError):
            return f"rounds: number {number} names a length that it does not have"
    return ""

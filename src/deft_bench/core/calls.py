"""A call: what the program would do next, with its number, its reasons and how sure it is."""

from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Literal

Sure = Literal["certain", "likely", "unsure"]

Length = Callable[[float], str]
"""Writes a length given in millimetres, with its unit, in the user's unit system."""


@dataclass(frozen=True, slots=True)
class Instead:
    """Another way to the same result, and what it costs."""

    say: str
    cost: str


@dataclass(frozen=True, slots=True)
class Call:
    """One judgement.

    `do` is a short code, `figures` are plain numbers (mm unless the name says otherwise),
    `because` names the readings, `settle` the reading that would settle it.
    """

    say: str
    do: str
    figures: dict[str, float] = field(default_factory=dict)
    because: tuple[str, ...] = ()
    instead: tuple[Instead, ...] = ()
    sure: Sure = "likely"
    settle: str | None = None


def in_mm(length_mm: float) -> str:
    """Write a length for a reader who works in millimetres: two places, the bench's own resolution."""
    return f"{length_mm:.2f} mm"


def long_in_mm(length_mm: float) -> str:
    """Write a scale, width or radius for a reader who works in millimetres: no more places than it has."""
    return f"{round(length_mm, 3):g} mm"


def listed(frets: list[int]) -> str:
    """Write fret numbers as a person would: `5`, `5 and 7`, `5, 7 and 9`, with runs of three or more as `5 to 9`."""
    runs: list[list[int]] = []
    for fret in sorted(frets):
        if runs and fret == runs[-1][-1] + 1:
            runs[-1].append(fret)
        else:
            runs.append([fret])
    words = [
        text for run in runs for text in ([f"{run[0]} to {run[-1]}"] if len(run) > 2 else [str(fret) for fret in run])
    ]
    return listed_words(words)


def listed_words(words: list[str]) -> str:
    """`bass`, `bass and middle`, `bass, middle and treble`."""
    return ", ".join(words[:-1]) + " and " + words[-1] if len(words) > 1 else "".join(words)


def frets_named(frets: list[int]) -> str:
    """`fret 5` or `frets 5 and 7`."""
    return f"{'fret' if len(frets) == 1 else 'frets'} {listed(frets)}"

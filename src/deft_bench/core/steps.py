"""The steps of a job on its tape: what is done, what is to do now, what comes later."""

from dataclasses import dataclass
from typing import Literal

State = Literal["done", "now", "later"]


@dataclass(frozen=True, slots=True)
class Step:
    """One step: its code, what it is called, how far it is, and a line for what is to be done or was read."""

    code: str
    title: str
    state: State
    say: str = ""

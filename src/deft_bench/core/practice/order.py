"""Order of the day: put the steps of a job in an order that spoils nothing.

The steps are drawn from a route's run sheet under the usual schools, so that rules of the run sheet hold among them:
each says which step comes before which, and what is spoiled where it does not.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from deft_bench.core.practice.numbered import chance_of
from deft_bench.core.work.catalogue import Catalogue
from deft_bench.core.work.run_sheet import run_sheet

ROUTES = ("level_and_dress", "refret", "setup", "spot_level")
FACTS = {"bound": "no", "nibs": "no", "fanned": "no", "pickups": "yes"}
LEVELS: Mapping[int, str] = {1: "five steps", 2: "seven steps", 3: "ten steps"}
STEPS = {1: 5, 2: 7, 3: 10}
BREACH_SHARE = 2.0
"""An order that breaks the half of its rules, as one at random does, is worth nothing."""


@dataclass(frozen=True, slots=True)
class Breach:
    """A step that comes too late for another, and what that spoils."""

    before: str
    after: str
    spoils: str


@dataclass(frozen=True, slots=True)
class DayOrder:
    """Steps as they were shuffled, by code with their titles, the rules among them, and an order that keeps all."""

    job: str
    titles: Mapping[str, str]
    shuffled: tuple[str, ...]
    rules: tuple[Breach, ...]
    right: tuple[str, ...]


def day_order(catalogue: Catalogue, seed: int, level: int) -> DayOrder:
    """The steps of a seed and a level, 1 to 3; raises ValueError for another. Every step has a rule among them."""
    chance = chance_of(seed, level, max(LEVELS), 15)
    sheets = [run_sheet(catalogue, route, FACTS) for route in ROUTES if route in catalogue.routes]
    while True:
        sheet = sheets[chance.integers(len(sheets))]
        ruled = [code for code in sheet.codes if any(code in (rule.before, rule.after) for rule in sheet.rules)]
        if len(ruled) < STEPS[level]:
            continue
        some = set(chance.choice(ruled, STEPS[level], replace=False).tolist())
        rules = tuple(
            Breach(rule.before, rule.after, rule.spoils)
            for rule in sheet.rules
            if rule.before in some and rule.after in some
        )
        right = tuple(code for code in sheet.codes if code in some)
        shuffled = tuple(chance.permutation(right).tolist())
        if {code for rule in rules for code in (rule.before, rule.after)} == some and points(rules, shuffled) < 100:
            titles = {code: catalogue.operations[code].title for code in right}
            return DayOrder(sheet.route.title, titles, shuffled, rules, right)


def day_from(kept: Any) -> DayOrder:
    """The steps as they were kept, a JSON value."""
    rules = tuple(Breach(**rule) for rule in kept["rules"])
    return DayOrder(kept["job"], kept["titles"], tuple(kept["shuffled"]), rules, tuple(kept["right"]))


def why_no_drill(truth: DayOrder, level: int) -> str:
    """Why steps cannot be practised on at a level; empty where they can."""
    steps = set(truth.titles)
    if len(truth.shuffled) != STEPS[level]:
        return f"shuffled: level {level} has {STEPS[level]} steps"
    for name, some in (("shuffled", truth.shuffled), ("right", truth.right)):
        if set(some) != steps or len(some) != len(steps):
            return f"{name}: must hold each step of titles once"
    if any(not {rule.before, rule.after} <= steps for rule in truth.rules):
        return "rules: one names a step that titles does not"
    if breaches(truth.rules, truth.right):
        return "right: this order breaks a rule"
    if not breaches(truth.rules, truth.shuffled):
        return "shuffled: this order breaks no rule"
    return ""


def breaches(rules: Sequence[Breach], order: Sequence[str]) -> list[Breach]:
    """The rules that an order breaks."""
    at = {code: i for i, code in enumerate(order)}
    return [rule for rule in rules if at[rule.before] > at[rule.after]]


def points(rules: Sequence[Breach], order: Sequence[str]) -> int:
    """Of 100, what an order is worth."""
    return round(100 * max(0.0, 1 - BREACH_SHARE * len(breaches(rules, order)) / len(rules)))


def moved(order: Sequence[str], code: str, by: int) -> list[str]:
    """The order with one step so many places later; raises ValueError for a step that is not in it."""
    if code not in order:
        raise ValueError("that step is not among them")
    left = [one for one in order if one != code]
    at = max(0, min(len(left), list(order).index(code) + by))
    return [*left[:at], code, *left[at:]]

"""A run sheet: the ordered steps of a job, from its route, the schools chosen and what is done already.

The order is whatever satisfies the rules that hold; of those it is the one nearest to the route's usual order (at each
place the step that stands first on the route among those that nothing left undone must precede).
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from deft_bench.core.instrument import Spec
from deft_bench.core.work.catalogue import Catalogue, Operation, Route, Rule, matches

NO_PICKUPS = ("acoustic", "classical", "twelve_string")
"""Kinds of instrument whose sound is their own; so is one with a one-piece saddle."""


class RunSheetError(ValueError):
    """No sheet can be made; `where` is the field that is wrong."""

    def __init__(self, where: str, why: str) -> None:
        self.where = where
        super().__init__(why)


@dataclass(frozen=True, slots=True)
class SheetStep:
    """One step with the rules that put it after others on this sheet."""

    operation: Operation
    done: bool
    fixed_by: tuple[Rule, ...]


@dataclass(frozen=True, slots=True)
class RunSheet:
    """The steps in order, the rules that hold among them, and those that this order breaks (only where an order was
    asked for).
    """

    route: Route
    facts: Mapping[str, str]
    steps: tuple[SheetStep, ...]
    rules: tuple[Rule, ...]
    broken: tuple[Rule, ...]

    @property
    def codes(self) -> list[str]:
        """The operations in order."""
        return [step.operation.code for step in self.steps]


def instrument_facts(spec: Spec) -> dict[str, str]:
    """What rules and routes ask about an instrument."""
    return {
        "bound": "yes" if spec.bound else "no",
        "nibs": "yes" if spec.nibs else "no",
        "fanned": "yes" if spec.fanned else "no",
        "rod": spec.rod,
        "radius_kind": spec.radius_kind,
        "bridge": spec.bridge,
        "joint": spec.joint,
        "pickups": "no" if spec.kind in NO_PICKUPS or spec.bridge == "one_piece" else "yes",
    }


def sheet_facts(
    catalogue: Catalogue, route: str, facts: Mapping[str, str], schools: Mapping[str, str] | None = None
) -> dict[str, str]:
    """Facts with every school chosen; raises RunSheetError for a route, school or choice that is none."""
    if route not in catalogue.routes:
        raise RunSheetError("route", f"“{route[:40]}” is no route; there are: {', '.join(catalogue.routes)}")
    chosen = catalogue.defaults()
    for code, choice in (schools or {}).items():
        school = catalogue.schools.get(code)
        if school is None:
            raise RunSheetError(f"schools.{code}", f"is no school; there are: {', '.join(catalogue.schools)}")
        if choice not in school.choices:
            raise RunSheetError(
                f"schools.{code}", f"“{choice[:40]}” is no choice; there are: {', '.join(school.choices)}"
            )
        chosen[code] = choice
    return {**facts, **chosen, "work": catalogue.routes[route].work}


def rules_among(catalogue: Catalogue, codes: Sequence[str], facts: Mapping[str, str]) -> list[Rule]:
    """The rules that hold under these facts between operations that are all there."""
    there = set(codes)
    return [rule for rule in catalogue.rules if rule.before in there and rule.after in there and rule.holds(facts)]


def _must_be_operations(catalogue: Catalogue, **codes: Sequence[str]) -> None:
    for field, named in codes.items():
        for code in named:
            if code not in catalogue.operations:
                raise RunSheetError(field, f"“{code[:40]}” is no operation")


def _as_ordered(order: Sequence[str], codes: Sequence[str]) -> list[str]:
    """The order asked for, when it holds every step once."""
    if sorted(order) != sorted(codes):
        missing = sorted(set(codes) ^ set(order))
        raise RunSheetError("order", f"must hold every step once; {', '.join(missing) or 'one stands twice'}")
    return list(order)


def run_sheet(
    catalogue: Catalogue,
    route: str,
    facts: Mapping[str, str],
    schools: Mapping[str, str] | None = None,
    *,
    done: Sequence[str] = (),
    added: Sequence[str] = (),
    left_out: Sequence[str] = (),
    order: Sequence[str] | None = None,
) -> RunSheet:
    """Make a sheet. `done` steps stay where they were done; `added` repairs go as early as their rules let them;
    `order` is one that is tried.

    Raises RunSheetError for an operation that is none, an order that is not of these steps, or rules that go in a
    circle.
    """
    known = sheet_facts(catalogue, route, facts, schools)
    _must_be_operations(catalogue, done=done, added=added, left_out=left_out, order=order or ())
    listed = [
        step.code for step in catalogue.routes[route].steps if matches(step.when, known) and step.code not in left_out
    ]
    listed = list(dict.fromkeys([*added, *listed]))
    early = list(dict.fromkeys(done))
    rest = [code for code in listed if code not in early]
    rules = rules_among(catalogue, [*early, *rest], known)
    codes = early + _nearest(rest, rules) if order is None else _as_ordered(order, [*early, *rest])
    place = {code: i for i, code in enumerate(codes)}
    broken = [rule for rule in rules if place[rule.before] > place[rule.after]]
    if order is None:
        # what was done out of order is history, not a fault of this sheet
        broken = [rule for rule in broken if rule.after not in early]
    steps = tuple(
        SheetStep(
            catalogue.operations[code],
            code in early,
            tuple(rule for rule in rules if rule.after == code and place[rule.before] < place[code]),
        )
        for code in codes
    )
    return RunSheet(catalogue.routes[route], known, steps, tuple(rules), tuple(broken))


def _nearest(codes: Sequence[str], rules: Sequence[Rule]) -> list[str]:
    """The order nearest to the listed one that keeps every rule."""
    left = list(codes)
    found: list[str] = []
    while left:
        waiting = {rule.after for rule in rules if rule.before in left}
        free = next((code for code in left if code not in waiting), None)
        if free is None:
            raise RunSheetError("route", f"the rules go in a circle among {', '.join(left)}")
        found.append(free)
        left.remove(free)
    return found


CURE_RULE = 23
"""The number of the rule that nothing is done on a part while it cures or stands in clamps
(docs/methods/run-sheet.md).
"""


def held_by(sheet: RunSheet, code: str, resting: Sequence[str]) -> list[Rule]:
    """The cures and clamps that hold the part a step is done on, as rules that doing it now would break.

    `resting` are the steps whose rest is not over; those that a rule of the sheet puts before this step anyhow are left
    out.
    """
    operations = {step.operation.code: step.operation for step in sheet.steps}
    ruled = {rule.before for rule in sheet.rules if rule.after == code}
    parts = set(operations[code].parts)
    return [
        Rule(CURE_RULE, other, code, "the joint moves while it cures")
        for other in resting
        if other in operations and other != code and other not in ruled
        if operations[other].cures and parts & set(operations[other].parts)
    ]


def too_early(sheet: RunSheet, code: str, done: Sequence[str]) -> list[Rule]:
    """The rules that doing a step now would break: what comes before it on this sheet and is not done."""
    return [rule for rule in sheet.rules if rule.after == code and rule.before not in done]

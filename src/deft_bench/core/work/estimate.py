"""What a job will cost: minutes at the shop's rate, materials and parts, with a range from how far the shop's own times
spread.

The steps' spreads are taken as independent: the range of their sum is the root of the sum of squares of the steps' own
half-ranges (the usual rule for sums), above and below apart. A step without times of its own spreads by half of its
guess.

Derived in docs/methods/estimate.md.
"""

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from deft_bench.core.work.catalogue import Operation
from deft_bench.core.work.extent import Extent

GUESS_SPREAD = 0.5


@dataclass(frozen=True, slots=True)
class Labour:
    """One step's minutes, with the range in which half of them fell; `learned` where it is the shop's own record."""

    code: str
    title: str
    phase: str
    minutes: float
    low: float | None = None
    high: float | None = None

    @property
    def learned(self) -> bool:
        """Whether the range is the shop's own."""
        return self.low is not None and self.high is not None

    @property
    def below(self) -> float:
        """How far under its minutes it may fall."""
        return self.minutes - self.low if self.low is not None else GUESS_SPREAD * self.minutes

    @property
    def above(self) -> float:
        """How far over its minutes it may come."""
        return self.high - self.minutes if self.high is not None else GUESS_SPREAD * self.minutes


@dataclass(frozen=True, slots=True)
class Item:
    """A material or part: how much, and what one of it costs."""

    name: str
    quantity: float
    unit: str
    price: float

    @property
    def cost(self) -> float:
        """What it comes to, to the cent."""
        return round(self.quantity * self.price, 2)


@dataclass(frozen=True, slots=True)
class Estimate:
    """Sums in the shop's currency; low and high are of the whole, tax included."""

    hours: float
    hours_low: float
    hours_high: float
    labour: float
    items: float
    net: float
    tax: float
    total: float
    total_low: float
    total_high: float
    by_phase: tuple[tuple[str, float, float], ...]
    learned_share: float


def materials(operations: Sequence[Operation], extent: Extent, prices: Mapping[str, float]) -> tuple[Item, ...]:
    """What the operations use together, each material once; 0 for one that the shop has not priced."""
    used: dict[str, Item] = {}
    for operation in operations:
        for material, quantity in operation.uses(extent):
            before = used[material.name].quantity if material.name in used else 0.0
            price = prices.get(material.name, 0.0)
            used[material.name] = Item(material.name, before + quantity, material.unit, price)
    return tuple(used.values())


def labour_cost(minutes: float, rate_per_hour: float) -> float:
    """Minutes at the shop's rate, to the cent."""
    return round(minutes / 60 * rate_per_hour, 2)


def estimate(
    labour: Sequence[Labour], items: Sequence[Item], rate_per_hour: float, tax_percent: float = 0.0
) -> Estimate:
    """Add it up. Raises ValueError for a rate or tax under zero."""
    if rate_per_hour < 0 or tax_percent < 0:
        raise ValueError("rate and tax are zero or more")
    minutes = sum(one.minutes for one in labour)
    below = math.sqrt(sum(one.below**2 for one in labour))
    above = math.sqrt(sum(one.above**2 for one in labour))
    low, high = max(0.0, minutes - below), minutes + above
    things = sum(item.cost for item in items)
    with_tax = 1 + tax_percent / 100

    def whole(spent: float) -> float:
        return round((labour_cost(spent, rate_per_hour) + things) * with_tax, 2)

    phases: dict[str, float] = {}
    for line in labour:
        phases[line.phase] = phases.get(line.phase, 0.0) + line.minutes
    work = labour_cost(minutes, rate_per_hour)
    net = round(work + things, 2)
    total = whole(minutes)
    return Estimate(
        minutes / 60,
        low / 60,
        high / 60,
        work,
        round(things, 2),
        net,
        round(total - net, 2),
        total,
        whole(low),
        whole(high),
        tuple((stage, spent, labour_cost(spent, rate_per_hour)) for stage, spent in phases.items()),
        sum(one.minutes for one in labour if one.learned) / minutes if minutes else 0.0,
    )


def used_cost(used: Mapping[str, float], prices: Mapping[str, float]) -> float:
    """What was taken of the stock comes to, at the shop's prices by name, to the cent; what has no price counts
    nothing.
    """
    known = {name.lower(): price for name, price in prices.items()}
    return round(sum(quantity * known.get(name.lower(), 0.0) for name, quantity in used.items()), 2)


def price_list(text: str) -> dict[str, float]:
    """Prices from lines such as `fret wire 0.45`, the last word being the price; raises ValueError naming the line
    that is none.
    """
    found = {}
    for line in text.replace(";", "\n").splitlines():
        if not line.strip():
            continue
        name, _, price = line.strip().rpartition(" ")
        try:
            value = float(price.replace(",", "."))
        except ValueError:
            value = math.nan
        if not name.strip() or not 0 <= value <= 100_000:
            raise ValueError(
                f"“{line.strip()[:40]}” is not understood: give a name and its price, such as “strings 9.50”"
            )
        found[name.strip().rstrip(":")] = value
    return found

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
from decimal import ROUND_DOWN, ROUND_HALF_UP, Decimal

from deft_bench.core.work.catalogue import Operation
from deft_bench.core.work.extent import Extent

GUESS_SPREAD = 0.5
CENT = Decimal("0.01")


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
    def cost(self) -> Decimal:
        """What it comes to, exactly."""
        return _exact(self.quantity) * _exact(self.price)


@dataclass(frozen=True, slots=True)
class Estimate:
    """Sums in the shop's currency; low and high are of the whole, tax included. `item_costs` are the items' own, in
    order. Parts add up to their sums to the cent.
    """

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
    item_costs: tuple[float, ...] = ()


NOT_KEPT = ("by_phase", "item_costs")
"""What an accepted estimate does not keep of its sums: both follow from what it was made of."""


def materials(operations: Sequence[Operation], extent: Extent, prices: Mapping[str, float]) -> tuple[Item, ...]:
    """What the operations use together, each material once; 0 for one that the shop has not priced."""
    used: dict[str, Item] = {}
    for operation in operations:
        for material, quantity in operation.uses(extent):
            before = used[material.name].quantity if material.name in used else 0.0
            price = price_of(material.name, prices)
            used[material.name] = Item(material.name, before + quantity, material.unit, price)
    return tuple(used.values())


def labour_cost(minutes: float, rate_per_hour: float) -> float:
    """Minutes at the shop's rate, to the cent."""
    return float(to_cents(_labour(minutes, rate_per_hour)))


def to_cents(amount: Decimal) -> Decimal:
    """An amount to the cent, half a cent up."""
    return amount.quantize(CENT, ROUND_HALF_UP)


def shares(total: Decimal, parts: Sequence[Decimal]) -> list[Decimal]:
    """Parts to the cent that sum to a total in cents: each rounded down, and the cents that are missing go to those
    that lost most (the method of largest remainders). `total` is the parts' sum to the cent.
    """
    down = [part.quantize(CENT, ROUND_DOWN) for part in parts]
    missing = int((total - sum(down, Decimal(0))) / CENT)
    most = sorted(range(len(parts)), key=lambda i: down[i] - parts[i])
    for i in most[:missing]:
        down[i] += CENT
    return down


def _exact(number: float) -> Decimal:
    """A number as it was typed."""
    return Decimal(repr(number))


def _labour(minutes: float, rate_per_hour: float) -> Decimal:
    return _exact(minutes) / 60 * _exact(rate_per_hour)


def estimate(
    labour: Sequence[Labour], items: Sequence[Item], rate_per_hour: float, tax_percent: float = 0.0
) -> Estimate:
    """Add it up, in decimal money that is rounded once. Raises ValueError for a rate or tax under zero."""
    if rate_per_hour < 0 or tax_percent < 0:
        raise ValueError("rate and tax are zero or more")
    minutes = sum(one.minutes for one in labour)
    below = math.sqrt(sum(one.below**2 for one in labour))
    above = math.sqrt(sum(one.above**2 for one in labour))
    low, high = max(0.0, minutes - below), minutes + above
    things = [item.cost for item in items]

    def spent_in_all(spent: float) -> Decimal:
        return _labour(spent, rate_per_hour) + sum(things, Decimal(0))

    def whole(spent: float) -> Decimal:
        return to_cents(spent_in_all(spent) * (1 + _exact(tax_percent) / 100))

    phases: dict[str, float] = {}
    for line in labour:
        phases[line.phase] = phases.get(line.phase, 0.0) + line.minutes
    net, total = to_cents(spent_in_all(minutes)), whole(minutes)
    work, *costs = shares(net, [_labour(minutes, rate_per_hour), *things])
    by_phase = shares(work, [_labour(spent, rate_per_hour) for spent in phases.values()])
    return Estimate(
        minutes / 60,
        low / 60,
        high / 60,
        float(work),
        float(net - work),
        float(net),
        float(total - net),
        float(total),
        float(whole(low)),
        float(whole(high)),
        tuple((phase, spent, float(cost)) for (phase, spent), cost in zip(phases.items(), by_phase, strict=True)),
        sum(one.minutes for one in labour if one.learned) / minutes if minutes else 0.0,
        tuple(map(float, costs)),
    )


def used_cost(used: Mapping[str, float], prices: Mapping[str, float]) -> float:
    """What was taken of the stock comes to, at the shop's prices by name, to the cent; what has no price counts
    nothing.
    """
    costs = (_exact(quantity) * _exact(price_of(name, prices)) for name, quantity in used.items())
    return float(to_cents(sum(costs, Decimal(0))))


def price_of(name: str, prices: Mapping[str, float]) -> float:
    """A material's price by its name, whatever its case; else by the longest general name that it begins with, 0
    without one.
    """
    wanted = name.lower()
    fitting = {
        len(known): price for known, price in prices.items() if f"{wanted} ".startswith(f"{known.strip().lower()} ")
    }
    return fitting[max(fitting)] if fitting else 0.0


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

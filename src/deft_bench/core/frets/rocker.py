"""The fret rocker: which edge reaches which triple, and which frets explain what rocked.

A rocker stands on three neighbouring frets. It rocks when the middle one stands above the line through its neighbours,
so one *low* fret makes both of its neighbours rock: grinding those is the classic waste. Explanations are searched for
as sets of displaced frets, fewest first; the derivation is in docs/methods/rocker.md.
"""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from heapq import nsmallest
from itertools import product
from typing import Literal

from deft_bench.core.frets.small_lp import least_sum, least_worst

MOST_MM = 0.5
"""No fret stands further off than this and is still judged with a rocker."""
MOST_IN_CLUSTER = 5
ROCKING_SHARE = 1 / 3
APART = 6
"""Rocking triples whose middles lie this many frets apart cannot share a displaced fret, so they are explained
apart.
"""
MOST_EXPLANATIONS = 20
NEIGHBOURS_SPAN = 2

Triple = tuple[int, int, int]
Signed = tuple[int, int]
"""(fret, +1 proud or −1 low)"""


@dataclass(frozen=True, slots=True)
class Edge:
    """Rocker edges that test one middle fret, mm: it must reach both neighbours (`least_mm`) and no fourth fret
    (`most_mm`).
    """

    fret: int
    least_mm: float
    most_mm: float
    pick_mm: float | None


def rocker_edges(positions_mm: Sequence[float], on_hand_mm: Sequence[float] = (), reach: int = 1) -> list[Edge]:
    """Edges for every middle fret from 2 to the last but one. `positions_mm` are frets 1..N; the nut counts as fret 0.
    With a `reach` over 1 an edge that is relieved between its ends stands on the frets so many to either side.

    The pick is the longest edge on hand that reaches three and touches no fourth; None when there is none.
    """
    x = [0.0, *positions_mm]
    last = len(positions_mm)
    edges = []
    for n in range(1 + reach, last + 1 - reach):
        least = x[n + reach] - x[n - reach]
        reaches = [x[n + reach] - x[n - reach - 1]]
        if n + reach + 1 <= last:
            reaches.append(x[n + reach + 1] - x[n - reach])
        most = min(reaches)
        fits = [edge for edge in on_hand_mm if least <= edge < most]
        edges.append(Edge(n, least, most, max(fits, default=None)))
    return edges


@dataclass(frozen=True, slots=True)
class Observation:
    """One test: the triple and whether it rocked."""

    frets: Triple
    rocks: bool


@dataclass(frozen=True, slots=True)
class Explanation:
    """Displaced frets and how far at the least, mm: proud above and low below the planned shape."""

    proud: Mapping[int, float]
    low: Mapping[int, float]

    @property
    def signed(self) -> frozenset[Signed]:
        """The displaced frets with their signs."""
        return frozenset([*((fret, 1) for fret in self.proud), *((fret, -1) for fret in self.low)])

    @property
    def total_mm(self) -> float:
        """All displacements together."""
        return sum(self.proud.values()) + sum(self.low.values())

    @property
    def order(self) -> tuple[int, float, float, list[int]]:
        """What explanations are sorted by: fewest frets, least total, least worst, fret list."""
        worst = max([*self.proud.values(), *self.low.values()], default=0.0)
        return (
            len(self.proud) + len(self.low),
            round(self.total_mm, 9),
            round(worst, 9),
            sorted([*self.proud, *self.low]),
        )


@dataclass(frozen=True, slots=True)
class RockerLane:
    """What one lane's tests come down to. `sure` are the signed frets of every smallest explanation, `against_plan` the
    triples that sit flat where the planned shape should rock.
    """

    kind: Literal["flat", "local", "not_local"]
    explanations: tuple[Explanation, ...]
    more: bool
    sure: frozenset[Signed]
    next_test: Triple | None
    contradictions: tuple[Triple, ...]
    rocking: tuple[int, ...]
    against_plan: tuple[Triple, ...] = ()


@dataclass(frozen=True, slots=True)
class _Rule:
    """One observation as a linear rule: base + Σ coefficient·displacement, at least or at most a bound."""

    frets: Triple
    weights: tuple[float, float, float]
    base: float
    rocks: bool
    bound: float

    @property
    def met_by_shape(self) -> bool:
        """Whether the planned shape by itself answers so."""
        return self.base >= self.bound - 1e-12 if self.rocks else self.base <= self.bound + 1e-12

    def helped_by(self) -> list[Signed]:
        """Displacements that move the rule toward being met."""
        a, b, c = self.frets
        sign = 1 if self.rocks else -1
        return [(b, sign), (a, -sign), (c, -sign)]

    def row(self, signed: Sequence[Signed]) -> tuple[list[float], float]:
        """(coefficients, bound) over magnitudes of the signed frets, as Σ coefficient·x ≥ bound."""
        weight = dict(zip(self.frets, self.weights, strict=True))
        sense = 1.0 if self.rocks else -1.0
        return [sense * sign * weight.get(fret, 0.0) for fret, sign in signed], sense * (self.bound - self.base)


def around(fret: int, reach: int = 1) -> Triple:
    """The three frets that an edge stands on which tests one: it, and those so many to either side."""
    return fret - reach, fret, fret + reach


def triples(frets: int) -> list[Triple]:
    """Every triple of neighbours on a neck of this many frets."""
    return [around(n) for n in range(2, frets)]


def weights_of(positions_mm: Sequence[float], triple: Triple) -> tuple[float, float, float]:
    """Coefficients of a triple's rock r = h_b − (h_a + (h_c − h_a)·(x_b − x_a)/(x_c − x_a)) in (h_a, h_b, h_c)."""
    xa, xb, xc = (positions_mm[fret - 1] for fret in triple)
    share = (xb - xa) / (xc - xa)
    return -(1 - share), 1.0, -share


def rock_of(positions_mm: Sequence[float], heights_mm: Sequence[float], triple: Triple) -> float:
    """A triple's rock for given heights (fret 1 first), mm; at or below zero it sits flat."""
    return sum(w * heights_mm[fret - 1] for w, fret in zip(weights_of(positions_mm, triple), triple, strict=True))


def _rules(
    answers: Mapping[Triple, set[bool]], positions_mm: Sequence[float], shape: Sequence[float], tolerance_mm: float
) -> list[_Rule]:
    """One rule a test that was answered one way only."""
    return [
        _Rule(
            triple,
            weights_of(positions_mm, triple),
            rock_of(positions_mm, shape, triple),
            rocks,
            tolerance_mm if rocks else tolerance_mm / 2,
        )
        for triple, given in sorted(answers.items())
        if len(given) == 1
        for rocks in given
    ]


def _explained(rules: list[_Rule], frets: int) -> list[list[Explanation]] | None:
    """The smallest explanations of each cluster of rocks; None where it is no matter of single frets."""
    open_rules = [rule for rule in rules if not rule.met_by_shape]
    if sum(rule.rocks for rule in open_rules) > ROCKING_SHARE * (frets - 2):
        return None
    per_cluster = [_smallest(group, rules, frets) for group in _clusters(open_rules)]
    return per_cluster if all(per_cluster) else None


def rocker_lane(
    positions_mm: Sequence[float],
    observations: Iterable[Observation],
    tolerance_mm: float,
    planned_drop_mm: Sequence[float] | None = None,
) -> RockerLane:
    """Explain one lane's tests. Rocks: r ≥ tolerance; flat: r ≤ tolerance/2, so that hair-line explanations stay out.

    With a planned drop (fret 1 first, down positive) the tests are of the shape as it is, and displacements count from
    the planned one. Opposite answers to one test are a contradiction and are left out of the explanation.
    """
    frets = len(positions_mm)
    answers: dict[Triple, set[bool]] = {}
    for seen in observations:
        answers.setdefault(seen.frets, set()).add(seen.rocks)
    contradictions = tuple(sorted(triple for triple, given in answers.items() if len(given) > 1))
    shape = [-drop for drop in planned_drop_mm] if planned_drop_mm else [0.0] * frets
    rules = _rules(answers, positions_mm, shape, tolerance_mm)
    rocking = tuple(rule.frets[1] for rule in rules if rule.rocks)
    against = tuple(rule.frets for rule in rules if not rule.rocks and rule.base >= tolerance_mm)
    per_cluster = _explained(rules, frets)
    if per_cluster is None:
        return RockerLane("not_local", (), False, frozenset(), None, contradictions, rocking, against)
    joined = _joined(per_cluster)
    everything = sum(1 for _ in product(*per_cluster)) if len(per_cluster) < 4 else len(joined) + 1
    sure = frozenset.intersection(*(way.signed for way in joined)) if joined else frozenset()
    taken = set(answers)
    return RockerLane(
        "flat" if not rocking and not against else "local",
        tuple(joined[:MOST_EXPLANATIONS]),
        everything > MOST_EXPLANATIONS,
        sure,
        _next_test(positions_mm, joined[:MOST_EXPLANATIONS], rules, shape, taken, tolerance_mm),
        contradictions,
        rocking,
        against,
    )


def _apart(one: _Rule, other: _Rule) -> int:
    """How far apart the middles of two tests lie that can share no displaced fret; longer edges reach further."""
    return APART + max(rule.frets[2] - rule.frets[0] for rule in (one, other)) - NEIGHBOURS_SPAN


def _clusters(rules: Sequence[_Rule]) -> list[list[_Rule]]:
    groups: list[list[_Rule]] = []
    for rule in rules:
        if groups and rule.frets[1] - groups[-1][-1].frets[1] < _apart(rule, groups[-1][-1]):
            groups[-1].append(rule)
        else:
            groups.append([rule])
    return groups


def _smallest(group: Sequence[_Rule], rules: Sequence[_Rule], frets: int) -> list[Explanation]:
    """Every smallest explanation of one cluster, best first; none within five frets gives an empty list."""
    for size in range(1, MOST_IN_CLUSTER + 1):
        explanations = _of_size(size, group, rules, frets)
        if explanations:
            return sorted(explanations, key=lambda explanation: explanation.order)
    return []


def _of_size(size: int, group: Sequence[_Rule], rules: Sequence[_Rule], frets: int) -> list[Explanation]:
    explanations: dict[frozenset[Signed], Explanation] = {}
    seen: set[frozenset[Signed]] = set()

    def extend(signed: frozenset[Signed]) -> None:
        if signed in seen:
            return
        seen.add(signed)
        taken = {fret for fret, _ in signed}
        bare = next((rule for rule in group if not signed.intersection(rule.helped_by())), None)
        if bare is None:
            touched = [rule for rule in rules if taken.intersection(rule.frets)]
            if len(signed) == size:
                explained = _feasible(tuple(sorted(signed)), touched)
                if explained is not None:
                    explanations[signed] = explained
                return
            # a smaller set was tried and does not do: one of the rules it touches needs another fret
            options = {option for rule in touched for option in rule.helped_by()}
        else:
            options = set(bare.helped_by())
        if len(signed) < size:
            for fret, sign in sorted(options):
                if fret not in taken and 1 <= fret <= frets:
                    extend(signed | {(fret, sign)})

    extend(frozenset())
    return list(explanations.values())


def _feasible(signed: tuple[Signed, ...], rules: Sequence[_Rule]) -> Explanation | None:
    """The least displacements of these frets that meet the rules, or None when no displacement up to the most does."""
    rows = [rule.row(signed) for rule in rules]
    rows += [([-1.0 if i == k else 0.0 for k in range(len(signed))], -MOST_MM) for i in range(len(signed))]
    least = least_sum(len(signed), rows)
    if least is None:
        return None
    least = least_worst(len(signed), rows, sum(least)) or least
    sizes = {fret: mm for (fret, _), mm in zip(signed, least, strict=True)}
    return Explanation(
        {fret: sizes[fret] for fret, sign in signed if sign > 0},
        {fret: sizes[fret] for fret, sign in signed if sign < 0},
    )


def _joined(per_cluster: Sequence[Sequence[Explanation]]) -> list[Explanation]:
    """Explanations of the whole lane: one of each cluster, best first. Clusters share no test, so they add up."""
    joined = [Explanation({}, {})]
    for cluster in per_cluster:
        every = (
            Explanation({**one.proud, **other.proud}, {**one.low, **other.low})
            for one, other in product(joined, cluster)
        )
        # one more than is listed, so that it is known whether there are others
        joined = nsmallest(4 * MOST_EXPLANATIONS, every, key=lambda explanation: explanation.order)
    return joined


def _next_test(
    positions_mm: Sequence[float],
    explanations: Sequence[Explanation],
    rules: Sequence[_Rule],
    shape: Sequence[float],
    taken: set[Triple],
    tolerance_mm: float,
) -> Triple | None:
    """The untaken test whose answers rule most out: the most by the answer that rules out less, then by both together.
    An answer rules an explanation out when no sizes of its frets give it beside everything seen. None when no answer
    tells the explanations apart.
    """
    best: tuple[tuple[int, int], Triple] | None = None
    everything = [_Stand(one, rules) for one in explanations]
    for triple in triples(len(positions_mm)):
        if triple in taken or not any(stand.touches(triple) for stand in everything):
            continue
        weights, base = weights_of(positions_mm, triple), rock_of(positions_mm, shape, triple)
        ruled_out = [
            sum(not stand.holds(_Rule(triple, weights, base, rocks, bound)) for stand in everything)
            for rocks, bound in ((True, tolerance_mm), (False, tolerance_mm / 2))
        ]
        if not any(0 < count < len(everything) for count in ruled_out):
            continue
        score = min(ruled_out), sum(ruled_out)
        if best is None or score > best[0]:
            best = score, triple
    return best[1] if best else None


class _Stand:
    """One explanation with every rule that its frets are part of: whether it still holds under one more."""

    def __init__(self, explanation: Explanation, rules: Sequence[_Rule]) -> None:
        self.signed = tuple(sorted(explanation.signed))
        self.frets = {fret for fret, _ in self.signed}
        self.rows = [rule.row(self.signed) for rule in rules if self.touches(rule.frets)]
        self.rows += [
            ([-1.0 if i == k else 0.0 for k in range(len(self.signed))], -MOST_MM) for i in range(len(self.signed))
        ]

    def touches(self, triple: Triple) -> bool:
        return bool(self.frets.intersection(triple))

    def holds(self, rule: _Rule) -> bool:
        return least_sum(len(self.signed), [*self.rows, rule.row(self.signed)]) is not None

"""Small linear programs with costs that are never negative: the least sum, and the least worst, that meets some rules.

The dual simplex method of the operations-research textbooks, on a dense tableau. The problems here have a handful of
unknowns, for which loading a general solver would take longer than the answer.
"""

from collections.abc import Sequence

Row = tuple[Sequence[float], float]
"""(coefficients, bound): Σ coefficient·x ≥ bound."""

_EPS = 1e-10
_MOST_STEPS = 500


def least_sum(count: int, rows: Sequence[Row]) -> list[float] | None:
    """The x ≥ 0 of least sum that meets every row; None when there is none."""
    return _dual_simplex([1.0] * count, rows)


def least_worst(count: int, rows: Sequence[Row], total: float) -> list[float] | None:
    """Of the x ≥ 0 that meet every row with a sum of at most `total`, one whose largest entry is least."""
    if count == 0:
        return []
    wide: list[Row] = [([*coefficients, 0.0], bound) for coefficients, bound in rows]
    wide.append(([-1.0] * count + [0.0], -total - 1e-9))
    wide += [([-1.0 if i == k else 0.0 for k in range(count)] + [1.0], 0.0) for i in range(count)]
    found = _dual_simplex([0.0] * count + [1.0], wide)
    return None if found is None else found[:count]


def _dual_simplex(costs: Sequence[float], rows: Sequence[Row]) -> list[float] | None:
    """Minimise costs·x (costs ≥ 0) over x ≥ 0 with every row met."""
    size = len(costs)
    # basic variables are the rows' slacks: slack = −bound + Σ coefficient·x
    table = [[-bound, *map(float, coefficients)] for coefficients, bound in rows]
    prices = [0.0, *map(float, costs)]
    basic = [size + i for i in range(len(rows))]
    free = list(range(size))
    for _ in range(_MOST_STEPS):
        short = [i for i in range(len(table)) if table[i][0] < -_EPS]
        if not short:
            values = dict(zip(basic, (line[0] for line in table), strict=True))
            return [max(0.0, values.get(k, 0.0)) for k in range(size)]
        i = min(short, key=lambda i: (round(table[i][0], 12), basic[i]))
        line = table[i]
        entering = [j for j in range(size) if line[j + 1] > _EPS]
        if not entering:
            return None
        j = min(entering, key=lambda j: (prices[j + 1] / line[j + 1], free[j]))
        _pivot(table, prices, i, j + 1)
        basic[i], free[j] = free[j], basic[i]
    return None


def _pivot(table: list[list[float]], prices: list[float], i: int, j: int) -> None:
    """Exchange the basic variable of line i with the free one of column j."""
    pivot = table[i][j]
    # x_j = (s_i − constant − Σ others)/pivot
    line = [-value / pivot for value in table[i]]
    line[j] = 1 / pivot
    table[i] = line
    for k, other in enumerate(table):
        if k != i and other[j]:
            factor = other[j]
            table[k] = [value + factor * line[c] if c != j else factor * line[j] for c, value in enumerate(other)]
    if prices[j]:
        factor = prices[j]
        for c in range(len(prices)):
            prices[c] = prices[c] + factor * line[c] if c != j else factor * line[j]

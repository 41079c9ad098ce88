"""Whole fortnights, by counted work: about a minute of search each."""

import pytest

from deft_bench.core.work.schedule.grid import faults, make_grid
from deft_bench.core.work.schedule.solve import schedule
from weeks import fortnight, starts_of


@pytest.mark.parametrize("seed", [3, 8])
def test_a_full_fortnight_is_near_its_bound_and_feasible_at_once(seed: int) -> None:
    full = fortnight(seed)
    first = schedule(full, 0)
    grid = make_grid(full)
    assert faults(grid, starts_of(full, first)) == []
    # judged by the work that it does: the same answer on any machine
    found = schedule(full, 10, workers=1, by_work=True)
    assert faults(grid, starts_of(full, found)) == []
    assert found.aim("lateness").value > 0  # slightly impossible
    assert found.aim("lateness").gap <= 0.05
    assert found.aim("idle").gap <= 0.05
    assert [aim.value for aim in found.aims] <= [aim.value for aim in first.aims]

"""A slice of the fault campaign (`make campaign` is all of it): a few of each fault, a few hundred of each input."""

import random
from pathlib import Path

import pytest

from campaign.fuzz import PARSERS, feed, shares
from campaign.trials import FAULTS, KILLS, Seeds, make_seeds

TRIALS = {**KILLS, **FAULTS}
SLICE = 15
INPUTS = 400


@pytest.fixture(scope="module")
def seeds(demo_made: Path, tmp_path_factory: pytest.TempPathFactory) -> Seeds:
    return make_seeds(tmp_path_factory.mktemp("seeds"), demo_made)


@pytest.mark.parametrize("name", TRIALS)
def test_nothing_is_lost(name: str, seeds: Seeds, tmp_path: Path) -> None:
    trial, share = TRIALS[name]
    tmp_path.chmod(0o755)
    for number in range(max(1, share * SLICE // 60)):
        room = tmp_path / str(number)
        room.mkdir()
        assert not trial(room, seeds, random.Random(f"{name} {number}")), (name, number)


@pytest.mark.filterwarnings("ignore::FutureWarning")  # of a pattern that a later Python would read otherwise
@pytest.mark.parametrize("name", PARSERS)
def test_rubbish_is_refused_in_words(name: str, seeds: Seeds) -> None:
    assert feed(name, shares(INPUTS * len(PARSERS), seeds)[name], 7, seeds) == []

"""`make campaign`: so many kills, the other faults in proportion, so many inputs; prints what was tried and lost."""

import argparse
import random
import shutil
import sys
import time
import warnings
from collections.abc import Mapping
from contextlib import closing
from pathlib import Path
from tempfile import TemporaryDirectory

from campaign.fuzz import feed, shares
from campaign.trials import FAULTS, KILLS, NOW, Seeds, Trial, make_seeds
from deft_bench.bench.scheduling import plan_first
from deft_bench.demo import make_demo
from deft_bench.store import shop
from deft_bench.store.database import open_database


def main() -> int:
    """Run the campaign; 1 where anything was lost."""
    parser = argparse.ArgumentParser(prog="campaign", description=__doc__)
    parser.add_argument("--kills", type=int, default=1_000, help="how many kills (default: %(default)s)")
    parser.add_argument("--inputs", type=int, default=100_000, help="how many inputs (default: %(default)s)")
    parser.add_argument("--seed", type=int, default=random.randrange(10**6), help="the same seed, the same faults")
    args = parser.parse_args()
    began = time.monotonic()
    warnings.simplefilter("ignore", FutureWarning)  # of a pattern that a later Python would read otherwise
    print(f"seed {args.seed}")
    with TemporaryDirectory(prefix="campaign-") as name:
        folder = Path(name)
        made = folder / "made.sqlite3"
        make_demo(made, NOW.date())
        with closing(open_database(made)) as db:
            plan_first(db, shop.settings(db), NOW, 2.0)
            db.execute("PRAGMA wal_checkpoint(TRUNCATE)")
        seeds = make_seeds(folder, made)
        kills = sum(share for _, share in KILLS.values())
        lost = run(KILLS, args.kills / kills, seeds, folder, args.seed)
        lost += run(FAULTS, args.kills / kills, seeds, folder, args.seed)
        for kind, many in shares(args.inputs, seeds).items():
            found = feed(kind, many, args.seed, seeds)
            refused = many - len(found)
            print(f"{'input: ' + kind:44} tried {many:6}  survived {refused:6}  lost {len(found)}", flush=True)
            for line in found[:5]:
                print(f"    {line}")
            lost += len(found)
    print(f"{lost} lost, {time.monotonic() - began:.0f} s")
    return 1 if lost else 0


def run(trials: Mapping[str, tuple[Trial, int]], times: float, seeds: Seeds, folder: Path, seed: int) -> int:
    """Every trial as often as its share says; how many lost something."""
    lost = 0
    for name, (trial, share) in trials.items():
        many, gone = max(1, round(times * share)), []
        for number in range(many):
            room = folder / "trial"
            room.mkdir()
            try:
                said = trial(room, seeds, random.Random(f"{seed} {name} {number}"))
            except Exception as error:
                said = f"{type(error).__name__}: {error}"
            if said:
                gone.append(f"number {number}: {said}")
            shutil.rmtree(room)
        print(f"{name:44} tried {many:6}  survived {many - len(gone):6}  lost {len(gone)}", flush=True)
        for line in gone[:5]:
            print(f"    {line}")
        lost += len(gone)
    return lost


if __name__ == "__main__":
    sys.exit(main())

"""What was read before the neck was moved feeds no call: every screen says so, and offers the reading to take."""

from collections.abc import Callable
from contextlib import closing
from datetime import datetime, timedelta
from pathlib import Path

import pytest

from deft_bench.core.acts import MOVES_BOW, MOVES_HEIGHTS, Act, moved_since
from deft_bench.core.board.positions import fret_positions
from deft_bench.core.refret import starting_refret
from deft_bench.store import acts, instruments, jobs, refrets, surveys
from deft_bench.store.database import Connection, connect
from deft_bench.web import create_app
from harness import NOW, Bench

AVOCET, PLOVER = 3, 2
HEAD = {
    "when": "before",
    "method": "gap",
    "tool": "gauge",
    "resolution_um": "0.02",
    "string_state": "off",
    "order": "lane_by_lane",
}


class Clock(Bench):
    """A bench whose time goes on a minute with every request."""

    def __init__(self, path: Path) -> None:
        self.at = NOW
        super().__init__(create_app(path, now=self._tick, testing=True).test_client())

    def _tick(self) -> datetime:
        self.at += timedelta(seconds=7)
        return self.at

    def survey(self, job: int, kind: str, gap: Callable[[int], float], frets: int, **more: str) -> int:
        head = {**HEAD, "kind": kind, "surface": "board", **more}
        where = self.post(f"/jobs/{job}/surveys/new", head, follow=False).headers["Location"]
        lanes = 1 if kind == "straightness" else 3
        rows = [",".join([str(n), *[f"{gap(n):.3f}"] * lanes]) for n in range(1, frets + 1)]
        names = "middle" if lanes == 1 else "bass,middle,treble"
        said = self.post(f"{where}/sheet", {"text": f"fret,{names}\n" + "\n".join(rows), "store": "1"}).text
        assert "readings stored" in said
        return int(where.rsplit("/", 1)[1])


@pytest.fixture
def clock(demo_path: Path) -> Clock:
    return Clock(demo_path)


def bow_of(relief: float, frets: int) -> Callable[[int], float]:
    """Gaps under a straightedge over a neck bowed by so much, mm by fret."""
    x = fret_positions(648, frets)
    return lambda n: 0.2 + relief * 4 * (x[n - 1] - x[0]) * (x[-1] - x[n - 1]) / (x[-1] - x[0]) ** 2


def open_of(db: Connection, instrument: int) -> jobs.Job:
    return jobs.open_of(db, [instrument])[instrument]


def test_the_last_act_after_a_reading_counts() -> None:
    done = [Act("level", "2026-08-01T10:00:00.000Z"), Act("rod", "2026-08-03T10:00:00.000Z")]
    assert moved_since(done, "2026-08-02T10:00:00.000Z", MOVES_HEIGHTS) == done[1]
    assert moved_since(done, "2026-08-02T10:00:00.000Z", frozenset({"level"})) is None
    assert moved_since(done, "2026-08-04T10:00:00.000Z", MOVES_BOW) is None
    assert moved_since(done, "2026-07-04T10:00:00.000Z", MOVES_BOW) == done[1]


def test_a_turn_of_the_rod_voids_heights_and_bow_on_every_screen(clock: Clock, demo: Connection) -> None:
    job = open_of(demo, AVOCET)
    frets = instruments.get(demo, AVOCET).spec.frets
    level, neck = f"/jobs/{job.id}/level", f"/instruments/{AVOCET}/neck?aim=fretwork"
    clock.survey(job.id, "straightness", lambda n: 0.0, frets)
    clock.survey(job.id, "fret_heights", lambda n: 0.02 + 0.06 * (n == 9), frets)
    assert "The neck has moved" not in clock.get(level)
    assert "Leave the rod" in clock.get(neck)
    clock.post(f"/instruments/{AVOCET}/neck/turned", {"turns": "16", "aim": "fretwork"})
    text = clock.get(level)
    assert "The neck has moved since: the rod was turned. Read the straightness, then the fret heights again." in text
    assert 'class="accept"' not in text
    assert "kind=straightness" in text
    assert "the rod was turned" in clock.get(neck)
    assert "The neck has moved since: the rod was turned" in clock.get(f"/instruments/{AVOCET}")
    assert "read before the rod was turned" in clock.get(f"/jobs/{job.id}/sheet") or "The neck has moved" in clock.get(
        "/"
    )
    assert "surveys/new" in clock.client.get(f"/jobs/{job.id}/survey").headers["Location"]
    # nothing is accepted from an old page, and no fret stands as it was read before the turn
    assert jobs.plans(demo, job.id) == []
    clock.post(f"{level}/accept", {"shown": "x", "nut": "out"})
    assert jobs.plans(demo, job.id) == []
    assert 'name="only"' not in clock.get(f"/jobs/{job.id}/surveys/new")
    # the bow that is left goes first on both screens
    clock.survey(job.id, "straightness", bow_of(-0.12, frets), frets)
    for page in (level, neck):
        said = clock.get(page)
        assert "oosen a quarter turn" in said
        assert "Read the fret heights again" not in said
    clock.survey(job.id, "straightness", lambda n: 0.0, frets)
    assert "Read the fret heights again." in clock.get(level)
    assert "Leave the rod" in clock.get(neck)
    clock.survey(job.id, "fret_heights", lambda n: 0.02 + 0.06 * (n == 9), frets)
    assert "The neck has moved" not in clock.get(level)


def test_new_wire_is_not_judged_by_heights_from_before_it(clock: Clock, demo: Connection, demo_path: Path) -> None:
    job = open_of(demo, AVOCET)
    spec = instruments.get(demo, AVOCET).spec
    clock.survey(job.id, "fret_heights", lambda n: 0.02 + 0.5 * (n == 1), spec.frets)
    with closing(connect(demo_path)) as db:
        refrets.fit(
            db, job.id, AVOCET, starting_refret(spec, 600, 300, 500), clock.at.isoformat().replace("+00:00", "Z")
        )
    text = clock.get(f"/jobs/{job.id}/level")
    assert "frets were put in" in text
    assert "Replace" not in text
    assert "certain" not in text


def test_reseating_is_recorded_where_it_is_done_and_only_those_frets_are_read_again(
    clock: Clock, demo: Connection
) -> None:
    job = open_of(demo, PLOVER)
    frets = instruments.get(demo, PLOVER).spec.frets
    for earlier in surveys.of_job(demo, job.id):
        clock.post(f"/undo/survey/{earlier.id}")
    clock.survey(job.id, "straightness", lambda n: 0.0, frets)
    clock.survey(job.id, "fret_heights", lambda n: 0.2 - 0.12 * (n in (6, 7, 8)), frets)
    level = f"/jobs/{job.id}/level"
    assert "Check the seating" in clock.get(level)
    page = clock.post(f"{level}/reseated", {"frets": "6,7,8"}).text
    assert [act.kind for act in acts.of_instrument(demo, PLOVER)][-1] == "reseat"
    assert "frets were reseated" in clock.get(level)
    assert 'name="only"' in page
    where = clock.post(
        f"/jobs/{job.id}/surveys/new", {**HEAD, "kind": "fret_heights", "only": "6-8"}, follow=False
    ).headers["Location"]
    sheet = "fret,bass,middle,treble\n" + "\n".join(f"{n},0.2,0.2,0.2" for n in (6, 7, 8))
    assert "9 readings stored" in clock.post(f"{where}/sheet", {"text": sheet, "store": "1"}).text
    assert "Nothing to level" in clock.get(level)


def test_level_and_neck_never_give_opposite_orders(clock: Clock, demo: Connection) -> None:
    job = open_of(demo, PLOVER)
    frets = instruments.get(demo, PLOVER).spec.frets
    for bow in (0.0, 0.024, -0.029, 0.031, -0.06, 0.2):
        clock.survey(job.id, "straightness", bow_of(bow, frets), frets)
        level, neck = clock.get(f"/jobs/{job.id}/level"), clock.get(f"/instruments/{PLOVER}/neck?aim=fretwork")
        assert ("Straighten the neck first" in level) == ("straight enough for fretwork" not in neck), bow
    # passed over with a reason on one, it is left alone on the other
    clock.post(f"/jobs/{job.id}/level/override", {"note": "owner plays slide"})
    assert "the neck is levelled as it lies, “owner plays slide”" in clock.get(
        f"/instruments/{PLOVER}/neck?aim=fretwork"
    )
    assert surveys.of_job(demo, job.id)

"""A level-and-dress job by rocker, ink and a handful of numbers, on a neck whose truth nobody typed: from intake to the
record, by what the pages say.
"""

import random
from collections.abc import Iterable
from contextlib import closing
from dataclasses import dataclass, field

from playwright.sync_api import Page, expect

from browsing import open_a_job, ready_to_read
from deft_bench.core.frets.heights import LANES
from deft_bench.core.simulated_neck import SimulatedNeck, Tool
from deft_bench.store import acts, instruments, jobs, shop, surveys
from deft_bench.store.database import connect
from harness import Server

FRETS, LOW, PROUD = 22, 9, 14
NUMBERS = (22, 18, 15, 12, 9, 7, 4, 1)


def hidden_neck(chance: random.Random) -> SimulatedNeck:
    """Level but for one low fret, and one that stands up at its treble end."""
    tops = {lane: [chance.gauss(0, 0.004) for _ in range(FRETS)] for lane in LANES}
    for lane in LANES:
        tops[lane][LOW - 1] -= 0.12
    tops["treble"][PROUD - 1] += 0.07
    return SimulatedNeck(648.0, {lane: tuple(row) for lane, row in tops.items()}, {}, bow_mm=0.01)


@dataclass
class Reader:
    """Someone at the bench who reads a neck with what there is, and presses as few keys as the pages allow."""

    page: Page
    url: str
    neck: SimulatedNeck
    keys: int = field(default=0)

    def press(self, key: str) -> None:
        self.keys += 1
        self.page.keyboard.press(key)

    def begin(self, job: int, kind: str) -> None:
        self.page.goto(f"{self.url}/jobs/{job}/surveys/new?kind={kind}")
        self.page.locator(".form-end button").click()
        ready_to_read(self.page)

    def answers(self, rows: Iterable[list[str]]) -> None:
        """A lane at a time: the last answer that goes on to the end of the lane is given once, with Shift."""
        for row in rows:
            same = next(i for i in range(len(row)) if len(set(row[i:])) == 1)
            for key in row[:same]:
                self.press(key)
            self.press(f"Shift+{row[same].upper()}")
        expect(self.page.locator('[data-say="saved"]')).to_have_text("all saved", timeout=15_000)

    def rock(self) -> None:
        middle = range(FRETS - 1, 1, -1)
        rocks = {lane: [self.neck.rocks(lane, (n - 1, n, n + 1)) for n in middle] for lane in LANES}
        self.answers([["r" if is_so else "f" for is_so in row] for row in rocks.values()])

    def ink(self) -> None:
        """Seen at a glance: what most of a lane shows is given at once, the others are tapped."""
        for lane in LANES:
            shown = {fret: "opl"[kept] for fret, kept in self.neck.ink(lane, 1, FRETS, 3).items()}
            most = max("opl", key=list(shown.values()).count)
            self.press(f"Shift+{most.upper()}")
            expect(self.page.locator(f'.cell.read[data-lane="{lane}"]')).to_have_count(FRETS)
            for fret in (fret for fret, key in shown.items() if key != most):
                self.page.locator(f'.cell[data-lane="{lane}"][data-fret="{fret}"]').click()
                self.press(shown[fret])
            if lane != LANES[-1]:
                self.page.locator(f'.cell[data-lane="{LANES[LANES.index(lane) + 1]}"][data-fret="{FRETS}"]').click()
        expect(self.page.locator('[data-say="saved"]')).to_have_text("all saved")

    def number(self, lane: str, fret: int, mm: float) -> None:
        self.page.locator(f'.cell[data-lane="{lane}"][data-fret="{fret}"]').click()
        for key in f"{round(100 * mm)}":
            self.press(key)
        self.press("Enter")

    def call(self, job: int) -> tuple[str, str]:
        self.page.goto(f"{self.url}/jobs/{job}/level")
        panel = self.page.locator(".call-panel")
        return panel.locator("h2").first.inner_text(), panel.locator(".why .sure").inner_text()


def test_a_level_by_rocker_ink_and_eight_numbers(page: Page, server: Server) -> None:
    chance = random.Random(7)
    with closing(connect(server.database)) as db:
        shop.change(db, {"hundredths": "yes"})
    job = open_a_job(page, server.url, "Dotterel No. 1", FRETS)
    bench = Reader(page, server.url, hidden_neck(chance))

    bench.begin(job, "rocker")
    bench.rock()
    bench.begin(job, "ink")
    bench.ink()
    bench.begin(job, "fret_heights")
    top = max(bench.neck.heights()["middle"])
    for fret in NUMBERS:
        bench.number("middle", fret, Tool(0.01).read(top - bench.neck.height("middle", fret), chance))
    expect(page.locator('[data-say="read"]')).to_have_text(str(len(NUMBERS)))
    assert bench.keys <= 120, bench.keys
    expect(page.locator('[data-say="call"]')).to_have_text(f"Lift fret {LOW} before you level.", timeout=15_000)
    said, sure = bench.call(job)
    assert (said, sure) == (f"Lift fret {LOW} before you level.", "certain")
    assert page.locator("ellipse.soft").count()

    # lifted: it is what the lift left it, until it is read again
    page.locator(".accept button").click()
    page.locator("text=Mark it done").click()
    bench.neck = bench.neck.lift(LOW, 0.12)
    bench.begin(job, "rocker")
    bench.rock()
    said, _ = bench.call(job)
    assert f"Take down only fret {PROUD}" in said, said
    page.locator('input[name="nut"][value="out"]').check()
    page.locator(".accept button").click()
    page.locator("text=Mark it done").click()
    bench.neck, _ = bench.neck.level({"treble": [0.0 if n == PROUD else 9.0 for n in range(1, FRETS + 1)]})
    bench.begin(job, "rocker")
    bench.rock()
    page.goto(f"{server.url}/jobs/{job}/level")
    expect(page.locator(".call-panel h2").first).to_contain_text("The gate passes")
    page.locator("text=Close the job").first.click()
    expect(page.locator(".report").first).to_contain_text(f"Lifted fret {LOW}")

    with closing(connect(server.database)) as db:
        closed = jobs.get(db, job)
        assert closed.closed_at
        assert {one.head.kind for one in surveys.of_job(db, job)} == {"rocker", "ink", "fret_heights"}
        assert [act.kind for act in acts.of_instrument(db, closed.instrument_id)] == ["lift", "level"]
        assert acts.of_instrument(db, closed.instrument_id)[1].frets == (PROUD,)
        assert instruments.get(db, closed.instrument_id).spec.frets == FRETS

"""Whole setups in a real browser, by what the pages say, on instruments whose truth is hidden: each ends with its gates
met, in few clicks and keys.
"""

import random
import re
from contextlib import closing
from dataclasses import dataclass, field, replace

import pytest
from playwright.sync_api import Page, expect

from browsing import ready_to_read
from deft_bench.core.board.positions import fret_position
from deft_bench.core.instrument import STARTING, Spec
from deft_bench.core.simulated_neck import Tool
from deft_bench.core.simulated_setup import SimulatedSetup
from deft_bench.core.strings.intonation import pressing_of
from deft_bench.core.strings.notes import K_CENTS
from deft_bench.core.strings.setup_plan import scales
from deft_bench.store import instruments
from deft_bench.store.database import connect
from harness import Server
from hidden import hidden_setup

RULE, BLADE = Tool(0.05, 0.01), Tool(0.01, 0.004)
ROUNDS = 30
SIGNED = re.compile(r"[+−-]?\d+(?:\.\d+)?")


def number(text: str) -> float:
    """The first number of a cell; 0 without one."""
    found = SIGNED.search(text)
    return float(found[0].replace("−", "-")) if found else 0.0


@dataclass
class Hands:
    """One technician at the page: reads the hidden instrument, does what the page says, and counts."""

    page: Page
    url: str
    id: int
    spec: Spec
    true: SimulatedSetup
    saddle_off: list[float]
    chance: random.Random
    clicks: int = 0
    keys: int = 0
    done: list[str] = field(default_factory=list)

    def click(self, selector: str) -> None:
        self.page.locator(selector).first.click()
        self.clicks += 1

    def type(self, reading: str) -> None:
        """A reading and Enter."""
        self.page.keyboard.type(reading)
        self.page.keyboard.press("Enter")
        self.keys += len(reading) + 1

    def work(self) -> None:
        """Do the step that is due, until there is none but the report."""
        for _ in range(ROUNDS):
            link = self.page.locator(".steps .now a")
            step = re.sub(r"^\d+ ", "", link.inner_text().strip())
            self.done.append(step)
            if step == "Report":
                return
            if link.get_attribute("href") != self.page.url.removeprefix(self.url):
                link.click()
                self.page.wait_for_load_state()
                self.clicks += 1
            getattr(self, step.lower())()
        raise AssertionError(self.done)

    def relief(self) -> None:
        turn = self.page.locator("button[form=rod-turned]")
        if turn.count():
            self.true = self.true.turn_rod(int(turn.get_attribute("value") or 0) / 64)
            self.click("button[form=rod-turned]")
        expect(self.page.locator("#f-gap")).to_be_focused()
        self.gap()

    def gap(self) -> None:
        """The gap under a string between a capo on fret 1 and the last fret, at the fret that the page names."""
        over = int(self.page.locator("select[name=fret]").input_value())
        frame = self.true.frame()
        x, tops = frame.positions(), frame.tops(1, 1)
        line = tops[0] + (tops[-1] - tops[0]) * (x[over - 1] - x[0]) / (x[-1] - x[0])
        expect(self.page.locator("#f-gap")).to_be_focused()
        self.type(f"{max(0.0, BLADE.read(float(line - tops[over - 1]), self.chance)):.2f}".lstrip("0"))
        expect(self.page.locator("#f-gap")).to_have_value("")

    def intake(self) -> None:
        if self.page.locator("#f-gap").count():
            self.gap()
        if "surveys" not in self.page.url:
            self.click(".steps .now a")
        self.start()
        self.strings()

    def start(self) -> None:
        """From the form of a survey to its page."""
        if "/new" in self.page.url:
            self.click("text=Start reading")
        ready_to_read(self.page)

    def strings(self, gaps: bool = True) -> None:
        """The action of every string, then every gap."""
        numbers = range(self.spec.strings, 0, -1)
        for n in numbers:
            self.type(f"{RULE.read(self.true.action(n), self.chance):.2f}".rstrip("0"))
        for n in numbers if gaps else ():
            self.type(f"{max(0.0, BLADE.read(self.true.first_gap(n, 2), self.chance)):.2f}".lstrip("0"))
        self.saved()

    def saved(self) -> None:
        expect(self.page.locator('[data-say="saved"]')).to_have_text("all saved")
        self.click("a[data-when-done]")
        expect(self.page.locator("#survey")).to_have_count(0)

    def solve(self) -> None:
        self.click(".call-panel .actions button.is-ink")

    def rows(self) -> dict[int, list[str]]:
        """The cells of the page's first table, by string."""
        found = {}
        for row in self.page.locator(".col-left table.history tbody tr").all():
            cells = row.locator("th, td").all_inner_texts()
            found[int(cells[0].split()[0])] = cells
        return found

    def nut(self) -> None:
        for n, cells in self.rows().items():
            if "too low" in cells[3]:
                self.true = self.raised_nut(n, number(cells[2].split("–")[0]) - number(cells[1]) + 0.03)
            elif cells[4].strip():
                for step in SIGNED.findall(cells[4]):
                    self.true = self.true.file_nut(n, float(step))
        self.again()
        self.strings()

    def raised_nut(self, n: int, gap_mm: float) -> SimulatedSetup:
        """A slot filled and cut again."""
        return replace(
            self.true, nut_mm=tuple(mm + (2 * gap_mm if i == n else 0) for i, mm in enumerate(self.true.nut_mm, 1))
        )

    def again(self) -> None:
        """Begin another survey of the page's kind."""
        self.click(".call-panel .actions .is-ink")
        self.start()

    def saddle(self) -> None:
        if self.page.locator("text=Read the relief").and_(self.page.locator(".is-ink")).count():
            self.click("text=Read the relief")
            expect(self.page.locator("#f-gap")).to_be_visible()
        if self.page.locator("#f-gap").count():
            self.gap()  # all that it lacks is the relief, read again
            return
        said = self.page.locator(".call-panel h2").inner_text()
        rows, count = self.rows(), self.spec.strings
        if self.spec.bridge != "one_piece":
            for n, cells in rows.items():
                if "within" not in cells[-1]:
                    self.true = self.true.move_saddle(n, number(cells[3]))
        elif "beneath" in said or "Shim" in said:
            ends = {end: number(mm) for mm, end in re.findall(r"([\d.]+)\s+mm\s+at its (bass|treble) end", said)}
            lacks = set(re.findall(r"(bass|treble)", said.split(" is missing")[0])) if "missing" in said else set()
            treble, bass = ((1 if end in lacks else -1) * ends.get(end, 0.0) for end in ("treble", "bass"))
            over = self.over_ends(treble, bass)
            self.true = replace(self.true, saddle_mm=tuple(mm + over[i] for i, mm in enumerate(self.true.saddle_mm)))
        else:
            off = {n: number(cells[3]) if "within" not in cells[-1] else 0.0 for n, cells in rows.items()}
            self.true = replace(self.true, saddle_mm=tuple(mm + off[i] for i, mm in enumerate(self.true.saddle_mm, 1)))
        assert count == len(rows)
        self.again()
        self.strings(gaps=False)
        if self.page.locator("#f-gap").count():
            self.gap()

    def over_ends(self, treble: float, bass: float) -> list[float]:
        """What a cut at the saddle's ends takes under each string: the ends lie past the outer strings."""
        past, spread, count = 6.0, self.spec.spread_saddle_um / 1000, self.spec.strings
        slope = (bass - treble) / (spread + 2 * past)
        return [treble + slope * (past + spread * i / (count - 1)) for i in range(count)]

    def begin_intonation(self) -> None:
        """Move the saddles as the page says, and begin another survey at fret 12."""
        for n, cells in self.rows().items():
            if len(cells) > 5 and "Move the saddle" in cells[-1]:
                self.saddle_off[n - 1] += number(cells[2])
        if any(len(cells) > 5 for cells in self.rows().values()):
            self.again()
        else:
            self.click(".call-panel .actions .quiet-link")
            self.page.locator("#f-at_frets").fill("12")
            self.start()

    def intonation(self) -> None:
        self.begin_intonation()
        for n in range(self.spec.strings, 0, -1):
            scale, pull = scales(self.spec)[n - 1], self.true.tension_n[n - 1]
            slope = K_CENTS * (1 / (scale - fret_position(scale, 12)) - 1 / scale)
            gap = max(0.0, self.true.first_gap(n))
            pressed = pressing_of(self.true.makes[n - 1], scale, pull, self.true.action(n), gap).cents(scale, 12)
            self.type(f"{round(2 * (pressed - slope * self.saddle_off[n - 1] + self.chance.gauss(0, 0.2))) / 2:g}")
        self.saved()

    def play(self) -> None:
        cure = self.page.locator("button[form=cure]")
        if cure.count():
            cure.first.click()
            self.clicks += 1
            return
        self.click(".call-panel .actions .is-ink")
        self.start()
        buzzing = set(self.true.heard())
        for fret in range(self.spec.frets):
            for n in range(self.spec.strings, 0, -1):
                self.page.keyboard.press("z" if (n, fret) in buzzing else "c")
                self.keys += 1
        self.saved()


@pytest.mark.parametrize(("kind", "seed"), [("electric", 3), ("acoustic", 1), ("classical", 4), ("long_bass", 2)])
def test_a_whole_setup_ends_with_its_gates_met(page: Page, server: Server, kind: str, seed: int) -> None:
    hidden = hidden_setup(kind, random.Random(seed))
    with closing(connect(server.database)) as db:
        made = instruments.add(db, replace(STARTING[kind], name=f"Hidden {kind}"), "2026-08-24T09:00:00.000Z")
    page.goto(f"{server.url}/instruments/{made}")
    page.locator("select[name=kind]").select_option("setup")
    page.locator("form:has(select[name=kind]) button.is-ink").first.click()
    hands = Hands(page, server.url, made, hidden.spec, hidden.true, list(hidden.saddle_off), random.Random(seed))
    hands.work()
    assert hands.true.heard() == []
    if kind == "electric":
        assert (hands.clicks <= 30, hands.keys <= 400) == (True, True), (hands.clicks, hands.keys, hands.done)
    page.locator(".steps .now a").click()
    expect(page.locator("main")).to_contain_text("none buzzes")
    page.click("text=Close the job")
    expect(page.locator(".said")).to_contain_text("closed")

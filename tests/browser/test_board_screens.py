"""The Board and Refret screens by keyboard in a real browser, and the drawing that they export as it is painted."""

import io
import re
from contextlib import closing
from dataclasses import replace
from pathlib import Path

import pytest
from PIL import Image
from playwright.sync_api import Browser, Page, expect

from browsing import press, tab_to
from deft_bench.core.board.plan import starting_plan
from deft_bench.core.board.rules import Rule
from deft_bench.core.instrument import STARTING
from deft_bench.formats.board import sheet_of, write_board
from deft_bench.store import boards, instruments, jobs, refrets, surveys
from deft_bench.store.database import connect
from harness import Server

HERON, PLOVER, SANDPIPER, RUFF = 1, 2, 14, 13


def type_over(page: Page, selector: str, text: str) -> None:
    tab_to(page, selector)
    page.keyboard.press("Control+a")
    page.keyboard.type(text)


def test_a_board_by_keyboard_alone(page: Page, bench_server: Server) -> None:
    page.goto(f"{bench_server.url}/boards")
    press(page, "a.row-link")
    expect(page.locator(".slot-at")).to_have_count(24)
    # arrows walk the frets, plus and minus zoom, and the section follows
    page.locator("#plan").focus()
    page.keyboard.press("ArrowRight")
    expect(page.locator("#fret-words")).to_contain_text("Fret 13:")
    expect(page.locator(".section-paper h2")).to_have_text("Through the slot of fret 13")
    whole = page.locator("#plan").get_attribute("viewBox")
    page.keyboard.press("+")
    page.keyboard.press("+")
    zoomed = page.locator("#plan").get_attribute("viewBox")
    assert zoomed is not None
    assert whole is not None
    assert float(zoomed.split()[2]) == pytest.approx(float(whole.split()[2]) / 2.25, abs=0.1)
    # a number that changes redraws the plan and keeps the part that is looked at; nothing is saved yet
    type_over(page, "#f-frets", "22")
    expect(page.locator(".slot-at")).to_have_count(22)
    expect(page.locator("#unsaved")).to_have_text("Shown, not saved yet.")
    assert str(page.locator("#plan").get_attribute("viewBox")).split()[:3] == zoomed.split()[:3]
    # what is refused is said at its box, the drawing stays, and the box keeps the focus and the text
    page.keyboard.press("Control+a")
    page.keyboard.type("220")
    expect(page.locator("#e-frets")).to_contain_text("1 to 60")
    expect(page.locator(".slot-at")).to_have_count(22)
    expect(page.locator("#f-frets")).to_be_focused()
    expect(page.locator("#f-frets")).to_have_value("220")
    expect(page.locator("#f-frets")).to_have_attribute("aria-invalid", "true")
    with closing(connect(bench_server.database)) as db:
        assert instruments.get(db, SANDPIPER).spec.frets == 24
    page.keyboard.press("Control+a")
    page.keyboard.type("22")
    expect(page.locator("#f-frets")).not_to_have_attribute("aria-invalid", "true")
    expect(page.locator("#e-frets")).to_have_text("")
    page.keyboard.press("Enter")
    expect(page.locator(".said").first).to_contain_text("Saved")
    with closing(connect(bench_server.database)) as db:
        assert instruments.get(db, SANDPIPER).spec.frets == 22
    # frets are ticked off as they are marked
    press(page, "text=Marking table")
    expect(page.locator("table.marking")).to_be_visible()
    page.wait_for_load_state("load")
    page.keyboard.press("ArrowDown")
    expect(page.locator(".tick-box[value='10']")).to_be_focused()
    page.keyboard.press("Space")
    expect(page.locator(".tick-box[value='11']")).to_be_focused()
    page.keyboard.press("Space")
    expect(page.locator("tr.ticked")).to_have_count(12)
    with closing(connect(bench_server.database)) as db:
        assert ("bass string", 11) in boards.ticks(db, SANDPIPER)
    # the nut's spacing follows the school, and a file comes with a key
    press(page, ".steps a:text-is('Strings')")
    tab_to(page, "#f-spacing")
    page.keyboard.type("equal c")
    expect(page.locator(".nut-svg")).to_contain_text("equal centres, chosen")
    page.keyboard.press("Enter")
    page.on("dialog", lambda dialog: dialog.accept())
    page.goto(f"{bench_server.url}/instruments/{SANDPIPER}/board/files")
    with page.expect_download() as got:
        press(page, "text=G-code: full depth from the flat face")
    assert got.value.suggested_filename == "sandpiper-no-14-slots-full.ngc"


def test_an_oversize_bound_board_to_its_files(page: Page, bench_server: Server) -> None:
    address = f"{bench_server.url}/instruments/{SANDPIPER}/board"
    page.goto(address)
    page.locator("input[name=bound]").check()
    page.fill("#f-oversize_um", "0.6")
    expect(page.locator("#panel")).to_contain_text("Cut to the inside of the binding first, with what stands over it")
    expect(page.locator("#panel")).to_contain_text("Ledge for the binding")
    page.click("text=Save the board")
    expect(page.locator(".said").first).to_contain_text("Saved")
    page.goto(f"{address}/files")
    with page.expect_download() as got:
        page.click("text=Drawing, SVG")
    drawn = Path(got.value.path()).read_text()
    with closing(connect(bench_server.database)) as db:
        spec = instruments.get(db, SANDPIPER).spec
        plan = boards.plan_of(db, SANDPIPER, spec)
    assert spec.bound
    # at the nut the board on the bench is narrower than the finished one by the binding, wider by what stands over
    corners = re.findall(r"[-\d.]+,[-\d.]+", re.findall(r'id="oversize".*?points="([^"]+)"', drawn, re.DOTALL)[0])
    y = [float(corner.split(",")[1]) for corner in corners]
    narrower = 2 * (plan.binding_um - plan.oversize_um) / 1000
    nut = spec.lines()[0]
    assert abs(y[0] - y[3]) == pytest.approx(nut.treble_edge[1] - nut.bass_edge[1] - narrower, abs=0.01)


def test_a_refret_by_keyboard_alone(page: Page, bench_server: Server) -> None:
    with closing(connect(bench_server.database)) as db:
        job = jobs.open_of(db, [RUFF])[RUFF].id
    page.goto(f"{bench_server.url}/jobs/{job}/refret")
    expect(page.locator(".call-panel h2").first).to_contain_text("Deepen the slot of fret 4")
    for box, typed in (("fret", "9"), ("depth", "0.9"), ("what", "screw of the rod")):
        page.fill(f"[name=in_slot_1_{box}]", typed)
    page.select_option("[name=in_slot_1_where]", "middle")
    expect(page.locator("#live")).to_contain_text("screw of the rod")
    # the wire's call follows the boxes
    type_over(page, "#f-slot_um", "0.5")
    expect(page.locator("#live h2").first).to_contain_text("Too tight")
    page.keyboard.press("Control+a")
    page.keyboard.type("0.62")
    expect(page.locator("#live h2").first).to_contain_text("Press or hammer it in dry")
    type_over(page, "#f-tool", "caul press")
    page.keyboard.press("Enter")
    expect(page.locator(".said").first).to_contain_text("Saved")
    # the shallow slots are read again where they were
    press(page, "text=Go on reading")
    expect(page.locator("#reading")).to_be_focused()
    for lane, fret in (("bass", 4), ("treble", 4), ("middle", 11)):
        page.locator(f'.cell[data-lane="{lane}"][data-fret="{fret}"]').click()
        page.keyboard.type("2.0")
        page.keyboard.press("Enter")
    expect(page.locator('[data-say="saved"]')).to_have_text("all saved")
    expect(page.locator(".spot.proud")).to_have_count(0)
    press(page, "text=Done")
    call = page.locator(".call-panel h2").first
    expect(call).to_contain_text("0 of 20 are there. Notch the tang of fret 9 over the middle, 0.")
    expect(call).to_contain_text("do not deepen onto it")
    page.wait_for_load_state("load")
    page.keyboard.press("ArrowDown")
    for _ in range(20):
        page.keyboard.press("Space")
    expect(page.locator(".cut-list tr.ticked")).to_have_count(20)
    with closing(connect(bench_server.database)) as db:
        plan = refrets.PLANS.last(db, job)
        assert plan is not None
        assert plan.cut == tuple(range(1, 21))
        assert plan.tool == "caul press"
    page.reload()
    press(page, "text=The frets are in")
    expect(page.locator("legend").first).to_have_text("Daylight under the crowns, in three lanes")


def test_the_drawing_is_painted_where_the_plan_says(browser: Browser, tmp_path: Path) -> None:
    """The SVG as a raster at 4 pixels a millimetre: dark along every slot, bare half-way between slots, to a pixel."""
    spec = replace(STARTING["seven_string"], name="Any")
    plan = replace(starting_plan(spec), inlay_style="none", marker_um=0, pin_frets=(), oversize_um=0)
    sheet = sheet_of(spec, plan, "2026-08-24", Rule())
    path = tmp_path / "board.svg"
    drawn = write_board("svg", sheet).decode()
    view = [float(v) for v in re.findall(r'viewBox="([^"]+)"', drawn)[0].split()]
    per = 4
    size = round(view[2] * per), round(view[3] * per)
    path.write_text(
        re.sub(r'width="[\d.]+mm" height="[\d.]+mm"', f'width="{size[0]}" height="{size[1]}"', drawn, count=1)
    )
    page = browser.new_page(viewport={"width": size[0], "height": size[1]})
    page.goto(path.as_uri())
    raster = Image.open(io.BytesIO(page.screenshot())).convert("L")
    page.close()

    def darkest(x: float, y: float) -> int:
        px, py = round((x - view[0]) * per), round((-y - view[1]) * per)
        return min(int(raster.getpixel((px + i, py + k))) for i in (-1, 0, 1) for k in (-1, 0, 1))  # type: ignore[arg-type]

    for before, shape in zip(sheet.view.lines, sheet.view.slots, strict=False):
        after = sheet.view.lines[shape.fret]
        for share in (0.07, 0.21, 0.43, 0.93):
            wall = after.at(share)[0] + plan.kerf_um / 2000, after.at(share)[1]
            assert darkest(*wall) < 205, (shape.fret, share)
        between = [
            (before.at(s)[0] + (after.at(s)[0] - before.at(s)[0]) / 2, before.at(s)[1]) for s in (0.24, 0.4, 0.6, 0.76)
        ]
        assert max(darkest(*point) for point in between) > 250, shape.fret


def test_a_rocker_survey_and_the_rod_by_keyboard(page: Page, bench_server: Server) -> None:
    with closing(connect(bench_server.database)) as db:
        survey = surveys.of_instrument(db, HERON, "rocker", 1)[0]
    page.goto(f"{bench_server.url}/surveys/{survey.id}")
    expect(page.locator("#reading")).to_be_focused()
    expect(page.locator('[data-say="call"]')).to_have_text("Lift fret 9 before you level.")
    # half done, resumed where it was left: one key a test, wrong keys refused, an answer changed
    expect(page.locator('[data-say="fret"]')).to_have_text("Fret 11")
    page.keyboard.press("f")
    expect(page.locator('[data-say="fret"]')).to_have_text("Fret 10")
    for answer in "rfrff":
        page.keyboard.press(answer)
    expect(page.locator('[data-say="saved"]')).to_have_text("all saved")
    expect(page.locator('[data-say="call"]')).to_have_text("Lift fret 9 before you level.")
    expect(page.locator('.spot[data-lane="treble"][data-fret="9"]')).to_have_class(re.compile("low"))
    page.keyboard.press("u")
    expect(page.locator('[data-say="read"]')).to_have_text("52")
    expect(page.locator('[data-say="fret"]')).to_have_text("Fret 6")
    page.keyboard.type("0.1")
    page.keyboard.press("Enter")
    expect(page.locator("#entry-said")).to_contain_text("r when it rocks, f when it sits flat")
    page.goto(f"{bench_server.url}/instruments/{PLOVER}/neck?aim=playing")
    expect(page.locator(".call-panel h2")).to_contain_text("Tighten a quarter turn toward")
    press(page, "button[name=turns]")
    expect(page.locator(".call-panel h2")).to_have_text("Let it settle, retune, and read again.")

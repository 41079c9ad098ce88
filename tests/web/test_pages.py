"""Every page of the demo: it answers, in both units, within the policy, light, and without reaching out."""

import re
from contextlib import closing
from dataclasses import replace
from html.parser import HTMLParser
from pathlib import Path

import pytest

from deft_bench.core.instrument import KINDS
from deft_bench.store import instruments, jobs, shop, stock, surveys
from deft_bench.store.database import Connection, open_database
from deft_bench.web import CONTENT_SECURITY_POLICY, create_app
from harness import NOW, Bench

VOID = {"input", "br", "img", "meta", "link", "hr", "path", "circle", "line", "rect", "polygon", "polyline"}


class Reader(HTMLParser):
    """Collects what a page loads and links to, and what a strict policy would refuse; checks that tags balance."""

    def __init__(self, text: str) -> None:
        super().__init__()
        self.links: set[str] = set()
        self.loads: set[str] = set()
        self.refused: list[str] = []
        self.ids: list[str] = []
        self.labels: set[str] = set()
        self.boxes: list[str] = []
        self.open: list[str] = []
        self.feed(text)
        assert not self.open, self.open

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        found = {name: value or "" for name, value in attrs}
        self.refused += [name for name in found if name == "style" or (name.startswith("on") and len(name) > 2)]
        if tag == "script" and "src" not in found:
            self.refused.append("inline script")
        if tag == "style":
            self.refused.append("inline style")
        if tag in ("script", "img"):
            self.loads.add(found.get("src", ""))
        if tag == "link":
            self.loads.add(found["href"])
        if tag == "a" and "href" in found:
            self.links.add(found["href"])
        if tag == "label":
            self.labels.add(found.get("for", ""))
        if (
            tag in ("input", "select", "textarea")
            and found.get("type")
            not in (
                "hidden",
                "checkbox",
                "radio",
                "submit",
            )
            and not found.get("aria-label")
        ):
            self.boxes.append(found.get("id", "none"))
        if "id" in found:
            self.ids.append(found["id"])
        if tag not in VOID:
            self.open.append(tag)

    def handle_startendtag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        self.handle_starttag(tag, attrs)
        if tag not in VOID:
            self.open.pop()

    def handle_endtag(self, tag: str) -> None:
        if tag in VOID:
            return
        # closing tags that HTML lets a page leave out are never left out here
        assert self.open[-1:] == [tag], (tag, self.open)
        self.open.pop()


def every_page(db: Connection) -> list[str]:
    pages = [
        "/",
        "/instruments",
        "/instruments?q=her",
        "/instruments?retired=1",
        "/instruments/new",
        "/settings",
        "/operations",
        "/import",
        "/boards",
        "/boards/new?kind=tenor",
        "/schedule",
        "/schedule?all=1",
        "/schedule/hours",
        "/stock",
        "/stock/count",
        "/stock/csv",
        "/help",
        "/help/neck-evidence",
        "/help/level-plan",
        "/devices",
        "/tools",
        "/settings/keeping",
        "/practice",
        "/practice/people",
    ]
    pages += [f"/practice/{row['id']}" for row in db.execute("SELECT id FROM practice_attempt")]
    pages += [f"/practice/necks/{row['id']}" for row in db.execute("SELECT id FROM practice_neck")]
    pages += [f"/stock/{item.id}" for item in stock.items(db)]
    pages += [f"/instruments/new?kind={kind}" for kind in KINDS]
    for one in [*instruments.page(db, limit=50), *instruments.page(db, project=True)]:
        pages += [f"/instruments/{one.id}", f"/instruments/{one.id}/edit", f"/instruments/{one.id}/notes/new"]
        pages += [
            f"/instruments/{one.id}/board{page}"
            for page in ("", "?fret=1", "/marking", "/radius?sagitta=1&span=50", "/strings", "/files")
        ]
        pages += [f"/instruments/{one.id}/neck", f"/instruments/{one.id}/neck?aim=fretwork"]
        pages += [
            f"/instruments/{one.id}/setup{page}"
            for page in ("", "?string=1&fretted=5", "/strings", "/nut", "/saddle", "/intonation", "/buzz")
        ]
        seen = {survey.head.kind: survey for survey in surveys.of_instrument(db, one.id, limit=60)}
        for survey in seen.values():
            pages += [f"/surveys/{survey.id}", f"/surveys/{survey.id}/sheet"]
            if survey.head.kind == "intonation":
                pages.append(f"/surveys/{survey.id}/listen")
        for job in jobs.of_instrument(db, one.id)[:2]:
            pages.append(f"/jobs/{job.id}/record")
    for job in jobs.in_bench_order(db):
        if job.kind == "refret":
            pages += [f"/jobs/{job.id}/refret", f"/jobs/{job.id}/refret?wire=2"]
            pages += [
                f"/jobs/{job.id}/surveys/new?kind={kind}"
                for kind in ("slot_depth", "seating", "sprout", "straightness")
            ]
            continue
        if job.kind == "work":
            pages += [f"/jobs/{job.id}/sheet", f"/jobs/{job.id}/bench", f"/jobs/{job.id}/estimate"]
            continue
        if job.kind == "setup":
            pages += [f"/jobs/{job.id}/surveys/new?kind={kind}" for kind in ("strings", "intonation", "buzz")]
            continue
        pages += [
            f"/jobs/{job.id}/level",
            f"/jobs/{job.id}/level?lift=none&fall_from=12&fall_drop=.05&left_out=2,3",
            f"/jobs/{job.id}/surveys/new",
            f"/jobs/{job.id}/sheet",
            f"/jobs/{job.id}/bench",
            f"/jobs/{job.id}/estimate?with=setup",
            f"/jobs/{job.id}/dress?finish=mirror&start=40",
            f"/jobs/{job.id}/level?tape_fret=12&tape_um=0.05",
        ]
    return pages


@pytest.mark.parametrize("system", ["mm", "in"])
def test_every_page_keeps_the_policy_and_its_links_lead_somewhere(bench: Bench, demo: Connection, system: str) -> None:
    shop.change(demo, {"system": system, "nut_side": "right" if system == "in" else "left"})
    links: set[str] = set()
    for url in every_page(demo):
        text = bench.get(url)
        page = Reader(text)
        assert page.refused == [], url
        assert len(page.ids) == len(set(page.ids)), (url, page.ids)
        assert set(page.boxes) <= page.labels, (url, set(page.boxes) - page.labels)
        assert all(link.startswith(("/", "#", "?")) for link in page.links | page.loads), url
        assert "{{" not in text
        assert "=&#34;" not in text, url  # a quote that was to enclose a value
        assert "None" not in re.sub(r"<[^>]*>", "", text), url
        body = re.sub(r"<title>.*?</title>|<[^>]*>", " ", text)
        if system == "in" and url.endswith(
            (
                "/level",
                "/sheet",
                "/neck",
                "/refret",
                "/board",
                "/strings",
                "/radius?sagitta=1&span=50",
                "/setup",
                "/nut",
                "/saddle",
                "/intonation",
            )
        ):
            assert not re.search(r"\d mm\b", body), (url, re.findall(r".{30}\d mm\b.{10}", body)[:3])
        links |= {link.split("#")[0] for link in page.links if link.startswith("/")}
    for link in sorted(links)[:: max(1, len(links) // 150)]:
        assert bench.client.get(link).status_code in (200, 302), link


def test_headers_cookies_and_a_first_load_under_400_kilobytes(bench: Bench, demo: Connection, demo_path: Path) -> None:
    heaviest = 0
    for url in every_page(demo):
        answer = bench.client.get(url)
        assert answer.headers["Content-Security-Policy"] == CONTENT_SECURITY_POLICY
        assert answer.headers["X-Content-Type-Options"] == "nosniff"
        assert answer.headers["Cross-Origin-Resource-Policy"] == "same-origin"
        loads = Reader(answer.text).loads
        weight = len(answer.data) + sum(len(bench.client.get(load).data) for load in loads)
        heaviest = max(heaviest, weight)
    assert heaviest < 400_000
    assert "unsafe" not in CONTENT_SECURITY_POLICY
    cookie = create_app(demo_path, testing=True).test_client().get("/").headers["Set-Cookie"]
    assert "SameSite=Strict" in cookie
    assert "HttpOnly" in cookie


def test_a_write_without_the_token_changes_nothing(bench: Bench, demo: Connection) -> None:
    for url in (
        "/settings/units",
        "/climate",
        "/instruments/new",
        "/instruments/1/retire",
        "/jobs/1/close",
        "/surveys/1/readings",
        "/import",
    ):
        answer = bench.client.post(
            url, data={"system": "in", "lane": "bass", "fret": "1", "reading": "0.1", "token": "x"}
        )
        assert answer.status_code == 400, url
        assert "gone stale" in answer.text
    assert shop.settings(demo).system == "mm"
    assert instruments.get(demo, 1).retired_at is None


def test_a_foreign_host_name_is_refused(bench: Bench) -> None:
    assert bench.client.get("/", headers={"Host": "evil.example"}).status_code == 400
    assert bench.client.get("/", headers={"Host": "127.0.0.1:8137"}).status_code == 200


def test_errors_are_in_our_own_words(bench: Bench) -> None:
    for url in (
        "/nothing",
        "/instruments/999",
        "/surveys/999",
        "/jobs/999/level",
        "/photos/999.jpg",
        "/jobs/999/record",
        "/instruments/0/record.json",
        f"/instruments/{10**30}",
    ):
        assert "There is nothing here." in bench.get(url, 404)
    answer = bench.client.get("/surveys/999", headers={"Accept": "application/json"})
    assert answer.json == {
        "error": "There is nothing here.",
        "advice": "The page may have moved, or the address was mistyped.",
    }
    assert "That is not done here." in bench.client.get("/climate").text


def test_back_never_leads_off_the_machine(bench: Bench) -> None:
    for back in ("//evil.example/", "/\\evil.example", "https://evil.example/", "/\t/evil.example", "/a\nb", "/\r"):
        answer = bench.post("/settings/units", {"system": "in", "back": back}, follow=False)
        assert answer.headers["Location"] == "/"
    assert (
        bench.post("/settings/units", {"system": "mm", "back": "/instruments?"}, follow=False).headers["Location"]
        == "/instruments"
    )


def test_hostile_text_stays_text(bench: Bench) -> None:
    name = "<script>alert(1)</script> \"'&"
    text = bench.get("/instruments/new")
    fields = dict(re.findall(r'name="(\w+)" type="text" value="([^"]*)"', text))
    fields |= dict(re.findall(r'<select id="f-\w+" name="(\w+)".*?<option value="(\w+)" selected', text, re.S))
    answer = bench.post("/instruments/new", {**fields, "kind": "electric", "name": name, "note": name})
    assert answer.status_code == 200
    assert "<script>alert" not in answer.text
    assert "&lt;script&gt;alert(1)" in answer.text
    assert "<script>alert" not in bench.get("/instruments?q=script")


def test_today_says_what_to_pick_up_and_what_is_late(demo_path: object, bench: Bench, demo: Connection) -> None:
    demo.execute("DELETE FROM schedule")  # without a plan the nearest promise comes first
    text = bench.get("/")
    assert "Heron No. 4: lift fret 9 before you level." in text
    late = Bench(create_app(demo_path, now=lambda: NOW.replace(month=9, day=1)).test_client())  # type: ignore[arg-type]
    assert "6 days late" in late.get("/")
    answer = bench.post("/climate", {"temperature_c": "19,5", "humidity": "38"})
    assert "Bench climate recorded" in answer.text
    assert "dry: fret ends sprout" in answer.text
    assert "give a number from 0 to 100" in bench.post("/climate", {"temperature_c": "20", "humidity": "wet"}).text


def test_the_switch_writes_every_figure_anew(bench: Bench, demo: Connection) -> None:
    survey = surveys.of_instrument(demo, 1, "fret_heights")[0]
    assert ">0.01</a>" in bench.get(f"/surveys/{survey.id}")
    bench.post("/settings/units", {"system": "in"})
    assert ">0.0004</a>" in bench.get(f"/surveys/{survey.id}")
    assert "24 23/32 in +0.006" in bench.get("/instruments/1")


def test_the_list_as_open_data(bench: Bench) -> None:
    found = bench.client.get("/instruments.json?q=bass").json
    assert {row["name"] for row in found} == {"Knot No. 6", "Whimbrel No. 8", "Ruff No. 13"}


def test_settings_are_refused_in_words_and_kept(bench: Bench, demo: Connection) -> None:
    page = {
        "system": "mm",
        "inches": "32",
        "nut_side": "right",
        "reading_order": "fret_by_fret",
        "rock_um": "5",
        "polish_loss_um": "x",
        "least_height_um": "",
    }
    answer = bench.post("/settings", page)
    assert answer.status_code == 422
    assert "Accepted: 0.01 mm to 0.10 mm" in answer.text
    assert 'value="x"' in answer.text
    assert (
        "Saved."
        in bench.post("/settings", {**page, "rock_um": "0.03", "polish_loss_um": "0.02", "least_height_um": "0.7"}).text
    )
    assert replace(shop.settings(demo), rock_um=30, least_height_um=700, inches=32) == shop.settings(demo)


def test_no_page_waits_for_a_call_that_is_not_known(demo_path: Path) -> None:
    """A page that is served says the step without the call, and asks for that after it; then it is known."""
    client = Bench(create_app(demo_path, now=lambda: NOW).test_client())
    for url, level in (("/", "h1"), ("/instruments/1", "h2")):
        reading(demo_path)
        page = client.get(url)
        said = re.search(rf"<{level}>.*?</{level}>", page, re.DOTALL)[0]
        assert "ead the call" in said
        later = re.search(r'hx-get="([^"]+)"', said)[1]
        call = client.get(later).strip()
        assert "ift fret 9 before you level" in call
        again = re.search(rf"<{level}>.*?</{level}>", client.get(url), re.DOTALL)[0]
        assert call in again
        assert "hx-get" not in again


def reading(path: Path) -> None:
    """Something that the call of the first job is made of is read once more."""
    with closing(open_database(path)) as db:
        job = jobs.in_bench_order(db)[0]
        survey = next(one for one in surveys.of_job(db, job.id) if one.head.kind == "fret_heights")
        place, um = next((place, um) for place, um in surveys.values(db, survey.id).items() if um is not None)
        surveys.add_many(db, survey.id, [(place, um + 1, "")], NOW.isoformat())

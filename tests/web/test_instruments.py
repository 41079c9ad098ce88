"""Entering, editing, retiring; pins and photographs; records in and out through the pages."""

import io
import json
import re
from typing import Any

import pytest
from PIL import Image

from deft_bench.core.frets.heights import deviations
from deft_bench.core.instrument import STARTING
from deft_bench.core.survey import heights_from
from deft_bench.store import instruments, jobs, notes, shop, surveys
from deft_bench.store.database import Connection
from deft_bench.web.drawing.neck_drawing import off_number
from harness import Bench, words


def fields_of(text: str) -> dict[str, Any]:
    """The form of a page as a browser would send it."""
    form = text[text.index('<form class="spec') :]
    found: dict[str, Any] = {}
    for tag in re.findall(r"<input[^>]*>", form):
        name = re.search(r'name="(\w+)"', tag)
        value = re.search(r'value="([^"]*)"', tag)
        if name and ("checkbox" not in tag or " checked" in tag):
            found[name[1]] = value[1] if value else ""
    for name_, body in re.findall(r'<select id="f-\w+" name="(\w+)"[^>]*>(.*?)</select>', form, re.S):
        chosen = re.search(r'<option value="(\w+)" selected', body)
        found[name_] = chosen[1] if chosen else ""
    return found


def test_a_name_and_enter_is_enough(empty: Bench) -> None:
    for kind in ("electric", "seven_string", "classical"):
        sent = fields_of(empty.get(f"/instruments/new?kind={kind}"))
        answer = empty.post("/instruments/new", sent | {"name": f"Tern {kind}"})
        assert answer.status_code == 200
        assert f"Tern {kind} is entered." in answer.text
    assert "686 mm to 648 mm, fret 8 square" in empty.get("/instruments/2")
    assert len(json.loads(empty.client.get("/instruments.json").data)) == 3


def test_lengths_may_be_typed_any_way(empty: Bench) -> None:
    sent = fields_of(empty.get("/instruments/new"))
    sent |= {
        "name": "Tern",
        "bass_scale_um": "24 3/4 in",
        "nut_width_um": '1 11/16"',
        "fret_height_um": "47 thou",
        "nut_radius_um": "12 in",
    }
    text = empty.post("/instruments/new", sent).text
    assert "628.65 mm" in text
    assert "304.8 mm radius" in text
    assert "1.19 mm high" in text


@pytest.mark.parametrize(
    ("changed", "said"),
    [
        ({"name": ""}, "Give it a name"),
        ({"bass_scale_um": "0"}, "accepted: 200 mm to 1300 mm"),
        ({"bass_scale_um": "six"}, "is not a length"),
        ({"frets": "0"}, "a whole number from 1 to 60"),
        ({"frets": "22.5"}, "a whole number from 1 to 60"),
        ({"spread_nut_um": "60"}, "off the board at the nut"),
        ({"radius_kind": "compound", "end_radius_um": "20"}, "accepted: 50 mm"),
        ({"treble_scale_um": "600", "perpendicular_fret": "99"}, "from 0 to 60"),
        ({"rod": "none"}, "There is no rod to reach"),
        ({"hand": "iron"}, "Choose one of"),
    ],
)
def test_a_refused_form_says_why_at_the_field_and_keeps_what_was_typed(
    empty: Bench, changed: dict[str, str], said: str
) -> None:
    sent = (
        fields_of(empty.get("/instruments/new"))
        | {"name": "Tern", "note": "kept", "string_set": "my own set"}
        | changed
    )
    answer = empty.post("/instruments/new", sent)
    assert answer.status_code == 422
    assert said in answer.text
    assert "kept</textarea>" in answer.text
    assert "my own set" in answer.text
    assert empty.client.get("/instruments.json").json == []


def test_an_edit_in_inches_changes_only_what_was_changed(bench: Bench, demo: Connection) -> None:
    before = {one.id: one.spec for one in instruments.page(demo, limit=50)}
    bench.post("/settings/units", {"system": "in"})
    for instrument_id in before:
        sent = fields_of(bench.get(f"/instruments/{instrument_id}/edit")) | {"note": before[instrument_id].note}
        assert "Nothing was changed" in bench.post(f"/instruments/{instrument_id}/edit", sent).text
        assert (
            "the earlier specification is kept"
            in bench.post(f"/instruments/{instrument_id}/edit", sent | {"note": "new"}).text
        )
    after = {one.id: one.spec for one in instruments.page(demo, limit=50)}
    assert all(after[i].note == "new" and after[i].bass_scale_um == before[i].bass_scale_um for i in before)


def test_retiring_keeps_the_history(bench: Bench, demo: Connection) -> None:
    assert "its history is kept" in bench.post("/instruments/1/retire").text
    assert "Heron No. 4" not in bench.get("/instruments")
    assert "Heron No. 4" in bench.get("/instruments?retired=1")
    assert "Fret heights" in bench.get("/instruments/1")
    assert "back in use" in bench.post("/instruments/1/retire").text


def test_a_job_needs_a_date_that_is_one(bench: Bench) -> None:
    assert "is not a date" in bench.post("/instruments/9/jobs", {"promised_on": "soon"}).text
    assert "Start reading" in bench.post("/instruments/9/jobs", {"promised_on": "2026-09-20", "note": "dress"}).text
    assert "has an open job already" in bench.post("/instruments/9/jobs", {"promised_on": ""}).text
    assert "promised Sun 20 Sep" in bench.get("/instruments/9")


def test_a_flaw_is_pinned_with_its_photograph(bench: Bench, demo: Connection) -> None:
    out = io.BytesIO()
    Image.new("RGB", (40, 30), "red").save(out, "JPEG", comment=b"here")
    url = "/instruments/1/notes/new"
    sent = {"fret": "9", "lane": "bass", "note": "chip by the edge", "back": "/instruments/1"}
    text = bench.post(
        url, {**sent, "photo": (io.BytesIO(out.getvalue()), "p.jpg")}, content_type="multipart/form-data"
    ).text
    assert "chip by the edge" in text
    pin = notes.of_instrument(demo, 1)[0]
    picture = bench.client.get(f"/photos/{pin.photo_id}.jpg")
    assert picture.mimetype == "image/jpeg"
    assert b"here" not in picture.data
    assert "dealt with" in bench.post(f"/instruments/1/notes/{pin.id}/settle").text
    bad = bench.post(
        url,
        {**sent, "fret": "44", "note": "", "photo": (io.BytesIO(b"no"), "p.jpg")},
        content_type="multipart/form-data",
    )
    assert bad.status_code == 422
    for said in ("from 0 to 21", "1 to 1000 characters", "not a photograph"):
        assert said in bad.text


def bring(to: Bench, data: bytes, **more: str) -> str:
    sent = {"file": (io.BytesIO(data), "r.json"), **more}
    return to.post("/import", sent, content_type="multipart/form-data").text


def test_a_record_goes_out_and_comes_in_whole(bench: Bench) -> None:
    raw = bench.client.get("/instruments/1/record.json").data
    assert "is here already" in bring(bench, raw)
    assert "Heron No. 4 (copy)" in bring(bench, raw, as_copy="1")
    assert "nut_width_um: missing" in bring(bench, json.dumps({**json.loads(raw), "spec": {}}).encode())
    assert "choose the JSON file" in bring(bench, b"")


def test_an_empty_bench_leads_to_the_first_instrument(empty: Bench) -> None:
    assert "Start with one instrument." in empty.get("/")
    assert "No instrument is entered yet" in empty.get("/instruments")
    assert "Nothing begins with" in empty.get("/instruments?q=zz")


def test_a_history_is_one_line_of_time_and_two_surveys_are_compared(bench: Bench, demo: Connection) -> None:
    heights = surveys.of_instrument(demo, 2, "fret_heights", limit=9)
    page = words(bench.get("/instruments/2?all=1"))
    assert "The rod was turned" in page
    assert "Relief and humidity" in page
    only = words(bench.get("/instruments/2?only=act"))
    assert "The rod was turned" in only
    assert "Straightness, fret tops at" not in only
    assert "Bench climate of the week:" not in only
    here = jobs.open_of(demo, [4])[4].opened_at
    for temperature, humidity in ((19.0, 38.0), (23.4, 71.0)):
        shop.add_climate(demo, here, temperature, humidity)
    climate = words(bench.get("/instruments/4?only=climate"))
    assert re.search(r"Bench climate of the week: 38 to 71 % RH, 19 to 23 °C", climate)
    later, earlier = heights[0], heights[-1]
    shown = bench.get(f"/instruments/2/compare?earlier={later.id}&later={earlier.id}")
    values = {one.id: surveys.values(demo, one.id) for one in (earlier, later)}
    lanes = {one.id: heights_from(values[one.id], one.head.method, one.frets)["middle"] for one in (earlier, later)}
    spec = instruments.get(demo, 2).spec
    off = {key: deviations(spec.positions_mm(), lane) for key, lane in lanes.items()}
    moved = [b - a for a, b in zip(off[earlier.id], off[later.id], strict=True)]  # type: ignore[operator]
    most = max(range(len(moved)), key=lambda i: abs(moved[i]))
    assert f">{off_number(moved[most], shop.settings(demo).display)}<" in shown
    refused = bench.client.get(f"/instruments/2/compare?earlier={later.id}", follow_redirects=True)
    assert "Choose two surveys" in refused.text


def test_what_is_not_known_may_stay_so_and_is_said_where_it_counts(bench: Bench, demo: Connection) -> None:
    sent = fields_of(bench.get("/instruments/new")) | {"name": "Dunlin No. 99", "nut_width_um": "44"}
    sent |= dict.fromkeys(("spread_nut_um", "board_thickness_um", "fret_height_um"), "")
    page = words(bench.post("/instruments/new", sent).text)
    assert "Not known: board thickness. 6.00 mm is taken, as is usual for its kind." in page
    assert "Until it is read nobody can say how deep a slot may go." in page
    [made] = instruments.find(demo, "Dunlin No. 99")
    assert set(made.spec.unknown) == {"spread_nut_um", "board_thickness_um", "fret_height_um"}
    # a wider nut spreads the strings as much more
    assert made.spec.spread_nut_um == STARTING["electric"].spread_nut_um + 2_000
    form = bench.get(f"/instruments/{made.id}/edit")
    assert re.search(r'name="board_thickness_um"[^>]*value=""', form)
    assert "Not known: board thickness" in words(bench.get(f"/instruments/{made.id}/board"))
    raw = bench.client.get(f"/instruments/{made.id}/record.json").data
    assert "Dunlin No. 99 (copy)" in bring(bench, raw, as_copy="1")
    known = {**sent, "board_thickness_um": "6.2", "fret_height_um": "1.1", "spread_nut_um": "36"}
    after = words(bench.post(f"/instruments/{made.id}/edit", known).text)
    assert "Not known" not in after
    refused = bench.post(f"/instruments/{made.id}/edit", {**sent, "bass_scale_um": ""})
    assert refused.status_code == 422

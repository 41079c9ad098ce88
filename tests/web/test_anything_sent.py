"""Whatever is sent to whatever address, the program answers in words: no failure, and a sound database afterwards."""

from pathlib import Path

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from deft_bench.formats.board import EXPORTS
from deft_bench.store.database import verify
from deft_bench.web import create_app
from harness import NOW, Bench

WORDS = [
    "",
    "0",
    "-1",
    "1",
    "9",
    "99",
    "abc",
    "0.1",
    "1/64",
    "nan",
    "1e400",
    "٣",
    "\x00",
    "<b>",
    "none",
    "1,2,3",
    "0.5 mm",
    "9" * 21,
    "out",
    "after",
    "tuned",
    "gap",
    "board",
    "fret_tops",
    "bass",
    "lane_by_lane",
    "electric",
    "2026-13-99",
    "x" * 5000,
    "level",
    "blocks",
    "two_stage",
    "kept",
    "2 × 300; 4 x 9 in",
    "7: knot",
    "flush bass",
    "centreline",
    "crown",
    "before_crown",
    "rocks",
    "r",
    "f",
    "rocker",
    "crown_line",
    "fepa_p 400",
    "compound 0",
    "mirror",
    "seating",
    "slot_depth",
    "sprout",
    "refret",
]
FIELDS = [
    "lift",
    "left_out",
    "objective",
    "fall_from",
    "fall_drop",
    "q",
    "after",
    "id",
    "kind",
    "lane",
    "fret",
    "reading",
    "token",
    "expects",
    "withdraw",
    "note",
    "nut",
    "shown",
    "promised_on",
    "when",
    "method",
    "tool",
    "resolution_um",
    "string_state",
    "humidity",
    "text",
    "wire",
    "piece_0_many",
    "piece_1_length",
    "nibs",
    "nibs_said",
    "in_slot_0_fret",
    "in_slot_0_where",
    "in_slot_0_edge",
    "in_slot_0_what",
    "slot_um",
    "end",
    "line",
    "sagitta",
    "span",
    "rows",
    "first",
    "gauge_1",
    "posts_um",
    "inlay_style",
    "inlay_frets",
    "mask",
    "only",
    "school",
    "turns",
    "slack",
    "aim",
    "finish",
    "start",
    "on_hand",
    "compounds",
    "step",
    "tape_fret",
    "tape_layers",
    "beam_layers",
    "tape_um",
    "first_cut",
    "school",
    "kerf_um",
    "nut_radius_um",
    "radius_kind",
    "strings",
    "post_behind_1",
    "perpendicular_fret",
    "rule_step",
    "store",
    "back",
    "system",
    "name",
    "frets",
    "bass_scale_um",
    "change",
    "rock_um",
    "history",
    "all",
]


@pytest.fixture(scope="module")
def sturdy(demo_made: Path, tmp_path_factory: pytest.TempPathFactory) -> tuple[Bench, Path]:
    path = tmp_path_factory.mktemp("sturdy") / "bench.sqlite3"
    path.write_bytes(demo_made.read_bytes())
    app = create_app(path, now=lambda: NOW)
    bench = Bench(app.test_client())
    bench.get("/")
    return bench, path


@settings(max_examples=300, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(st.data())
def test_nothing_that_is_sent_makes_the_program_fail(sturdy: tuple[Bench, Path], data: st.DataObject) -> None:
    bench, path = sturdy
    app = bench.client.application
    rule = data.draw(st.sampled_from([rule for rule in app.url_map.iter_rules() if "static" not in rule.endpoint]))
    numbers = st.integers(0, 160) | st.sampled_from([10**30])
    parts = {
        "instrument_id": numbers,
        "tab": st.sampled_from(["marking", "radius", "strings", "files"]),
        "kind": st.sampled_from([*EXPORTS, "none"]),
        "what": st.sampled_from(["again", "skip"]),
    }
    asked = {name: (rule.defaults or {}).get(name) or data.draw(parts.get(name, numbers)) for name in rule.arguments}
    url = app.url_map.bind("localhost").build(rule.endpoint, asked)
    sent = data.draw(st.dictionaries(st.sampled_from(FIELDS), st.sampled_from(WORDS), max_size=12))
    headers = {"Accept": data.draw(st.sampled_from(["text/html", "application/json"]))}
    if "POST" in (rule.methods or ()) and data.draw(st.booleans()):
        answer = bench.client.post(url, data={"csrf_token": bench.token, **sent}, headers=headers)
    else:
        answer = bench.client.get(url, query_string=sent, headers=headers)
    assert answer.status_code in (200, 204, 302, 400, 401, 404, 405, 409, 410, 422, 429), (url, sent)
    answer.close()
    verify(path)

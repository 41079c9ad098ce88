"""The calculations of strings and setup by their contract: figures, shapes, and what is refused by which path."""

import json
from typing import Any

import pytest

from deft_bench.formats.calc import RequestError, calculate

ONE = {"string": 1, "tension_n": 78, "nut_height_mm": 0.10, "pluck_n": 1.0}
NECK: dict[str, Any] = {"scale_mm": 628, "frets": 21}
PLACED: dict[str, Any] = {**NECK, "relief_mm": 0.15, "strings": [{**ONE, "action_12_mm": 1.8}]}
SET = [
    {"note": "E4", "gauge_mm": 0.254, "construction": "plain"},
    {"note": "E2", "gauge_mm": 1.168, "construction": "round_wound", "core_mm": 0.457},
]


def test_clearance_by_its_check_figures() -> None:
    answer = calculate("clearance", PLACED)
    (one,) = answer["strings"]
    assert one["margin_mm"][0][0] == pytest.approx(0.09716, abs=1e-5)
    assert one["margin_mm"][0][11] == pytest.approx(0.96667, abs=1e-5)
    assert one["margin_mm"][5][11] == pytest.approx(0.56680, abs=1e-5)
    assert one["margin_mm"][5][4] is None
    assert one["worst"] == {"fretted": 1, "over": 2, "margin_mm": pytest.approx(0.06059, abs=1e-5)}
    assert answer["buzzes"] == []
    again = calculate("clearance", {**PLACED, "strings": [{**ONE, "saddle_height_mm": one["saddle_height_mm"]}]})
    assert again["strings"][0]["action_12_mm"] == pytest.approx(1.8)
    low = calculate("clearance", {**PLACED, "strings": [{**ONE, "action_12_mm": 1.2}]})
    assert {"string", "fretted", "over", "margin_mm"} == set(low["buzzes"][0])
    proud = calculate(
        "clearance", {**PLACED, "height_error_mm": {"bass": [0.0] * 21, "treble": [0.0] * 12 + [0.2] + [0.0] * 8}}
    )
    assert proud["buzzes"]
    dropped = calculate(
        "clearance", {**PLACED, "drop_mm": [0.0] * 15 + [0.01 * i for i in range(6)], "relief_to_fret": 17}
    )
    assert dropped["strings"][0]["worst"]["margin_mm"] > 0


@pytest.mark.parametrize("capo", [1, 3, 7])
def test_a_capo_makes_a_shorter_instrument(capo: int) -> None:
    length = 628 * 2 ** (-capo / 12)
    neck: dict[str, Any] = {"scale_mm": 628, "frets": 24, "capo": capo, "joint_fret": 17}
    string = {**ONE, "saddle_height_mm": 3.5}
    held = calculate("clearance", {**neck, "relief_mm": 0, "strings": [string]})
    short = calculate(
        "clearance",
        {"scale_mm": length, "frets": 24 - capo, "relief_mm": 0, "strings": [{**string, "nut_height_mm": 0}]},
    )
    rows, own = held["strings"][0]["margin_mm"], short["strings"][0]["margin_mm"]
    assert all(value is None for row in rows[:capo] for value in row)
    for f, row in enumerate(own):
        assert rows[capo + f][capo:] == [None if mm is None else pytest.approx(mm) for mm in row]
    assert held["capo"]["open_length_mm"] == pytest.approx(length)
    assert held["capo"]["heights_mm"][0] == pytest.approx(1.75, abs=1e-6)
    # played only from there it may lie lower, or as low
    asked = {**NECK, "strings": [ONE], "relief_range_mm": [0.15, 0.15], "margin_mm": 0, "bridge": "individual"}
    free, from_there = calculate("setup-solve", asked), calculate("setup-solve", {**asked, "capo": capo})
    assert from_there["mean_action_12_mm"] <= free["mean_action_12_mm"] + 1e-9
    for name, more in (("clearance", {"relief_mm": 0, "strings": [string]}), ("diagnose", {})):
        with pytest.raises(RequestError, match=r"capo: a capo goes on frets 1 to 16, 0 is none: the neck joins"):
            calculate(
                name,
                {**neck, "relief_mm": 0, "strings": [string], "capo": 17, **more}
                | ({"heard": [{"string": 1, "fret": 18, "buzz": True}]} if name == "diagnose" else {}),
            )
    behind = {"string": 1, "fret": capo - 1, "buzz": True}
    with pytest.raises(RequestError, match=r"heard\[0\].fret: lies behind the capo"):
        calculate("diagnose", {**neck, "relief_mm": 0, "strings": [string], "heard": [behind]})
    cents = [{"fret": capo + 5, "cents": 2.0}, {"fret": capo + 12, "cents": 5.0}]
    near = [{"fret": one["fret"] - capo, "cents": one["cents"]} for one in cents]
    there = calculate("intonation", {"scale_mm": 628, "capo": capo, "strings": [{"readings": cents}]})
    plain = calculate("intonation", {"scale_mm": length, "strings": [{"readings": near}]})
    assert there["strings"][0]["saddle_shift_mm"] == pytest.approx(plain["strings"][0]["saddle_shift_mm"])
    with pytest.raises(RequestError, match="is not past the capo"):
        calculate("intonation", {"scale_mm": 628, "capo": capo + 5, "strings": [{"readings": cents}]})


def test_the_lowest_setup_by_its_check_figure() -> None:
    asked = {**NECK, "strings": [ONE], "relief_range_mm": [0.15, 0.15], "margin_mm": 0, "bridge": "individual"}
    answer = calculate("setup-solve", asked)
    assert answer["strings"][0]["action_12_mm"] == pytest.approx(1.3563, abs=1e-4)
    assert answer["strings"][0]["limited_by"]["fretted"] == 1
    assert answer["call"]["do"] == "set"
    assert answer["bridge_settings"] is None
    (row,) = answer["strings"]
    assert (answer["kind"], row["usual"], row["offered"], answer["one_fret_costs"]) == ("electric", True, True, [])
    assert row["usual_mm"][0] < row["action_12_mm"] < row["usual_mm"][1]
    hard = calculate("setup-solve", {**asked, "strings": [{**ONE, "pluck_n": 6}], "height_error_mm": [0.0] * 21})
    assert (hard["call"]["do"], hard["strings"][0]["offered"]) == ("preset", False)
    proud = calculate("setup-solve", {**asked, "height_error_mm": [0.0] * 8 + [0.08] + [0.0] * 12})
    assert proud["one_fret_costs"][0]["fret"] == 9
    with pytest.raises(RequestError, match=r"strings\[0\].pluck_n"):
        calculate("setup-solve", {**asked, "strings": [{**ONE, "pluck_n": 0}]})
    moved = {
        **asked,
        "strings": [{**ONE, "string": n} for n in (1, 2, 3)],
        "bridge": "two_post",
        "string_spread_saddle_mm": 52,
        "board_radius_at_saddle_mm": 305,
        "bridge_radius_mm": None,
        "post_spacing_mm": 74,
        "relief_range_mm": [0.05, 0.3],
    }
    settings = calculate("setup-solve", moved)["bridge_settings"]
    assert settings["treble_post_mm"] - settings["bass_post_mm"] == pytest.approx(74 * settings["tilt_mm_per_mm"])


def test_diagnose_names_cause_cure_and_next_note() -> None:
    heard = [{"string": 1, "fret": 8, "buzz": True}, {"string": 1, "fret": 9, "buzz": False}]
    answer = calculate("diagnose", {**PLACED, "heard": heard, "read_sd": {"relief_mm": 0.02}})
    assert not answer["fits"]
    assert {"hand", "strings", "next_test", "action_raise_mm", "call"} <= set(answer)
    best = answer["causes"][0]
    assert {"cause", "size", "chance", "unexplained", "cure", "reversible", "minutes", "metal_mm"} <= set(best)
    assert {"cost_action_mm", "evens"} <= set(best)
    assert {one["kind"] for one in answer["causes"]} >= {"hand", "saddle", "fret"}
    assert sum(one["chance"] for one in answer["causes"]) + answer["as_read_chance"] == pytest.approx(1.0)
    assert answer["call"]["sure"] == "unsure"
    fits = calculate("diagnose", {**PLACED, "heard": [{"string": 1, "fret": 3, "buzz": False}]})
    assert fits["fits"]
    assert fits["causes"] == []
    with pytest.raises(RequestError, match=r"read_sd\.relief_mm"):
        calculate("diagnose", {**PLACED, "heard": heard, "read_sd": {"relief_mm": 0}})


def test_string_set_tension_and_what_is_assumed() -> None:
    answer = calculate(
        "string-set", {"scale_mm": 648, "strings": [*SET, {**SET[1], "core_mm": 0.3, "unit_weight_kg_per_m": 0.006}]}
    )
    assert answer["total_tension_n"] == pytest.approx(sum(one["tension_n"] for one in answer["strings"]))
    assert answer["strings"][0]["hz"] == pytest.approx(329.6276, abs=1e-3)
    assert answer["strings"][2]["unit_weight_kg_per_m"] == 0.006
    bare = {name: value for name, value in SET[1].items() if name != "core_mm"}
    assert calculate("string-set", {"scale_mm": 648, "strings": [bare]})["strings"][0]["assumed"] == ["core"]
    own = calculate("string-set", {"strings": [{**SET[0], "scale_mm": 700}]})
    assert own["strings"][0]["tension_n"] > answer["strings"][0]["tension_n"]


@pytest.mark.parametrize(
    ("name", "row", "more"),
    [
        ("string-set", {"gauge_mm": 0.3, "construction": "plain", "hz": 300}, {}),
        ("compensation", {"gauge_mm": 0.3, "construction": "plain", "hz": 300, "action_12_mm": 1.5}, {}),
        ("nut-depth", {"gap_over_1_mm": 0.2, "target_gap_mm": 0.05}, {}),
        ("saddle-height", {"now_mm": 1.5, "target_mm": 1.6}, {"compensation_mm": 1}),
        ("intonation", {"readings": [{"fret": fret, "cents": 1} for fret in (3, 7, 12)]}, {}),
    ],
)
def test_every_list_of_strings_takes_and_answers_their_numbers(
    name: str, row: dict[str, Any], more: dict[str, Any]
) -> None:
    asked = {"scale_mm": 648, "strings": [{**row, "string": 6}, {**row, "string": 2}], **more}
    assert [one["string"] for one in calculate(name, asked)["strings"]] == [6, 2]
    unsaid = {**asked, "strings": [row, row]}
    assert [one["string"] for one in calculate(name, unsaid)["strings"]] == [1, 2]
    with pytest.raises(RequestError) as refused:
        calculate(name, {**asked, "strings": [{**row, "string": 2}, row]})
    assert refused.value.lines == ["strings[1].string: string 2 stands twice"]


def test_nut_saddle_compensation_and_intonation_by_their_check_figures() -> None:
    nut = calculate(
        "nut-depth",
        {
            "scale_mm": 628,
            "strings": [{"gap_over_1_mm": 0.20, "target_gap_mm": 0.05, "gauge_mm": 0.3}],
            "files_on_hand_mm": [0.3, 0.36],
        },
    )
    (slot,) = nut["strings"]
    assert (slot["slot_height_mm"], slot["target_height_mm"], slot["file_mm"]) == pytest.approx(
        (0.4119, 0.1030, 0.3089), abs=1e-4
    )
    assert slot["slot_width_mm"] == pytest.approx(0.35)
    assert slot["file_choice_mm"] == slot["file_choice"] == 0.36
    low = calculate(
        "nut-depth", {"scale_mm": 628, "bearing_fret": 3, "strings": [{"gap_over_1_mm": 0.01, "target_gap_mm": 0.05}]}
    )
    assert low["strings"][0]["instead"]
    spaced = calculate(
        "nut-spacing",
        {
            "nut_width_mm": 42,
            "edge_bass_mm": 3,
            "edge_treble_mm": 3,
            "gauges_mm": [0.25, 0.33, 0.43, 0.66, 0.91, 1.17],
            "school": "equal_gaps",
        },
    )
    assert max(spaced["gaps_mm"]) - min(spaced["gaps_mm"]) < 1e-9
    assert spaced["centres_mm"][0] == pytest.approx(42 - 3 - 0.125)
    for pocket, at, thick in (({"up": 5, "down": 0}, "body end", 0.3), ({"up": 0, "down": 5}, "mouth", 0.42857)):
        way = -1 if at == "body end" else 1
        answer = calculate(
            "saddle-height",
            {
                "scale_mm": 628,
                "compensation_mm": 0,
                "strings": [{"now_mm": 2.0, "target_mm": 2.0 + way * 0.5, "travel_mm": pocket}],
                "pocket": {"length_mm": 75, "mouth_to_saddle_mm": 250},
            },
        )
        assert (answer["shim"]["at"], answer["shim"]["thickness_mm"]) == (at, pytest.approx(thick, abs=1e-4))
        assert answer["strings"][0]["out_of_travel_mm"] == pytest.approx(way * 1.0)
    cut = calculate(
        "saddle-height",
        {
            "scale_mm": 645,
            "compensation_mm": 2.5,
            "strings": [{"now_mm": 2.0, "target_mm": 1.8}, {"now_mm": 2.6, "target_mm": 2.2}],
            "string_spread_saddle_mm": 54,
            "saddle_overhang_mm": 6,
        },
    )
    assert cut["take_off_bass_mm"] > cut["strings"][1]["raise_mm"] * -1
    back = calculate(
        "compensation", {"scale_mm": 648, "strings": [{**SET[0], "action_12_mm": 1.5}, {**SET[1], "action_12_mm": 2.0}]}
    )
    assert [one["saddle_back_mm"] for one in back["strings"]] == pytest.approx([1.2, 4.9], abs=0.05)
    readings = [{"fret": n, "cents": c} for n, c in ((1, 9), (3, 7), (5, 7), (7, 8), (12, 11), (15, 13))]
    string = {"readings": readings, "open_sd_cents": 0}
    (one,) = calculate("intonation", {"scale_mm": 628, "strings": [string]})["strings"]
    assert (one["with_nut"]["saddle_shift_mm"], one["nut_shift_mm"], one["at_12_only_mm"]) == pytest.approx(
        (1.4993, 2.4606, 3.990), abs=1e-3
    )
    assert one["pressing_cents"] is None
    assert max(map(abs, one["residual_cents"])) == pytest.approx(one["reachable_cents"])
    known = {"action_12_mm": 1.8, "gap_over_1_mm": 0.05, "gauge_mm": 0.254, "tension_n": 73}
    (pressed,) = calculate("intonation", {"scale_mm": 628, "strings": [string | known]})["strings"]
    assert pressed["pressing_cents"][4] == pytest.approx(
        1731.23 / 2 * 2e5 * 3.14159 * 0.254**2 / 4 / 73 * 1.8**2 * 2 / 628 / 628, rel=0.01
    )
    with pytest.raises(RequestError, match="core"):
        calculate("intonation", {"scale_mm": 628, "strings": [string | known | {"core_mm": 0.3}]})
    alone = calculate("intonation", {"scale_mm": 628, "strings": [{"readings": [{"fret": 12, "cents": 5}]}]})[
        "strings"
    ][0]
    assert (alone["sure"], alone["nut_shift_mm"], alone["nut_shift_sd_mm"]) == ("unsure", 0, None)
    assert "fret 1" in alone["settle"]


@pytest.mark.parametrize(
    ("name", "request_", "line"),
    [
        (
            "string-set",
            {"scale_mm": 648, "strings": [{**SET[0], "gauge_mm": 2000}]},
            "strings[0].gauge_mm: 2000 is more than 5",
        ),
        ("string-set", {"scale_mm": 648, "strings": [{**SET[0], "note": "H2"}]}, "strings[0].note: “H2” is not a note"),
        ("string-set", {"strings": SET}, "strings[0].scale_mm"),
        ("string-set", {"scale_mm": 648, "strings": [{**SET[0], "hz": 330}]}, "strings[0]: give either"),
        (
            "string-set",
            {"scale_mm": 648, "strings": [{**SET[0], "core_mm": 0.2}]},
            "strings[0].core_mm: a plain string",
        ),
        ("clearance", {**PLACED, "strings": [{**ONE, "action_12_mm": -0.1}]}, "strings[0].action_12_mm"),
        ("clearance", {**PLACED, "strings": [ONE]}, "strings[0]: give either `action_12_mm`"),
        ("clearance", {**PLACED, "frets": 11}, "frets: 11 is less than 12"),
        ("clearance", {**PLACED, "height_error_mm": [0.0] * 20}, "height_error_mm: must hold one entry a fret"),
        ("clearance", {**PLACED, "relief_from_fret": 20}, "relief_to_fret: relief is read between"),
        ("clearance", {**PLACED, "relief_mm": -3.0}, "relief_mm: lifts the middle of the neck above string 1"),
        ("clearance", {**PLACED, "pluck_from_saddle_mm": 700}, "pluck_from_saddle_mm: lies past the nut"),
        (
            "clearance",
            {**PLACED, "strings": [{**ONE, "string": 2, "action_12_mm": 2}]},
            "strings: their numbers must be 1 to 1",
        ),
        (
            "setup-solve",
            {**NECK, "strings": [ONE], "relief_range_mm": [0.3, 0.1], "margin_mm": 0, "bridge": "individual"},
            "relief_range_mm",
        ),
        (
            "setup-solve",
            {**NECK, "strings": [ONE], "relief_range_mm": [0.1, 0.3], "margin_mm": 0, "bridge": "one_piece"},
            "bridge_radius_mm: a one_piece bridge needs it",
        ),
        (
            "setup-solve",
            {**PLACED, "relief_range_mm": [0.1, 0.3], "margin_mm": 0, "bridge": "individual"},
            "relief_mm: unknown field",
        ),
        (
            "diagnose",
            {**PLACED, "heard": [{"string": 1, "fret": 30, "buzz": True}]},
            "heard: string 1 at fret 30 is not on this neck",
        ),
        (
            "nut-depth",
            {"scale_mm": 628, "bearing_fret": 1, "strings": [{"gap_over_1_mm": 0.2, "target_gap_mm": 0.1}]},
            "bearing_fret",
        ),
        (
            "nut-spacing",
            {"nut_width_mm": 10, "edge_bass_mm": 4, "edge_treble_mm": 4, "gauges_mm": [2, 2], "school": "equal_gaps"},
            "gauges_mm: the strings would touch",
        ),
        (
            "saddle-height",
            {
                "scale_mm": 628,
                "compensation_mm": 0,
                "strings": [{"now_mm": 2, "target_mm": 1}],
                "string_spread_saddle_mm": 50,
            },
            "strings: a one-piece",
        ),
        (
            "saddle-height",
            {
                "scale_mm": 628,
                "compensation_mm": 0,
                "strings": [{"now_mm": 2, "target_mm": 1}],
                "pocket": {"length_mm": 80, "mouth_to_saddle_mm": 60},
            },
            "pocket.mouth_to_saddle_mm",
        ),
        ("compensation", {"scale_mm": 648, "strings": SET}, "strings[0].action_12_mm"),
        (
            "compensation",
            {"scale_mm": 648, "strings": SET, "action_12_mm": [1.5]},
            "action_12_mm: must hold one entry a string",
        ),
        (
            "intonation",
            {"scale_mm": 628, "strings": [{"readings": [{"fret": 12, "cents": 300}]}]},
            "strings[0].readings[0].cents: 300 is more than 100",
        ),
        ("intonation", {"scale_mm": 628, "strings": [{"readings": []}]}, "strings[0].readings"),
    ],
)
def test_what_cannot_be_is_refused_by_its_path(name: str, request_: dict[str, Any], line: str) -> None:
    with pytest.raises(RequestError) as refused:
        calculate(name, request_)
    assert any(found.startswith(line) for found in refused.value.lines), refused.value.lines


def test_answers_hold_only_plain_numbers() -> None:
    for name, asked in (
        ("clearance", PLACED),
        ("diagnose", {**PLACED, "heard": [{"string": 1, "fret": 0, "buzz": True}]}),
    ):
        text = json.dumps(calculate(name, asked), allow_nan=False)
        assert "-0.0," not in text

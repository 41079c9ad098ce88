"""The board's calculations: reference figures, and what must hold on any board."""

import itertools
import math
from typing import Any

import pytest
from hypothesis import assume, given
from hypothesis import strategies as st

from deft_bench.core.board.cutting import plan_cutting
from deft_bench.core.board.positions import fret_position
from deft_bench.formats.calc import RequestError, calculate

FANNED: dict[str, Any] = {
    "bass_scale_mm": 660,
    "treble_scale_mm": 628,
    "perpendicular_fret": 8,
    "frets": 22,
    "strings": 6,
    "string_spread_nut_mm": 36,
    "string_spread_saddle_mm": 52,
    "edge_margin_mm": {"bass": 3.5, "treble": 3.5},
    "end_overhang_mm": 8,
}
GAUGES = [0.25, 0.33, 0.43, 0.66, 0.91, 1.17]


def test_reference_layout() -> None:
    found = calculate("board-layout", FANNED)
    frets = found["frets"]
    assert (round(frets[0]["slot_length_mm"], 3), round(frets[0]["angle_deg"], 3)) == (45.268, 18.209)
    assert (round(frets[8]["slot_length_mm"], 3), round(frets[8]["angle_deg"], 6)) == (48.921, 0)
    assert [round(v, 3) for v in frets[12]["bass_edge"] + frets[12]["treble_edge"]] == [
        324.386,
        -25.504,
        319.565,
        25.496,
    ]
    assert round(frets[22]["slot_length_mm"], 3) == 55.999
    assert [round(s["effective_scale_mm"], 6) for s in (found["strings"][0], found["strings"][-1])] == [628, 660]
    assert all((s["worst_cents"], s["worst_fret"]) == (0, None) for s in found["strings"])


@given(
    st.floats(400, 900),
    st.floats(0, 0.08),
    st.integers(12, 24),
    st.integers(2, 12),
    st.floats(24, 50),
    st.floats(0, 25),
    st.floats(1, 6),
    st.floats(1, 6),
    st.floats(0, 20),
    st.booleans(),
)
def test_any_board(
    treble: float,
    fan: float,
    frets: int,
    strings: int,
    nut: float,
    more: float,
    one: float,
    other: float,
    over: float,
    along: bool,
) -> None:
    asked = FANNED | {
        "bass_scale_mm": treble * (1 + fan),
        "treble_scale_mm": treble,
        "perpendicular_fret": frets / 2,
        "frets": frets,
        "strings": strings,
        "string_spread_nut_mm": nut,
        "string_spread_saddle_mm": nut + more,
        "edge_margin_mm": {"bass": one, "treble": other},
        "end_overhang_mm": over,
        "measured_along": "outer_strings" if along else "centreline",
    }
    found = calculate("board-layout", asked)
    assert all(abs(string["worst_cents"]) < 1e-6 for string in found["strings"])
    centres = [fret["centre_x_mm"] for fret in found["frets"]]
    assert centres == sorted(centres)
    assert centres[0] == pytest.approx(0, abs=1e-9)
    ys = [string["nut"][1] for string in found["strings"]]
    assert ys == sorted(ys, reverse=True)
    bass_nut, bass_end, treble_end, treble_nut = found["outline"]
    assert bass_nut[1] < 0 < treble_nut[1]
    last = found["frets"][-1]
    slope = math.atan2(treble_end[0] - bass_end[0], treble_end[1] - bass_end[1])
    assert math.degrees(slope) == pytest.approx(last["angle_deg"], abs=1e-6)
    if along:
        assert found["strings"][0]["effective_scale_mm"] == pytest.approx(treble)


def test_equal_gaps_are_equal_and_their_error_is_reported() -> None:
    found = calculate("board-layout", FANNED | {"gauges_mm": GAUGES, "spacing": "equal_gaps"})
    for end in ("nut", "saddle"):
        ys = [string[end][1] for string in found["strings"]]
        gaps = [ys[i] - ys[i + 1] - (GAUGES[i] + GAUGES[i + 1]) / 2 for i in range(5)]
        assert gaps == pytest.approx([gaps[0]] * 5)
    worst = [abs(string["worst_cents"]) for string in found["strings"]]
    assert worst[0] == worst[-1] == 0
    assert 0 < max(worst) < 2
    with pytest.raises(RequestError, match="would touch"):
        calculate("board-layout", FANNED | {"gauges_mm": [8] * 6, "spacing": "equal_gaps"})


@given(st.floats(60, 2400), st.floats(0.02, 0.99))
def test_radius_and_sagitta_are_inverse(radius: float, share: float) -> None:
    width = 2 * radius * share
    fall = calculate("radius", {"radius_mm": radius, "width_mm": width})["sagitta_mm"]
    assert fall == pytest.approx(radius - math.sqrt(radius**2 - width**2 / 4), rel=1e-6, abs=1e-6)
    assume(fall > 1e-3)
    assert calculate("radius", {"sagitta_mm": fall, "width_mm": width})["radius_mm"] == pytest.approx(radius, rel=1e-4)


def test_reference_radius_and_a_cone() -> None:
    assert round(calculate("radius", {"radius_mm": 305, "width_mm": 54})["sagitta_mm"], 4) == 1.1974
    cone = {"nut_radius_mm": 254, "end_radius_mm": 406, "end_x_mm": 450}
    assert calculate("radius", {**cone, "x_mm": 225, "scale_mm": 648}) == {
        "radius_mm": 330,
        "sagitta_mm": None,
        "saddle_radius_mm": pytest.approx(472.88),
    }


@given(st.floats(150, 600), st.floats(10, 22), st.floats(1.05, 1.8), st.integers(0, 5), st.integers(10, 24))
def test_a_cylinder_humps_under_a_tapered_string_and_a_shared_cone_does_not(
    radius: float, y: float, taper: float, first: int, last: int
) -> None:
    asked = {
        "scale_mm": 640,
        "string_y_nut_mm": y,
        "string_y_saddle_mm": y * taper,
        "from_fret": first,
        "to_fret": last,
    }
    found = calculate("string-path-hump", {**asked, "radius_mm": radius})
    assert found["hump_mm"] > 0
    assert first < found["at_fret"] < last
    assert len(found["profile_mm"]) == last - first + 1
    assert found["profile_mm"][0] == found["profile_mm"][-1] == 0
    # the cone whose apex the strings share: radius grows in the same ratio as the strings spread
    cone = {"nut_radius_mm": radius, "end_radius_mm": radius * taper, "end_x_mm": 640}
    assert calculate("string-path-hump", {**asked, **cone})["hump_mm"] == pytest.approx(0, abs=1e-9)
    straight = {**asked, "string_y_saddle_mm": y, "radius_mm": radius}
    assert calculate("string-path-hump", straight)["hump_mm"] == pytest.approx(0, abs=1e-9)


@given(st.floats(1, 2), st.floats(0, 0.5), st.floats(150, 600) | st.none(), st.floats(40, 60), st.floats(0.3, 1.2))
def test_slots_by_school(tang: float, gap: float, radius: float | None, width: float, guide: float) -> None:
    asked = {
        "tang_depth_mm": tang,
        "under_tang_gap_mm": gap,
        "radius_mm": radius,
        "width_mm": width,
        "board_thickness_mm": 7,
        "guide_depth_mm": guide,
    }
    flat, two, along = (
        calculate("slot", {**asked, "school": school})
        for school in ("flat_before_radius", "two_stage", "follow_radius")
    )
    fall = 7 - flat["edge_thickness_mm"]

    def near(value: float) -> Any:
        return pytest.approx(value, abs=3e-9)  # answers are rounded to a billionth

    assert flat["first_cut_mm"] == near(tang + gap + fall)
    assert flat["void_at_centre_mm"] == near(gap + fall)
    assert two["first_cut_mm"] == near(fall + guide)
    assert two["void_at_centre_mm"] == near(max(gap, fall + guide - tang))
    assume(abs(fall + guide - tang - gap) > 1e-6)
    assert any("guide" in line for line in two["warnings"]) == (fall + guide - tang > gap)
    assert along["first_cut_mm"] is None
    assert along["void_at_centre_mm"] == near(gap)
    assert all(found["final_depth_mm"] == near(tang + gap) for found in (flat, two, along))
    assert flat["wood_under_slot_mm"] == near(along["wood_under_slot_mm"])
    assert two["wood_under_slot_mm"] <= along["wood_under_slot_mm"] + 1e-9
    # with no radius there is nothing between the schools but the guide
    if radius is None:
        assert flat["void_at_centre_mm"] == along["void_at_centre_mm"]


@given(st.integers(1, 4000), st.integers(1, 4000), st.integers(1, 300))
def test_no_pass_is_lost_or_gained_to_rounding(start: int, target: int, step: int) -> None:
    found = calculate(
        "thickness-passes", {"start_mm": start / 100, "target_mm": target / 100, "per_pass_mm": step / 100}
    )
    passes = max(0, -(-(start - target) // step))
    assert found["passes"] == passes == len(found["heights_mm"])
    if passes:
        assert found["heights_mm"][-1] == target / 100
        assert 0 < found["last_pass_mm"] <= step / 100 + 1e-9
    assert calculate("thickness-passes", {"start_mm": 0.3, "target_mm": 0.001, "per_pass_mm": 0.1})["passes"] == 3


def test_a_neck_in_section() -> None:
    section = {
        "fret": 1,
        "blank_mm": 18,
        "board_mm": 6,
        "width_mm": 43,
        "radius_mm": 305,
        "rod_channel_mm": 9.5,
        "target_mm": 20.5,
    }
    found = calculate(
        "neck-section", {"sections": [section, section | {"fret": 12, "target_mm": 18, "rod_channel_mm": 12}]}
    )["sections"]
    assert (found[0]["remove_mm"], found[0]["wood_over_rod_mm"], found[0]["warnings"]) == (3.5, 5.0, [])
    assert found[0]["board_edge_mm"] == pytest.approx(6 - (305 - math.sqrt(305**2 - 21.5**2)))
    assert found[1]["warnings"] == ["the channel would come out through the back"]


def test_facets_of_a_half_circle() -> None:
    def of(stages: int) -> Any:
        asked = {"sections": [{"fret": 1, "width_mm": 40, "depth_mm": 20}], "stages": stages}
        return calculate("neck-facets", asked)["sections"][0]

    (first,) = of(1)["facets"]
    near, far = 20 * (math.sqrt(2) - 1), 20 * math.sqrt(0.5)
    assert first["inner"] == pytest.approx({"from_centre_mm": near, "from_board_mm": 20})
    assert first["outer"] == pytest.approx({"from_centre_mm": 20, "from_board_mm": near})
    assert first["touches"] == pytest.approx({"from_centre_mm": far, "from_board_mm": far})
    for stages, angle in ((1, 22.5), (2, 11.25), (3, 5.625)):
        assert len(of(stages)["facets"]) == 2**stages - 1
        assert of(stages)["left_mm"] == pytest.approx(20 / math.cos(math.radians(angle)) - 20, abs=1e-3)


@given(st.floats(30, 80), st.floats(8, 30), st.floats(1.2, 6), st.integers(1, 3))
def test_no_facet_cuts_into_the_section(width: float, depth: float, fullness: float, stages: int) -> None:
    section = {"fret": 5, "width_mm": width, "depth_mm": depth, "fullness": fullness}
    (found,) = calculate("neck-facets", {"sections": [section], "stages": stages})["sections"]

    def inside(mark: dict[str, float]) -> float:
        across, down = 2 * mark["from_centre_mm"] / width, mark["from_board_mm"] / depth
        return float(max(0.0, across) ** fullness + max(0.0, down) ** fullness)

    for facet in found["facets"]:
        assert inside(facet["touches"]) == pytest.approx(1)
        turn = math.radians(facet["angle_deg"])
        for edge in (facet["inner"], facet["outer"]):
            assert inside(edge) >= 1 - 1e-9
            # the edges and the line that stays lie in one plane, turned as it says
            across = edge["from_centre_mm"] - facet["touches"]["from_centre_mm"]
            down = edge["from_board_mm"] - facet["touches"]["from_board_mm"]
            assert across * math.sin(turn) + down * math.cos(turn) == pytest.approx(0, abs=1e-6)
    assert 0 <= found["left_mm"] < width


def test_a_datum_is_set_as_it_can_be_and_checked_again() -> None:
    found = calculate(
        "datum-transfer", {"scale_mm": 628, "datum": "fret_12", "drawing_centre_x_mm": 200, "set_fraction": 64}
    )
    assert found["offset_mm"] == 114
    assert found["set_mm"] == pytest.approx(round(114 / 25.4 * 64) * 25.4 / 64)
    assert found["set_mm"] + found["remainder_mm"] == pytest.approx(114)
    assert [abs(c) for c in found["cents_at_stake"]] == sorted(abs(c) for c in found["cents_at_stake"])
    assert found["recheck"][1]["mm"] == 314
    nineteen = {"layout": FANNED | {"divisions": 19}, "datum": "nut", "drawing_centre_x_mm": 0}
    assert calculate("datum-transfer", nineteen)["recheck"][1]["what"] == "nut to fret 19: half the scale"
    fanned = calculate("datum-transfer", {"layout": FANNED, "datum": "square_fret", "drawing_centre_x_mm": 0})
    assert fanned["offset_mm"] == pytest.approx(calculate("board-layout", FANNED)["frets"][8]["centre_x_mm"])
    ten = calculate("datum-transfer", {"scale_mm": 628, "datum": "nut", "drawing_centre_x_mm": 10})
    assert (ten["offset_mm"], ten["toward"]) == (-10, "nut")
    # the same place, however it was measured
    twelfth, last = 314.0, fret_position(628, 24)
    for measured, distance in (("nut", 200.0), ("fret_12", 200 - twelfth), ("last_fret", last - 200)):
        asked = {"scale_mm": 628, "datum": "fret_12", "drawing_centre_x_mm": distance, "measured_from": measured}
        found = calculate("datum-transfer", asked)
        assert found["offset_mm"] == pytest.approx(114)
        assert found["toward"] == "body"


CUT = {"overhang_mm": 1, "binding_mm": 0, "tang_setback_mm": 0, "saw_loss_mm": 0.5}


def fewest(blanks: list[int], piece: int, saw: int) -> int:
    """The fewest pieces by trying every way of sharing the blanks out."""

    def share(i: int, rooms: list[int]) -> int:
        if i == len(blanks):
            return len(rooms)
        ways = [share(i + 1, [*rooms, piece + saw - blanks[i] - saw])]
        for k, room in enumerate(rooms):
            if room >= blanks[i] + saw:
                ways.append(share(i + 1, [*rooms[:k], room - blanks[i] - saw, *rooms[k + 1 :]]))
        return min(ways)

    return share(0, [])


@given(st.lists(st.integers(30, 70), min_size=1, max_size=7), st.integers(72, 220), st.integers(0, 3))
def test_the_fewest_pieces_are_the_fewest(slots: list[int], piece: int, saw: int) -> None:
    asked = CUT | {"slot_lengths_mm": slots, "piece_length_mm": piece, "saw_loss_mm": saw}
    found = calculate("cut-list", asked)
    assert found["proven"]
    assert found["pieces_needed"] == len(found["pieces"]) == fewest([slot + 2 for slot in slots], piece, saw)
    assert sorted(fret for part in found["pieces"] for fret in part["frets"]) == list(range(1, len(slots) + 1))
    for part in found["pieces"]:
        used = sum(slots[fret - 1] + 2 for fret in part["frets"]) + saw * (len(part["frets"]) - 1)
        assert part["used_mm"] == used <= piece
        assert part["left_mm"] == piece - used


@pytest.mark.parametrize("piece", [200, 260, 300, 330, 500, 610, 1000])
def test_whole_boards_are_proven_from_any_usual_piece(piece: int) -> None:
    for frets in (20, 22, 24):
        for nut, last in ((43, 56), (52, 62), (41, 63)):
            slots = [nut + (last - nut) * (1 - 2 ** (-n / 12)) / (1 - 2 ** (-frets / 12)) for n in range(1, frets + 1)]
            assert calculate("cut-list", CUT | {"slot_lengths_mm": slots, "piece_length_mm": piece})["proven"], (
                frets,
                nut,
            )


def test_a_bound_board_cut_from_what_is_on_hand() -> None:
    found = calculate(
        "cut-list",
        CUT | {"layout": FANNED, "binding_mm": 1.5, "tang_setback_mm": 0.5, "pieces_mm": [300, 600, 450, 560]},
    )
    assert found["proven"]
    assert (found["pieces_needed"], len(found["frets"])) == (3, 22)
    twelve = found["frets"][11]
    slot = calculate("board-layout", FANNED)["frets"][12]["slot_length_mm"]
    assert (twelve["holder_slot"], twelve["crown_length_mm"]) == (12, pytest.approx(slot + 2))
    assert twelve["tang_length_mm"] == pytest.approx(slot - 4)
    there = [{"fret": 3, "what": "screw", "lane": "middle", "depth_mm": 0.9}, {"fret": 1, "what": "knot", "at_mm": 12}]
    over = CUT | {"layout": FANNED, "frets_to_cut": [3, 1], "piece_length_mm": 300, "obstructions": there}
    screw, knot = calculate("cut-list", over | {"tang_depth_mm": 1.6})["notches"]
    assert (screw["fret"], screw["height_mm"], knot["at_mm"], knot["height_mm"]) == (3, pytest.approx(0.8), 12, None)
    middle = calculate("board-layout", FANNED)["frets"][3]["slot_length_mm"] / 2
    assert screw["at_mm"] == pytest.approx(middle)
    with pytest.raises(RequestError) as without:
        calculate("cut-list", over)
    assert without.value.lines[0].startswith("tang_depth_mm: missing")
    some = calculate("cut-list", CUT | {"layout": FANNED, "frets_to_cut": [3, 1], "piece_length_mm": 300})
    assert [fret["fret"] for fret in some["frets"]] == [1, 3]


@pytest.mark.parametrize(
    ("barb", "tang", "fit"),
    [
        (0.60, 0.5, "loose"),
        (0.64, 0.5, "loose"),
        (0.65, 0.5, "glue"),
        (0.74, 0.5, "glue"),
        (0.75, 0.5, "press"),
        (0.90, 0.5, "press"),
        (0.92, 0.5, "tight"),
        (0.8, 0.62, "tight"),
    ],
)
def test_the_fit_of_a_wire(barb: float, tang: float, fit: str) -> None:
    asked = {
        "slot_width_mm": 0.6,
        "tang_width_mm": tang,
        "barb_width_mm": barb,
        "wire_radius_mm": 230,
        "board_radius_mm": 305,
    }
    found = calculate("wire-fit", asked)
    assert (found["fit"], found["call"]["do"], found["overbend_ok"]) == (fit, fit, True)
    assert found["barb_bite_mm"] == pytest.approx(barb - 0.6)
    assert not calculate("wire-fit", {**asked, "wire_radius_mm": 305})["overbend_ok"]
    assert not calculate("wire-fit", {**asked, "wire_radius_mm": 200})["overbend_ok"]
    assert calculate("wire-fit", {**asked, "wire_radius_mm": 900, "board_radius_mm": None})["overbend_ok"]


@pytest.mark.parametrize(
    ("name", "request_", "line"),
    [
        ("board-layout", FANNED | {"perpendicular_fret": 23}, "perpendicular_fret: lies past"),
        ("board-layout", FANNED | {"string_spread_saddle_mm": 30}, "string_spread_saddle_mm: strings spread"),
        ("board-layout", FANNED | {"spacing": "equal_gaps"}, "gauges_mm: missing"),
        ("board-layout", FANNED | {"gauges_mm": [1, 1]}, "gauges_mm: must hold one entry a string"),
        ("board-layout", FANNED | {"bass_scale_mm": 3000, "perpendicular_fret": 20}, "perpendicular_fret: frets"),
        ("radius", {"width_mm": 40}, "radius_mm: give one"),
        ("radius", {"radius_mm": 20, "width_mm": 54}, "width_mm: 54 is wider than the circle"),
        ("radius", {"sagitta_mm": 30, "width_mm": 54}, "sagitta_mm: 30 is past"),
        ("radius", {"nut_radius_mm": 200}, "end_radius_mm: missing"),
        (
            "radius",
            {"nut_radius_mm": 200, "end_radius_mm": 100, "end_x_mm": 100, "x_mm": 300},
            "end_radius_mm: the cone has closed",
        ),
        (
            "string-path-hump",
            {
                "scale_mm": 628,
                "string_y_nut_mm": 20,
                "string_y_saddle_mm": 26,
                "from_fret": 3,
                "to_fret": 4,
                "radius_mm": 300,
            },
            "to_fret: must be",
        ),
        (
            "string-path-hump",
            {
                "scale_mm": 628,
                "string_y_nut_mm": 20,
                "string_y_saddle_mm": 26,
                "from_fret": 0,
                "to_fret": 4,
                "radius_mm": 9,
            },
            "radius_mm: the string runs off",
        ),
        (
            "slot",
            {
                "tang_depth_mm": 5,
                "under_tang_gap_mm": 1,
                "radius_mm": None,
                "width_mm": 50,
                "board_thickness_mm": 6,
                "school": "follow_radius",
            },
            "board_thickness_mm: the slot would",
        ),
        ("thickness-passes", {"start_mm": 1000, "target_mm": 1, "per_pass_mm": 0.001}, "per_pass_mm: more than"),
        ("neck-section", {"sections": [{"fret": 1}]}, "sections[0].blank_mm: missing"),
        ("cut-list", CUT | {"slot_lengths_mm": [50, 80], "piece_length_mm": 81}, "piece_length_mm: the blank of 82 mm"),
        (
            "cut-list",
            CUT | {"slot_lengths_mm": [50] * 9, "pieces_mm": [160, 200]},
            "pieces_mm: the pieces on hand are not enough",
        ),
        (
            "cut-list",
            CUT | {"slot_lengths_mm": [50], "piece_length_mm": 99, "binding_mm": 25},
            "tang_setback_mm: with the binding",
        ),
        (
            "cut-list",
            CUT | {"slot_lengths_mm": [50], "piece_length_mm": 99, "frets_to_cut": [2]},
            "frets_to_cut: fret 2",
        ),
        ("cut-list", CUT | {"piece_length_mm": 99}, "slot_lengths_mm: give"),
        ("datum-transfer", {"datum": "nut", "drawing_centre_x_mm": 0}, "scale_mm: give"),
        (
            "datum-transfer",
            {"layout": {**FANNED, "frets": 0}, "datum": "nut", "drawing_centre_x_mm": 0},
            "layout.frets: 0 is less",
        ),
        (
            "datum-transfer",
            {"scale_mm": 628, "frets": 9, "datum": "fret_12", "drawing_centre_x_mm": 0},
            "datum: this board",
        ),
    ],
)
def test_a_board_that_cannot_be_is_refused_at_its_field(name: str, request_: dict[str, Any], line: str) -> None:
    with pytest.raises(RequestError) as refused:
        calculate(name, request_)
    assert any(found.startswith(line) for found in refused.value.lines), refused.value.lines


@given(
    st.lists(st.integers(45_000, 60_000), min_size=1, max_size=6),
    st.lists(st.integers(60_000, 400_000), min_size=6, max_size=9),
    st.integers(0, 1_000),
)
def test_offcuts_are_cut_before_whole_pieces(blanks: list[int], pieces: list[int], saw: int) -> None:
    """The pieces taken are the shortest that hold the sets of blanks, against every other choice of pieces."""
    plan = plan_cutting(blanks, pieces, saw)
    loads = sorted(sum(blanks[i] for i in held) + saw * (len(held) - 1) for held in plan.pieces)
    least = min(
        sum(chosen)
        for chosen in itertools.combinations(sorted(pieces), len(loads))
        if all(load <= piece for load, piece in zip(loads, chosen, strict=True))
    )
    assert sum(plan.piece_um) == least
    assert plan_cutting([50_000], [1_000_000, 60_000], 500).piece_um == (60_000,)

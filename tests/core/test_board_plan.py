"""Boards in the making: what the drawing, the checks, the marking table, the arch and the strings say, as properties
and by hand.
"""

import itertools
import math
from dataclasses import replace

import pytest
from hypothesis import assume, given
from hypothesis import strategies as st

from deft_bench.core.board.arch import advise_radius, arch, bend_cost, humps, saddle_radius, sharing_cone
from deft_bench.core.board.blank import blank_need
from deft_bench.core.board.board_call import board_call
from deft_bench.core.board.checks import board_checks
from deft_bench.core.board.fret_lines import crossing
from deft_bench.core.board.inlays import distance_to_line, strip_needed
from deft_bench.core.board.marking import cents_of, check_lines, marking_lines
from deft_bench.core.board.plan import SCHOOLS, BoardPlan, fitted, plan_problems, sound, starting_plan
from deft_bench.core.board.plan_view import over_mm, plan_view
from deft_bench.core.board.rules import READ, STEPS_MM, Rule, mark_words
from deft_bench.core.board.section import Cone, School
from deft_bench.core.board.slot_table import slot_table
from deft_bench.core.board.slotting import (
    CHORD_MM,
    ON_THE_FLAT,
    MachineError,
    machine_problems,
    machine_steps,
    slot_program,
)
from deft_bench.core.board.strings_on_board import edge_room, head_paths, nut_spacing, post_grid
from deft_bench.core.calls import in_mm
from deft_bench.core.described import from_fields, to_fields
from deft_bench.core.instrument import KINDS, STARTING, Spec, problems

RULE, FINE_RULE = Rule(), Rule(read="1/5")
FANNED = replace(STARTING["seven_string"], name="Board")
ELECTRIC = replace(STARTING["electric"], name="Board")


@st.composite
def boards(draw: st.DrawFn) -> tuple[Spec, BoardPlan]:
    """Sound boards of every kind with their scales, fan, taper, radius and plan moved about."""
    base = STARTING[draw(st.sampled_from(sorted(KINDS)))]
    treble = draw(st.integers(480_000, 900_000))
    fan = draw(st.sampled_from([0, 0, 10_000, 38_000]))
    frets = draw(st.integers(3, 30))
    spec = replace(
        base,
        name="Any",
        bass_scale_um=treble + fan,
        treble_scale_um=treble,
        frets=frets,
        joint_fret=1,
        perpendicular_fret=draw(st.integers(0, frets)) if fan else 0,
        bound=draw(st.booleans()),
        left_handed=draw(st.booleans()),
        last_fret_width_um=base.last_fret_width_um + draw(st.integers(0, 4_000)),
    )
    assume(not problems(spec))
    plan = replace(
        starting_plan(spec),
        inlay_style=draw(st.sampled_from(["dots", "blocks", "none"])),
        inlay_share=draw(st.integers(10, 90)),
        inlay_side_um=draw(st.integers(1_000, 9_000)),
        oversize_um=draw(st.integers(0, 3_000)),
        kerf_um=draw(st.integers(300, 900)),
        spacing=draw(st.sampled_from(["equal_gaps", "equal_centres"])),
        end_overhang_um=draw(st.integers(0, 20_000)),
    )
    assume(not plan_problems(plan, spec))
    return spec, plan


@given(boards())
def test_any_board_is_drawn_as_it_is_laid_out(board: tuple[Spec, BoardPlan]) -> None:
    spec, plan = board
    view = plan_view(spec, plan)
    for before, after in itertools.pairwise(view.lines):
        assert before.bass_edge[0] < after.bass_edge[0]
        assert before.treble_edge[0] < after.treble_edge[0]
    over = over_mm(spec, plan)
    ends = -plan.binding_um / 1000 if spec.bound else over
    for shape, line in zip(view.slots, view.lines[1:], strict=True):
        assert shape.length_mm == pytest.approx(line.length_mm + 2 * ends)
        assert all(
            distance_to_line(corner, line) == pytest.approx(plan.kerf_um / 2000, abs=1e-9) for corner in shape.kerf
        )
    # the nut's cut lies wholly on the headstock side and is as wide as the saw
    nut = view.lines[0]
    behind = [corner for corner in view.nut_cut if distance_to_line(corner, nut) > 1e-6]
    assert len(behind) == 2
    assert all(distance_to_line(corner, nut) == pytest.approx(plan.kerf_um / 1000) for corner in behind)
    assert all(crossing(((x, y), (x + 1, y)), (nut.bass_edge, nut.treble_edge))[0] > x for x, y in behind)
    for piece in view.inlays:
        lines = view.lines[piece.fret - 1], view.lines[piece.fret]
        points = piece.corners or (piece.centre,)
        near = (
            min(distance_to_line(p, line) for p in points for line in lines)
            - piece.diameter_mm / 2
            - plan.kerf_um / 2000
        )
        assert piece.clearance_mm == pytest.approx(near)
    if view.oversize:
        assert all(
            abs(wide[1]) - abs(own[1]) == pytest.approx(over)
            for wide, own in zip(view.oversize, view.outline, strict=True)
        )
    assert from_fields(BoardPlan, to_fields(plan)) == plan
    # whatever the board, the checks and the call come out, and a failing board is never called to be cut
    checks = board_checks(spec, plan, view, RULE)
    call = board_call(spec, plan, view, checks)
    assert (call.do == "stop") == any(check.level == "fails" for check in checks)


@given(
    st.floats(480, 900),
    st.integers(12, 30),
    st.builds(Rule, st.sampled_from(list(STEPS_MM)), read=st.sampled_from(list(READ))),
    st.sampled_from([0.0, 0.02, 0.05]),
)
def test_marks_invert_to_frets_and_chaining_only_adds(scale: float, frets: int, rule: Rule, fan: float) -> None:
    step = float(STEPS_MM[rule.step]) * rule.share
    outline = replace(
        FANNED.outline(), bass_scale_mm=scale * (1 + fan), treble_scale_mm=scale, frets=frets, perpendicular_fret=7
    )
    for line in marking_lines(outline, rule):
        datum = next((mark for mark in line.marks if mark.fret == 7), None)
        start = 0.0 if fan == 0 else line.scale_mm * (1 - 2 ** (-7 / 12))
        if fan:
            assert datum is not None
            assert datum.from_datum_mm == pytest.approx(0)
        for mark in line.marks:
            place = start + mark.from_datum_mm
            assert 12 * math.log2(line.scale_mm / (line.scale_mm - place)) == pytest.approx(mark.fret)
            assert mark.mark_mm + mark.rest_mm == pytest.approx(mark.from_datum_mm)
            assert abs(mark.rest_mm) <= step / 2 + 1e-9
            assert mark.chained_mm == pytest.approx(step / 2 * abs(mark.fret - (7 if fan else 0)))
            speaking = line.scale_mm - place
            assert mark.cents == pytest.approx(
                1200 * math.log2(speaking / (speaking - (mark.mark_mm - mark.from_datum_mm)))
            )


def test_marking_by_hand() -> None:
    (line,) = marking_lines(
        replace(ELECTRIC, bass_scale_um=628_000, treble_scale_um=628_000).outline(), Rule("1 mm", "1/2 mm")
    )
    at = {mark.fret: mark for mark in line.marks}
    assert [round(at[n].from_datum_mm, 3) for n in (1, 5, 12, 21)] == [35.247, 157.532, 314.0, 441.294]
    assert (at[1].mark_mm, at[5].mark_mm) == (35.0, 158.0)
    # five half-steps: frets 1 to 4 on the fine part, 5 on the coarse
    assert at[5].chained_mm == pytest.approx(4 * 0.25 + 0.5)
    assert cents_of(628 - 35.247, 0.25) == pytest.approx(0.730, abs=0.001)
    checks = {check.what: check.mm for check in check_lines(ELECTRIC.outline(), ELECTRIC.lines())}
    assert checks["nut to fret 12: half the scale"] == 324.0
    assert checks["centreline from either edge at the nut"] == 21.0
    assert checks["centreline from either edge at fret 22"] == 28.0
    assert mark_words(33.3375, "1/64 in") == "1 5/16 in"
    assert mark_words(-157.5, "1/2 mm") == "−157.5 mm"
    assert mark_words(33.02, "1/100 in") == "1.300 in"
    assert starting_plan(ELECTRIC).rule(Rule("1/64 in")).step == "1/64 in"
    own = replace(starting_plan(ELECTRIC), rule_step="1 mm", rule_read="1/5")
    assert (own.rule(RULE).step, own.rule(RULE).share) == ("1 mm", 0.2)


CASES: list[tuple[str, str, dict[str, object], dict[str, object]]] = [
    ("slot_through", "fails", {"board_thickness_um": 3_000, "nut_radius_um": 184_000, "end_radius_um": 184_000}, {}),
    ("wood_left", "mind", {"board_thickness_um": 5_000}, {}),
    ("hollow", "mind", {}, {"school": "two_stage", "guide_um": 1_200}),
    ("thin_edge", "mind", {"board_thickness_um": 4_000}, {}),
    ("kerf", "fails", {}, {"kerf_um": 450}),
    ("fit", "mind", {}, {"kerf_um": 770}),
    ("fit", "mind", {}, {"tang_width_um": 400, "kerf_um": 450}),
    ("inlay_in_slot", "fails", {}, {"inlay_size_um": 14_000}),
    ("inlay_near_slot", "mind", {}, {"inlay_depth_um": 4_000}),
    ("string_off", "fails", {"nut_width_um": 42_000, "spread_nut_um": 41_500}, {}),
    ("string_near_edge", "mind", {"spread_nut_um": 38_500}, {}),
    ("fret_past_end", "fails", {}, {"end_overhang_um": 900}),
    ("pin_shows", "fails", {}, {"pin_um": 2_700}),
    ("pin_shows", "mind", {}, {"pin_um": 2_400}),
    ("pin_breaks_out", "fails", {}, {"pin_inset_um": 1_500}),
    ("rule_coarse", "mind", {}, {}),
    ("cone_reversed", "mind", {"radius_kind": "compound", "nut_radius_um": 356_000, "end_radius_um": 254_000}, {}),
    ("strings_close", "mind", {"spread_nut_um": 28_000}, {}),
]


@pytest.mark.parametrize(
    ("code", "level", "spec_with", "plan_with"), CASES, ids=[f"{case[0]}-{case[1]}" for case in CASES]
)
def test_each_failing_geometry_is_said(
    code: str, level: str, spec_with: dict[str, object], plan_with: dict[str, object]
) -> None:
    sound = board_checks(ELECTRIC, starting_plan(ELECTRIC), plan_view(ELECTRIC, starting_plan(ELECTRIC)), FINE_RULE)
    assert sound == []
    spec = replace(ELECTRIC, **spec_with)  # type: ignore[arg-type]
    plan = replace(starting_plan(ELECTRIC), **plan_with)  # type: ignore[arg-type]
    assert problems(spec) == {}
    assert plan_problems(plan, spec) == {}
    rule = RULE if code == "rule_coarse" else FINE_RULE
    found = {(check.code, check.level): check for check in board_checks(spec, plan, plan_view(spec, plan), rule)}
    assert (code, level) in found
    said = next(check.say for (name, how), check in found.items() if (name, how) == (code, level))
    assert any(character.isdigit() for character in said)


REFUSED: list[tuple[dict[str, object], dict[str, object], str]] = [
    ({"bass_scale_um": 0}, {}, "bass_scale_um"),
    ({"spread_nut_um": 53_000}, {}, "spread_nut_um"),
    ({"spread_saddle_um": 30_000}, {}, "spread_saddle_um"),
    ({"frets": 61}, {}, "frets"),
    ({"nut_radius_um": 27_000, "end_radius_um": 27_000}, {}, "nut_radius_um"),
    ({"bass_scale_um": 680_000, "perpendicular_fret": 30}, {}, "perpendicular_fret"),
    (
        {"crown_width_um": 4_500, "frets": 60, "joint_fret": 1, "bass_scale_um": 500_000, "treble_scale_um": 500_000},
        {},
        "crown_width_um",
    ),
    ({"frets": 60, "joint_fret": 1, "crown_width_um": 800, "fret_height_um": 700}, {"kerf_um": 1_300}, "kerf_um"),
    ({}, {"gauges_um": (200, 300)}, "gauges_um"),
    ({}, {"gauges_um": (5_000,) * 6, "spacing": "equal_gaps"}, ""),
    ({}, {"blank_thickness_um": 5_000}, "blank_thickness_um"),
    ({}, {"inlay_style": "blocks", "inlay_side_um": 22_000}, "inlay_side_um"),
    ({}, {"inlay_frets": (3, 40)}, "inlay_frets"),
    ({}, {"posts_um": ((1, 2),)}, "posts_um"),
    ({}, {"school": "by_eye"}, "school"),
    ({"frets": 10, "joint_fret": 5}, {"datum": "fret_12"}, "datum"),
]


@pytest.mark.parametrize(("spec_with", "plan_with", "field"), REFUSED)
def test_what_cannot_be_is_refused_at_its_field(
    spec_with: dict[str, object], plan_with: dict[str, object], field: str
) -> None:
    spec = replace(ELECTRIC, **spec_with)  # type: ignore[arg-type]
    plan = replace(fitted(starting_plan(ELECTRIC), spec), **plan_with)  # type: ignore[arg-type]
    found = problems(spec) or plan_problems(plan, spec)
    assert field in found if field else found == {}


def test_blocks_follow_the_fan_and_a_strip_holds_them() -> None:
    plan = replace(starting_plan(FANNED), inlay_style="blocks", inlay_share=50, inlay_side_um=6_000)
    view = plan_view(FANNED, plan)
    by_fret = {piece.fret: piece for piece in view.inlays}
    # between frets 7 and 8 the fan turns through square at 8: nut side slanted one way, hardly at the body side
    assert (
        by_fret[3].nut_angle_deg
        > by_fret[3].body_angle_deg
        > 0
        > by_fret[12].nut_angle_deg
        > by_fret[12].body_angle_deg
    )
    assert all(piece.body_width_mm > piece.nut_width_mm for piece in view.inlays if piece.fret > 3)
    gap = view.lines[5].centre_x_mm - view.lines[4].centre_x_mm
    assert by_fret[5].length_mm == pytest.approx(gap / 2, rel=0.02)
    strip = strip_needed(view.inlays, 0.6)
    assert strip is not None
    assert strip.pieces == 10
    assert strip.width_mm >= max(piece.length_mm for piece in view.inlays)
    assert strip_needed([], 0.6) is None


def test_the_arch_and_its_hump() -> None:
    cylinder = replace(ELECTRIC, nut_radius_um=184_000, end_radius_um=184_000)
    layout = plan_view(cylinder, starting_plan(cylinder)).layout
    sections = arch(cylinder, layout)
    assert sections[-1].fall_mm == pytest.approx(184 - math.sqrt(184**2 - 28**2), abs=1e-6)
    assert sections[-1].edge_mm == pytest.approx(6 - sections[-1].fall_mm)
    found = humps(cylinder, layout)
    # the outer strings run most across the cylinder, and both alike
    assert max(found, key=lambda hump: hump.hump_mm).string in (1, 6)
    assert found[0].hump_mm == pytest.approx(found[5].hump_mm)
    assert found[0].hump_mm > 0.02
    cone = sharing_cone(cylinder, layout)
    assert cone is not None
    coned = replace(cylinder, radius_kind="compound", end_radius_um=round(cone.end_radius_mm * 1000))
    assert all(hump.hump_mm < 0.0006 for hump in humps(coned, layout))
    assert saddle_radius(coned) == pytest.approx(184 * 52.5 / 35, rel=1e-3)
    # a bend costs less on a flatter board, and nothing where there are no frets beyond
    costs = [bend_cost(cylinder, layout, Cone(r, r, 400)) for r in (184, 305, 508)]
    assert costs == sorted(costs, reverse=True)
    assert bend_cost(replace(cylinder, frets=13), layout, Cone(184, 184, 400)) == 0


def test_an_oversize_board_is_judged_as_it_is_cut() -> None:
    # 1/4 in thick, 12 in radius, 1 11/16 in at the nut, 1/32 in over at each side
    spec = replace(
        ELECTRIC, nut_width_um=42_863, nut_radius_um=304_800, end_radius_um=304_800, board_thickness_um=6_350
    )
    plan = replace(starting_plan(spec), oversize_um=794)
    view = plan_view(spec, plan)
    nut = arch(spec, view.layout, over_mm(spec, plan))[0]
    assert (nut.bench_edge_mm / 25.4, nut.edge_mm / 25.4) == pytest.approx((0.2181, 0.2203), abs=5e-5)
    centre = [line for line in check_lines(spec.outline(), view.lines, 0.794) if line.what.endswith("the nut")]
    assert [line.mm for line in centre] == pytest.approx([22.2255])
    assert [line.trimmed_mm for line in centre] == pytest.approx([21.4315])
    bound = replace(spec, bound=True)
    cut = replace(plan, binding_um=1_500, blank_length_um=400_000, blank_width_um=54_000)
    view = plan_view(bound, cut)
    need = blank_need(bound, cut, view)
    assert dict(need.widths_mm)["the nut"] == pytest.approx(42.863 + 2 * (0.794 - 1.5))
    assert need.ledge_mm == (1.5, 6.35)
    said = [check.say for check in board_checks(bound, cut, view, RULE) if check.code == "blank"]
    assert len(said) == 2
    enough = replace(
        cut, blank_length_um=math.ceil(need.length_mm * 1000), blank_width_um=math.ceil(need.width_mm * 1000)
    )
    assert not [check for check in board_checks(bound, enough, view, RULE) if check.code == "blank"]


@pytest.mark.parametrize("kind", sorted(KINDS))
def test_a_radius_is_advised_for_every_kind_and_hand(kind: str) -> None:
    found = {}
    for hand in ("light", "medium", "heavy"):
        spec = replace(STARTING[kind], name="Any", hand=hand)
        found[hand] = advise_radius(spec, plan_view(spec, starting_plan(spec)).layout)
        assert found[hand].because
        advised = replace(
            spec,
            radius_kind="flat" if found[hand].nut_um is None else "compound",
            nut_radius_um=found[hand].nut_um,
            end_radius_um=found[hand].end_um,
        )
        assert problems(advised) == {}
    if kind != "classical":
        assert found["light"].nut_um >= found["medium"].nut_um >= found["heavy"].nut_um  # type: ignore[operator]


def test_room_to_the_edges_by_hand() -> None:
    room = edge_room(plan_view(ELECTRIC, starting_plan(ELECTRIC)).layout, [0.254, 0.3, 0.4, 0.6, 0.9, 1.168])
    assert room[0].treble_mm == pytest.approx(3.5 - 0.127)
    assert room[0].bass_mm == pytest.approx(3.5 - 0.584)
    spread = 35 + (52.5 - 35) * (1 - 2 ** (-22 / 12))
    assert room[22].treble_mm == pytest.approx((56 - spread) / 2 - 0.127)


@given(st.floats(38, 56), st.floats(2, 4), st.floats(2, 4), st.lists(st.floats(0.2, 1.4), min_size=2, max_size=8))
def test_nut_spacing_by_both_schools(width: float, bass: float, treble: float, gauges: list[float]) -> None:
    even = nut_spacing(width, bass, treble, gauges, "equal_gaps")
    assert all(gap == pytest.approx(even.gaps_mm[0]) for gap in even.gaps_mm)
    centred = nut_spacing(width, bass, treble, gauges, "equal_centres")
    steps = [one - other for one, other in itertools.pairwise(centred.centres_mm)]
    assert all(step == pytest.approx(steps[0]) for step in steps)
    for found in (even, centred):
        assert found.centres_mm[0] + gauges[0] / 2 == pytest.approx(width - treble)
        assert found.centres_mm[-1] - gauges[-1] / 2 == pytest.approx(bass)
    with pytest.raises(ValueError, match="touch"):
        nut_spacing(10, bass, treble, [4.0] * 4, "equal_gaps")


def test_paths_to_the_posts() -> None:
    spec = ELECTRIC
    layout = plan_view(spec, starting_plan(spec)).layout
    gauges = [0.25] * 6
    straight = [
        (60.0 + 12 * i, string.nut[1] - (string.saddle[1] - string.nut[1]) / 648 * (60 + 12 * i))
        for i, string in enumerate(layout.strings)
    ]
    # posts straight behind their strings: only the winding side turns them, by the post's radius over its distance
    for path, (behind, _) in zip(head_paths(layout, straight, 6.0, gauges), straight, strict=True):
        assert abs(path.angle_deg) == pytest.approx(math.degrees(math.asin(3.125 / behind)), rel=0.02)
        assert math.dist(path.touch, path.post) == pytest.approx(3.125)
    two = head_paths(layout, post_grid(6, 2, 40, 38, 24), 6.0, gauges)
    assert [path.string for path in two] == [1, 2, 3, 4, 5, 6]
    assert two[0].angle_deg == pytest.approx(-two[5].angle_deg, abs=1e-9)
    # a post moved into the third string's way is named
    grid = post_grid(6, 2, 40, 38, 24)
    third = two[2]
    middle = (-(third.nut[0] + third.touch[0]) / 2, (third.nut[1] + third.touch[1]) / 2)
    fouled = head_paths(layout, [grid[0], middle, *grid[2:]], 6.0, gauges)[2]
    assert fouled.fouls == 2
    assert fouled.clearance_mm is not None
    assert fouled.clearance_mm < 0
    assert [x for x, _ in post_grid(4, 1, 40, 30, -10, 5)] == [130, 100, 70, 40]
    with pytest.raises(ValueError, match="behind the nut"):
        head_paths(layout, [(-5.0, 10.0), *grid[1:]], 6.0, gauges)


@given(boards(), st.sampled_from(list(SCHOOLS)), st.integers(150, 900), st.integers(100, 900))
def test_the_mill_stays_in_its_slot_and_takes_no_more_than_asked(
    board: tuple[Spec, BoardPlan], school: School, step: int, bit: int
) -> None:
    spec, plan = board
    plan = replace(plan, school=school, pass_um=step, bit_um=bit, bit_reach_um=14_000)
    view = plan_view(spec, plan)
    refused = machine_problems(spec, plan, view)
    assert ("bit_um" in refused) == (bit > plan.kerf_um)
    steps = machine_steps(spec, plan, view)
    if refused:
        with pytest.raises(MachineError):
            slot_program(spec, plan, view)
        return
    falls = {at.fret: at for at in arch(spec, view.layout)}
    # how deep the level cuts of a step on the flat face have come, by fret
    level: dict[int, float] = {}
    for each in steps:
        program = slot_program(spec, plan, view, each)
        assert [run.fret for run in program.passes] == sorted((run.fret for run in program.passes), reverse=True)
        before: dict[int, list[float]] = {}
        for run in program.passes:
            at = falls[run.fret]
            flat = each in ON_THE_FLAT
            arches = [_below_crown(at.radius_mm, y) for _, y, _ in run.points]
            now = max(arch_z - z for arch_z, (_, _, z) in zip(arches, run.points, strict=True)) if not flat else 0.0
            now = -run.points[0][2] if flat else now
            # both walls are cut at one depth: what they meet is the depth before
            depths = before.setdefault(run.fret, [0.0])
            if now > depths[-1] + 1e-9:
                depths.append(now)
            met = depths[-2] if len(depths) > 1 else 0.0
            for (x, y, z), arch_z in zip(run.points, arches, strict=True):
                ground = -met if flat else min(arch_z - met, -level.get(run.fret, 0.0))
                assert ground - z <= step / 1000 + CHORD_MM
                if run.fret:
                    off = distance_to_line((x + program.datum_x_mm, y), view.lines[run.fret])
                    assert off <= (plan.kerf_um - plan.bit_um) / 2000 + 1e-6
            if flat:
                level[run.fret] = now
        final = program.depth_mm
        for run in program.passes:
            at = falls[run.fret]
            floor = -final - at.fall_mm
            for _, y, z in run.points:
                assert z >= (floor if each in ON_THE_FLAT else _below_crown(at.radius_mm, y) - final) - 1e-6
        assert {run.fret for run in program.passes} == set(range(spec.frets + 1))
        assert program.minutes(plan) > 0
    assert "bit_reach_um" in machine_problems(spec, replace(plan, bit_reach_um=2_000), view)
    thin = replace(spec, board_thickness_um=spec.tang_depth_um + plan.under_tang_gap_um + 1_900)
    assert "under_tang_gap_um" in machine_problems(thin, plan, view)
    with pytest.raises(MachineError, match="no such program"):
        slot_program(spec, plan, view, "follow" if "follow" not in steps else "guide")


def _below_crown(radius: float | None, y: float) -> float:
    """The arch at a place across the board, z in mm."""
    return 0.0 if radius is None else -(radius - math.sqrt(radius**2 - y**2))


@given(boards(), st.sampled_from(list(SCHOOLS)))
def test_the_table_of_slots_agrees_with_the_headline(board: tuple[Spec, BoardPlan], school: School) -> None:
    spec, plan = board
    plan = replace(plan, school=school)
    view = plan_view(spec, plan)
    checks = board_checks(spec, plan, view, RULE)
    if any(check.level == "fails" for check in checks):
        return
    table = slot_table(spec, plan, view.layout)
    call = board_call(spec, plan, view, checks)
    assert len(table.rows) == spec.frets
    if table.stop_mm is not None:
        assert call.figures["first_cut_mm"] == pytest.approx(table.stop_mm)
        assert in_mm(table.stop_mm) in call.say
        for row in table.rows:
            # one stop reaches every slot's own depth, and leaves no less hollow than that
            assert row.first_mm is not None
            assert row.first_mm <= table.stop_mm + 1e-9
            assert row.hollow_by_stop_mm >= row.hollow_mm - 1e-9
    if table.guide_without_hollow_mm is not None:
        spared = replace(plan, guide_um=math.floor(table.guide_without_hollow_mm * 1000))
        assert not slot_table(spec, spared, view.layout).leaves_hollow


@given(boards(), boards())
def test_a_stored_plan_can_be_drawn_whatever_the_specification_became(
    board: tuple[Spec, BoardPlan], later: tuple[Spec, BoardPlan]
) -> None:
    (_, plan), (spec, _) = board, later
    for edited in (spec, replace(spec, strings=1), replace(spec, strings=18, spread_nut_um=15_000)):
        if problems(edited):
            continue
        kept = sound(plan, edited)
        assert plan_problems(kept, edited) == {}
        board_checks(edited, kept, plan_view(edited, kept), RULE)
        assert plan_problems(starting_plan(edited), edited) == {}
    # what still fits is left alone
    assert sound(plan, board[0]) == plan

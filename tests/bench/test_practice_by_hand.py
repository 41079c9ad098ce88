"""Drills that work a piece by hand: what a number draws, what the program makes of it, what a careless hand does."""

import json
from collections.abc import Iterable
from dataclasses import asdict, replace
from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from deft_bench.bench.practice.by_hand import HandDrill
from deft_bench.bench.practice.clamping import CLAMPING
from deft_bench.bench.practice.datum import DATUM
from deft_bench.bench.practice.ends import ENDS
from deft_bench.bench.practice.line import LINE
from deft_bench.bench.practice.sawing import SAWING
from deft_bench.bench.practice.scratches import SCRATCHES
from deft_bench.bench.practice.seating import SEATING, looked
from deft_bench.bench.practice.set_up import SET_UP, known
from deft_bench.core.frets.crown import land
from deft_bench.core.frets.crown_filing import ANGLES, SIDES, Crown
from deft_bench.core.frets.heights import LANES
from deft_bench.core.practice import clamping, datum, ends, line, sawing, scratches, seating, set_up
from deft_bench.core.practice.numbered import WORTH_PLAYING
from deft_bench.core.practice.six_strings import STRINGS

AnyDrill = HandDrill[Any, Any, Any]
DRILLS: dict[str, AnyDrill] = {
    one.code: one for one in (LINE, CLAMPING, SAWING, DATUM, SET_UP, SCRATCHES, SEATING, ENDS)
}


def at_random(code: str, piece: Any, chance: np.random.Generator) -> tuple[Any, Any]:
    """Something that can be done to a piece."""

    def pick(many: Iterable[Any]) -> Any:
        every = list(many)
        return every[int(chance.integers(len(every)))]

    if code == "line":
        return line.do(piece, "file", pick(SIDES), pick(ANGLES), pick(line.METAL_MM2), [pick(LANES)])
    if code == "clamping":
        free = [n for n, many in enumerate(piece.quarters, 1) if many < clamping.FULL]
        return clamping.do(piece, "turn", pick(free)) if free else clamping.do(piece, "look")
    if code == "sawing":
        return sawing.do(piece, "saw", pick(sawing.TURNS.values())) if not piece.through else sawing.do(piece, "stone")
    if code == "set_up":
        string = pick(range(1, STRINGS + 1))
        return set_up.do(piece, pick(("loosen", "tighten", "file", "up", "raise", "play")), string)
    if code == "scratches":
        return scratches.do(piece, "rub", pick(range(len(scratches.KIT))), pick(scratches.WAYS))
    if code == "seating":
        return seating.do(piece, pick(("tap", "press", "look")), pick(range(1, seating.FRETS + 1)), pick(seating.ZONES))
    if code == "ends":
        return ends.do(piece, pick(ends.TAKES), pick(ends.SIDES), pick(range(1, ends.PLACES + 1)))
    return datum.do(piece, "step") if not piece.ready else datum.do(piece, "lay_end")


@pytest.mark.parametrize("code", DRILLS)
@settings(max_examples=10, deadline=None)
@given(seed=st.integers(0, 10**6), level=st.sampled_from((1, 2, 3)))
def test_the_programs_own_work_is_worth_all(code: str, seed: int, level: int) -> None:
    drill = DRILLS[code]
    truth = drill.draw(seed, level)
    assert drill.draw(seed, level) == truth
    done, end = drill.by_program(truth)
    assert drill.score(truth, done, end, (done, end)).points >= WORTH_PLAYING
    assert drill.score(truth, [], truth, (done, end)).points == 0
    assert drill.piece_from(json.loads(json.dumps(asdict(end)))) == end
    assert [drill.deed_from(json.loads(json.dumps(asdict(one)))) for one in done] == done


@pytest.mark.parametrize("code", DRILLS)
def test_a_hand_at_random_is_worth_little(code: str) -> None:
    drill, chance, points = DRILLS[code], np.random.default_rng(3), list[int]()
    for seed in range(12):
        truth = end = drill.draw(seed, 1 + seed % 3)
        done = list[Any]()
        for _ in range(30):
            end, said = at_random(code, end, chance)
            done.append(said)
        points.append(drill.score(truth, done, end, drill.by_program(truth)).points)
    assert np.mean(points) < 40, points


@given(
    st.floats(2.0, 2.8), st.floats(0.43, 0.48), st.floats(0.04, 0.15), st.sampled_from(ANGLES), st.sampled_from(SIDES)
)
def test_a_file_takes_what_it_took_and_leaves_a_flat(
    width: float, share: float, removed: float, angle: int, side: int
) -> None:
    crown = Crown(width, share * width, removed)
    left, right = crown.line()
    assert right - left == pytest.approx(land(width, share * width, removed), abs=0.05)
    filed = crown.filed(side, angle, 0.01)
    step = crown.xs()[1] - crown.xs()[0]
    assert float(np.sum(crown.section() - filed.section())) * step == pytest.approx(0.01, rel=1e-6)
    # what was cut lies on one flat, at its angle, on its own side
    cut = np.flatnonzero(crown.section() - filed.section() > 1e-9)
    slope = np.diff(filed.section()[cut]) / step
    assert slope == pytest.approx(np.full(len(cut) - 1, -side * np.tan(np.radians(angle))), abs=1e-6)
    assert filed.section().max() <= crown.section().max() + 1e-12


def test_a_flat_file_alone_leaves_shoulders_and_a_steep_one_hollows_them() -> None:
    """The order of the angles, from the shape alone: any one of them ends off the arc, all three end on it."""
    whole = Crown(2.4, 1.1, 0.1)

    def filed_at(*angles: int) -> Crown:
        made = whole
        for angle in angles:
            for side in SIDES:
                floor = whole.top_mm + np.tan(np.radians(angle)) * 0.13
                wanted = max(whole.flat_on(0.26, side, angle), floor) if len(angles) > 1 else floor
                while made.flat(side, angle) > wanted:
                    made = made.filed(side, angle, 0.0005)
        return made

    flat_alone, steep_alone, in_order = (
        [*filed_at(*angles).off_round(0.26)] for angles in ((15,), (30,), (45, 30, 15))
    )
    assert flat_alone[1] > 0.06
    assert steep_alone[0] > 0.1
    assert max(in_order) < line.ROUND_MM


def test_a_board_is_pushed_where_the_clamp_stands_and_drags_least() -> None:
    holds = np.array([1.0, 0.5, 3.0, 0.5, 0.5, 2.0])
    for push, at in ((0.3, 40.0), (-0.2, 215.0)):
        nut, body = clamping.least_dragged(push, at, holds)

        def drag(nut: float, body: float) -> float:
            ys = nut + (body - nut) * np.array(clamping.PLACES_MM) / clamping.LENGTH_MM
            return float(holds @ ys**2)

        assert nut + (body - nut) * at / clamping.LENGTH_MM == pytest.approx(push)
        for more in (-0.01, 0.01):  # turned a little more about the clamp it would drag more
            turned = nut - more * at, body + more * (clamping.LENGTH_MM - at)
            assert drag(*turned) > drag(nut, body)
    # after the glue's time nothing slides, and nothing is pressed
    late = clamping.gluing(1, 1)
    for _ in range(13):
        late, _said = clamping.do(late, "wait")
    after, _said = clamping.do(late, "turn", 3)
    assert after.worst_mm == late.worst_mm == 0.0
    assert after.dry == 1.0


def test_a_kerf_leads_the_blade_and_a_stone_takes_the_pull() -> None:
    even = sawing.Kerf((0.0,) * sawing.STEPS, 0.2)
    pulled, _ = sawing.do(even, "on")
    stoned, _ = sawing.do(sawing.do(even, "stone")[0], "on")
    assert pulled.now_mm - sawing.START_MM == pytest.approx((stoned.now_mm - sawing.START_MM) / sawing.STONED)
    # steered against it, it still goes on for a while
    turned, _ = sawing.do(pulled, "saw", -2)
    assert turned.at_mm[-1] > pulled.at_mm[-1]
    again, _ = sawing.do(turned, "back")
    assert again.at_mm == turned.at_mm[: -sawing.BACK]
    with pytest.raises(ValueError, match="nothing is sawn"):
        sawing.do(even, "back")


def test_steps_carry_their_errors_on_and_a_worn_end_shortens_all() -> None:
    truth = datum.Marking(640.0, 0.4, 4, 0.3, tuple(0.01 * n for n in range(datum.FRETS)))
    stepped = truth
    for _ in range(datum.FRETS):
        stepped, _said = datum.do(stepped, "step")
    assert stepped.off_mm == pytest.approx(np.cumsum(truth.steps_mm))
    with pytest.raises(ValueError, match="lay the rule first"):
        datum.do(truth, "mark", 35.9)
    laid, _ = datum.do(truth, "lay_end")
    for n, wanted in enumerate(truth.wanted_mm, 1):
        assert datum.do(laid, "check")[1].seen_mm == pytest.approx(0.3 if n > 4 else 0.0)
        laid, _said = datum.do(laid, "mark", wanted)
    assert laid.off_mm == pytest.approx([-0.4] * 4 + [-0.1] * 8)


def test_a_setup_answers_rod_file_and_screw_and_says_what_is_no_longer_known() -> None:
    truth = set_up.strung_neck(8, 3)
    straighter, _ = set_up.do(truth, "tighten")
    assert truth.relief_mm - straighter.relief_mm == pytest.approx(truth.mm_a_turn / 8)
    raised, _ = set_up.do(truth, "up", 2)
    gained = np.subtract(raised.actions_mm(), truth.actions_mm())
    assert gained == pytest.approx([0, 4 * set_up.SCREW_MM / 2, 0, 0, 0, 0], abs=1e-9)
    # blades stop the file; without them a slot is soon too low, and the open string buzzes
    stopped = bare = truth
    for _ in range(6):
        stopped, _said = set_up.do(stopped, "file", 3, set_up.SLOT_MM)
        bare, _said = set_up.do(bare, "file", 3)
    assert stopped.slots_mm[2] == min(truth.slots_mm[2], set_up.SLOT_MM)
    assert bare.slots_mm[2] < 0
    assert 0 in bare.buzzing()[2]
    told = list[set_up.Done]()
    neck = truth
    deeds: tuple[tuple[set_up.What, int], ...] = (
        ("relief", 0),
        ("slots", 0),
        ("actions", 0),
        ("play", 1),
        ("play", 2),
        ("raise", 1),
        ("play", 1),
        ("file", 2),
    )
    for what, string in deeds:
        neck, said = set_up.do(neck, what, string)
        told.append(said)
    assert known(told).since == {("actions", 1), ("slots", 2), ("actions", 2), ("play", 2)}
    assert known([*told, set_up.do(neck, "tighten")[1]]).since >= {("relief", 0), ("play", 1), ("actions", 6)}
    low = replace(neck, saddles_mm=(0.1,) * STRINGS)
    with pytest.raises(ValueError, match="lies on the plate"):
        set_up.do(low, "down", 1)


def test_deep_marks_hide_among_fresh_ones_and_go_only_by_what_comes_off() -> None:
    truth = scratches.Scratched("bright", (5.5, 0.0))
    kit = [one.words for one in scratches.KIT]
    rubbed, _ = scratches.do(truth, "rub", kit.index("P600 paper"), "along")
    assert rubbed.deepest_um == pytest.approx(truth.deepest_um - rubbed.taken_um)
    # rubbed the same way they look like the paper's own, rubbed across they are seen
    own = scratches.DEPTH_SHARE * scratches.KIT[kit.index("P600 paper")].size_um
    hidden = replace(rubbed, marks_um=(1.4 * own, 0.0))
    assert hidden.seen_um() == pytest.approx((own, 0.0))
    across, _ = scratches.do(replace(truth, marks_um=(1.4 * own + 1, 0.0)), "rub", kit.index("P600 paper"), "across")
    assert across.seen_um()[0] == across.marks_um[0] > own * 0.9
    # what is too fine for a mark never ends
    for _ in range(20):
        across, _said = scratches.do(across, "rub", len(kit) - 1, "across")
    assert across.marks_um[0] > truth.asked_um


def test_a_board_and_pickups_that_nobody_guards_are_spoiled() -> None:
    truth = scratches.scratched(5, 2)
    done, end = scratches.by_program(truth)
    theirs = done, end
    assert (end.scratched, end.filings, end.oiled) == (0, False, True)

    def worth(*before: scratches.What, after: tuple[scratches.What, ...] = ("oil",), wool: bool = False) -> int:
        on, told = truth, list[scratches.Done]()
        rubs = [one for one in done if one.what in scratches.STROKES]
        for one in (*before, *rubs, *after):
            what = one if isinstance(one, str) else one.what
            on, said = scratches.do(on, what, *(() if isinstance(one, str) else (one.abrasive, one.way)))
            told.append(said)
        if wool:
            on, said = scratches.do(on, "rub", len(scratches.KIT) - 1)
        return scratches.score(truth, told, on, theirs).points

    right = worth("tape", "cover")
    assert right >= 95
    assert worth("cover") == pytest.approx(right / 2, abs=2)
    assert worth("oil", "tape", "cover", after=()) == pytest.approx(right / 2, abs=2)  # on oil no tape holds
    assert worth("tape", after=(), wool=True) < right / 2
    assert worth("tape", "cover", after=()) == pytest.approx(0.9 * right, abs=2)
    with pytest.raises(ValueError, match="lacquered"):
        scratches.do(scratches.scratched(5, 1), "tape")


def test_an_end_springs_by_what_the_wire_is_bent_too_little_and_force_cracks_the_board() -> None:
    good = seating.Fret(8.0, 230.0)
    slack = seating.Fret(2.0, 340.0)
    blocked = replace(good, blocked=0, blocked_mm=0.3)
    board = seating.Slotted(254.0, (good, slack, blocked, good, good, good))
    feels = dict[int, str]()
    for fret in (1, 2, 3):
        for _ in range(3):
            board, said = seating.do(board, "press", fret)
            feels[fret] = said.feels
    assert feels == {1: "home", 2: "springs", 3: "rings"}
    lifts = seating.HALF_MM**2 / 2 * (1 / 254 - 1 / 340)
    assert board.frets[1].up_mm == pytest.approx((lifts - 2 / seating.STIFF_N, 0, lifts - 2 / seating.STIFF_N))
    assert board.frets[2].up_mm[0] == 0.3
    # bent more, or glued, it stays; what is in the way is notched, or the board cracks
    glued, _ = seating.do(board, "glue", 2)
    assert max(glued.frets[1].up_mm) == 0.0
    with pytest.raises(ValueError, match="pull it first"):
        seating.do(board, "bend", 2)
    notched = board
    for what in ("pull", "notch", "press", "press", "press"):
        notched, said = seating.do(notched, what, 3, "bass")
    assert said.feels == "home"
    for _ in range(seating.FORCES):
        board, _said = seating.do(board, "tap", 3, "bass")
    assert board.cracked
    # the middle first levers up ends that no barb holds yet
    first, said = seating.do(seating.slotted(1, 1), "tap", 1, "middle")
    assert first.frets[0].up_mm[0] > seating.STANDS_MM
    looks = [seating.do(first, "look", 1)[1], seating.do(first, "look", 2)[1]]
    assert set(looked([*looks, said])) == {2}


def test_a_file_takes_the_ends_first_and_then_the_edge_of_the_board() -> None:
    truth = ends.ends(5, 2)
    filed, took = truth, 0.0
    for one in ends.by_program(truth)[0]:
        if one.side == "bass" and one.what.startswith("flush"):
            filed, _said = ends.do(filed, one.what, one.side, one.place)
            took += ends.TAKES[one.what]
    assert max(filed.sides[0].over_mm) <= ends.FLUSH_MM
    assert max(filed.sides[0].bare_mm) < ends.BARE_MM
    assert filed.sides[1] == truth.sides[1]
    # what comes off is what was said, off ends and edge together
    off = sum(truth.sides[0].over_mm) - sum(filed.sides[0].over_mm) + sum(filed.sides[0].bare_mm)
    assert off == pytest.approx(took)
    for _ in range(6):
        filed, _said = ends.do(filed, "flush_firm", "bass")
    assert max(filed.sides[0].bare_mm) > ends.BARE_MM
    # bevelled before they are flush, the ends that stand out are bevelled most
    early, _ = ends.do(truth, "bevel_firm", "treble")
    most = int(np.argmax(early.sides[1].bevel_mm))
    assert truth.sides[1].over_mm[most] > np.mean(truth.sides[1].over_mm)

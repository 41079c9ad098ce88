"""`deft-bench calc`: the contract's figures through the command itself, and bad requests refused by field."""

import json
import subprocess
import sys
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from deft_bench.cli import main
from deft_bench.formats import calc
from deft_bench.formats.strict_json import RequestError, read_json, tidy

HEIGHTS = [0.01, 0.02, 0, 0.03, 0.06, 0.01, 0, 0.02, -0.09, 0.01, 0.02, 0]
LEVEL = {"scale_mm": 628, "frets": 12, "heights_mm": {"middle": HEIGHTS}, "fret_height_mm": 1.2}
TAPE: dict[str, Any] = {
    "scale_mm": 648,
    "frets": 22,
    "tape_fret": 12,
    "fret_layers": 2,
    "beam_layers": 0,
    "tape_thickness_mm": 0.1,
    "last_drop_mm": 0.1,
}
STRAIGHT = {
    "scale_mm": 628,
    "frets": 8,
    "surface": "board",
    "first_fret": 1,
    "last_fret": 8,
    "gaps_mm": [0, 0.09, None, 0.16, 0.15, 0.12, 0.07, 0],
}


def command(*args: str, request: object = None) -> subprocess.CompletedProcess[str]:
    text = request if isinstance(request, str) else json.dumps(request)
    return subprocess.run(
        [sys.executable, "-m", "deft_bench", "calc", *args], input=text, capture_output=True, text=True
    )


def test_the_command_answers_the_reference_plan() -> None:
    done = command("level-plan", request=LEVEL)
    assert (done.returncode, done.stderr) == (0, "")
    answer = json.loads(done.stdout)
    assert (round(answer["total_mm"], 4), round(answer["worst_mm"], 4)) == (0.8054, 0.1286)
    assert [option["lift"] for option in answer["options"]] == [[9], []]
    assert round(answer["options"][0]["total_mm"], 4) == 0.18
    assert answer["call"].keys() == {"say", "do", "figures", "because", "instead", "sure", "settle"}
    assert answer["call"]["do"] == "lift"
    assert answer["twist_mm"] is None


def pointed(value: Any) -> Any:
    """The same request with a point in every whole number."""
    if isinstance(value, dict):
        return {name: pointed(one) for name, one in value.items()}
    if isinstance(value, list):
        return [pointed(one) for one in value]
    return float(value) if isinstance(value, int) and not isinstance(value, bool) else value


@pytest.mark.parametrize(
    ("name", "request_"), [("level-plan", LEVEL), ("fall-away-tape", TAPE), ("straightness", STRAIGHT)]
)
def test_a_whole_number_may_have_a_point(name: str, request_: dict[str, Any]) -> None:
    plain, with_points = (read_json(json.dumps(one)) for one in (request_, pointed(request_)))
    assert ".0" in json.dumps(pointed(request_))
    assert calc.calculate(name, with_points) == calc.calculate(name, plain)


def test_reference_positions_and_marks() -> None:
    answer = calc.calculate("fret-positions", {"scale_mm": 628, "frets": 21, "rule_step_mm": 0.5})
    assert [round(answer["positions_mm"][n - 1], 3) for n in (1, 5, 12, 21)] == [35.247, 157.532, 314.0, 441.294]
    assert sum(answer["spacing_mm"]) == pytest.approx(answer["positions_mm"][-1])
    assert answer["half_scale_mm"] == 314
    assert answer["marks_mm"][0] == 35.0
    assert answer["worst_error_from_nut_mm"] == [0.25] * 21
    assert answer["worst_error_chained_mm"][-1] == pytest.approx(21 * 0.25)
    plain = calc.calculate("fret-positions", {"scale_mm": 628, "frets": 21})
    assert plain.keys() == {"positions_mm", "spacing_mm", "half_scale_mm"}


def test_strokes_of_a_beam_come_off_what_it_bears_on() -> None:
    asked = {"scale_mm": 628, "tops_mm": [0, 0, 0.05, 0, 0, 0.05, 0, 0], "hand_mm": 130, "take_mm": 0.001, "strokes": 9}
    found = calc.calculate("beam-strokes", asked)
    # two bear, and by the lever: the nearer one more
    near, far = found["removed_mm"][2], found["removed_mm"][5]
    at = calc.calculate("fret-positions", {"scale_mm": 628, "frets": 8})["positions_mm"]
    assert [off > 1e-9 for off in found["removed_mm"]] == [False, False, True, False, False, True, False, False]
    assert near * (130 - at[2]) == pytest.approx(far * (at[5] - 130), rel=1e-4)
    assert near + far == pytest.approx(0.009)
    assert found["to_come_off_total_mm"] == pytest.approx(0.1 - 0.009)
    for fields, why in (
        ({"hand_mm": 20}, "hand_mm: the hand bears between"),
        ({"lifted_mm": [0] * 3}, "one entry a fret"),
    ):
        with pytest.raises(RequestError, match=why):
            calc.calculate("beam-strokes", {**asked, **fields})


@given(st.floats(2.0, 2.8), st.floats(0.42, 0.48), st.floats(0.05, 0.15), st.floats(-0.05, 0.05), st.floats(0.2, 0.4))
def test_a_crown_is_filed_to_the_line_that_is_asked(
    width: float, share: float, removed: float, lean: float, line: float
) -> None:
    asked = {"width_mm": width, "height_mm": share * width, "removed_mm": removed, "lean": lean, "line_mm": line}
    begun = calc.calculate("crown-filing", asked)
    assert begun["under_mm"] < 0.002 < begun["over_mm"]
    done = calc.calculate("crown-filing", {**asked, "passes": begun["to_line"]})
    assert done["line_mm"] == pytest.approx(line, abs=0.02)
    assert abs(done["off_centre_mm"]) <= 0.01
    # 0.034 at the worst, where the beam leaned
    assert max(done["under_mm"], done["over_mm"]) < 0.04
    assert done["lost_mm"] < 1e-6
    assert sum(one["metal_mm2"] for one in done["to_line"]) < 0.002
    # filed on, the line goes and the fret gets low
    spoiled = [{**one, "metal_mm2": 10 * one["metal_mm2"]} for one in begun["to_line"]]
    assert calc.calculate("crown-filing", {**asked, "passes": spoiled})["lost_mm"] > 0.001
    for fields, why in (({"removed_mm": 2}, "less than the fret"), ({"line_mm": 3}, "less than the crown")):
        with pytest.raises(RequestError, match=why):
            calc.calculate("crown-filing", {**asked, **fields})


def test_straightness_answers_in_fret_order_with_nulls() -> None:
    answer = calc.calculate("straightness", STRAIGHT)
    assert (answer["kind"], answer["call"]["do"]) == ("relief", "straighten")
    assert len(answer["residual_mm"]) == 8
    assert answer["residual_mm"][2] is None
    readings = [{"x_mm": x, "gap_mm": 0.0} for x in (30, 100, 200, 300, 400)]
    flat = calc.calculate(
        "straightness", {**{k: v for k, v in STRAIGHT.items() if k != "gaps_mm"}, "readings": readings}
    )
    assert (flat["kind"], len(flat["residual_mm"])) == ("straight", 5)


@pytest.mark.parametrize(
    ("name", "request_", "lines"),
    [
        (
            "fret-positions",
            {"frets": 0, "fretz": 1},
            ["scale_mm: missing", "frets: 0 is less than 1", "fretz: unknown field"],
        ),
        (
            "fret-positions",
            {"scale_mm": True, "frets": 2.5},
            ["scale_mm: must be a number", "frets: must be a whole number"],
        ),
        (
            "fret-positions",
            {"scale_mm": -1, "frets": 61},
            ["scale_mm: -1 is less than 100", "frets: 61 is more than 60"],
        ),
        (
            "fret-positions",
            {"scale_mm": 628, "frets": 2, "rule_step_mm": 1, "rule_steps": [{"to_mm": 5, "step_mm": 1}]},
            ["rule_step_mm: give"],
        ),
        (
            "fret-positions",
            {"scale_mm": 628, "frets": 2, "rule_steps": [{"to_mm": 5, "step_mm": 1}, {"to_mm": 5, "step_mm": 0}]},
            ["rule_steps[1].step_mm"],
        ),
        ("level-plan", {**LEVEL, "frets": 11}, ["heights_mm.middle: must hold one entry a fret, 11"]),
        ("level-plan", {**LEVEL, "heights_mm": {"middle": [None] * 11 + [1]}}, ["heights_mm.middle: at least two"]),
        ("level-plan", {**LEVEL, "heights_mm": {}}, ["heights_mm: must name at least 1"]),
        ("level-plan", {**LEVEL, "left_out": [13]}, ["left_out[0]: fret 13"]),
        ("level-plan", {**LEVEL, "fall_away": {"from_fret": 12, "drop_mm": 0.1}}, ["fall_away.from_fret: must start"]),
        (
            "level-plan",
            {**LEVEL, "fall_away": {"drop_mm": "x"}},
            ["fall_away.from_fret: missing", "fall_away.drop_mm: must be a number"],
        ),
        ("level-plan", {**LEVEL, "fret_height_mm": [1.2]}, ["fret_height_mm: must be one number, or one entry a fret"]),
        ("level-plan", {**LEVEL, "crown_width_mm": 1.5}, ["fret_height_mm: 1.2 is too tall"]),
        ("level-plan", {**LEVEL, "objective": "most"}, ["objective: must be one of"]),
        ("fall-away-tape", {**TAPE, "scale_mm": 1e-12}, ["scale_mm: 1e-12 is less than 100"]),
        ("fall-away-tape", {**TAPE, "last_drop_mm": 1e-15}, ["last_drop_mm: is so little"]),
        ("level-plan", {**LEVEL, "heights_mm": {"middle": [*HEIGHTS[1:], -1e300]}}, ["heights_mm.middle[11]: -1e+"]),
        ("straightness", {**STRAIGHT, "last_fret": 9}, ["last_fret: 9 is more than the 8"]),
        ("straightness", {**STRAIGHT, "first_fret": 8}, ["first_fret: must be less"]),
        (
            "straightness",
            {**STRAIGHT, "gaps_mm": [0, 0, 0, 0, None, None, None, None]},
            ["gaps_mm: needs readings at 5"],
        ),
        ("straightness", {**STRAIGHT, "readings": []}, ["readings: holds fewer"]),
    ],
)
def test_a_bad_request_is_refused_one_line_a_field(name: str, request_: dict[str, Any], lines: list[str]) -> None:
    with pytest.raises(RequestError) as refused:
        calc.calculate(name, request_)
    assert len(refused.value.lines) == len(lines)
    for line in lines:
        assert any(found.startswith(line) for found in refused.value.lines), (line, refused.value.lines)


@pytest.mark.parametrize(
    ("text", "line"),
    [
        ('{"scale_mm": NaN, "frets": 2}', "NaN"),
        ('{"scale_mm": 1e999, "frets": 2}', "too large"),
        ("{", "line 1, column"),
        ('{"frets": 2, "frets": 3}', "stands twice"),
        ("[" * 100_000, "nested too deeply"),
        ("9" * 5000, "."),
        ("[]", ".: must be an object"),
        ('{"scale_mm": 628, "frets": 5e-324}', "frets: 0 is less than 1"),
    ],
)
def test_what_is_no_request_exits_2_in_one_line(text: str, line: str) -> None:
    done = command("fret-positions", request=text)
    assert (done.returncode, done.stdout) == (2, "")
    assert line in done.stderr
    assert "Traceback" not in done.stderr


def test_list_schema_and_unknown_names(capsys: pytest.CaptureFixture[str]) -> None:
    assert main(["calc", "--list"]) == 0
    assert [line.split()[0] for line in capsys.readouterr().out.splitlines()] == list(calc.CALCULATIONS)
    for name in calc.names():
        assert main(["calc", name, "--schema"]) == 0
        assert json.loads(capsys.readouterr().out)["additionalProperties"] is False
    with pytest.raises(SystemExit) as left:
        main(["calc", "nonsense"])
    assert left.value.code == 2


numbers = st.integers(-50, 50).map(lambda n: n / 100) | st.none()


@given(st.lists(numbers, min_size=2, max_size=24), st.lists(numbers, min_size=2, max_size=24), st.floats(0.5, 1.5))
def test_no_answer_holds_nan_infinity_or_minus_zero(bass: list[Any], treble: list[Any], height: float) -> None:
    frets = min(len(bass), len(treble))
    lanes = {"bass": bass[:frets], "treble": treble[:frets]}
    asked = {"scale_mm": 640, "frets": frets, "heights_mm": lanes, "fret_height_mm": height, "crown_width_mm": 2.7}
    try:
        text = json.dumps(calc.calculate("level-plan", asked), allow_nan=False)
    except RequestError:
        assert any(sum(h is not None for h in lane) < 2 for lane in lanes.values())
        return
    assert not any(word in text for word in ("-0.0,", "-0.0]", "-0.0}", "NaN", "Infinity"))


def test_tidy_refuses_what_is_not_finite() -> None:
    assert str(tidy([-0.0, (1, 2)])) == "[0.0, [1, 2]]"
    with pytest.raises(ValueError, match="not finite"):
        tidy({"a": [float("nan")]})
    assert read_json(b'{"a": 1}') == {"a": 1}


def test_heavy_libraries_are_not_imported_for_a_call() -> None:
    code = (
        "import sys, io, json; from deft_bench.cli import main; sys.stdin ="
        f" io.TextIOWrapper(io.BytesIO(json.dumps({LEVEL!r}).encode())); main(['calc', 'level-plan']); heavy ="
        " {'numpy', 'scipy', 'flask', 'PIL', 'sqlite3', 'cheroot', 'jsonschema'} & set(sys.modules);"
        " assert not heavy, heavy"
    )
    subprocess.run([sys.executable, "-c", code], check=True, capture_output=True)

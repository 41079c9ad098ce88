"""Specifications: every kind's starting values hold, and what cannot be built is refused at its field."""

from dataclasses import replace

import pytest

from deft_bench.core.instrument import KINDS, STARTING, changes, problems
from deft_bench.core.units import Display

NAMED = {kind: replace(spec, name="Tern No. 1") for kind, spec in STARTING.items()}


@pytest.mark.parametrize("kind", KINDS)
def test_starting_values_can_be_built(kind: str) -> None:
    assert problems(NAMED[kind]) == {}
    lines = NAMED[kind].lines()
    assert lines[0].length_mm >= NAMED[kind].nut_width_um / 1000 - 1e-6
    spread = lines[-1].treble_edge[1] - lines[-1].bass_edge[1]
    assert spread == pytest.approx(NAMED[kind].last_fret_width_um / 1000, abs=0.7)


@pytest.mark.parametrize(
    ("field", "changed"),
    [
        ("name", {"name": " "}),
        ("frets", {"frets": 61}),
        ("bass_scale_um", {"bass_scale_um": 0}),
        ("spread_nut_um", {"spread_nut_um": 43_000}),
        ("spread_saddle_um", {"spread_saddle_um": 30_000}),
        ("last_fret_width_um", {"last_fret_width_um": 40_000}),
        ("nut_radius_um", {"nut_radius_um": None}),
        ("end_radius_um", {"end_radius_um": 400_000}),
        ("radius_kind", {"radius_kind": "flat"}),
        ("bass_scale_um", {"treble_scale_um": 700_000}),
        ("perpendicular_fret", {"perpendicular_fret": 5}),
        ("perpendicular_fret", {"bass_scale_um": 680_000, "perpendicular_fret": 25}),
        ("joint_fret", {"joint_fret": 24}),
        ("tang_depth_um", {"tang_depth_um": 3_400, "board_thickness_um": 3_000}),
        ("fret_height_um", {"fret_height_um": 1_700}),
        ("rod_end", {"rod": "none"}),
        ("rod_end", {"rod_end": "none"}),
        ("nibs", {"nibs": True}),
        ("crown_width_um", {"frets": 44, "crown_width_um": 3_500}),
        ("rod", {"rod": "triple"}),
    ],
)
def test_what_cannot_be_is_refused_at_its_field(field: str, changed: dict[str, object]) -> None:
    found = problems(replace(NAMED["electric"], **changed))  # type: ignore[arg-type]
    assert field in found
    assert len(found[field]) > 15


def test_limits_are_said_in_the_units_shown() -> None:
    wrong = replace(NAMED["electric"], nut_width_um=1)
    assert "15 mm to 120 mm" in problems(wrong)["nut_width_um"]
    assert " in" in problems(wrong, Display("in"))["nut_width_um"]


def test_changes_name_the_fields() -> None:
    assert list(changes(NAMED["electric"], replace(NAMED["electric"], frets=21, note="x"))) == ["frets", "note"]


def test_a_tuning_of_no_notes_is_refused_at_its_box() -> None:
    spec = replace(STARTING["electric"], name="x")
    assert "tuning" not in problems(replace(spec, tuning="E2, A2, D3, G3, B3, E4"))
    assert "H9" in problems(replace(spec, tuning="H9 x y"))["tuning"]

"""The input grammar and both unit systems."""

import re
from dataclasses import replace
from fractions import Fraction
from typing import Literal

import pytest
from hypothesis import given
from hypothesis import strategies as st

from deft_bench.core.shop_settings import ShopSettings, from_text, to_text
from deft_bench.core.units import Display, LengthError, fraction_of_inch, parse_length


@pytest.mark.parametrize(
    ("typed", "um"),
    [
        ("0.25", 250),
        (".25 mm", 250),
        ("0,25", 250),
        ("10 thou", 254),
        ('.010"', 254),
        ('1/64"', 397),
        ("3 15/32 in", 88106),
        ("3-15/32 in", 88106),
        ("−0.02", -20),
        ("+0.03mm", 30),
        ("2 mil", 51),
        ("1/2 mm", 500),
        ("25 µm", 25),
        ("25um", 25),
        ("  0.4  ", 400),
        ("5.", 5000),
        ("2 cm", 20000),
        ("1”", 25400),
        ("-0", 0),
    ],
)
def test_the_grammar(typed: str, um: int) -> None:
    assert parse_length(typed) == um


@pytest.mark.parametrize(
    ("typed", "um"), [("0.010", 254), ("1/64", 397), ("3 15/32", 88106), ("0.25 mm", 250), ("3 thou", 76)]
)
def test_a_bare_number_means_the_unit_beside_the_box(typed: str, um: int) -> None:
    assert parse_length(typed, "in") == um


@pytest.mark.parametrize(
    "typed",
    [
        "",
        "  ",
        "abc",
        "0.2.5",
        "1,000.5",
        "5 ft",
        ".",
        "1/0 in",
        "1//2",
        "nan",
        "inf",
        "1e3",
        "٣",
        "0x10",
        "--1",
        "1 2",
        "9" * 30,
    ],
)
def test_what_cannot_be_meant_is_refused_with_the_accepted_forms(typed: str) -> None:
    with pytest.raises(LengthError, match=re.escape("Accepted: 0.25")):
        parse_length(typed)


def test_a_bare_fraction_in_millimetres_asks_for_its_unit() -> None:
    with pytest.raises(LengthError, match='1/64"'):
        parse_length("1/64")


@given(st.integers(-5_000_000, 5_000_000))
def test_an_entry_box_loses_nothing(um: int) -> None:
    assert parse_length(Display("mm").entry(um)) == um
    assert parse_length(Display("in").entry(um), "in") == um


@given(st.integers(-3_000_000, 3_000_000), st.sampled_from([8, 16, 32, 64, 128]))
def test_a_fraction_with_its_remainder_is_the_length(um: int, denominator: int) -> None:
    text = fraction_of_inch(um, denominator)
    match = re.fullmatch(r"(−?)(?:(\d+) )?(?:(\d+)/(\d+) )?in(?: ([+−])(\d\.\d{3}))?", text)
    assert match, text
    sign, whole, top, bottom, rest_sign, rest = match.groups()
    inches = (int(whole or 0) + (int(top) / int(bottom) if top else 0)) * (-1 if sign else 1)
    remainder = float(rest or 0) * (-1 if rest_sign == "−" else 1)
    assert abs(remainder) <= 0.5 / denominator + 5e-4
    assert inches + remainder == pytest.approx(um / 25400, abs=5.1e-4)
    if bottom:
        assert int(bottom) <= denominator


def test_how_lengths_are_written() -> None:
    assert Display("mm").signed(-94) == "−0.09 mm"
    assert Display("mm").signed(3) == "0.00 mm"
    assert Display("mm").long(628_000) == "628 mm"
    assert Display("in").long(628_000) == "24 23/32 in +0.006"
    assert Display("in", None).long(628_000) == "24.7244 in"
    assert Display("in").fine(250) == "0.0098 in"
    assert Display("in").fine(parse_length("10 thou")) == "0.0100 in"
    assert Display("in").long(parse_length("25 1/2", "in")) == "25 1/2 in"
    said = [Display("in").radius(um) for um in (305_000, 184_150, 241_000, 317_000, 267_700)]
    assert said == ["12 in", "7 1/4 in", "9 1/2 in", "12 1/2 in", "10.54 in"]
    assert Display("in", None).radius(305_000) == "12.01 in"


@given(st.integers(0, 40), st.integers(1, 64), st.sampled_from([2, 4, 8, 16, 32, 64]))
def test_a_fraction_that_was_typed_stays_one(whole: int, top: int, bottom: int) -> None:
    um = parse_length(f"{whole} {top % bottom}/{bottom}", "in")
    shown = Display("in").entry(um)
    assert Fraction(shown.split()[-1]) % 1 == Fraction(top % bottom, bottom)
    assert parse_length(shown, "in") == um


@given(
    st.integers(5, 100),
    st.sampled_from(["mm", "in"]),
    st.sampled_from([16, 64, None]),
    st.none() | st.integers(200, 2_000),
)
def test_settings_come_back_from_their_texts(
    rock: int, system: Literal["mm", "in"], inches: int | None, least: int | None
) -> None:
    chosen = replace(
        ShopSettings(), rock_um=rock, system=system, inches=inches, least_height_um=least, rate_per_hour=52.5
    )
    assert from_text(to_text(chosen)) == chosen
    # what an older or a damaged bench holds stands for nothing; the rest is kept
    assert from_text(to_text(chosen) | {"polish_loss_um": "lots", "colour": "red"}) == chosen

"""Days and times are read as they are written, and as people write them."""

from datetime import date, datetime, time, timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st

from deft_bench.core.times import clock_words, day_words, read_clock, read_day, read_moment

TODAY = date(2026, 11, 27)


@given(st.dates(date(2020, 1, 1), date(2035, 12, 31)), st.dates(date(2020, 1, 1), date(2035, 12, 31)))
def test_a_day_in_words_is_read_back(day: date, today: date) -> None:
    assert read_day(day_words(day), today) == day
    near = today + timedelta(days=(day.toordinal() % 420) - 100)
    assert read_day(day_words(near, near.year), today) == near
    at = datetime.combine(day, time(day.day % 24, 5))
    assert read_moment(f"{day_words(day)}, {clock_words(at)}", today) == at


@pytest.mark.parametrize(
    ("typed", "day"),
    [
        ("today", TODAY),
        ("Tomorrow", date(2026, 11, 28)),
        ("Mon", date(2026, 11, 30)),
        ("friday", date(2026, 12, 4)),
        ("24.12.", date(2026, 12, 24)),
        ("3 jan", date(2027, 1, 3)),
        ("1 Nov", date(2026, 11, 1)),
        ("December 5, 2027", date(2027, 12, 5)),
        ("2026-12-01", date(2026, 12, 1)),
        ("29 Feb", date(2028, 2, 29)),
    ],
)
def test_days_are_read_as_people_write_them(typed: str, day: date) -> None:
    assert read_day(typed, TODAY) == day


@pytest.mark.parametrize("typed", ["", "soon", "31 Nov", "Tue 30 Nov", "12/11", "Mon Tue", "0.12.", "30"])
def test_what_is_no_day_is_refused_in_words(typed: str) -> None:
    with pytest.raises(ValueError, match=r"is not a date: give it such as Fri 4 Dec|is a Monday, not a Tue"):
        read_day(typed, TODAY)
    with pytest.raises(ValueError, match=r"give it such as|is a Monday"):
        read_moment(typed, TODAY)


@pytest.mark.parametrize("typed", ["9999-12-31", "31 Dec 1899"])
def test_a_year_that_no_bench_sees_is_refused(typed: str) -> None:
    with pytest.raises(ValueError, match="give one from 1900 to 2200"):
        read_day(typed, TODAY)


def test_times_of_day() -> None:
    assert [read_clock(text) for text in ("9", "9:30", "0930", "14.05")] == [
        time(9),
        time(9, 30),
        time(9, 30),
        time(14, 5),
    ]
    for wrong in ("24:00", "9:60", "noon", "", "12345"):
        with pytest.raises(ValueError, match="is not a time of day"):
            read_clock(wrong)

"""Hours of a week as people write them."""

from __future__ import annotations

import datetime

import pytest
from hypothesis import given
from hypothesis import strategies as st

from mesotrope.core.day.hours import DAYS, Week, read_hours, written
from mesotrope.errors import InvalidInput

MONDAY = datetime.date(2026, 3, 2)

spans = st.lists(st.integers(0, 24 * 60), min_size=0, max_size=6, unique=True).map(
    lambda ends: tuple(zip(sorted(ends)[::2], sorted(ends)[1::2], strict=False))
)


@given(spans)
def test_what_is_written_is_read_again(day):
    assert read_hours(written(day)) == day


@given(st.lists(spans, min_size=7, max_size=7))
def test_a_week_is_kept_as_it_is(days):
    week = Week(tuple(days))
    if any(days):
        assert Week.of(week.kept()) == week


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("early", "write it as 8:00-12:00"),
        ("12-8", "each span ends after it begins"),
        ("8-12, 11-13", "and after the one before"),
        ("8-25", "within the day"),
        ("8:75-9", "within the day"),
    ],
)
def test_hours_that_cannot_be_are_refused(text, words):
    with pytest.raises(InvalidInput, match=words):
        read_hours(text, "Monday")


def test_the_day_that_is_wrong_is_named():
    with pytest.raises(InvalidInput, match="Wednesday"):
        Week.read(["8-12", "8-12", "sometimes", "", "", "", ""])


def test_days_away_are_left_out_and_a_day_of_the_week_counts():
    week = Week.read(["8-12", *["9-10"] * 6])
    away = [(MONDAY + datetime.timedelta(days=1), MONDAY + datetime.timedelta(days=2))]
    found = week.minutes_from(MONDAY, 8, away)
    assert found[0] == (480, 720)
    assert found[-1] == (7 * 1440 + 480, 7 * 1440 + 720)
    assert len(found) == 6
    assert len(DAYS) == 7

"""Vehicle identification numbers."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from mesotrope.core.language.vin import read_vin
from mesotrope.errors import InvalidInput

SIGNS = "ABCDEFGHJKLMNPRSTUVWXYZ0123456789"


def test_the_worked_example_of_the_rule():
    """49 CFR 565.15 (from memory): 1M8GDM9AXKP042788 adds up to 351, remainder 10, written X."""
    reading = read_vin("1m8gdm9axkp042788")
    assert (reading.valid, reading.expected_check_digit, reading.model_years) == (True, "X", (2019, 1989))


def test_all_ones_is_the_rules_own_check():
    """Seventeen ones: the weights add to 89, 89 mod 11 = 1."""
    assert read_vin("1" * 17).valid


@given(st.text(SIGNS, min_size=17, max_size=17), st.integers(0, 16), st.sampled_from("0123456789"))
def test_any_other_digit_at_a_weighted_place_is_noticed(number, place, digit):
    right = number[:8] + read_vin(number).expected_check_digit + number[9:]
    assert read_vin(right).valid
    if place != 8 and right[place].isdigit() and right[place] != digit:
        assert not read_vin(right[:place] + digit + right[place + 1 :]).valid


@pytest.mark.parametrize(
    ("number", "message"),
    [("1M8", "17 characters are needed, these are 3"), ("IM8GDM9AXKP042788", "'I' never stands in it"),
     ("1M8GDM9A-KP042788", "'-' never stands in it"), ("１M8GDM9AXKP042788", "never stands in it")],
)  # fmt: skip
def test_what_is_no_vin_is_refused_with_the_reason(number, message):
    with pytest.raises(InvalidInput, match=message):
        read_vin(number)

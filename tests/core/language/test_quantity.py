"""Quantities: what people write, and conversions against published factors."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from mesotrope.core.language.quantity import UNITS, Measure, convert, parse_quantity
from mesotrope.errors import InvalidInput


@pytest.mark.parametrize(
    ("value", "unit_from", "unit_to", "printed", "half_last_digit"),
    [
        (1, "lbf.ft", "N.m", 1.355818, 5e-7),
        (1, "psi", "kPa", 6.894757, 5e-7),
        (1, "fl_oz", "mL", 29.57353, 5e-6),
        (1, "in", "mm", 25.4, 1e-12),
        (1, "mi", "km", 1.609344, 1e-12),
        (212, "F", "C", 100, 1e-9),
        (1, "lbf.ft", "lbf.in", 12, 1e-9),
    ],
)
def test_conversions_agree_with_the_published_factors(value, unit_from, unit_to, printed, half_last_digit):
    """NIST SP 811, Appendix B (from memory)."""
    assert convert(value, unit_from, unit_to) == pytest.approx(printed, abs=half_last_digit)


def test_a_pad_is_often_read_in_32nds():
    """Common practice: a pad read as 9/32 inch."""
    assert convert(9, "32nds", "in") == pytest.approx(9 / 32)


@pytest.mark.parametrize(
    ("text", "millimetres"),
    [
        ("7.5", 7.5), ("7,5", 7.5), (" 7.5 mm", 7.5), ("9/32", 7.14375), ('1/4"', 6.35), ('.295"', 7.493),
        ("1 1/4 in", 31.75), ("0", 0.0), ("-0.5", -0.5), ("0.75 cm", 7.5),
    ],
)  # fmt: skip
def test_a_thickness_is_read_as_people_write_it(text, millimetres):
    assert parse_quantity(text, "mm") == pytest.approx(millimetres)


@pytest.mark.parametrize(
    "text", ["", "abc", "7..5", "1e9", "nan", "inf", "7 5", "--3", "<b>7</b>", "9/", "１２ mm x", "." * 50, "9" * 400]
)
def test_what_is_no_number_is_refused_with_an_example(text):
    with pytest.raises(InvalidInput, match=r"write for example 7\.5, 7,5 or 9/32"):
        parse_quantity(text, "mm")


def test_a_fraction_over_zero_is_refused():
    with pytest.raises(InvalidInput, match="cannot be over zero"):
        parse_quantity("9/0", "mm")


def test_a_strange_unit_is_named():
    with pytest.raises(InvalidInput, match="the unit 'stone' is not known here"):
        parse_quantity("7 stone", "mm")


def test_two_kinds_of_quantity_do_not_convert():
    with pytest.raises(InvalidInput, match="they measure different things"):
        convert(1, "mm", "N.m")


def test_an_unknown_unit_lists_those_that_are_known():
    with pytest.raises(InvalidInput, match=r"units are written mm, in, 32nds"):
        convert(1, "furlong", "mm")


@given(
    st.floats(-1e6, 1e6),
    st.sampled_from([("mm", "in"), ("mm", "32nds"), ("N.m", "lbf.in"), ("C", "F"), ("bar", "psi"), ("km", "mi")]),
)
def test_converting_there_and_back_changes_nothing(value, pair):
    there, back = pair
    assert convert(convert(value, there, back), back, there) == pytest.approx(value, rel=1e-9, abs=1e-9)


@given(st.integers(0, 40), st.integers(0, 9))
def test_a_comma_is_a_point(whole, tenth):
    assert parse_quantity(f"{whole},{tenth}", "mm") == parse_quantity(f"{whole}.{tenth}", "mm")


def test_every_unit_is_known_to_the_units_library():
    for unit in UNITS:
        assert convert(1.0, unit, unit) == 1.0


@given(st.floats(-50, 50), st.floats(0.01, 5), st.floats(-50, 50), st.floats(0.01, 5))
def test_a_difference_is_less_sure_than_either_figure(a, sd_a, b, sd_b):
    """JCGM 100:2008, 5.1.2 (from memory): variances add."""
    difference = Measure(a, sd_a) - Measure(b, sd_b)
    assert difference.sd >= max(sd_a, sd_b)
    assert difference.sd**2 == pytest.approx(sd_a**2 + sd_b**2)

"""Each person's units: shown, typed, said; kept in one."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from mesotrope.core.language.entries import read_entry
from mesotrope.core.language.inspection import CornerFindings
from mesotrope.core.language.quantity import parse_quantity
from mesotrope.core.language.units import CHOICES, Units
from mesotrope.errors import InvalidInput
from mesotrope.knowledge import knowledge


@pytest.mark.parametrize(
    ("units", "value", "unit", "shown"),
    [
        (Units(length="in"), 25.4, "mm", "1.000"),  # 1 in = 25.4 mm exactly, NIST SP 811, Appendix B (from memory)
        (Units(length="32nds"), 7.14375, "mm", "9/32"),
        (Units(temperature="F"), 180.0, "C", "356"),
        (Units(torque="lbf.ft"), 135.5818, "N.m", "100"),
        (Units(distance="mi"), 1.609344, "km", "1"),
        (Units(volume="fl_oz"), 29.57353, "mL", "1"),
        (Units(), 84210, "km", "84\u00a0210"),
    ],
)
def test_figures_are_shown_in_the_persons_units(units, value, unit, shown):
    assert units.shown(value, unit) == shown


@given(st.floats(0.5, 20), st.sampled_from(CHOICES["length"]))
def test_what_is_shown_can_be_typed_again_within_half_its_last_digit(value, length):
    units = Units(length=length)
    typed = parse_quantity(units.shown(value, "mm"), "mm", written_in=length)
    assert typed == pytest.approx(
        value, abs={"mm": 1e-4, "in": 0.0005 * 25.4 + 1e-9, "32nds": 25.4 / 128 + 1e-9}[length]
    )


@given(st.floats(1, 20).map(lambda v: round(v, 1)), st.sampled_from(CHOICES["length"]))
def test_a_bare_figure_is_in_the_persons_unit(value, length):
    units = Units(length=length)
    entered = {"mm": value, "in": value / 30, "32nds": value}[length]
    kept = read_entry(
        CornerFindings, "pad_mm.inner.lead_rim", f"{entered:.6f}", knowledge(), units=units, confirmed=True
    )
    assert kept == pytest.approx(parse_quantity(f"{entered:.6f}", "mm", written_in=length))


def test_a_unit_that_is_none_is_refused():
    with pytest.raises(InvalidInput, match="unit of length: 'ell' cannot be used; allowed: mm, 32nds, in"):
        Units(length="ell")
    with pytest.raises(InvalidInput, match="allowed: C, F"):
        Units.of({"temperature": "K"})

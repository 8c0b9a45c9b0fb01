"""Hydraulics against geometry worked by hand, trade facts, and laws."""

from __future__ import annotations

import math

import numpy as np
import pint
import pytest
from hypothesis import given
from hypothesis import strategies as st

from mesotrope.core.language.quantity import Measure
from mesotrope.core.physics.hydraulics import (
    bleed_volume,
    brake_imbalance_percent,
    clamp,
    fluid_balance,
    fluid_returned_fixed_ml,
    fluid_returned_floating_ml,
    homecoming,
    pedal_strokes,
    pedal_travel_mm,
    piston_area_mm2,
    refill_strokes,
)
from mesotrope.errors import InvalidInput

wears = st.floats(0, 15)
diameters = st.lists(st.floats(20, 80), min_size=1, max_size=4)


def test_fluid_of_a_worn_floating_caliper_worked_on_paper():
    """π/4 · 5.4² cm² · 1.02 cm = 22.902 · 1.02 = 23.360 mL."""
    assert fluid_returned_floating_ml([54.0], 5.0, 4.8, 0.4) == pytest.approx(23.360, abs=5e-4)


def test_fluid_of_a_fixed_caliper_worked_on_paper():
    """Sides of 30.2 and 33.9 mm: 7.1631 + 9.0259 = 16.189 cm²; (2.0 + 0.1) mm each side: 2 · 3.3997 = 6.799 mL."""
    assert fluid_returned_fixed_ml([30.2, 33.9], 2.0, 2.0, 0.2) == pytest.approx(6.799, abs=5e-4)


def test_one_to_two_fluid_ounces_come_back_from_a_worn_front_axle():
    """Common practice: one or two US fluid ounces. Two 57 mm pistons, linings from 11 to 4 mm."""
    both = 2 * fluid_returned_floating_ml([57.0], 7.0, 7.0, 0.5)
    ounces = (both * pint.UnitRegistry().milliliter).to("US_fluid_ounce").magnitude
    assert 1 <= ounces <= 2.6


def test_five_to_seven_strokes_bring_the_pedal_back():
    """Common practice: 5 to 7 full strokes on a typical front axle."""
    both = 2 * fluid_returned_floating_ml([57.0], 6.5, 6.5, 0.3)
    assert 5 <= pedal_strokes(both, 22.2, 0.8 * 34) <= 7.5


def test_refills_fall_every_ten_to_fifteen_strokes():
    """Common practice: refill every 10 to 15 strokes."""
    assert 9 <= refill_strokes(250.0, 22.2, 0.8 * 34) <= 15


def test_lost_travel_of_a_gap_worked_on_paper():
    """38 mm piston, gaps of 2.1 mm: 11.341 cm² · 0.21 cm = 2.3817 mL; over 3.8708 cm²: 6.153 mm; ratio 4: 24.61."""
    volume = piston_area_mm2([38.0]) * 2.1 / 1000
    assert pedal_travel_mm(volume, 22.2, 4.0) == pytest.approx(24.61, abs=0.01)


def test_pressure_clamp_and_torque_worked_on_paper():
    """300 · 4 · 4 = 4800 N on 387.08 mm²: 12.401 N/mm²; on 2551.8 mm²: 31 644 N; · 2 · 0.38 · 0.118 = 2837.8 N·m."""
    foot = clamp(300, 4, 4, 22.2, [57.0], 0.38, 118)
    assert (foot.pressure_bar, foot.clamp_force_n, foot.brake_torque_nm) == pytest.approx(
        (124.01, 31644, 2837.8), rel=2e-4
    )


def test_a_content_of_line_and_caliper():
    """π/4 · 0.34² cm² · 400 cm = 36.317 mL, and 40 mL of caliper."""
    volume = bleed_volume(4000, 3.4, 40, 1.5, 3)
    assert (volume.content_ml, volume.bleed_ml, volume.full_change_ml) == pytest.approx(
        (76.317, 114.475, 228.95), abs=0.01
    )


@pytest.mark.parametrize(
    ("left", "right", "percent"), [(2400, 1800, 25.0), (1800, 2400, 25.0), (100, 0, 100.0), (7, 7, 0.0)]
)
def test_imbalance_is_of_the_larger_side(left, right, percent):
    """Directive 2014/45/EU, Annex I (from memory): under 70 % of the other side is an imbalance over 30 %."""
    assert brake_imbalance_percent(left, right) == percent


def test_a_level_that_was_topped_up_worked_on_paper():
    """75 mL of 150 taken up: half is expected; 0.9 stands: 0.4 · 150 = 60 mL more, ± 150 · √(0.05² + 0.04²) = 9.6."""
    balance = fluid_balance(Measure(0.9, 0.05), Measure(75.0, 6.0), 150.0)
    assert balance.excess_ml.value == pytest.approx(60)
    assert balance.excess_ml.sd == pytest.approx(9.60, abs=0.01)
    assert balance.reading == "topped_up"
    assert fluid_balance(Measure(0.1, 0.05), Measure(75.0, 6.0), 150.0).reading == "losing"
    assert fluid_balance(Measure(0.55, 0.05), Measure(75.0, 6.0), 150.0).reading == "as_expected"


def test_an_overfull_reservoir_runs_over_and_its_excess_is_taken_out_first():
    home = homecoming(1.0, 90.0, 150.0, 60.0, 0.1)
    assert home.overflow_ml == pytest.approx(30)
    assert home.take_out_ml == pytest.approx(90)
    assert home.level_after_taking_out == pytest.approx(1.0)


@given(st.floats(-0.2, 1.4), st.floats(0, 120), st.floats(0.0, 0.3))
def test_what_is_taken_out_never_uncovers_the_port(level, returning, margin):
    home = homecoming(level, returning, 150.0, 60.0, margin)
    assert home.take_out_ml >= 0
    if home.take_out_ml > 0:
        assert level - home.take_out_ml / 150.0 >= margin - 1e-9
    assert home.level_after_taking_out <= max(1.0, home.level_after) + 1e-9


@given(diameters, wears, wears, wears)
def test_fluid_grows_with_every_wear_and_adds_up_over_pistons(d, inner, outer, rotor):
    whole = fluid_returned_floating_ml(d, inner, outer, rotor)
    assert whole == pytest.approx(math.fsum(fluid_returned_floating_ml([one], inner, outer, rotor) for one in d))
    assert fluid_returned_floating_ml(d, inner + 1, outer, rotor) > whole
    assert whole == pytest.approx(fluid_returned_floating_ml(d, outer, inner, rotor))


@given(st.floats(0.1, 100), st.floats(10, 40), st.floats(2, 8))
def test_travel_and_strokes_are_the_same_fluid_told_twice(volume, bore, ratio):
    """Travel over the pedal ratio is master cylinder stroke; as many strokes of that length move the volume."""
    stroke = pedal_travel_mm(volume, bore, ratio) / ratio
    assert pedal_strokes(volume, bore, stroke) == pytest.approx(1.0)


def test_uncertainty_of_the_balance_against_monte_carlo():
    """JCGM 101 (from memory): the spread of many drawn balances is the propagated uncertainty."""
    random = np.random.default_rng(5)
    drawn = (random.normal(0.6, 0.05, 40_000) - (1 - random.normal(75, 6, 40_000) / 150)) * 150
    told = fluid_balance(Measure(0.6, 0.05), Measure(75.0, 6.0), 150.0).excess_ml
    assert (told.value, told.sd) == pytest.approx((drawn.mean(), drawn.std()), abs=0.25)


@pytest.mark.parametrize(
    ("compute", "message"),
    [
        (lambda: fluid_returned_floating_ml([], 1, 1, 0), "at least one piston is needed"),
        (lambda: fluid_returned_floating_ml([0], 1, 1, 0), "piston_diameter_mm: 0 .* a number above 0"),
        (lambda: fluid_returned_floating_ml([54], -1, 1, 0), "inner_wear_mm: -1 .* 0 or more"),
        (lambda: pedal_travel_mm(math.nan, 22, 4), "volume_ml: nan .* 0 or more"),
        (lambda: pedal_strokes(10, 22, 0), "useful_stroke_mm: 0 .* above 0"),
        (lambda: brake_imbalance_percent(0, 0), "at least one side must brake"),
        (lambda: fluid_balance(Measure(1, 0.1), Measure(10, 1), 0), "min_to_max_ml: 0 .* above 0"),
    ],
)
def test_figures_that_cannot_be_are_refused_by_name(compute, message):
    with pytest.raises(InvalidInput, match=message):
        compute()

"""The numbers of a job, worked out from what was found."""

from __future__ import annotations

import json

import pytest

from mesotrope.core.answer.answer import overview
from mesotrope.core.evidence.job_numbers import beside, faster_side, job_numbers
from mesotrope.core.language.corner import Corner
from mesotrope.core.language.inspection import parse_inspection
from mesotrope.core.language.quantity import Measure
from mesotrope.knowledge import knowledge
from mesotrope.words import PLAINLY
from tests.documents import document, pads

AXLES = {
    "front": {"piston_diameter_mm": [57.0], "pad_new_mm": 11.0},
    "rear": {"piston_diameter_mm": [38.0], "pad_new_mm": 10.0},
}  # fmt: skip


def numbers(corners, system=None, visit=None, **vehicle):
    written = document(corners, axles=AXLES, **vehicle)
    written["findings"]["system"] = system or {}
    written["visit"] = visit or {}
    inspection = parse_inspection(json.dumps(written))
    short = overview(inspection, knowledge())
    return job_numbers(inspection, short.specification, short.measures, knowledge())


ALL_WORN = {
    Corner.FRONT_LEFT: {"pad_mm": pads(6, 6)}, Corner.FRONT_RIGHT: {"pad_mm": pads(6, 6)},
    Corner.REAR_LEFT: {"pad_mm": pads(7, 7)}, Corner.REAR_RIGHT: {"pad_mm": pads(7, 7)},
}  # fmt: skip


def test_fluid_that_comes_back_from_an_axle_worked_on_paper():
    """Front: 2 · 25.518 cm² · 1.0 cm = 51.0 mL. Rear: 2 · 11.341 · 0.6 = 13.6 mL. Together 64.6 of 150: level 0.57."""
    told = numbers(ALL_WORN, {"fluid_level": 0.57})
    assert told.axles["front"].returning_ml.value == pytest.approx(51.0, abs=0.1)
    assert told.axles["rear"].returning_ml.value == pytest.approx(13.6, abs=0.1)
    assert told.balance.expected_level.value == pytest.approx(0.569, abs=0.002)
    assert told.balance.reading == "as_expected"


def test_a_level_at_max_on_worn_pads_was_topped_up_and_rises_over_max():
    told = numbers(ALL_WORN, {"fluid_level": 1.0})
    assert told.balance.reading == "topped_up"
    assert told.axles["front"].home.level_after == pytest.approx(1.34, abs=0.01)
    assert told.axles["front"].home.take_out_ml == pytest.approx(51.0, abs=0.1)


def test_with_linings_not_measured_the_level_is_not_judged_and_it_is_said_which():
    told = numbers({Corner.FRONT_LEFT: {"pad_mm": pads(6, 6)}}, {"fluid_level": 1.0})
    assert told.balance is None
    assert Corner.REAR_LEFT in told.unmeasured


def test_the_level_is_weighed_against_the_same_sum_that_the_numbers_tell():
    """Front 51.0, rear 13.6 mL: a level of 1.0 stands 64.6 mL over what the wear explains."""
    written = document(ALL_WORN)
    written["findings"]["system"] = {"fluid_level": 1.0}
    short = overview(parse_inspection(json.dumps(written)), knowledge())
    (level,) = [item for item in short.evidence if item.finding == "fluid_level"]
    assert "65 mL more than the wear explains" in PLAINLY(level.sentence)
    told = numbers(ALL_WORN, {"fluid_level": 1.0})
    assert told.balance.excess_ml.value == pytest.approx(64.6, abs=0.1)
    assert told.taken_up_ml.value == pytest.approx(64.6, abs=0.1)


def test_a_side_not_measured_is_taken_as_its_partner_and_less_sure():
    one = numbers({Corner.FRONT_LEFT: {"pad_mm": pads(6, 6)}}).axles["front"].returning_ml
    both = numbers(ALL_WORN).axles["front"].returning_ml
    assert one.value == pytest.approx(both.value, rel=0.02)
    assert one.sd > 2 * both.sd


@pytest.mark.parametrize(("felt", "explained"), [(0.6, True), (0.95, False), (0.3, None)])
def test_gaps_explain_a_low_pedal_or_they_do_not(felt, explained):
    """A 57 mm piston with gaps of 1.0 + 0.6 mm: 4.083 mL over 3.8708 cm²: 10.55 mm; ratio 4: 42.2 of 136 mm."""
    gap = {"pad_gap_mm": {"inner": 1.0, "outer": 0.6}}
    told = numbers({Corner.FRONT_LEFT: gap}, {"pedal_travel": felt})
    assert told.lost_travel_mm == pytest.approx(42.2, abs=0.2)
    assert told.travel_explained is explained


def test_temperatures_and_brake_forces_are_compared_across_an_axle():
    hot = {Corner.FRONT_LEFT: {"hub_temperature_c": 190.0}, Corner.FRONT_RIGHT: {"hub_temperature_c": 60.0}}
    told = numbers(hot, {"brake_force_n": {Corner.FRONT_LEFT: 2400.0, Corner.FRONT_RIGHT: 1200.0}}, {"ambient_c": 20.0})
    assert told.axles["front"].temperature_difference_k == 130
    assert told.corners[Corner.FRONT_LEFT].hub_above_ambient_k == 170
    assert told.axles["front"].imbalance_percent == 50


def test_the_ratio_of_two_spins_is_free_of_the_inertias_error():
    spun = {
        Corner.FRONT_LEFT: {"spin": {"turns": 1, "seconds": 1.2}},
        Corner.FRONT_RIGHT: {"spin": {"turns": 4, "seconds": 5}},
    }
    known, unknown = (
        numbers(spun, **more).axles["front"].drag_ratio for more in ({"wheel_inertia_kg_m2": 1.0}, {})
    )  # fmt: skip
    assert known.value == pytest.approx(unknown.value)
    assert known.sd == pytest.approx(unknown.sd)


def test_a_defaults_figures_are_named():
    assert "master_cylinder.bore_mm" in numbers({}).hydraulics.defaulted
    assert "master_cylinder.bore_mm" not in numbers({}, master_cylinder={"bore_mm": 22.2}).hydraulics.defaulted


def test_drums_have_no_numbers():
    told = numbers({}, kind="car")
    assert set(told.axles) == {"front", "rear"}
    drum = parse_inspection('{"vehicle": {"axles": {"rear": {"caliper": "drum"}}}}')
    short = overview(drum, knowledge())
    assert set(job_numbers(drum, short.specification, short.measures, knowledge()).axles) == {"front"}


def test_the_side_that_wears_faster_beyond_chance():
    assert faster_side(Measure(0.3, 0.02), Measure(0.1, 0.02)) == "left"
    assert faster_side(Measure(0.11, 0.02), Measure(0.1, 0.02)) == ""
    assert faster_side(None, Measure(0.1, 0.02)) == ""


@pytest.mark.parametrize(
    ("value", "look", "fault", "said"),
    [  # limits of 06-references, common practice: "over" means more than
        (1.0, 1.0, 2.0, "usual"), (1.1, 1.0, 2.0, "worth a look"), (-1.1, 1.0, 2.0, "worth a look"),
        (2.0, 1.0, 2.0, "worth a look"), (-2.1, 1.0, 2.0, "a fault"), (0.0, 1.0, 2.0, "usual"),
        (0.03, 0.02, None, "worth a look"), (9.0, None, 8.0, "a fault"), (7.0, None, 8.0, "usual"),
        (9.0, None, None, "usual"),
    ],
)  # fmt: skip
def test_a_difference_is_named_as_the_trade_names_it(value, look, fault, said):
    assert beside(value, look, fault) == said


def test_drag_costs_heat_fuel_and_lining_together():
    """By hand: 40 N at 0.3 m is 12 N·m; at 310 mm 38.7 N; at 90 km/h 968 W; 38.7 MJ in 1000 km, half to each pad."""
    told = numbers(
        {Corner.FRONT_LEFT: {"pull_n": 40, "pull_radius_mm": 300}, Corner.FRONT_RIGHT: {}},
        wheel_radius_mm=310.0,
    ).corners[Corner.FRONT_LEFT]
    assert told.heat_w == pytest.approx(38.71 * 25, rel=2e-3)
    assert told.fuel_l_per_100_km == pytest.approx(3.871e6 / (0.28 * 3.2e7), rel=2e-3)
    assert 0.1 < told.lining_mm_per_1000_km < 0.4


def test_where_no_drag_was_measured_none_is_costed():
    told = numbers({Corner.FRONT_LEFT: {"pad_mm": pads(6, 6)}}).corners[Corner.FRONT_LEFT]
    assert (told.heat_w, told.fuel_l_per_100_km, told.lining_mm_per_1000_km) == (None, None, None)

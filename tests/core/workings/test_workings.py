"""Workings: the contract of names, the examples, units, uncertainty, and what is refused."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from mesotrope.core.language.units import Units
from mesotrope.core.workings import WORKINGS, compute, working_named
from mesotrope.errors import InvalidInput
from mesotrope.knowledge import knowledge
from mesotrope.words import PLAINLY


def run(name, units=None, **typed):
    typed = {key.rstrip("_"): str(value) for key, value in typed.items()}
    return compute(working_named(name), typed, knowledge(), units or Units())


#: Inputs and answers worked on paper in the tests of each subject, or there said to be common practice.
CONTRACT = [
    ("drag-from-spin", {"turns": 3, "seconds": 4, "inertia_kg_m2": 1.1}, {"drag_torque_nm": 2.5918}),
    ("drag-from-pull", {"pull_n": 40, "radius_mm": 300}, {"drag_torque_nm": 12.0}),
    ("drag-heat", {"drag_torque_nm": 8, "speed_kmh": 90, "wheel_radius_mm": 310}, {"power_w": 645.16}),
    (
        "fluid-returned",
        {"caliper": "floating", "pistons": 1, "piston_diameter_mm": 54, "inner_wear_mm": 5.0, "outer_wear_mm": 4.8,
         "rotor_wear_mm": 0.4},
        {"volume_ml": 23.36, "volume_us_fl_oz": 0.78990},
    ),
    (
        "fluid-returned",
        {"caliper": "fixed", "piston_diameter_mm": "30.2,33.9", "inner_wear_mm": 2, "outer_wear_mm": 2,
         "rotor_wear_mm": 0.2},
        {"volume_ml": 6.7994},
    ),
    ("pedal-travel-lost", {"volume_ml": 5.1, "master_bore_mm": 22.2, "pedal_ratio": 4}, {"pedal_travel_mm": 52.703}),
    ("pedal-strokes", {"volume_ml": 61, "master_bore_mm": 22.2, "useful_stroke_mm": 28}, {"strokes": 5.6283}),
    ("refill-strokes", {"usable_ml": 220, "master_bore_mm": 22.2, "useful_stroke_mm": 10}, {"strokes": 28.418}),
    (
        "pad-taper", {"lead_rim": 5.0, "lead_hub": 5.4, "trail_rim": 7.0, "trail_hub": 7.4},
        {"mean_mm": 6.2, "fore_aft_mm": -2.0, "radial_mm": -0.4},
    ),
    ("boiling-point", {"grade": "DOT 4", "water_percent": 3.7}, {"boiling_c": 155.0}),
    (
        "stop-heat",
        {"mass_kg": 1450, "from_kmh": 100, "to_kmh": 0, "axle_share": 0.7, "rotor_mass_kg": 7.5,
         "specific_heat_j_kg_k": 480},
        {"rise_k": 54.387},
    ),
    ("brake-imbalance", {"left_n": 2400, "right_n": 1800}, {"imbalance_percent": 25.0}),
    ("convert", {"value": 1, "from_": "lbf.ft", "to": "N.m"}, {"value": 1.355818}),
    ("convert", {"value": "9/32", "from_": "in", "to": "mm"}, {"value": 7.14375}),
    ("convert", {"value": 1, "from_": "psi", "to": "kPa"}, {"value": 6.894757}),
    ("convert", {"value": 1, "from_": "fl_oz", "to": "mL"}, {"value": 29.57353}),
    ("convert", {"value": 1, "from_": "mi", "to": "km"}, {"value": 1.609344}),
    (
        "wear-life", {"odometer_km": "0,20000,40000", "thickness_mm": "11,9,7", "limit_mm": 3, "gauge_mm": 0.15},
        {"rate_mm_per_1000_km": 0.1, "left_km": 40000, "left_km_low": 34575.7, "left_km_high": 45424.3},
    ),
]  # fmt: skip


@pytest.mark.parametrize(("name", "typed", "found"), CONTRACT)
def test_the_contract_of_names_and_figures(name, typed, found):
    """NIST SP 811, Appendix B (from memory) for the factors; else worked on paper."""
    document = run(name, **typed).document(PLAINLY)
    for key, value in found.items():
        assert document[key] == pytest.approx(value, rel=2e-5)
    assert document["formula"]
    assert document["source"]


def test_a_vin_is_read():
    assert run("vin", number="1M8GDM9AXKP042788").document(PLAINLY)["valid"] is True


def test_lb_ft_times_twelve_is_lb_in():
    assert run("convert", value=7, from_="lbf.ft", to="lbf.in").values["value"] == pytest.approx(84)


@pytest.mark.parametrize("working", WORKINGS, ids=lambda w: w.name)
def test_every_working_has_an_example_that_runs_and_says_its_source(working):
    result = compute(working, working.example, knowledge())
    assert {found.name for found in working.found} >= set(result.values) - {"value"}
    assert working.source
    assert set(working.example) <= {given.name for given in working.given}


def test_a_default_that_was_used_is_said():
    assert run("drag-from-spin", turns=3, seconds=4).defaults == ("inertia_kg_m2=1.0",)
    assert run("drag-from-spin", turns=3, seconds=4, inertia_kg_m2=1.1).defaults == ()


@pytest.mark.parametrize(
    ("name", "typed", "message"),
    [
        ("drag-from-spin", {"turns": "x", "seconds": 4}, "turns: 'x' .* a number is needed"),
        ("drag-from-spin", {"turns": 3}, "seconds: .* it is needed: seconds until it stops, in s"),
        ("drag-from-spin", {"turns": 3, "seconds": 4, "speed": 2}, "speed: '2' .* takes turns, seconds, inertia"),
        ("drag-from-spin", {"turns": 3, "seconds": 0}, "seconds: '0' .* allowed: 0.05 to 600 s"),
        ("drag-from-pull", {"pull_n": 3, "radius_mm": "4 s"}, "they measure different things"),
        ("boiling-point", {"grade": "DOT 9", "water_percent": 1}, "grade: 'DOT 9' .* allowed: DOT 3, DOT 4"),
        ("convert", {"value": 1, "from_": "ell", "to": "mm"}, "from: 'ell' .* allowed: mm, in"),
        ("convert", {"value": 1, "from_": "mm", "to": "N.m"}, "they measure different things"),
        ("wear-life", {"odometer_km": "1,2", "thickness_mm": "7"}, "one thickness for each of the 2 distances"),
        ("fluid-returned", {"pistons": 2, "piston_diameter_mm": "30,31,32", "inner_wear_mm": 1, "outer_wear_mm": 1,
                            "rotor_wear_mm": 0}, "one for each of the 2 pistons"),
        ("convert", {"value": "nan", "from_": "mm", "to": "in"}, "a number is needed"),
        ("drag-from-pull", {"pull_n": "9" * 400, "radius_mm": 3}, "a number is needed"),
    ],
)  # fmt: skip
def test_what_cannot_be_computed_is_refused_by_name(name, typed, message):
    with pytest.raises(InvalidInput, match=message):
        run(name, **typed)


def test_an_unknown_working_names_those_there_are():
    with pytest.raises(InvalidInput, match="there are drag-from-spin, drag-from-pull"):
        working_named("horoscope")


def test_a_bare_figure_is_in_the_persons_unit_and_a_written_unit_wins():
    inches = Units(length="in")
    assert run("drag-from-pull", inches, pull_n=40, radius_mm=10).values["drag_torque_nm"] == pytest.approx(10.16)
    assert run("drag-from-pull", inches, pull_n=40, radius_mm="254 mm").values["drag_torque_nm"] == pytest.approx(10.16)


@given(st.floats(1, 8), st.floats(1.5, 9), st.floats(0.5, 2))
def test_propagated_uncertainty_of_a_spin_against_the_formula(turns, seconds, inertia):
    """u(ln T)² = (0.25/N)² + (2 · 0.2/t)² + 0.15², first order (JCGM 100:2008, from memory)."""
    result = run("drag-from-spin", turns=turns, seconds=seconds, inertia_kg_m2=inertia)
    relative = np.sqrt((0.25 / turns) ** 2 + (0.4 / seconds) ** 2 + 0.15**2)
    assert result.uncertainty["drag_torque_nm"] == pytest.approx(relative * result.values["drag_torque_nm"], rel=1e-3)


def test_propagated_uncertainty_against_monte_carlo():
    random = np.random.default_rng(9)
    wears = random.normal([5.0, 4.8, 0.4], 0.15, (50_000, 3)).sum(axis=1)
    drawn = np.pi / 4 * 54**2 * wears / 1000
    result = run("fluid-returned", piston_diameter_mm=54, inner_wear_mm=5.0, outer_wear_mm=4.8, rotor_wear_mm=0.4)
    assert result.uncertainty["volume_ml"] == pytest.approx(drawn.std(), rel=0.02)

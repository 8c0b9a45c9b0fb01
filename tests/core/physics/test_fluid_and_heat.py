"""Fluid and heat: published limits, stops worked by hand, a general integrator, and laws."""

from __future__ import annotations

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.integrate import solve_ivp

from mesotrope.core.language.inspection import SystemFindings
from mesotrope.core.physics.fluid import boiling_point_c, judge_fluid
from mesotrope.core.physics.heat import (
    bedding_plan,
    cooled_c,
    drag_force_n,
    drag_heat_w,
    drag_lining_mm_per_1000_km,
    steady_temperature_c,
    stop_heat_k,
)
from mesotrope.errors import InvalidInput
from mesotrope.knowledge import knowledge
from mesotrope.words import PLAINLY

GRADES = {
    "DOT 3": (205, 140),
    "DOT 4": (230, 155),
    "DOT 5": (260, 180),
    "DOT 5.1": (260, 180),
    "ISO class 6": (250, 165),
}


@pytest.mark.parametrize(("grade", "limits"), GRADES.items())
def test_grades_have_their_published_limits(grade, limits):
    """FMVSS No. 116, S5.1.1 and S5.1.2; ISO 4925 class 6 (from memory)."""
    known = knowledge().fluid_grade[grade]
    assert (known.dry_c, known.wet_c) == limits
    assert boiling_point_c(*limits, 0.0, 3.7) == limits[0]
    assert boiling_point_c(*limits, 3.7, 3.7) == pytest.approx(limits[1])


def test_boiling_at_half_the_reference_water_is_the_geometric_mean():
    """√(230 · 155) = 188.81."""
    assert boiling_point_c(230, 155, 1.85, 3.7) == pytest.approx(188.81, abs=0.005)


@given(st.floats(0, 8), st.floats(0.01, 2))
def test_more_water_boils_sooner(water, more):
    assert boiling_point_c(230, 155, water + more, 3.7) < boiling_point_c(230, 155, water, 3.7)


@pytest.mark.parametrize(
    ("found", "verdict", "reason"),
    [
        ({"fluid_water_percent": 0.8, "fluid_colour": "amber"}, "fine", "0.8 % water"),
        ({"fluid_water_percent": 3.0}, "change", "3 % water"),
        ({"fluid_boiling_c": 150.0}, "change", "it boils at 150 °C, the wet limit of DOT 4 is 155 °C"),
        ({"fluid_copper_ppm": 200.0}, "change", "200 ppm copper"),
        ({"fluid_colour": "black"}, "change", "it is black"),
        ({"cap_seal": "swollen", "fluid_water_percent": 0.5}, "contaminated", "mineral oil"),
        ({}, None, ""),
    ],
)
def test_the_fluids_verdict_and_its_reason(found, verdict, reason):
    """Common practice: 3 % water, 200 ppm copper; the grade's wet boiling point."""
    judged = judge_fluid(SystemFindings(**found), knowledge().fluid_grade["DOT 4"], knowledge().limit)
    assert judged.verdict == verdict
    assert reason in "; ".join(map(PLAINLY, judged.reasons))


def test_heat_of_a_stop_worked_on_paper():
    """½ · 1450 · 27.78² = 559 414 J; · 0.7 / 2 = 195 795 J; / (7.5 · 480) = 54.39 K."""
    assert stop_heat_k(1450, 100, 0, 0.7, 7.5, 480) == pytest.approx(54.39, abs=0.005)


@given(st.floats(20, 150), st.floats(0, 19))
def test_two_slowings_heat_as_much_as_the_one_they_make(high, low):
    middle = (high + low) / 2
    parts = stop_heat_k(1450, high, middle, 0.7, 7.5, 480) + stop_heat_k(1450, middle, low, 0.7, 7.5, 480)
    assert parts == pytest.approx(stop_heat_k(1450, high, low, 0.7, 7.5, 480))


def test_drag_heat_worked_on_paper():
    """8 N·m / 0.31 m = 25.806 N; · 25 m/s = 645.2 W."""
    assert drag_force_n(8, 310) == pytest.approx(25.806, abs=5e-4)
    assert drag_heat_w(8, 90, 310) == pytest.approx(645.16, abs=0.01)


def test_cooling_against_a_general_integrator():
    solved = solve_ivp(lambda t, y: -(y - 20) / 300, (0, 250), [220.0], rtol=1e-10, atol=1e-10)
    assert cooled_c(220, 20, 250, 300) == pytest.approx(float(solved.y[0, -1]), abs=1e-6)


def test_a_steady_rotor_loses_what_the_drag_puts_in():
    figures = knowledge().heat
    at = steady_temperature_c(645, 90, 260, 20, figures)
    film = figures.film_at_rest_w_m2_k + figures.film_per_kmh_w_m2_k * 90
    assert film * 2 * math.pi / 4 * 0.26**2 * figures.face_share * (at - 20) == pytest.approx(645)


@given(st.floats(600, 3000), st.floats(3, 15), st.floats(-20, 40), st.sampled_from(sorted(knowledge().bedding_school)))
def test_a_bedding_plan_stays_under_its_limit_or_says_so(mass, rotor, ambient, school):
    known = knowledge()
    plan = bedding_plan(known.bedding_school[school], known.heat, mass, 0.7, rotor, ambient)
    limit = known.bedding_school[school].limit_c
    assert not plan.slowings or plan.peak_c <= limit or any("passes" in words for words in plan.warnings)
    assert plan.distance_km > 0
    assert all(a[0] <= b[0] for a, b in zip(plan.curve, plan.curve[1:], strict=False))


def test_the_schools_are_those_of_the_trade():
    """Common practice: gentle 150–300 km; 10–20 medium slowings 50 to 30; steps to 100 then 4–5 hard stops."""
    schools = knowledge().bedding_school
    assert 150 <= schools["gentle_driving"].distance_km <= 300
    [medium] = schools["medium_slowings"].steps
    assert (medium.from_kmh, medium.to_kmh) == (50, 30)
    assert 10 <= medium.times <= 20
    last = schools["steps_and_hard_stops"].steps[-1]
    assert last.from_kmh == 100
    assert 4 <= last.times <= 5


@pytest.mark.parametrize(
    ("compute", "message"),
    [
        (lambda: boiling_point_c(230, 155, -1, 3.7), "water_percent: -1 .* 0 to 100 %"),
        (lambda: stop_heat_k(1450, 50, 80, 0.7, 7.5, 480), "ends at or under its first speed"),
        (lambda: stop_heat_k(1450, 80, 50, 1.7, 7.5, 480), "axle_share: 1.7 .* 0 to 1"),
        (lambda: stop_heat_k(0, 80, 50, 0.7, 7.5, 480), "mass_kg: 0 .* above 0"),
        (lambda: drag_heat_w(8, 90, 0), "wheel_radius_mm: 0 .* above 0"),
    ],
)
def test_figures_that_cannot_be_are_refused_by_name(compute, message):
    with pytest.raises(InvalidInput, match=message):
        compute()


def test_lining_that_drag_wears_worked_on_paper():
    """31 N·m at 310 mm: 100 N, so 100 MJ in 1000 km, half to each pad; 55 mm³/MJ over 0.85 · 100 · 50 mm²."""
    figures = knowledge().heat
    worn = drag_lining_mm_per_1000_km(31.0, 310.0, 100.0, 50.0, figures)
    assert worn == pytest.approx(55 * 50 / (0.85 * 5000), rel=1e-9)
    assert drag_lining_mm_per_1000_km(62.0, 310.0, 100.0, 50.0, figures) == pytest.approx(2 * worn)
    assert drag_lining_mm_per_1000_km(31.0, 310.0, 100.0, 100.0, figures) == pytest.approx(worn / 2)
    assert drag_lining_mm_per_1000_km(0.0, 310.0, 100.0, 50.0, figures) == 0


def test_a_hard_drag_wears_a_set_of_pads_out_within_one_season():
    """Common practice: a brake that drags hard, 40 N·m, eats a pad in some thousands of kilometers."""
    worn = drag_lining_mm_per_1000_km(40.0, 310.0, 120.0, 50.0, knowledge().heat)
    assert 2_000 < 8.0 / worn * 1000 < 15_000


def test_lining_of_a_pad_without_height_is_refused():
    with pytest.raises(InvalidInput, match="pad_height_mm"):
        drag_lining_mm_per_1000_km(8.0, 310.0, 110.0, 0.0, knowledge().heat)


@given(torque=st.floats(0, 200), radius=st.floats(200, 500), length=st.floats(50, 200), height=st.floats(20, 100))
def test_lining_lost_and_heat_made_by_drag_grow_together(torque, radius, length, height):
    """A law: wear goes with the energy, so that watts at one speed and lining over one distance have one ratio."""
    figures = knowledge().heat
    worn = drag_lining_mm_per_1000_km(torque, radius, length, height, figures)
    watts = drag_heat_w(torque, 90.0, radius)
    joules = watts * 1000 / 90 * 3600  # 1000 km at 90 km/h
    volume_mm3 = 2 * worn * figures.lining_face_share * length * height
    assert volume_mm3 == pytest.approx(figures.lining_mm3_per_mj * joules / 1e6, rel=1e-9, abs=1e-9)

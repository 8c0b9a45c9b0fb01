"""Wear over distance: against a general statistics library, Monte Carlo, and the log of a vehicle's visits."""

from __future__ import annotations

import json

import numpy as np
import pytest
from hypothesis import assume, given
from hypothesis import strategies as st
from scipy.optimize import curve_fit

from mesotrope.core.evidence.readings import VisitReadings, readings_of
from mesotrope.core.evidence.specification import complete_specification
from mesotrope.core.evidence.wear_log import next_pads_km, rates, wear_log
from mesotrope.core.language.corner import Corner
from mesotrope.core.language.inspection import parse_inspection
from mesotrope.core.language.quantity import Measure
from mesotrope.core.physics.rotors import rotor_life, rotor_measure
from mesotrope.core.physics.wear import faster_than_partner, fit_wear
from mesotrope.errors import InvalidInput, NoWearMeasurable
from mesotrope.knowledge import knowledge


def test_a_straight_wear_worked_on_paper():
    """11 − 0.0001 x meets 3 at 80 000 km, 40 000 after the last. Centered: u(a)² = 0.0225/3, u(b)² = 0.0225/8e8;
    at 60 000 from the center: √(0.0075 + 3.6e9 · 2.8125e−11) / 1e−4 = 3298 km; · 1.6449 = 5424."""
    fit = fit_wear([0, 20000, 40000], [11, 9, 7], [0.15] * 3, 3)
    assert fit.rate_mm_per_1000_km.value == pytest.approx(0.1)
    assert fit.left_km == pytest.approx(40000)
    assert fit.left_km_high - fit.left_km == pytest.approx(5424, abs=1)


@given(st.lists(st.tuples(st.floats(0, 2e5), st.floats(1, 12), st.floats(0.05, 0.6)), min_size=3, max_size=9))
def test_line_and_covariance_agree_with_a_general_fit(readings):
    x, t, u = (list(column) for column in zip(*readings, strict=True))
    assume(np.ptp(x) > 1000)
    try:
        fit = fit_wear(x, t, u, 0.5)
    except NoWearMeasurable:
        return
    centered = np.array(x) - np.mean(x)
    (a, b), covariance = curve_fit(lambda v, a, b: a + b * v, centered, t, p0=[5, -1e-4], sigma=u, absolute_sigma=True)
    assert (fit.intercept_mm, fit.slope_mm_per_km) == pytest.approx((a, b), rel=1e-4, abs=1e-9)
    assert fit.covariance[1][1] == pytest.approx(covariance[1, 1], rel=1e-3)


def test_the_interval_against_monte_carlo():
    """JCGM 101 (from memory): nine of ten drawn histories end within the told interval."""
    random, x = np.random.default_rng(7), np.array([0, 15e3, 30e3, 45e3])
    told = fit_wear(x, 11 - 1.2e-4 * x, [0.15] * 4, 3)
    ends = []
    for _ in range(3000):
        drawn = fit_wear(x, 11 - 1.2e-4 * x + random.normal(0, 0.15, 4), [0.15] * 4, 3)
        ends.append(drawn.left_km)
    inside = np.mean((np.array(ends) > told.left_km_low) & (np.array(ends) < told.left_km_high))
    assert inside == pytest.approx(0.90, abs=0.02)


@given(st.floats(0.05, 0.4), st.floats(1.01, 3))
def test_more_gauge_error_never_sharpens(rate, factor):
    x = [0, 20000, 40000]
    t = [11 - rate * v / 1000 * 0.2 for v in x]
    try:
        wide = fit_wear(x, t, [0.05 * factor] * 3, 2)
    except NoWearMeasurable:
        return
    narrow = fit_wear(x, t, [0.05] * 3, 2)
    assert wide.left_km_high - wide.left_km_low > narrow.left_km_high - narrow.left_km_low


@pytest.mark.parametrize("thickness", [[7.0, 7.1], [7.0, 7.0], [7.0, 6.95], [7.0, 7.5]])
def test_noise_is_not_extrapolated(thickness):
    with pytest.raises(NoWearMeasurable, match="no wear measurable yet"):
        fit_wear([10000, 12000], thickness, [0.15, 0.15], 3)


@pytest.mark.parametrize(
    ("x", "t", "u", "message"),
    [
        ([1000], [7], [0.15], "readings at two distances or more"),
        ([1000, 1000], [7, 6], [0.15, 0.15], "readings at two distances or more"),
        ([0, 1], [7], [0.15, 0.15], "one thickness for each of the 2 distances"),
        ([-1, 5], [7, 6], [0.15, 0.15], "distances of 0 km or more"),
        ([0, 5], [7, -6], [0.15, 0.15], "thicknesses of 0 mm or more"),
        ([0, 5], [7, 6], [0.15, 0], "gauge_mm: 0.0 .* above 0"),
    ],
)
def test_readings_that_cannot_be_are_refused(x, t, u, message):
    with pytest.raises(InvalidInput, match=message):
        fit_wear(x, t, u, 3)


def test_a_rotor_is_judged_at_its_thinnest_place():
    rotor = rotor_measure([23.90, 23.88, 23.91], 25, 23, 0.005)
    assert (rotor.thinnest.value, rotor.variation.value, rotor.left.value) == pytest.approx((23.88, 0.03, 0.88))
    with pytest.raises(InvalidInput, match="at least one measured place"):
        rotor_measure([], 25, 23, 0.005)


def test_a_rotor_that_falls_under_discard_before_the_next_pads_are_gone():
    assert rotor_life(23.9, 23.0, 0.015, 50000).outlasts_next_pads
    assert not rotor_life(23.3, 23.0, 0.015, 50000).outlasts_next_pads


def test_a_partner_wears_faster_only_beyond_chance():
    assert faster_than_partner(Measure(0.20, 0.02), Measure(0.10, 0.02))
    assert not faster_than_partner(Measure(0.12, 0.02), Measure(0.10, 0.02))
    assert not faster_than_partner(Measure(0.10, 0.02), Measure(0.20, 0.02))


# -- the log ---------------------------------------------------------------------------------------------------


def visit(km, inner, outer=None, rotor=None, **axle):
    pad = {"inner": {"lead_rim": inner, "trail_rim": inner}, "outer": {"lead_rim": outer or inner}}
    corner = {"pad_mm": pad, **({"rotor_mm": [rotor]} if rotor else {})}
    document = {
        "vehicle": {"axles": {"front": {"pad_new_mm": 11.0, "pad_limit_mm": 3.0, **axle}}},
        "visit": {"odometer_km": km},
        "findings": {"corners": {Corner.FRONT_LEFT: corner}},
    }  # fmt: skip
    return parse_inspection(json.dumps(document))


SPECIFICATION = complete_specification(visit(10000, 10), knowledge())


def log_of(visits, known):
    specification = complete_specification(visits[-1][1], known)
    return wear_log([readings_of(number, inspection) for number, inspection in visits], specification, known)


def test_a_log_fits_each_part_and_tells_the_distance_left():
    log = log_of([(1, visit(10000, 10, rotor=24.8)), (2, visit(30000, 8, rotor=24.4))], knowledge())
    inner = log.of(Corner.FRONT_LEFT, "inner pad")
    assert inner.fit.rate_mm_per_1000_km.value == pytest.approx(0.1)
    assert inner.fit.left_km == pytest.approx(50000)
    assert log.of(Corner.FRONT_LEFT, "rotor").fit.rate_mm_per_1000_km.value == pytest.approx(0.02)
    assert next_pads_km(log, Corner.FRONT_LEFT) == pytest.approx(80000)
    assert set(rates(log)) == {(Corner.FRONT_LEFT, part) for part in ("inner pad", "outer pad", "rotor")}


def test_new_pads_between_visits_begin_a_new_line():
    log = log_of([(1, visit(10000, 6)), (2, visit(30000, 4)), (3, visit(40000, 10)), (4, visit(60000, 8))], knowledge())
    inner = log.of(Corner.FRONT_LEFT, "inner pad")
    assert [r.visit for r in inner.current] == [3, 4]
    assert len(inner.readings) == 4


def test_pads_fitted_at_a_known_distance_are_a_first_reading():
    log = log_of([(7, visit(50000, 7, pads_fitted_odometer_km=10000))], knowledge())
    assert log.of(Corner.FRONT_LEFT, "inner pad").fit.rate_mm_per_1000_km.value == pytest.approx(0.1)
    alone = log_of([(7, visit(50000, 7))], knowledge())
    assert alone.of(Corner.FRONT_LEFT, "inner pad").fit is None
    assert "two distances" in alone.of(Corner.FRONT_LEFT, "inner pad").why_not


def test_visits_without_a_distance_make_no_log():
    assert log_of([(1, parse_inspection("{}"))], knowledge()) is None


def test_wear_is_counted_from_the_new_pads_as_they_were_measured_after_the_work():
    """11.0 mm fitted at 50 000 km, 9.0 mm at 70 000: 0.1 mm for 1 000 km (by hand)."""
    corner = {"front_left": {"pad_mm.inner.lead_rim": 2.0}}
    fitted = {"front_left": {"pad_mm.inner.lead_rim": 11.0}}
    later = VisitReadings(2, 70_000.0, {"front_left": {"pad_mm.inner.lead_rim": 9.0}})
    log = wear_log([VisitReadings(1, 50_000.0, corner, fitted), later], SPECIFICATION, knowledge())
    series = log.of(Corner.FRONT_LEFT, "inner pad")
    assert [(r.odometer_km, round(r.thickness.value, 6), r.fitted) for r in series.readings] == [
        (50_000.0, 2.0, False), (50_000.0, 11.0, True), (70_000.0, 9.0, False),
    ]  # fmt: skip
    assert series.fit.rate_mm_per_1000_km.value == pytest.approx(0.1, abs=1e-6)
    without = wear_log([VisitReadings(1, 50_000.0, corner), later], SPECIFICATION, knowledge())
    assert without.of(Corner.FRONT_LEFT, "inner pad").fit is None  # one reading of these pads, and no line


def test_until_new_pads_have_gone_anywhere_the_wear_of_the_last_is_what_is_known():
    """8.0 mm at 30 000 km and 2.0 at 50 000, new ones then: the next go at 0.3 mm for 1 000 km (by hand)."""
    visits = [
        VisitReadings(1, 30_000.0, {"front_left": {"pad_mm.inner.lead_rim": 8.0}}),
        VisitReadings(
            2, 50_000.0, {"front_left": {"pad_mm.inner.lead_rim": 2.0}}, {"front_left": {"pad_mm.inner.lead_rim": 11.0}}
        ),
    ]
    log = wear_log(visits, SPECIFICATION, knowledge())
    series = log.of(Corner.FRONT_LEFT, "inner pad")
    assert series.fit.rate_mm_per_1000_km.value == pytest.approx(0.3)
    assert [r.odometer_km for r in series.current] == [30_000.0, 50_000.0]
    assert next_pads_km(log, Corner.FRONT_LEFT) == pytest.approx(1000 * (11.0 - 3.0) / 0.3)


@pytest.mark.parametrize(
    ("after_mm", "rate"),
    [
        (24.0, 0.05),  # as it came in: its wear goes on
        (23.9, 0.05),  # read once more at another place: the same rotor
        (23.3, 0.015),  # 0.7 mm came off on the lathe, and is no wear
        (25.0, 0.1),  # a new one
    ],
)
def test_a_rotor_that_was_worked_over_is_counted_from_what_was_left(after_mm, rate):
    """24.0 mm at 50 000 km and 23.0 at 70 000, by hand from what it left with."""
    visits = [
        VisitReadings(1, 50_000.0, {"front_left": {"rotor_mm.1": 24.0}}, {"front_left": {"rotor_mm.1": after_mm}}),
        VisitReadings(2, 70_000.0, {"front_left": {"rotor_mm.1": 23.0}}),
    ]
    fit = wear_log(visits, SPECIFICATION, knowledge()).of(Corner.FRONT_LEFT, "rotor").fit
    assert fit.rate_mm_per_1000_km.value == pytest.approx(rate, abs=1e-3)


def pad_mm(thick_mm):
    return {"front_left": {"pad_mm.inner.lead_rim": thick_mm}}


def test_new_pads_that_nobody_measured_count_from_what_new_ones_are():
    """2.0 mm at 50 000 km, then new ones of 11.0 (`SPECIFICATION`); 9.0 mm at 70 000: 0.1 mm for 1 000 km (by hand)."""
    first = VisitReadings(1, 50_000.0, pad_mm(2.0), made_new={"front_left": ["replace_pads"]})
    log = wear_log([first, VisitReadings(2, 70_000.0, pad_mm(9.0))], SPECIFICATION, knowledge())
    series = log.of(Corner.FRONT_LEFT, "inner pad")
    assert [r.odometer_km for r in series.current] == [50_000.0, 70_000.0]
    assert [r.thickness.value for r in series.current] == pytest.approx([11.0, 9.0])
    assert series.fit.rate_mm_per_1000_km.value == pytest.approx(0.1)


def test_new_pads_that_wore_to_less_than_the_old_ones_are_not_taken_for_them():
    """7.0 mm renewed at 50 000 km, 5.0 at 90 000: 6 mm in 40 000 km and not 2 (by hand)."""
    first = VisitReadings(1, 50_000.0, pad_mm(7.0), made_new={"front_left": ["replace_pads"]})
    log = wear_log([first, VisitReadings(2, 90_000.0, pad_mm(5.0))], SPECIFICATION, knowledge())
    assert log.of(Corner.FRONT_LEFT, "inner pad").fit.rate_mm_per_1000_km.value == pytest.approx(0.15)


@pytest.mark.parametrize("work", ["replace_rotor", "resurface_rotor"])
def test_the_wear_of_a_rotor_that_was_worked_over_unmeasured_counts_from_the_next_reading(work):
    """24.0 mm, worked over at 50 000 km; 23.2 at 60 000 and 23.0 at 70 000: 0.02 mm for 1 000 km (by hand)."""

    def rotor_mm(number, km, thick_mm, made_new=()):
        return VisitReadings(number, km, {"front_left": {"rotor_mm.1": thick_mm}}, made_new={"front_left": made_new})

    visits = [rotor_mm(1, 50_000.0, 24.0, [work]), rotor_mm(2, 60_000.0, 23.2), rotor_mm(3, 70_000.0, 23.0)]
    series = wear_log(visits, SPECIFICATION, knowledge()).of(Corner.FRONT_LEFT, "rotor")
    assert [r.odometer_km for r in series.current] == [60_000.0, 70_000.0]
    assert series.fit.rate_mm_per_1000_km.value == pytest.approx(0.02)
    alone = wear_log(visits[:2], SPECIFICATION, knowledge()).of(Corner.FRONT_LEFT, "rotor")
    assert [r.odometer_km for r in alone.current] == [60_000.0]  # nothing of the old one is told of it


def test_a_rotor_that_was_renewed_and_measured_as_thick_as_the_old_one_is_another():
    """24.0 mm renewed at 50 000 km by one of 24.0, before it 24.5 at 40 000: it starts anew, also so."""
    visits = [
        VisitReadings(1, 40_000.0, {"front_left": {"rotor_mm.1": 24.5}}),
        VisitReadings(
            2, 50_000.0, {"front_left": {"rotor_mm.1": 24.0}}, {"front_left": {"rotor_mm.1": 24.0}},
            {"front_left": ["replace_rotor"]},
        ),
        VisitReadings(3, 70_000.0, {"front_left": {"rotor_mm.1": 23.8}}),
    ]  # fmt: skip
    fit = wear_log(visits, SPECIFICATION, knowledge()).of(Corner.FRONT_LEFT, "rotor").fit
    assert fit.rate_mm_per_1000_km.value == pytest.approx(0.01)

"""How likely measured pads are, against the formula of the normal distribution written out, and as densities."""

from __future__ import annotations

import json
import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from mesotrope.core.answer.answer import overview
from mesotrope.core.evidence.specification import complete_specification
from mesotrope.core.inference.densities import Driven, over_ages, wear_density, wear_grid_mm, wear_model
from mesotrope.core.inference.vehicle_space import space_of
from mesotrope.core.inference.wear_patterns import OF_TAPERS
from mesotrope.core.language.corner import Corner
from mesotrope.core.language.inspection import parse_inspection
from mesotrope.core.language.quantity import Measure
from mesotrope.knowledge import knowledge
from tests.documents import chances_of, document, inspect, pads

KNOWN = knowledge()
SPECIFICATION = complete_specification(inspect({}), KNOWN)
PATTERNS = space_of(KNOWN, SPECIFICATION).corners[Corner.FRONT_LEFT].wear_patterns

NEW_MM, MISREAD = 12.0, 0.004

WORN = st.builds(Measure, st.floats(0.1, 11.9), st.floats(0.05, 0.5))


def model_at(km):
    return wear_model(KNOWN, PATTERNS, Driven.of(KNOWN, SPECIFICATION, "front", {"front": km}, None))


MODEL = model_at(30_000.0)

#: Every so many cells are looked at: a prime number, so that all levels, onsets and patterns come by.
STEP = 997


@given(inner=WORN, outer=WORN)
@settings(max_examples=20)
def test_both_pads_are_bivariate_normal_beside_what_is_misread(inner, outer):
    """Source: the density of two figures that vary together, by the inverse of their covariance."""
    told = wear_density(MODEL, inner, outer, MISREAD, NEW_MM)
    for cell in zip(*np.unravel_index(range(0, told.size, STEP), told.shape), strict=True):
        off = np.array([inner.value - MODEL.inner_mm[cell], outer.value - MODEL.outer_mm[cell]])
        shared = MODEL.covariance[cell]
        spread = np.array(
            [[MODEL.inner_var[cell] + inner.sd**2, shared], [shared, MODEL.outer_var[cell] + outer.sd**2]]
        )
        read = math.exp(-0.5 * off @ np.linalg.solve(spread, off)) / (2 * math.pi * math.sqrt(np.linalg.det(spread)))
        assert told[cell] == pytest.approx((1 - MISREAD) * read + MISREAD / NEW_MM**2, rel=1e-9)


@given(worn=WORN, side=st.sampled_from(["inner", "outer"]))
@settings(max_examples=20)
def test_one_pad_is_normal_beside_what_is_misread(worn, side):
    told = wear_density(MODEL, worn if side == "inner" else None, worn if side == "outer" else None, MISREAD, NEW_MM)
    mean, var = getattr(MODEL, f"{side}_mm"), getattr(MODEL, f"{side}_var")
    for cell in zip(*np.unravel_index(range(0, told.size, STEP), told.shape), strict=True):
        sd = math.hypot(math.sqrt(var[cell]), worn.sd)
        read = math.exp(-0.5 * ((worn.value - mean[cell]) / sd) ** 2) / (sd * math.sqrt(2 * math.pi))
        assert told[cell] == pytest.approx((1 - MISREAD) * read + MISREAD / NEW_MM, rel=1e-9)


def test_what_is_far_off_is_misread_and_nothing_else():
    told = wear_density(MODEL, Measure(500.0, 0.05), None, MISREAD, NEW_MM)
    assert told == pytest.approx(np.full(told.shape, MISREAD / NEW_MM))


@pytest.mark.parametrize(("km", "most"), [(300.0, 1), (4_000.0, 2), (9_000.0, 3), (200_000.0, 4)])
def test_ages_that_are_older_than_the_pads_are_one(km, most):
    """Faults are 800, 5 000, 14 000 or 34 000 km old: common practice."""
    model, points = model_at(km), len(wear_grid_mm(KNOWN, NEW_MM))
    assert np.bincount(model.wear).tolist() == [most] * points
    assert model.chance.sum(axis=2) == pytest.approx(np.ones((len(KNOWN.drag.levels), points)))
    assert over_ages(model, np.ones(model.inner_mm.shape)) == pytest.approx(
        np.ones((len(KNOWN.drag.levels), points, len(PATTERNS.inner)))
    )


def test_pads_that_are_not_worn_much_have_fewer_ages_where_no_distance_is_known():
    ages = np.bincount(model_at(None).wear)
    assert (np.diff(ages) >= 0).all()
    assert ages[0] < ages[-1] == len(KNOWN.age.km)


@pytest.mark.parametrize("now_km", [50_000, 60_000])
def test_a_distance_that_cannot_be_tells_nothing(now_km):
    """Pads that were fitted now, or are still to be fitted, by a reading that is wrong: as if it were not known."""
    found = {Corner.FRONT_LEFT: {"pad_mm": pads(4.0, 7.5)}}
    written = document(found, axles={"front": {"pads_fitted_odometer_km": 60_000}}) | {"visit": {"odometer_km": now_km}}
    told = overview(parse_inspection(json.dumps(written)), KNOWN).chances
    assert told == pytest.approx(chances_of(found), rel=1e-9)


def test_patterns_that_are_alike_to_tapers_stand_together_once():
    """The figures that a taper hangs on, of every pattern, are those of its case, and no two cases share them."""
    figures = list(zip(*(getattr(PATTERNS, name) for name in OF_TAPERS), strict=True))
    cases = [figures[first] for first in PATTERNS.taper_first]
    assert figures == [cases[case] for case in PATTERNS.taper_case]
    assert len(set(cases)) == len(cases) < len(figures)

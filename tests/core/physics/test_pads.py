"""Pad thickness and taper."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from mesotrope.core.physics.pads import PLACES, odd_place, pad_measure
from mesotrope.errors import InvalidInput

thickness = st.floats(0, 20)


def test_four_places_worked_on_paper():
    """Lead 5.0 and 5.4, trail 7.0 and 7.4: mean 6.2; lead − trail = 5.2 − 7.2; rim − hub = 6.0 − 6.4."""
    pad = pad_measure({"lead_rim": 5.0, "lead_hub": 5.4, "trail_rim": 7.0, "trail_hub": 7.4}, 0.15)
    assert pad.mean.value == pytest.approx(6.2)
    assert pad.fore_aft.value == pytest.approx(-2.0)
    assert pad.radial.value == pytest.approx(-0.4)
    assert pad.mean.sd == pytest.approx(0.15 / 2)
    assert pad.fore_aft.sd == pytest.approx(0.15)


def test_three_places_lie_on_their_plane():
    """With one corner missing the plane through the other three is exact: the fourth would be 6 + 7 − 5 = 8."""
    three = pad_measure({"lead_rim": 5.0, "lead_hub": 6.0, "trail_rim": 7.0}, 0.15)
    four = pad_measure({"lead_rim": 5.0, "lead_hub": 6.0, "trail_rim": 7.0, "trail_hub": 8.0}, 0.15)
    assert three.mean.value == pytest.approx(four.mean.value)
    assert three.fore_aft.value == pytest.approx(four.fore_aft.value)
    assert three.mean.sd > four.mean.sd


@given(thickness, thickness, thickness, thickness)
def test_the_plane_is_the_least_squares_plane_of_a_reference_library(a, b, c, d):
    points = dict(zip(PLACES, (a, b, c, d), strict=True))
    design = np.array([[1.0, *PLACES[place]] for place in PLACES])
    mean, fore_aft, radial = np.linalg.lstsq(design, np.array([a, b, c, d]), rcond=None)[0]
    pad = pad_measure(points, 0.15)
    assert (pad.mean.value, pad.fore_aft.value, pad.radial.value) == pytest.approx((mean, fore_aft, radial), abs=1e-7)


@pytest.mark.parametrize(
    ("places", "along", "across"),
    [
        (["lead_rim"], False, False),
        (["lead_rim", "trail_rim"], True, False),
        (["lead_rim", "lead_hub"], False, True),
        (["lead_rim", "trail_hub"], False, False),
    ],
)
def test_a_taper_that_the_places_cannot_tell_is_not_told(places, along, across):
    pad = pad_measure(dict.fromkeys(places, 6.0), 0.15)
    assert (pad.fore_aft is not None, pad.radial is not None) == (along, across)


@given(st.dictionaries(st.sampled_from(list(PLACES)), thickness, min_size=1))
def test_the_mean_lies_where_the_places_are_and_more_gauge_error_never_sharpens(points):
    fine, coarse = pad_measure(points, 0.1), pad_measure(points, 0.4)
    assert fine.thinnest_mm == min(points.values())
    assert coarse.mean.sd > fine.mean.sd


@given(st.dictionaries(st.sampled_from(list(PLACES)), thickness, min_size=1))
def test_turning_the_pad_end_for_end_turns_its_taper(points):
    turned = {place.translate({}).replace("lead", "x").replace("trail", "lead").replace("x", "trail"): t
              for place, t in points.items()}  # fmt: skip
    straight, reversed_ = pad_measure(points, 0.15), pad_measure(turned, 0.15)
    assert straight.mean.value == pytest.approx(reversed_.mean.value, abs=1e-7)
    if straight.fore_aft:
        assert straight.fore_aft.value == pytest.approx(-reversed_.fore_aft.value, abs=1e-7)


@pytest.mark.parametrize(
    ("points", "message"),
    [
        ({}, "at least one measured place"),
        ({"middle": 5.0}, "places are lead_rim, lead_hub, trail_rim, trail_hub"),
        ({"lead_rim": -0.1}, "0 mm or more"),
        ({"lead_rim": float("nan")}, "0 mm or more"),
    ],
)
def test_what_is_no_pad_is_refused(points, message):
    with pytest.raises(InvalidInput, match=message):
        pad_measure(points, 0.15)


@given(
    st.floats(4, 9),
    st.floats(-1, 1),
    st.floats(-1, 1),
    st.sampled_from(list(PLACES)),
    st.sampled_from([-3.5, 2.5, 3.5]),
)
def test_the_odd_place_is_the_one_that_was_moved_off_the_plane(mean, along, across, moved, by):
    """A plane with one place moved off it: that place is found, and is put back where it was."""
    flat = {place: mean + along * x + across * y for place, (x, y) in PLACES.items()}
    place, put_at = odd_place({**flat, moved: flat[moved] + by})
    assert place == moved
    assert put_at == pytest.approx(flat[moved])


def test_three_places_always_lie_in_a_plane():
    assert odd_place({"lead_rim": 7.0, "lead_hub": 3.0, "trail_rim": 7.0}) is None

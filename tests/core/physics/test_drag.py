"""Drag of a wheel: coast-down, spring scale, uncertainty."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from mesotrope.core.physics.drag import (
    DragMeasure,
    combined,
    drag_from_hand_spin,
    drag_from_pull,
    drag_from_spin,
    drag_torque_from_spin_nm,
    wheel_inertia_kg_m2,
)
from mesotrope.errors import InvalidInput


def test_coast_down_worked_on_paper():
    """3 turns in 4 s at 1.1 kg·m²: 4π·3/16 = 2.356 rad/s²; times 1.1 = 2.592 N·m."""
    assert drag_torque_from_spin_nm(3, 4, 1.1) == pytest.approx(2.592, abs=5e-4)


@given(st.floats(0.5, 30), st.floats(0.2, 6), st.floats(0.2, 5))
def test_the_vigour_of_the_spin_does_not_matter(torque_nm, inertia, first_speed):
    """Law: a wheel slowed by one torque gives that torque back, whatever its first speed."""
    alpha = torque_nm / inertia
    seconds = first_speed / alpha
    turns = first_speed**2 / (2 * alpha) / (2 * math.pi)
    assert drag_torque_from_spin_nm(turns, seconds, inertia) == pytest.approx(torque_nm, rel=1e-9)


def test_uncertainty_agrees_with_monte_carlo():
    """JCGM 101 (from memory): first-order propagation against 200 000 draws."""
    rng = np.random.default_rng(7)
    turns, seconds = rng.normal(4, 0.25, 200_000), rng.normal(5, 0.2, 200_000)
    inertia = rng.normal(1.1, 0.15 * 1.1, 200_000)
    drawn = np.log(inertia * 4 * np.pi * turns / seconds**2).std()
    assert drag_from_spin(4, 5, 1.1, 0.15, 0.25, 0.2, 25).log_sd == pytest.approx(drawn, rel=0.03)


def test_a_wheel_that_cannot_be_turned_is_held_by_at_least_that():
    held = drag_from_spin(0, 0, 1.1, 0.15, 0.25, 0.2, 25)
    assert held.held_fast
    assert held.torque_nm == 25


#: Inertia and its spread, then what turns and seconds are read to, and the least that holds a wheel fast.
READ = (1.1, 0.15, 0.144, 0.2, 25.0)


def test_a_hands_swing_is_weighed_in_as_bayes_would():
    """Two million wheels that a hand swings, of every torque: of those that show about these turns and seconds, the
    mean and spread of the logarithm of the torque (Bayes by counting, common practice)."""
    rng = np.random.default_rng(11)
    torque = np.exp(rng.uniform(math.log(0.2), math.log(80), 2_000_000))
    speed = 2 * math.pi * 1.5 * np.exp(rng.normal(0, 0.35, len(torque)))
    inertia = 1.1 * np.exp(rng.normal(0, 0.15, len(torque)))
    seconds, turns = inertia * speed / torque, inertia * speed**2 / (4 * math.pi * torque)
    seen = (np.abs(turns + rng.normal(0, 0.144, len(torque)) - 1.5) < 0.05) & (
        np.abs(seconds + rng.normal(0, 0.2, len(torque)) - 1.6) < 0.05
    )
    told = drag_from_hand_spin(1.5, 1.6, *READ, 1.5, 0.35)
    assert seen.sum() > 1000
    assert math.log(told.torque_nm) == pytest.approx(np.log(torque[seen]).mean(), abs=0.06)
    assert told.log_sd == pytest.approx(np.log(torque[seen]).std(), rel=0.12)


@given(st.floats(0.25, 12), st.floats(0.3, 15), st.floats(0.1, 1.0))
def test_what_is_known_of_the_hand_never_makes_a_drag_less_certain(turns, seconds, spread):
    plain, told = drag_from_spin(turns, seconds, *READ), drag_from_hand_spin(turns, seconds, *READ, 1.5, spread)
    assert told.log_sd <= plain.log_sd + 1e-12
    nothing_known = drag_from_hand_spin(turns, seconds, *READ, 1.5, 1e9)
    assert (nothing_known.torque_nm, nothing_known.log_sd) == pytest.approx((plain.torque_nm, plain.log_sd))


def test_a_swing_that_is_read_slow_for_a_hand_was_stronger_and_the_drag_with_it():
    assert drag_from_hand_spin(1.0, 2.0, *READ, 1.5, 0.35).torque_nm > drag_from_spin(1.0, 2.0, *READ).torque_nm
    assert drag_from_hand_spin(1.0, 0.8, *READ, 1.5, 0.35).torque_nm < drag_from_spin(1.0, 0.8, *READ).torque_nm
    assert drag_from_hand_spin(0, 0, *READ, 1.5, 0.35).held_fast


def test_spring_scale_worked_on_paper():
    """40 N at 300 mm: 12 N·m."""
    assert drag_from_pull(40, 300, 0.1).torque_nm == pytest.approx(12)


@given(st.lists(st.tuples(st.floats(0.5, 40), st.floats(0.05, 0.5)), min_size=2, max_size=4))
def test_several_readings_of_one_wheel_lie_between_and_sharpen(readings):
    measures = [DragMeasure(torque, sd) for torque, sd in readings]
    both = combined(measures)
    torques = [torque for torque, _ in readings]
    assert min(torques) * (1 - 1e-9) <= both.torque_nm <= max(torques) * (1 + 1e-9)
    assert both.log_sd < min(sd for _, sd in readings)


def test_the_inertias_error_is_no_difference_between_two_wheels():
    """0.5 in all, 0.4 of it the inertia's: 0.3 is the wheel's own. With a scale of 0.5 half of the 0.4 is left: 0.2."""
    spun = DragMeasure(8.0, 0.5, shared_log_sd=0.4)
    assert spun.own_log_sd == pytest.approx(0.3)
    both = combined([spun, DragMeasure(8.0, 0.5)])
    assert both.log_sd == pytest.approx(0.5 / 2**0.5)
    assert both.shared_log_sd == pytest.approx(0.2)


def test_no_reading_is_no_drag():
    assert combined([]) is None


def test_default_inertia_worked_on_paper():
    """18 kg at 0.72 of 310 mm: 18 · 0.2232² = 0.897; with 0.12 for hub and rotor 1.017 kg·m²."""
    assert wheel_inertia_kg_m2(18, 310, 0.72, 0.12) == pytest.approx(1.017, abs=5e-4)


@pytest.mark.parametrize("bad", [0, -1, math.nan, math.inf])
@pytest.mark.parametrize("name", ["turns", "seconds", "inertia_kg_m2"])
def test_a_spin_that_cannot_be_is_refused_by_name(name, bad):
    figures = {"turns": 3.0, "seconds": 4.0, "inertia_kg_m2": 1.1, name: bad}
    with pytest.raises(InvalidInput, match=f"{name}: .* a number above 0 is needed"):
        drag_torque_from_spin_nm(**figures)


def test_a_negative_pull_is_refused():
    with pytest.raises(InvalidInput, match="a number of 0 or more is needed"):
        drag_from_pull(-1, 300, 0.1)

"""The physical forward model: physics that must hold whatever is drawn, and faults that show as the trade says."""

from __future__ import annotations

import json
import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from mesotrope.core.language.corner import VEHICLE, Corner
from mesotrope.core.language.entries import check
from mesotrope.core.language.inspection import parse_inspection
from mesotrope.core.physics.drag import drag_torque_from_spin_nm
from mesotrope.core.simulator import inspect_vehicle, simulate_vehicle
from mesotrope.core.simulator import instruments as tools
from mesotrope.core.simulator.build import KINDS, healthy_wear_mm_km, make_build
from mesotrope.core.simulator.drawn import CONDITIONS, CORNER_FAULTS, SYSTEM_CONDITIONS, SYSTEM_FAULTS, possible
from mesotrope.core.simulator.mechanisms import ACTS
from mesotrope.core.simulator.parts import Fault, Pad
from mesotrope.knowledge import knowledge

SEEDS = st.integers(0, 10_000)


def random(seed):
    return np.random.default_rng(seed)


def with_fault(seed, name, corner=Corner.FRONT_LEFT, way="", kind="car"):
    """A vehicle that has one fault for half of its pads' life, and nothing else."""
    return simulate_vehicle(random(seed), kind, (Fault(corner, name, 0.8, 12000.0, way),))


def median(measure, name, corner=Corner.FRONT_LEFT, way="", seeds=range(60)):
    return float(np.median([measure(with_fault(seed, name, corner, way)) for seed in seeds]))


@given(SEEDS, st.sampled_from(sorted(KINDS)))
def test_what_is_found_is_possible_and_in_the_format(seed, kind):
    vehicle = simulate_vehicle(random(seed), kind)
    document = inspect_vehicle(random(seed + 1), vehicle)
    check(parse_inspection(json.dumps(document)), knowledge())


@given(SEEDS)
def test_the_same_seed_makes_the_same_vehicle(seed):
    assert simulate_vehicle(random(seed)) == simulate_vehicle(random(seed))


@given(SEEDS)
def test_no_lining_is_thicker_than_new_or_thinner_than_nothing(seed):
    vehicle = simulate_vehicle(random(seed))
    for name, corner in vehicle.corners.items():
        for pad in (corner.inner, corner.outer):
            assert 0 <= pad.mean_mm <= vehicle.build.axle_of(name).pad_new_mm
            assert all(pad.at(place) >= 0 for place in ("lead_rim", "trail_hub"))


@given(SEEDS)
def test_faults_are_drawn_only_where_they_can_be(seed):
    vehicle = simulate_vehicle(random(seed))
    assert len({(fault.corner, fault.name) for fault in vehicle.faults}) == len(vehicle.faults)
    for fault in vehicle.faults:
        system = fault.corner is VEHICLE
        assert fault.name in (SYSTEM_FAULTS | SYSTEM_CONDITIONS if system else CORNER_FAULTS | CONDITIONS)
        assert fault.corner is VEHICLE or possible(vehicle.build, fault.corner, fault.name)


def test_every_fault_that_acts_at_a_corner_has_a_mechanism():
    of_corners = set(CORNER_FAULTS) | set(CONDITIONS)
    assert of_corners <= set(ACTS)
    assert set(ACTS) - of_corners <= set(SYSTEM_FAULTS)


def test_wear_follows_energy_and_distance():
    """Archard 1953 (from memory): the same lining wears twice as fast for twice the energy."""
    axle = make_build(random(1), "car").axles["front"]
    assert healthy_wear_mm_km(axle, 2e5, 2) == pytest.approx(2 * healthy_wear_mm_km(axle, 1e5, 2))
    assert healthy_wear_mm_km(axle, 1e5, 1) == pytest.approx(2 * healthy_wear_mm_km(axle, 1e5, 2))


def test_front_pads_of_a_car_last_as_long_as_the_trade_knows():
    """Common practice: some 25 000 to 100 000 km in mixed use."""
    rates = []
    for seed in range(80):
        build = make_build(random(seed), "car")
        if build.usage == "mixed":
            rates.append(healthy_wear_mm_km(build.axles["front"], build.energy_j_km, 2))
    assert 25_000 < 8 / np.median(rates) < 110_000


def split(vehicle):
    return vehicle.corners[Corner.FRONT_LEFT].inner.mean_mm - vehicle.corners[Corner.FRONT_LEFT].outer.mean_mm


def test_pins_that_never_let_it_across_wear_the_inner_and_pins_that_do_not_let_it_back_the_outer():
    assert median(split, "slide_pins_seized", way="never_across") < -1.0
    assert median(split, "slide_pins_seized", way="not_back") > 0.3


def test_a_hose_wears_both_pads_evenly():
    assert abs(median(split, "hose_restricted")) < 0.4


def test_a_bound_pad_wears_ahead_of_its_partner():
    assert median(split, "pad_bound_inner") < -0.3
    assert median(split, "pad_bound_outer") > 0.1


@pytest.mark.parametrize("name", ["piston_not_releasing", "piston_seized_applied", "hose_restricted"])
def test_a_dragging_corner_is_hotter_and_thinner_than_its_partner(name):
    assert median(lambda v: v.hub_c[Corner.FRONT_LEFT] - v.hub_c[Corner.FRONT_RIGHT], name) > 20
    inner = median(
        lambda v: v.corners[Corner.FRONT_LEFT].inner.mean_mm - v.corners[Corner.FRONT_RIGHT].inner.mean_mm, name
    )
    assert inner < -0.3


def test_a_piston_stuck_in_leaves_thick_pads_a_gap_and_a_low_pedal():
    name = "piston_seized_released"
    thick = median(
        lambda v: v.corners[Corner.FRONT_LEFT].inner.mean_mm - v.corners[Corner.FRONT_RIGHT].inner.mean_mm, name
    )
    assert thick > 0.5
    assert median(lambda v: v.corners[Corner.FRONT_LEFT].inner.gap_mm, name) > 0.6
    assert median(lambda v: v.pedal_travel, name) > median(lambda v: v.pedal_travel, "shield_contact") + 0.1


def test_one_stuck_pin_wears_wedges():
    assert (
        median(lambda v: abs(v.corners[Corner.FRONT_LEFT].inner.fore_aft_mm), "slide_pin_seized_one", way="upper") > 0.5
    )


def test_a_parking_brake_in_the_hat_drags_and_spares_the_pads():
    """Only the drag: linings as their partner's."""
    vehicles = [with_fault(s, "parking_brake_holding", Corner.REAR_LEFT, "by_cable") for s in range(60)]
    difference = [
        v.corners[Corner.REAR_LEFT].inner.mean_mm - v.corners[Corner.REAR_RIGHT].inner.mean_mm for v in vehicles
    ]
    assert abs(np.median(difference)) < 0.3
    assert np.median([v.corners[Corner.REAR_LEFT].drag_nm for v in vehicles]) > 3


def test_the_bleeder_frees_trapped_pressure_and_not_a_stuck_piston():
    bleeder = {"hose_restricted": 0.96, "piston_seized_applied": 0.0}

    def freed(name):
        held = [with_fault(s, name).corners[Corner.FRONT_LEFT].torque for s in range(60)]
        out = [tools.frees(random(s), torque, 0.5, bleeder) for s, torque in enumerate(held)]
        return out.count("frees") / len(out)

    assert freed("hose_restricted") > 0.85
    assert freed("piston_seized_applied") < 0.1


def test_a_leak_lowers_the_level_and_an_overfilled_reservoir_stands_over_max():
    levels = {
        name: np.median([float(with_fault(s, name, VEHICLE).fluid["level"]) for s in range(60)])
        for name in ("external_leak", "reservoir_overfilled", "booster_weak")
    }
    assert levels["external_leak"] < levels["booster_weak"] - 0.2
    assert levels["reservoir_overfilled"] > 1.05


@given(st.floats(1.0, 20.0), st.floats(0.7, 2.0), SEEDS)
def test_a_spin_gives_back_its_torque_whatever_the_vigor(torque, inertia, seed):
    turns, seconds = tools.spin(random(seed), torque, inertia)
    if turns >= 1 and seconds >= 1:
        back = drag_torque_from_spin_nm(turns, seconds, inertia)
        spread = math.sqrt((0.25 / turns) ** 2 + (2 * 0.25 / seconds) ** 2)
        assert abs(math.log(back / torque)) < 5 * spread + 0.02


def test_a_wheel_held_hard_cannot_be_turned_by_hand():
    assert tools.spin(random(1), 200.0, 1.0) == (0.0, 0.0)


def test_gauge_noise_is_that_of_the_instrument():
    pad, draw = Pad(7.0), random(4)
    readings = [tools.thickness_mm(draw, pad, "lead_rim") for _ in range(2000)]
    assert np.mean(readings) == pytest.approx(7.0, abs=0.02)
    assert np.std(readings) == pytest.approx(tools.NOISE["depth_gauge_mm"], abs=0.03)


def test_feel_is_misjudged_now_and_then_but_not_wildly():
    draw = random(6)
    words = [tools.slide(draw, 14.0) for _ in range(2000)]
    assert 0.9 < words.count("free") / 2000 < 0.99
    assert words.count("seized") == 0


def test_a_real_job_leaves_things_out_and_a_thorough_one_does_not():
    vehicle = with_fault(3, "slide_pins_seized", way="never_across")
    real, thorough = (
        inspect_vehicle(random(9), vehicle, thorough=thorough)["findings"]["corners"] for thorough in (1.0, 50.0)
    )
    assert sum(map(len, real.values())) < sum(map(len, thorough.values()))
    assert "pin" in thorough[Corner.REAR_RIGHT]


def test_an_inspection_up_to_the_lift_has_no_wheel_off():
    found = inspect_vehicle(random(2), simulate_vehicle(random(2)), upto="lift")["findings"]["corners"]
    assert not any("pad_mm" in corner or "hose" in corner for corner in found.values())


def test_the_simulator_shares_no_numbers_with_the_knowledge():
    """It imports none of it."""
    import mesotrope.core.simulator as room

    for module in ("build", "parts", "mechanisms", "truth", "instruments", "inspection"):
        source = (room.__path__[0] + f"/{module}.py",)
        with open(source[0], encoding="utf-8") as text:
            assert "knowledge" not in text.read().replace("knowledge base", "")

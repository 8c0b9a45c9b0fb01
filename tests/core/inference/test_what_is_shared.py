"""What corners share and what defines a fault: trade reasoning, no figure of the knowledge copied. Common practice."""

from __future__ import annotations

import pytest

from mesotrope.core.language.corner import VEHICLE, Corner
from mesotrope.core.language.faults import NO_FAULT
from mesotrope.words import PLAINLY
from tests.core.inference.test_system_faults import answered
from tests.documents import DRAGS, FREE, chances_of, pads

LEFT, RIGHT = Corner.FRONT_LEFT, Corner.FRONT_RIGHT
REAR_LEFT, REAR_RIGHT = Corner.REAR_LEFT, Corner.REAR_RIGHT


def test_three_neglected_corners_make_the_fourth_suspect():
    """Nothing of it rusts: a shield that touches, a pad turned round, a reversed clip; the fourth is not stripped."""
    bad = {
        LEFT: {"shield": "touching", "noise": "scrape"},
        RIGHT: {"pad_condition": {"inner": "backwards"}},
        REAR_LEFT: {"hardware": "clip_reversed"},
    }
    untouched = {REAR_RIGHT: {"rotor_face": {"inner": "smooth"}}}
    alone, beside = chances_of(untouched), chances_of({**bad, **untouched})
    assert 1 - beside[REAR_RIGHT, NO_FAULT] > 2 * (1 - alone[REAR_RIGHT, NO_FAULT])


@pytest.mark.parametrize(
    ("found", "fault"),
    [
        ({"pin": {"upper": "seized", "lower": "seized"}}, "slide_pins_seized"),
        ({"pin": {"upper": "seized", "lower": "free"}}, "slide_pin_seized_one"),
        ({"pad_fit": {"inner": "bound", "outer": "free"}}, "pad_bound_inner"),
        ({"pad_fit": {"inner": "free", "outer": "bound"}}, "pad_bound_outer"),
        ({"piston_pushback": ["immovable"]}, "piston_seized_applied"),
        ({"bleeder_opened": "frees"}, "hose_restricted"),
    ],
)
def test_a_pull_to_the_side_of_a_front_wheel_that_drags_speaks_against_nothing_that_holds_it(found, fault):
    here = {LEFT: {"spin": DRAGS, **found}, RIGHT: {"spin": FREE}}
    told, pulled = (
        chances_of(here, system={"pull_coasting": word})[LEFT, fault] for word in ("none", "left")
    )  # fmt: skip
    assert pulled > 0.99 * told


def test_a_lining_turned_round_is_fitted_wrong_though_every_clip_is_there():
    found = {"pad_condition": {"inner": "sound", "outer": "backwards"}, "hardware": "complete"}
    assert chances_of({LEFT: found})[LEFT, "pad_or_hardware_misfitted"] > 0.97


def test_fluid_of_five_years_is_past_its_time_and_a_pedal_that_sinks_is_no_sound_pedal():
    old = chances_of({}, system={"fluid_age_months": 62})
    assert old[VEHICLE, "fluid_degraded"] > 0.95
    sinks = chances_of({}, system={"pedal_hold": "sinks"})
    assert sinks[VEHICLE, "master_cylinder_bypass"] + sinks[VEHICLE, "external_leak"] > 0.9


def test_a_gap_of_nothing_tells_more_than_a_hair():
    """No blade goes in: the pad touches. A hair of 0.05 mm may be the clearance that there should be."""
    here = {"spin": DRAGS, "pad_mm": pads(6, 6)}
    touching, hair, clear = (
        chances_of({LEFT: {**here, "pad_gap_mm": {"inner": gap, "outer": 0.2}}})[LEFT, "pad_bound_inner"]
        for gap in (0.0, 0.05, 0.2)
    )
    assert touching > hair > clear


HANDBRAKES = [{"rear": {"parking_brake": how}} for how in ("integral_cable", "drum_in_hat")]
HELD = {"front": {"spin": FREE}, "rear": {"spin": DRAGS, "pad_mm": pads(8, 8)}}
HOT = {"front": {"hub_temperature_c": 50}, "rear": {"hub_temperature_c": 120, "pad_mm": pads(8, 8)}}


@pytest.mark.parametrize("found", [HELD, HOT])
@pytest.mark.parametrize("axles", HANDBRAKES)
def test_both_rears_held_and_sound_pads_are_one_cable(axles, found):
    """domain/03: both rears hot, pads normal: the parking brake."""
    here = {corner: found[corner.axle] for corner in (LEFT, RIGHT, REAR_LEFT, REAR_RIGHT)}
    answer = answered({}, here, {"ambient_c": 15.0}, axles=axles)
    assert answer.chances[REAR_LEFT, "parking_brake_holding"] > 0.5
    first = next(one for one in answer.suspects if one.fault != NO_FAULT)
    assert first.fault == "parking_brake_holding"
    partner = next(reason for reason in first.reasons_for if reason.corner == first.corner.partner)
    assert "one cable and one lever act on both sides" in PLAINLY(partner.because)
    assert partner.finding in {"spin", "hub_temperature_c"}


def test_one_side_that_is_free_speaks_against_a_cable_at_the_other():
    alone, free, held = (
        chances_of({REAR_LEFT: {"spin": DRAGS}, **other}, axles=HANDBRAKES[1])[REAR_LEFT, "parking_brake_holding"]
        for other in ({}, {REAR_RIGHT: {"spin": FREE}}, {REAR_RIGHT: {"spin": DRAGS}})
    )
    assert free < alone < held


def test_an_electric_parking_brake_has_an_actuator_for_each_side():
    def risen(how):
        """By how much a wheel that drags makes the parking brake at the other side likelier."""
        axles = {"rear": {"parking_brake": how}}
        before, beside = (
            chances_of({REAR_RIGHT: {"shield": "clear"}, **found}, axles=axles)[REAR_RIGHT, "parking_brake_holding"]
            for found in ({}, {REAR_LEFT: {"spin": DRAGS}})
        )
        return beside / before

    assert risen("integral_cable") > 1.8
    assert risen("electric_on_caliper") < 1.3


def test_all_four_wheels_held_or_hot_are_the_master_cylinder_before_any_corner():
    """domain/03: all four hot speak for the master cylinder, against single corner faults."""
    for found in ({"spin": DRAGS}, {"hub_temperature_c": 140.0}):
        everywhere = dict.fromkeys((LEFT, RIGHT, REAR_LEFT, REAR_RIGHT), found)
        chances = answered({}, everywhere, {"ambient_c": 15.0}, axles=HANDBRAKES[0]).chances
        faults = {suspect: chance for suspect, chance in chances.items() if suspect[1] != NO_FAULT}
        assert max(faults, key=lambda suspect: faults[suspect]) == (VEHICLE, "master_cylinder_not_releasing")

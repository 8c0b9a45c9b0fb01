"""What to check next."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from mesotrope.core.decision.check_next import next_tests
from mesotrope.core.decision.outcomes import told_bits
from mesotrope.core.evidence.collect import collect
from mesotrope.core.evidence.measures import measure_all
from mesotrope.core.evidence.specification import complete_specification
from mesotrope.core.inference.posterior import Posterior
from mesotrope.core.inference.vehicle_space import space_of
from mesotrope.core.language.corner import VEHICLE, Corner
from mesotrope.core.plan.packages import with_prices
from mesotrope.knowledge import knowledge
from tests.documents import ALL_FREE, DRAGS, FREE, answer, inspect, pads


def test_a_test_that_settles_a_coin_tells_one_bit():
    """Shannon 1948 (from memory)."""
    assert told_bits(np.array([0.5, 0.5]), np.eye(2)) == pytest.approx(1.0)


def test_partial_information_worked_on_paper():
    """States 0.5 each; outcome right with 0.9: 1 − H(0.1) = 1 − 0.469 = 0.531 bits."""
    outcomes = np.array([[0.9, 0.1], [0.1, 0.9]])
    assert told_bits(np.array([0.5, 0.5]), outcomes) == pytest.approx(0.531, abs=5e-4)


@given(st.lists(st.floats(0.01, 1), min_size=3, max_size=3), st.lists(st.floats(0.01, 1), min_size=6, max_size=6))
def test_no_test_tells_more_than_is_unknown(states, outcomes):
    p = np.array(states) / sum(states)
    table = np.array(outcomes).reshape(3, 2)
    table = table / table.sum(axis=1, keepdims=True)
    bits = told_bits(p, table)
    assert -1e-12 <= bits <= -(p * np.log2(p)).sum() + 1e-9


def _all_offered(corners, known=None, **vehicle):
    """Every test that would be offered, not only the best few."""
    known, inspection = known or knowledge(), inspect(corners, **vehicle)
    specification = complete_specification(inspection, known)
    measures = measure_all(inspection, specification, known)
    evidence = collect(inspection, specification, measures, known)
    posterior = Posterior(known, specification, space_of(known, specification), evidence, {})
    return next_tests(posterior, inspection, specification, measures, known, None)


def _offered(corners, **vehicle):
    return {(t.corner, t.finding) for t in _all_offered(corners, **vehicle)}


def test_with_nothing_done_the_foot_comes_first_and_of_the_corners_the_spin():
    """The order of the trade: the pedal before the lift, and the wheels are spun before one comes off."""
    tests = _all_offered({})
    assert tests[0].finding.startswith("pedal")
    assert [test.finding for test in tests if test.corner is not VEHICLE][:2] == ["spin"] * 2


@pytest.mark.parametrize("found", [{"spin": FREE}, {"spin": DRAGS}])
def test_what_is_compared_is_made_at_the_other_side_next(found):
    """Common practice: a wheel is spun beside its partner."""
    first = _all_offered({Corner.FRONT_LEFT: found})[0]
    assert (first.corner, first.finding) == (Corner.FRONT_RIGHT, next(iter(found)))


def test_no_wheel_comes_off_only_to_compare():
    offered = _all_offered({Corner.FRONT_LEFT: {"window_pad_mm": {"inner": 4, "outer": 4}}})
    assert (offered[0].corner, offered[0].finding) != (Corner.FRONT_RIGHT, "window_pad_mm")


def test_a_test_that_was_made_is_not_offered_again():
    assert (Corner.FRONT_LEFT, "spin") not in _offered({Corner.FRONT_LEFT: {"spin": DRAGS}})


def test_the_bleeder_is_opened_only_while_the_wheel_drags():
    drags = {
        Corner.FRONT_LEFT: {"spin": {"turns": 0.5, "seconds": 0.6}, "hose": "swollen"},
        Corner.FRONT_RIGHT: {"spin": FREE},
    }
    free = {Corner.FRONT_LEFT: {"spin": FREE, "hose": "swollen"}, Corner.FRONT_RIGHT: {"spin": FREE}}
    assert (Corner.FRONT_LEFT, "bleeder_opened") in _offered(drags)
    assert (Corner.FRONT_LEFT, "bleeder_opened") not in _offered(free)


def test_pins_are_not_offered_where_there_are_none():
    found = {Corner.FRONT_LEFT: {"spin": DRAGS, "pad_fit": {"inner": "free", "outer": "free"}}}
    fixed = answer(found, axles={"front": {"caliper": "fixed", "pistons": 4, "piston_diameter_mm": [36, 38]}})
    assert not [t for t in fixed.next_tests if t.finding.startswith("pin") and t.corner.startswith("front")]


def test_once_a_wheel_is_off_the_road_is_behind():
    assert not [f for _, f in _offered({Corner.FRONT_LEFT: {"spin": DRAGS, "hose": "sound"}}) if f == "noise"]


def test_getting_at_the_parts_is_counted_once():
    def minutes(found):
        tests = _all_offered({Corner.REAR_LEFT: {"spin": DRAGS, **found}})
        return next(t.minutes for t in tests if (t.corner, t.finding) == (Corner.REAR_LEFT, "pin"))

    assert minutes({}) == 2 + knowledge().access_minutes["strip"]
    assert minutes({"pad_fit": {"inner": "free", "outer": "free"}}) == 2


def test_what_was_taken_off_for_one_stage_is_off_for_the_next():
    """Common practice: the wheel that is off for a look stays off for the parts, and the rotor lies open with them."""
    there = knowledge().access_minutes

    def minutes(finding, found):
        tests = _all_offered({Corner.REAR_LEFT: {"spin": DRAGS, **found}})
        return next(t.minutes for t in tests if (t.corner, t.finding) == (Corner.REAR_LEFT, finding))

    assert minutes("pin", {"hose": "sound"}) == 2 + there["strip"] - there["wheel_off"]
    pins_out = {"hose": "sound", "pin": {"upper": "free", "lower": "free"}}
    assert minutes("rotor_mm", pins_out) == knowledge().corner_finding["rotor_mm"].minutes
    assert minutes("bleeder_opened", {"hose": "sound"}) == knowledge().corner_finding["bleeder_opened"].minutes


def _priced(factor):
    known = knowledge()
    parts = {cost.id: {"parts": factor * cost.parts} for cost in known.costs}
    names = ("labour_per_hour", "comeback_trust", "spoiled_pads_and_rotors", "unsafe_at_stake", "bit_of_knowing")
    return with_prices(known, parts, {name: factor * getattr(known.money, name) for name in names})


def test_prices_in_another_currency_change_no_order_and_scale_what_is_saved():
    """A law of value of information: money is a unit."""
    found = {Corner.REAR_LEFT: {"spin": DRAGS}}
    ours, theirs = _all_offered(found), _all_offered(found, _priced(7.5))
    assert [(t.corner, t.finding) for t in theirs[:12]] == [(t.corner, t.finding) for t in ours[:12]]
    saved, saved_ours = ({(t.corner, t.finding): t.saves for t in tests} for tests in (theirs, ours))
    assert saved == pytest.approx({place: 7.5 * saves for place, saves in saved_ours.items()}, abs=1e-6)


def test_where_the_work_costs_nothing_knowing_saves_nothing():
    """Free work is done at once, whatever a test would say: nothing is left to save."""
    free = with_prices(knowledge(), {cost.id: {"parts": 0.0, "minutes": 0.0} for cost in knowledge().costs})
    dear = _all_offered({Corner.REAR_LEFT: {"spin": DRAGS}})
    assert max(t.saves for t in dear) > 1
    assert max(t.saves for t in _all_offered({Corner.REAR_LEFT: {"spin": DRAGS}}, free)) == pytest.approx(0, abs=1e-9)


def test_while_a_wheel_drags_nobody_is_sent_to_the_pedal_first():
    """Common practice: the complaint is a dragging wheel; the pedal comes first only where that saves more."""
    dragging = _all_offered(
        {Corner.REAR_LEFT: {"spin": DRAGS, "pad_mm": pads(3.4, 4.0)}, Corner.REAR_RIGHT: {"spin": FREE}}
    )
    first = dragging[0]
    assert first.corner is not VEHICLE or first.saves > max(t.saves for t in dragging if t.corner is not VEHICLE)


@pytest.mark.parametrize("finding", ["parking_cable_slackened", "line_loosened_at_master"])
def test_what_is_done_under_the_hood_or_the_floor_takes_no_wheel_off(finding):
    """Nor is a wheel off because it was done: the bleeder takes the way to it as before."""
    cable = {"axles": {"rear": {"parking_brake": "integral_cable"}}}

    def minutes(test, **made):
        offered = answer({Corner.REAR_LEFT: {"spin": DRAGS, **made}}, **cable).tests
        return next(t.minutes for t in offered if t.corner == Corner.REAR_LEFT and t.finding == test)

    known = knowledge()
    assert minutes(finding) == known.corner_finding[finding].minutes
    way = known.access_minutes["isolate"]
    made = {finding: "no_change"}
    assert (
        minutes("bleeder_opened")
        == minutes("bleeder_opened", **made)
        == known.corner_finding["bleeder_opened"].minutes + way
    )


def test_putting_a_stripped_corner_together_again_takes_its_minutes():
    """A helper at the pedal needs the caliper in its place."""
    looked = {"spin": DRAGS, "hose": "sound"}
    stripped = {**looked, "pin": {"upper": "free", "lower": "free"}}

    def minutes(found):
        offered = _all_offered({Corner.REAR_LEFT: found})
        return next(t.minutes for t in offered if (t.corner, t.finding) == (Corner.REAR_LEFT, "pedal_response"))

    assert minutes(stripped) == minutes(looked) + knowledge().access_minutes["strip"]


def test_the_drive_to_warm_hubs_counts_once_and_the_other_side_is_read_next():
    """Common practice: hubs are compared side by side, after one drive."""
    way = knowledge().corner_finding["hub_temperature_c"].way_minutes
    smelt = {t.corner: t for t in answer({}, {"smell": "hot"}).tests if t.finding == "hub_temperature_c"}
    assert {t.minutes for t in smelt.values()} == {2 + way}
    first = answer({"rear_left": {"hub_temperature_c": 120.0}}).next_tests[0]
    assert (first.corner, first.finding, first.minutes) == (Corner.REAR_RIGHT, "hub_temperature_c", 2)


def test_no_hub_is_read_once_a_wheel_is_off_or_while_it_is_not_safe():
    off = answer({"rear_left": {"hose": "sound"}}, {"smell": "hot"})
    unsafe = answer({}, {"smell": "hot", "pedal_hold": "sinks"})
    for told in (off, unsafe):
        assert not [t for t in told.tests if t.finding == "hub_temperature_c" and t.decides]


def test_the_bleeder_is_opened_for_a_firm_piston_though_nothing_drags():
    """03-faults: unusual effort with the bleeder closed and none with it open is the hose."""
    made = {"front_left": {"spin": FREE, "piston_pushback": ["firm"]}, "front_right": {"spin": FREE}}
    assert (Corner.FRONT_LEFT, "bleeder_opened") in _offered(made)
    assert (Corner.FRONT_RIGHT, "bleeder_opened") not in _offered(made)


def test_nobody_listens_to_the_bearing_of_a_wheel_that_no_hand_turns():
    held = {"rear_left": {"spin": {"turns": 0, "seconds": 0}}, "rear_right": {"spin": FREE}}
    assert (Corner.REAR_LEFT, "bearing") not in _offered(held)
    assert (Corner.REAR_LEFT, "bearing") in _offered({"rear_left": {"spin": DRAGS}})


@pytest.mark.parametrize("finding", ["pedal_hold", "visible_leak", "fluid_colour"])
def test_what_nobody_may_drive_with_is_looked_for_before_the_vehicle_goes(finding):
    """Common practice: the pedal is held and leaks are looked for, however sound the rest; last, once, and never in
    the way of a test that could change the work."""
    sound = {corner: {"spin": FREE, "pad_mm": pads(8.0, 8.0), **ALL_FREE} for corner in list(Corner)[:4]}
    whole = {"pedal_hold": "holds", "visible_leak": "none", "fluid_colour": "clear", "pedal_travel": 0.3,
             "pedal_feel": "firm", "fluid_level": 0.8, "fluid_age_months": 6}  # fmt: skip
    left = answer(sound, system={name: value for name, value in whole.items() if name != finding}).tests
    assert (VEHICLE, finding) in {(test.corner, test.finding) for test in left if test.offered}
    turns = [0 if test.decides else 1 if test.before_it_goes else 2 for test in left]
    assert turns == sorted(turns)
    assert finding not in {test.finding for test in answer(sound, system=whole).tests}

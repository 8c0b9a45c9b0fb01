"""What is open: laws that hold for every vehicle, and what a wheel that hardly turns is told. Source: every finding
gets its answer; common practice."""

from __future__ import annotations

import json

import numpy as np
import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st

from mesotrope.core.answer.answer import diagnose, overview
from mesotrope.core.language.corner import VEHICLE, Corner
from mesotrope.core.language.faults import NO_FAULT
from mesotrope.core.language.inspection import parse_inspection
from mesotrope.core.language.paths import leaves
from mesotrope.core.plan.packages import compare_all, plan_of
from mesotrope.core.simulator import inspect_vehicle, simulate_vehicle
from mesotrope.knowledge import knowledge
from mesotrope.words import PLAINLY
from tests.documents import FREE, answer, document, inspect

KINDS = ["car", "light_truck", "motorcycle"]


@settings(max_examples=25)
@example(5103, "car", 4)  # all was made at a corner, and it is not settled: made once more
@given(st.integers(0, 10**6), st.sampled_from(KINDS), st.integers(1, 5))
def test_a_cause_is_looked_for_exactly_where_something_is_open_and_each_has_a_test(seed, kind, thorough):
    random = np.random.default_rng(seed)
    vehicle = simulate_vehicle(random, kind)
    found = parse_inspection(json.dumps(inspect_vehicle(random, vehicle, thorough=thorough)))
    told = diagnose(found, knowledge())
    decision = told.decision
    for actions in (decision.actions, plan_of(decision.actions, compare_all(told, found, knowledge()))):
        looked_for = {action.corner for action in actions if action.action == "find_the_cause"}
        assert looked_for == {one.place for one in decision.open}
    assert all(one.next_test for one in decision.open)
    assert (decision.verdict == "unsafe") == bool(decision.unsafe)


#: What is due by itself, and cures nothing that holds a wheel.
BESIDE = {"clean_rotor_faces", "service_bleeder", "deglaze_linings", "straighten_shield", "no_action"}


@settings(max_examples=25)
@example(19, "car", "wheel_off")
@example(41, "car", "wheel_off")
@given(st.integers(0, 10**6), st.sampled_from(KINDS), st.sampled_from(["lift", "wheel_off"]))
def test_where_something_is_wrong_more_is_done_than_cleaning_or_it_is_open(seed, kind, upto):
    random = np.random.default_rng(seed)
    found = parse_inspection(json.dumps(inspect_vehicle(random, simulate_vehicle(random, kind), upto)))
    told = overview(found, knowledge())
    open_at = {one.place for one in told.decision.open}
    works_at = {action.corner for action in told.decision.actions if action.action not in BESIDE}
    for (corner, fault), none in told.chances.items():
        if fault == NO_FAULT and none < 0.1 and leaves(found.corner(corner)):
            assert {corner, VEHICLE} & (open_at | works_at), corner


@pytest.mark.parametrize("beside", [{}, {"rotor_face": {"inner": "scored"}}, {"bleeder": "rusted"}])
def test_what_is_due_at_a_wheel_that_drags_does_not_hide_that_nobody_knows_why(beside):
    here = {Corner.FRONT_LEFT: {"spin": {"turns": 1.5, "seconds": 1.9}, **beside}, Corner.FRONT_RIGHT: {"spin": FREE}}
    told = answer(here).decision
    planned = {action.action for action in told.actions if action.corner == Corner.FRONT_LEFT}
    assert len(planned) == 1 + len(beside)
    assert "find_the_cause" in planned
    assert Corner.FRONT_LEFT in {one.place for one in told.open}


@pytest.mark.parametrize("beside", [{}, {Corner.FRONT_RIGHT: {"spin": {"turns": 0.5, "seconds": 0.7}}}])
def test_a_wheel_that_hardly_turns_is_unsafe_and_open_however_far_off_its_figure_may_be(beside):
    """A quarter of a turn is read to a quarter of a turn: 24 N·m, give or take as much."""
    told = answer({Corner.FRONT_LEFT: {"spin": {"turns": 0.3, "seconds": 0.4}}, **beside}).decision
    assert "front left: a wheel drags hard enough to overheat its brake" in map(PLAINLY, told.unsafe)
    here = [one for one in told.open if one.place == Corner.FRONT_LEFT]
    assert [PLAINLY(one.what) for one in here] == ["drag 24 N·m, over 20 N·m"]
    assert len(here[0].explained_by) > 2


def test_a_hot_hub_is_open_once_in_the_words_of_the_graver_limit():
    """It is far over its partner, too, and too hot by itself: one thing was found."""
    found = {Corner.FRONT_LEFT: {"hub_temperature_c": 200}, Corner.FRONT_RIGHT: {"hub_temperature_c": 60}}
    told = answer(found).decision
    assert [PLAINLY(one.what) for one in told.open] == ["the hub was at 200 °C after the drive"]


def test_what_holds_a_wheel_with_two_discs_is_explained_at_both_by_the_caliper_that_holds_it():
    """Both discs of a motorcycle's front carry the wheel's one spin."""
    spin = {"spin": {"turns": 0.5, "seconds": 0.3}}
    stuck = {**spin, "piston_pushback": ["immovable", "immovable"], "pad_mm": {"inner": {"lead_rim": 1.6}}}
    sound = {**spin, "piston_pushback": ["easy", "easy"], "pad_fit": {"inner": "free", "outer": "free"}}
    told = answer({Corner.FRONT_LEFT: stuck, Corner.FRONT_RIGHT: sound}, kind="motorcycle", front_discs=2).decision
    spins = {one.place: one.how for one in told.answered if one.finding == "spin"}
    assert spins[Corner.FRONT_RIGHT].startswith("explained by piston_seized_applied")
    assert Corner.FRONT_RIGHT not in {one.place for one in told.open}


def test_a_complaint_waits_for_the_same_test_as_what_was_found_of_it():
    """A pedal that is low and pumps up: the gaps at the pads tell, for the complaint as for the finding."""
    system = {"pedal_travel": 0.7, "pedal_pump": "rises", "pedal_feel": "firm", "pedal_hold": "holds"}
    written = document({}, system) | {"visit": {"complaint": "low pedal"}}
    left_open = diagnose(parse_inspection(json.dumps(written)), knowledge()).decision.open
    assert {one.is_complaint for one in left_open} == {True, False}
    assert {one.next_test for one in left_open} == {"pad_gap_mm"}
    assert len({one.next_place for one in left_open}) == 1


def test_a_free_wheel_opens_nothing():
    told = answer({Corner.FRONT_LEFT: {"spin": FREE}, Corner.FRONT_RIGHT: {"spin": FREE}}).decision
    assert told.open == ()


def test_a_rotor_that_is_plainly_worn_out_does_not_settle_why_its_wheel_drags():
    """A condition is seen, what holds the wheel is hidden: new pads on a new rotor would rub all the same."""
    here = {Corner.REAR_LEFT: {"spin": {"turns": 1.5, "seconds": 1.9}, "rotor_mm": [7.0, 7.0, 7.1]},
            Corner.REAR_RIGHT: {"spin": FREE}}  # fmt: skip
    told = answer(here, axles={"rear": {"rotor_discard_mm": 8.0, "parking_brake": "integral_cable"}})
    assert told.chances[Corner.REAR_LEFT, "rotor_worn_or_damaged"] > 0.9
    assert {"replace_rotor", "find_the_cause"} <= {
        a.action for a in told.decision.actions if a.corner == Corner.REAR_LEFT
    }


def test_several_faults_that_are_all_known_are_put_right_and_not_looked_for():
    """Every repair may fail a little, and so may all of five: no test changes that. Common practice."""
    held = {
        "spin": {"turns": 1, "seconds": 1.2},
        "parking_lever": "stuck",
        "pin": {"upper": "seized", "lower": "seized"},
    }
    found = inspect(
        {Corner.REAR_LEFT: {**held, "piston_pushback": ["immovable"]}, Corner.REAR_RIGHT: held},
        axles={"rear": {"parking_brake": "integral_cable", "caliper": "floating", "pistons": 1}},
    )
    told = diagnose(found, knowledge())
    planned = {
        (one.corner, one.action) for one in plan_of(told.decision.actions, compare_all(told, found, knowledge()))
    }
    assert not {place for place, action in planned if action == "find_the_cause"}
    assert (Corner.REAR_RIGHT, "replace_pins_and_boots") in planned

"""What is done to the whole vehicle, weighed beside milder ways. Source: decisions, expected cost; common practice."""

from __future__ import annotations

import json

import pytest

from mesotrope.core.answer.answer import diagnose
from mesotrope.core.language.corner import VEHICLE, Corner
from mesotrope.core.language.inspection import parse_inspection
from mesotrope.core.plan.packages import compare_all, plan_of
from mesotrope.core.plan.worth import SYSTEM
from mesotrope.knowledge import knowledge
from tests.documents import FREE

KNOWN = knowledge()
HELD = {"spin": {"turns": 0.6, "seconds": 0.8}}
FOUR = ("front_left", "front_right", "rear_left", "rear_right")


CABLE = {"axles": {"rear": {"caliper": "floating", "parking_brake": "integral_cable"}}}


def compared(system, corners=None, vehicle=None, **visit):
    written = {"vehicle": vehicle or {}, "visit": visit, "findings": {"corners": corners or {}, "system": system}}
    inspection = parse_inspection(json.dumps(written))
    answer = diagnose(inspection, KNOWN)
    return answer, compare_all(answer, inspection, KNOWN)


def of_system(comparisons):
    return next((one for one in comparisons if one.axle == SYSTEM), None)


def done(package):
    return {action for _, action in package.actions}


def test_the_pushrod_alone_stands_beside_a_new_master_cylinder():
    _, weighed = compared({"pedal_release": "no_free_play"}, dict.fromkeys(FOUR, HELD))
    one = of_system(weighed)
    assert done(one.recommended) == {"adjust_pushrod", "replace_master_cylinder", "bleed_system"}
    assert done(one.runner_up) == {"adjust_pushrod"}
    assert one.runner_up.price < one.recommended.price
    assert one.runner_up.cure < one.least_cure <= one.recommended.cure


def test_the_pushrod_may_be_chosen_and_then_no_master_cylinder_is_planned():
    answer, weighed = compared({"pedal_release": "no_free_play"}, dict.fromkeys(FOUR, HELD))
    planned = {(p.corner, p.action) for p in plan_of(answer.decision.actions, weighed)}
    instead = {SYSTEM: of_system(weighed).runner_up.actions}
    chosen = {(p.corner, p.action) for p in plan_of(answer.decision.actions, weighed, instead)}
    assert (VEHICLE, "replace_master_cylinder") in planned
    assert planned - chosen == {(VEHICLE, "replace_master_cylinder"), (VEHICLE, "bleed_system")}


def test_bleeding_for_what_is_done_at_a_wheel_is_no_package_of_its_own():
    answer, weighed = compared({}, {"front_left": {"hose": "cracked", "spin": FREE}})
    assert (VEHICLE, "bleed_system") in {(p.corner, p.action) for p in answer.decision.actions}
    assert of_system(weighed) is None
    assert (VEHICLE, "bleed_system") in {(p.corner, p.action) for p in plan_of(answer.decision.actions, weighed)}


@pytest.mark.parametrize(
    "system",
    [
        {"fluid_age_months": 70, "fluid_colour": "black"},
        {"pedal_hold": "sinks", "visible_leak": "none", "fluid_level": 0.8},
        {"pedal_feel": "hard", "pedal_on_engine_start": "no_change"},
        {"pedal_release": "slow"},
    ],
)
def test_what_the_findings_demand_is_in_every_package_and_what_is_recommended_cures(system):
    answer, weighed = compared(system)
    one = of_system(weighed)
    demanded = {p.action for p in answer.decision.actions if p.corner is VEHICLE} - {"find_the_cause"}
    assert all(demanded <= done(package) for package in one.packages)
    assert one.recommended.cure >= KNOWN.threshold["least_cure"]


def test_a_low_pedal_that_no_work_surely_cures_has_its_cause_found_first_at_the_wheels():
    """Too much running clearance is measured at the pads, not found by more questions."""
    low = {"pedal_travel": 0.7, "pedal_feel": "firm", "pedal_hold": "holds", "pedal_pump": "rises"}
    one = of_system(compared(low, vehicle=CABLE, recent_work=["pads_rear"])[1])
    assert one.find_out_first
    assert isinstance(one.test.corner, Corner)

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
from mesotrope.words import PLAINLY
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


def test_no_master_cylinder_is_ordered_before_its_pushrod_was_set():
    """Pushrod, then master: what is due for a pedal without free play. Source: every finding answered."""
    answer, weighed = compared({"pedal_release": "no_free_play"}, dict.fromkeys(FOUR, HELD))
    one = of_system(weighed)
    assert [done(package) for package in one.packages] == [{"adjust_pushrod"}]
    assert not one.find_out_first  # there is nothing to find out; whether it was the pushrod, setting it shows
    assert PLAINLY(one.why_none).endswith("; it is proved before the vehicle goes")
    planned = {(p.corner, p.action) for p in plan_of(answer.decision.actions, weighed)}
    assert (VEHICLE, "adjust_pushrod") in planned
    assert (VEHICLE, "replace_master_cylinder") not in planned
    assert answer.decision.verdict != "replace"


def test_a_pushrod_with_free_play_is_left_alone():
    """It comes back whole and all wheels are held: the cylinder itself, or its oil."""
    held = dict.fromkeys(FOUR, HELD | {"line_loosened_at_master": "frees"})
    answer, weighed = compared({"pedal_release": "full", "cap_seal": "sound", "fluid_colour": "amber"}, held)
    assert done(of_system(weighed).recommended) == {"replace_master_cylinder", "bleed_system"}
    assert (VEHICLE, "adjust_pushrod") not in {(p.corner, p.action) for p in answer.decision.actions}


def test_the_pedal_is_looked_at_before_a_master_cylinder_is_condemned():
    held = dict.fromkeys(FOUR, HELD | {"line_loosened_at_master": "frees"})
    answer, _ = compared({"cap_seal": "sound", "fluid_colour": "amber"}, held)
    (one,) = [one for one in answer.decision.open if one.place is VEHICLE]
    assert one.next_test == "pedal_release"
    assert (VEHICLE, "replace_master_cylinder") not in {(p.corner, p.action) for p in answer.decision.actions}


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

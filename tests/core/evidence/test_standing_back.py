"""Gaps at both wheels of an axle, or after pads were renewed: pistons that work and stand back."""

from __future__ import annotations

import json

import pytest

from mesotrope.core.answer.answer import overview
from mesotrope.core.language.corner import VEHICLE, Corner
from mesotrope.core.language.inspection import parse_inspection
from mesotrope.knowledge import knowledge
from tests.documents import document

WIDE, USUAL = ({"pad_gap_mm": {"inner": gap, "outer": gap}} for gap in (0.6, 0.15))
SCREWS = {"axles": {"rear": {"caliper": "floating", "parking_brake": "integral_cable"}}}


def chances(left, right, axle="front", visit=None, **vehicle):
    corners = {Corner(f"{axle}_left"): left, Corner(f"{axle}_right"): right}
    written = {**document(corners), "visit": visit or {}}
    written["vehicle"] = {"kind": "car", **vehicle}
    return overview(parse_inspection(json.dumps(written)), knowledge()).chances


def stuck(found, corner=Corner.FRONT_LEFT):
    return found[corner, "piston_seized_released"]


def test_a_gap_at_both_wheels_accuses_a_piston_less_than_one_at_a_wheel_alone():
    """Common practice: thin, lipped or untrue rotors leave both sides far away, a stuck piston its own."""
    alone, both = chances(WIDE, USUAL), chances(WIDE, WIDE)
    assert stuck(both) < 0.5 * stuck(alone)
    assert both[VEHICLE, "excess_running_clearance"] > 5 * alone[VEHICLE, "excess_running_clearance"]


def test_where_pistons_screw_both_are_usually_going():
    rear = {"corner": Corner.REAR_LEFT}
    hat = {"axles": {"rear": {"caliper": "floating", "parking_brake": "drum_in_hat"}}}
    assert stuck(chances(WIDE, WIDE, "rear", **SCREWS), **rear) > stuck(chances(WIDE, WIDE, "rear", **hat), **rear)


@pytest.mark.parametrize(("work", "less"), [("pads_front", True), ("pads_rear", False), ("fluid", False)])
def test_pads_renewed_lately_explain_a_gap_on_their_own_axle(work, less):
    before = stuck(chances(WIDE, USUAL, visit={"recent_work": []}))
    assert (stuck(chances(WIDE, USUAL, visit={"recent_work": [work]})) < 0.97 * before) == less


def test_a_pad_that_does_not_move_is_accused_all_the_same():
    still = {**WIDE, "pedal_response": {"inner": "still", "outer": "still"}}
    assert stuck(chances(still, still)) > 0.5

"""What a verdict is in sum, as the product says it and as somebody overruled it."""

from __future__ import annotations

import json

import pytest

from mesotrope.core.answer.answer import overview
from mesotrope.core.language.corner import Axle, Corner
from mesotrope.core.language.inspection import parse_inspection
from mesotrope.core.plan.overruling import Overruling, verdicts_as_overruled
from mesotrope.knowledge import knowledge
from scripts.calibration.cases import vehicle_of
from tests.documents import FREE

HOT = {"hub_temperature_c": 150.0, "spin": FREE}
COOL = {"hub_temperature_c": 60.0, "spin": FREE}


def decided(corners, system=None):
    written = {"visit": {"ambient_c": 18}, "findings": {"corners": corners, "system": system or {}}}
    return overview(parse_inspection(json.dumps(written)), knowledge()).decision


def test_an_axle_of_which_one_wheel_is_open_is_not_called_sound_for_the_other():
    """The law of what is open: never sound until it is closed."""
    decision = decided({"front_left": HOT, "front_right": COOL})
    assert decision.corners[Corner.FRONT_RIGHT].verdict == "sound"
    assert verdicts_as_overruled(decision, {}) == (None, {Axle.FRONT: None, Axle.REAR: None})


def test_whoever_overrules_the_open_wheel_closes_it():
    decision = decided({"front_left": HOT, "front_right": COOL})
    closed = {Corner.FRONT_LEFT: Overruling("sound", (), "driven with the parking brake on")}
    assert verdicts_as_overruled(decision, closed) == ("sound", {Axle.FRONT: "sound", Axle.REAR: None})


def test_what_is_open_for_the_whole_vehicle_leaves_its_axles_sound():
    four = dict.fromkeys(("front_left", "front_right", "rear_left", "rear_right"), COOL)
    vehicle, axles = verdicts_as_overruled(decided(four, {"warning_lamp": "brake"}), {})
    assert vehicle is None
    assert axles == {Axle.FRONT: "sound", Axle.REAR: "sound"}


@pytest.mark.parametrize("seed", range(30))
def test_with_nothing_overruled_it_is_the_products_own(seed):
    _, inspection = vehicle_of(seed, seed, "wheel_off")
    decision = overview(inspection, knowledge()).decision
    assert verdicts_as_overruled(decision, {})[0] == decision.verdict

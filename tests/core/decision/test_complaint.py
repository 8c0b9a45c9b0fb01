"""Check next speaks to the complaint: where it points at comes first, while nothing explains it. Common practice."""

from __future__ import annotations

import pytest

from mesotrope.core.answer.answer import diagnose, overview
from mesotrope.core.language.corner import VEHICLE
from mesotrope.knowledge import knowledge
from tests.documents import FREE, inspect

HAT = {"axles": {"rear": {"caliper": "floating", "parking_brake": "drum_in_hat"}}}


def complaining(complaint, corners=None, system=None, **vehicle):
    inspection = inspect(corners or {}, system, **vehicle)
    visit = inspection.visit.model_copy(update={"complaint": complaint})
    return diagnose(inspection.model_copy(update={"visit": visit}), knowledge())


def first_tests(complaint, corners=None, **vehicle):
    return complaining(complaint, corners, **vehicle).next_tests


@pytest.mark.parametrize(
    ("complaint", "places"),
    [
        ("Left rear wheel gets hot on the motorway", {"rear_left"}),
        ("hot smell from the front", {"front_left", "front_right"}),
        ("Wheel drags, hard to push", {"front_left", "front_right", "rear_left", "rear_right"}),
    ],
)
def test_while_a_wheel_drags_the_pedal_does_not_lead(complaint, places):
    first = first_tests(complaint)[: min(2, len(places))]
    assert first
    assert {test.corner for test in first} <= places


@pytest.mark.parametrize(
    ("complaint", "finding"),
    [
        ("Pulls to the right", "pull_braking"),
        ("the pedal sinks at the lights", "pedal_hold"),
        ("steering wheel shakes when braking", "vibration"),
        ("the handbrake does not hold", "parking_brake_holds"),
        ("there is fluid on the drive", "visible_leak"),
    ],
)
def test_a_complaint_is_seen_for_oneself_first(complaint, finding):
    first = first_tests(complaint)[0]
    assert (first.corner, first.finding) == (VEHICLE, finding)


@pytest.mark.parametrize(
    ("complaint", "corners", "vehicle", "by"),
    [
        ("the handbrake does not hold", {"rear_left": {"parking_shoes": "worn"}}, HAT, "parking_shoes"),
        ("shakes when braking", {"front_left": {"rotor_runout_mm": 0.11}}, {}, "rotor_runout_mm"),
        ("rumbles at the rear", {"rear_right": {"bearing": "play"}}, {}, "bearing"),
        ("rumbles at the rear", {"front_right": {"bearing": "play"}}, {}, ""),
    ],
)
def test_what_was_found_and_is_acted_on_explains_the_complaint_where_it_points(complaint, corners, vehicle, by):
    decision = complaining(complaint, corners, **vehicle).decision
    (answered,) = [one for one in decision.answered if one.finding == "complaint"]
    assert answered.how == (f"explained by {by}" if by else "open")


def test_a_wheel_that_the_complaint_does_not_name_explains_nothing_of_it():
    inspection = inspect({corner: {"spin": FREE} for corner in ("rear_left", "rear_right")})
    visit = inspection.visit.model_copy(update={"complaint": "squeals at the rear"})
    (left_open,) = overview(inspection.model_copy(update={"visit": visit}), knowledge()).decision.open
    assert left_open.explained_by
    assert {place.axle for place, _, _ in left_open.explained_by} == {"rear"}


@pytest.mark.parametrize("complaint", ["the pedal goes down", None, "something is odd"])
def test_a_pedal_that_is_complained_of_leads(complaint):
    assert first_tests(complaint)[0].corner is VEHICLE


def test_a_motorcycles_front_wheel_is_asked_about_once():
    tests = first_tests("front wheel hot", kind="motorcycle")
    assert tests[0].corner.axle == "front"
    assert ("front_right", "spin") not in {(str(test.corner), test.finding) for test in tests}


TURNS = {"spin": FREE}
FREE_ALL_ROUND = dict.fromkeys(("front_left", "front_right", "rear_left", "rear_right"), TURNS)


def answered_as(complaint):
    decision = complaining(complaint, FREE_ALL_ROUND).decision
    return [one.how for one in decision.answered if one.finding == "complaint"], decision


@pytest.mark.parametrize(
    "complaint",
    [
        "Pedal goes to the floor", "veers to the right", "takes long to stop", "scraping from somewhere", "won't roll",
        "steering wheel wobbles", "knocks over bumps when braking", "low fluid light", "warm rim at the back",
        "Left rear locks on wet roads", "pads worn too early again", "uses more fuel", "it feels odd since Tuesday",
    ],
)  # fmt: skip
def test_no_complaint_is_passed_over(complaint):
    """In whatever words: what nothing explains is open, and the vehicle is not called sound."""
    how, decision = answered_as(complaint)
    assert how == ["open"]
    assert decision.verdict is None


@pytest.mark.parametrize("words", ["Annual service", "please check the brakes before the holidays", None, ""])
def test_what_is_no_complaint_is_not_answered_as_one(words):
    how, decision = answered_as(words)
    assert how == []
    assert decision.verdict == "sound"


def test_an_abs_lamp_is_said_to_lie_outside():
    assert answered_as("ABS light")[0] == ["outside"]

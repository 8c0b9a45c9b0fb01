"""Check next speaks to the complaint: where it points at comes first, while nothing explains it. Common practice."""

from __future__ import annotations

import pytest

from mesotrope.core.answer.answer import diagnose
from mesotrope.core.language.corner import VEHICLE
from mesotrope.knowledge import knowledge
from tests.documents import FREE, inspect


def first_tests(complaint, corners=None, **vehicle):
    inspection = inspect(corners or {}, **vehicle)
    visit = inspection.visit.model_copy(update={"complaint": complaint})
    return diagnose(inspection.model_copy(update={"visit": visit}), knowledge()).next_tests


@pytest.mark.parametrize(
    ("complaint", "places"),
    [
        ("Left rear wheel gets hot on the motorway", {"rear_left"}),
        ("hot smell from the front", {"front_left", "front_right"}),
        ("Pulls to the right", {"front_left", "front_right", "rear_left", "rear_right"}),
        ("Wheel drags, hard to push", {"front_left", "front_right", "rear_left", "rear_right"}),
    ],
)
def test_while_a_wheel_drags_the_pedal_does_not_lead(complaint, places):
    first = first_tests(complaint)[: min(2, len(places))]
    assert first
    assert {test.corner for test in first} <= places


def test_a_wheel_that_the_complaint_does_not_name_explains_nothing_of_it():
    inspection = inspect({corner: {"spin": FREE} for corner in ("rear_left", "rear_right")})
    visit = inspection.visit.model_copy(update={"complaint": "squeals at the rear"})
    (left_open,) = diagnose(inspection.model_copy(update={"visit": visit}), knowledge()).decision.open
    assert left_open.explained_by
    assert {place.axle for place, _, _ in left_open.explained_by} == {"rear"}


@pytest.mark.parametrize("complaint", ["the pedal goes down", None, "something is odd"])
def test_a_pedal_that_is_complained_of_leads(complaint):
    assert first_tests(complaint)[0].corner is VEHICLE


def test_a_motorcycles_front_wheel_is_asked_about_once():
    tests = first_tests("front wheel hot", kind="motorcycle")
    assert tests[0].corner.axle == "front"
    assert ("front_right", "spin") not in {(str(test.corner), test.finding) for test in tests}

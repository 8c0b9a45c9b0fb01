"""Rust scale all round is one fact: the vehicle stood."""

from __future__ import annotations

import json
from itertools import product

import pytest
from hypothesis import given
from hypothesis import strategies as st

from mesotrope.core.evidence.standing import face_by_standing, stood_chance
from mesotrope.core.language.corner import Corner
from mesotrope.core.language.inspection import parse_inspection
from mesotrope.knowledge import knowledge
from tests.documents import answer

FOUR = [Corner.FRONT_LEFT, Corner.FRONT_RIGHT, Corner.REAR_LEFT, Corner.REAR_RIGHT]
BOTH = {"rotor_face": {"inner": "rust_scaled", "outer": "rust_scaled"}}
NONE = {"rotor_face": {"inner": "smooth", "outer": "smooth"}}


def seen(corners):
    return parse_inspection(json.dumps({"findings": {"corners": corners}}))


def test_one_wheel_worked_on_paper():
    """Bayes' rule: one in a hundred stood, each face scaled then with 0.85; a wheel that did not stand has both scaled
    with 0.012. 0.01·0.85² / (0.01·0.85² + 0.99·0.012) = 0.007225 / 0.019105 = 0.378."""
    assert stood_chance(FOUR, seen({"front_left": BOTH}), knowledge()) == pytest.approx(0.378, abs=5e-4)


def test_the_chances_of_what_is_seen_of_a_wheel_that_did_not_stand_add_up():
    for chances in knowledge().standing.otherwise:
        assert sum(chances) == pytest.approx(1.0)


@given(st.lists(st.sampled_from(["both", "one", "none", "unseen"]), min_size=4, max_size=4), st.integers(0, 3))
def test_one_more_scaled_wheel_never_tells_against_standing(wheels, which):
    words = {
        "both": BOTH,
        "one": {"rotor_face": {"inner": "rust_scaled", "outer": "smooth"}},
        "none": NONE,
        "unseen": {},
    }
    before = {corner: words[wheel] for corner, wheel in zip(FOUR, wheels, strict=True)}
    now = stood_chance(FOUR, seen(before), knowledge())
    assert stood_chance(FOUR, seen(before | {FOUR[which]: BOTH}), knowledge()) >= now - 1e-12
    assert stood_chance(FOUR[::-1], seen(before), knowledge()) == pytest.approx(now)


def test_the_faces_of_a_wheel_are_together_as_likely_scaled_as_it_stood():
    inspection = seen({"front_left": BOTH, "front_right": BOTH})
    beside = stood_chance([Corner.FRONT_RIGHT], inspection, knowledge())
    assert face_by_standing(Corner.FRONT_LEFT, FOUR, inspection, knowledge()) ** 2 == pytest.approx(beside)
    assert face_by_standing(Corner.REAR_LEFT, FOUR, inspection, knowledge()) == 0.0


@pytest.mark.parametrize(("partner", "accused"), [(NONE, True), (BOTH, False)])
def test_a_wheel_alone_in_its_rust_does_not_brake_and_two_more_beside_it_stood(partner, accused):
    found = answer({"front_left": BOTH, "front_right": partner, "rear_left": partner})
    assert (found.chances[Corner.FRONT_LEFT, "piston_seized_released"] > 0.5) == accused
    assert found.decision.verdict == ("unsafe" if accused else "service")


def test_what_each_wheel_is_told_is_nearly_what_the_sum_over_standing_gives():
    """Two wheels, each with a pad that does not work or not, and a vehicle that stood or not: summed by hand, beside
    what the blend of each wheel's faces gives."""
    known = knowledge().standing
    stuck, idle, healthy = 0.02, 0.735**2, 0.028**2
    joint = {}
    for left, right, stood in product((0, 1), (0, 1), (0, 1)):
        chance = known.chance if stood else 1 - known.chance
        for bad in (left, right):
            chance *= (stuck if bad else 1 - stuck) * (known.scales**2 if stood else (idle if bad else healthy))
        joint[left, right, stood] = chance
    exact = sum(p for (left, _, _), p in joint.items() if left) / sum(joint.values())
    share = face_by_standing(FOUR[0], FOUR, seen({"front_left": BOTH, "front_right": BOTH}), knowledge())

    def told(face):
        return ((1 - share) * face + share * known.scales) ** 2

    ours = stuck * told(0.735) / (stuck * told(0.735) + (1 - stuck) * told(0.028))
    assert ours == pytest.approx(exact, abs=0.1)
    assert exact < stuck * idle / (stuck * idle + (1 - stuck) * healthy)  # beside 0.93 where nothing is shared

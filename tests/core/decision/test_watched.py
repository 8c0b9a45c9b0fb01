"""What is no fault yet is noted with when to look again (common practice); distances worked out by hand."""

from __future__ import annotations

import pytest

from mesotrope.core.answer.answer import diagnose, overview
from mesotrope.core.answer.document import answer_document
from mesotrope.core.decision.watched import watched_in_words
from mesotrope.core.language.corner import VEHICLE, Corner
from mesotrope.core.language.units import Units
from mesotrope.knowledge import knowledge
from mesotrope.words import PLAINLY, Speaker
from tests.core.decision.test_due import BAD_AT_CORNERS, BAD_OF_VEHICLE, HEALTHY, _seen
from tests.documents import inspect, pads

#: Figures near a limit of the trade and not beyond it, and how each is said.
NEAR = [
    ({"rotor_lip_mm": 0.8}, {}, "rear left a lip of 0.80 mm at the rotor's edge; look again with the next pads"),
    ({"rotor_runout_mm": 0.08}, {}, "rear left rotor runs out by 0.08 mm"),
    ({"rotor_mm": [9.0, 9.0]}, {}, "rear left rotor 0.30 mm over its discard thickness"),
    ({}, {"fluid_water_percent": 2.4}, "2.4 % water in the fluid; measure again within half a year"),
    ({}, {"fluid_copper_ppm": 160.0}, "160 ppm copper in the fluid"),
    ({}, {"fluid_age_months": 20.0}, "the fluid is 20 months old; change it in 4 months"),
]
REAR = {
    "axles": {"rear": {"caliper": "floating", "pistons": 1, "parking_brake": "integral_cable", "rotor_discard_mm": 8.7}}
}


def _words(decision, say=PLAINLY):
    return [say(watched_in_words(one)) for one in decision.watched]


@pytest.mark.parametrize(("corner", "system", "words"), NEAR, ids=lambda value: str(value)[:40])
def test_a_figure_near_its_limit_is_noted_and_the_vehicle_is_sound(corner, system, words):
    decision = overview(_seen(corner, system, **REAR), knowledge()).decision
    assert [said for said in _words(decision) if said.startswith(words)]
    assert decision.verdict == "sound"
    assert "watch" in {one.how for one in decision.answered}


@pytest.mark.parametrize(("path", "value"), [*((p, v[0]) for p, v in BAD_AT_CORNERS.items() if p.endswith("_mm"))])
def test_what_is_bad_is_never_only_watched(path, value):
    decision = overview(_seen({path: value}, {}), knowledge()).decision
    hows = {one.how for one in decision.answered if (one.place, one.finding) == (Corner.REAR_LEFT, path)}
    assert "watch" not in hows


@pytest.mark.parametrize("path", ["fluid_water_percent", "fluid_copper_ppm", "fluid_age_months"])
def test_fluid_that_is_changed_is_not_watched(path):
    decision = overview(_seen({}, {path: BAD_OF_VEHICLE[path][0], "fluid_colour": "black"}), knowledge()).decision
    assert not [one for one in decision.watched if one.place is VEHICLE]
    near = overview(_seen({}, {"fluid_age_months": 20.0, "fluid_colour": "black"}), knowledge()).decision
    assert not [one for one in near.watched if one.place is VEHICLE]


def _thin(mm, **axle):
    rear = {"caliper": "floating", "pistons": 1, "pad_new_mm": 11.0, "pad_limit_mm": 3.0, **axle}
    corners = dict.fromkeys(list(Corner)[:4], HEALTHY)
    thin = HEALTHY | {"pad_mm": pads(mm, mm)}
    whole = inspect(
        corners | {Corner.REAR_LEFT: thin, Corner.REAR_RIGHT: thin}, {"pedal_travel": 0.3}, axles={"rear": rear}
    )
    return whole.model_copy(update={"visit": whole.visit.model_copy(update={"odometer_km": 70000.0})})


def test_a_lining_near_its_limit_says_how_far_it_goes_at_its_own_wear():
    """11.0 mm new at 20 000 km, 4.0 mm (3.9 at its thinnest) at 70 000 km: 0.142 mm for 1 000 km, 0.9 mm are left."""
    decision = overview(_thin(4.0, pads_fitted_odometer_km=20000.0), knowledge()).decision
    words = "rear left lining 0.9 mm over its limit at its thinnest; at its own wear it meets its limit in "
    assert _words(decision)[0].startswith(f"{words}6\u00a0000 km")
    in_miles = _words(decision, Speaker(Units(distance="mi", length="in")))[0]
    assert "3\u00a0730 mi" in in_miles
    assert "0.035 in over its limit" in in_miles


def test_a_lining_whose_distance_is_unknown_goes_by_the_usual_wear():
    decision = overview(_thin(4.0), knowledge()).decision
    assert "at the usual wear" in _words(decision)[0]


def test_a_lining_at_its_limit_is_renewed_and_not_watched():
    decision = overview(_thin(3.0), knowledge()).decision
    assert not [one for one in decision.watched if one.finding == "pad_mm"]


def test_the_answer_document_tells_what_is_watched():
    answer = diagnose(_seen({"rotor_lip_mm": 0.8}, {}), knowledge())
    document = answer_document(answer, PLAINLY)
    assert {key: document["watched"][0][key] for key in ("corner", "finding")} == {
        "corner": "rear_left",
        "finding": "rotor_lip_mm",
    }
    assert document["answered"]["rear_left.rotor_lip_mm"] == "watch"


def test_an_owner_is_told_of_it_without_a_word_of_the_trade():
    never = [word.lower() for word in knowledge().owner.plain.never]
    assert not [(row.owner, word) for row in knowledge().watches for word in never if word in row.owner.lower()]

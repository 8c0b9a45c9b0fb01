"""Where the next test belongs: what is open is looked at first, at the wheel that shows it. Common practice."""

from __future__ import annotations

import json

import pytest

from mesotrope.core.answer.answer import diagnose, overview
from mesotrope.core.decision.in_question import is_unsettled
from mesotrope.core.decision.open_words import open_under
from mesotrope.core.language.corner import VEHICLE, Corner
from mesotrope.core.language.inspection import parse_inspection
from mesotrope.core.plan.packages import compare_all
from mesotrope.knowledge import knowledge
from mesotrope.words import PLAINLY
from scripts.calibration.cases import vehicle_of
from tests.documents import ALL_FREE, DRAGS, FREE, pads

FIRM = {"pedal_travel": 0.3, "pedal_feel": "firm", "pedal_hold": "holds", "pedal_pump": "no_change"}
WELL = {"spin": FREE, "pad_mm": pads(7.0, 7.2), **ALL_FREE}
KNOWN = knowledge()


def inspected(corners, system=None, **vehicle):
    document = {"vehicle": {"kind": "car", **vehicle}, "findings": {"corners": corners, "system": system or {}}}
    return parse_inspection(json.dumps(document))


def first_of(corners, system=None, **vehicle):
    tests = diagnose(inspected(corners, system, **vehicle), KNOWN).next_tests
    return tests[0].corner, tests[0].finding


@pytest.mark.parametrize(
    ("corners", "system", "places"),
    [
        ({"front_right": {"hub_temperature_c": 150}, "front_left": {"hub_temperature_c": 60}}, {}, {"front_right"}),
        ({"rear_left": {"spin": DRAGS}, "rear_right": {"spin": FREE}}, {}, {"rear_left"}),
        ({}, {"vibration": "steering"}, {"front_left", "front_right"}),
        ({}, {"parking_brake_holds": "no"}, {"rear_left", "rear_right"}),
        ({}, {"pull_braking": "left"}, {"front_right"}),
        ({}, {"pull_coasting": "left"}, {"front_left"}),
        ({}, {"pedal_travel": 0.7}, {VEHICLE}),
        ({}, {"warning_lamp": "brake"}, {VEHICLE}),
    ],
)
def test_what_is_open_is_looked_at_where_it_would_be_explained(corners, system, places):
    assert first_of(corners, system)[0] in places


def test_what_the_table_names_for_what_is_open_comes_first():
    assert first_of({"front_left": WELL | {"rotor_lip_mm": 1.5}, "front_right": WELL}) == ("front_left", "rotor_mm")
    lamp = first_of(dict.fromkeys(list(Corner)[:4], WELL), FIRM | {"warning_lamp": "wear"})
    assert lamp[1] == "wear_sensor"


@pytest.mark.parametrize("seed", range(24))
def test_whoever_is_told_the_best_test_for_what_is_open_finds_it_before_all_that_is_not_in_question(seed):
    """One answer: the test that stands beside what is open is among the first that are to be made."""
    _, inspection = vehicle_of(seed, seed, "wheel_off")
    answer = diagnose(inspection, KNOWN)
    first = [test.finding for test in answer.tests if test.decides][: 2 * len(answer.decision.open)]
    made = {test.finding for test in answer.tests}
    for one in answer.decision.open:
        assert one.next_test in first or one.next_test not in made or not first, (one, first)


@pytest.mark.parametrize(
    ("corners", "system"),
    [
        ({}, {"pedal_travel": 0.95, "pedal_pump": "rises"}),
        ({"front_left": {"spin": {"turns": 0, "seconds": 0}}, "front_right": {"spin": FREE}}, {}),
        ({"front_left": {"bearing": "play"}}, {}),
    ],
)
def test_nobody_is_sent_on_the_road_with_a_vehicle_that_is_not_safe(corners, system):
    answer = diagnose(inspected(corners, system), KNOWN)
    assert answer.decision.verdict == "unsafe"
    assert answer.tests
    assert not [test for test in answer.tests if test.stage == "road"]


@pytest.mark.parametrize("seed", range(40))
def test_whatever_is_open_with_wheels_off_has_a_test_while_any_tells_of_it(seed):
    """Until it is closed, it is looked for: also where the answer might not change the work."""
    _, inspection = vehicle_of(seed, seed, "wheel_off")
    answer = diagnose(inspection, KNOWN)
    least = KNOWN.threshold["least_bits"]
    for one in answer.decision.open:
        places = {one.place} | {place for place, _, _ in one.explained_by}
        telling = [test for test in answer.tests if test.corner in places and test.asked >= least]
        assert not telling or any(test.decides for test in telling), one


def test_with_nothing_in_question_the_pedal_comes_before_a_wheel_comes_off():
    """The order of the trade: pedal and fluid first."""
    place, finding = first_of(dict.fromkeys(list(Corner)[:4], WELL))
    assert (place, finding.split("_")[0]) == (VEHICLE, "pedal")


def test_a_corner_that_the_system_holds_is_not_in_doubt():
    """Both fronts drag, bleeder and line free them: the master cylinder, and nothing is looked for at the wheels."""
    freed = {"spin": DRAGS, "bleeder_opened": "frees", "line_loosened_at_master": "frees"}
    inspection = inspected({"front_left": {"spin": DRAGS}, "front_right": freed}, {"pedal_release": "no_free_play"})
    answer = diagnose(inspection, KNOWN)
    assert answer.chances[VEHICLE, "master_cylinder_not_releasing"] > 0.9
    assert not [one for one in answer.decision.open if isinstance(one.place, Corner)]
    for corner in (Corner.FRONT_LEFT, Corner.FRONT_RIGHT):
        assert not is_unsettled(corner, answer.chances, inspection, KNOWN)
        verdict = answer.decision.corners[corner]
        assert verdict.verdict == "service"  # the pushrod's free play first
        assert PLAINLY(verdict.reasons[0]).startswith("the whole system: master cylinder")


def test_no_part_is_ordered_while_a_test_would_tell_what_is_wrong():
    """A twisted hose, or the seal: both together would cure it, and nobody buys both before the bleeder was opened."""
    stays = {"inner": "moves_and_stays", "outer": "moves_and_stays"}
    drags = {"front_left": {"spin": DRAGS, "hose": "twisted", "pedal_response": stays}, "front_right": WELL}
    inspection = inspected(drags, FIRM)
    (front,) = compare_all(diagnose(inspection, KNOWN), inspection, KNOWN)
    assert front.find_out_first
    assert front.by_evidence == front.recommended.actions
    assert PLAINLY(front.why_none).startswith("what is wrong front left is not settled; next: ")


def test_no_part_is_ordered_for_a_hot_hub_alone():
    hot = inspected({"front_right": {"hub_temperature_c": 200}, "front_left": {"hub_temperature_c": 60}})
    (front,) = compare_all(diagnose(hot, KNOWN), hot, KNOWN)
    assert front.find_out_first
    assert front.by_evidence is None
    assert PLAINLY(front.why_none).startswith("no package cures what is suspected")


def test_settled_or_with_nothing_left_to_test_the_package_is_recommended():
    swollen = {
        "spin": DRAGS, "pad_mm": pads(5.6, 5.7), **ALL_FREE, "bleeder_opened": "frees", "hose": "swollen",
        "line_loosened_at_master": "no_change",
    }  # fmt: skip
    settled = inspected({"front_left": swollen, "front_right": WELL}, FIRM)
    (front,) = compare_all(diagnose(settled, KNOWN), settled, KNOWN)
    assert not front.find_out_first
    assert PLAINLY(front.why_none) == ""


@pytest.mark.parametrize(
    ("at", "expected"), [(None, True), ("piston", True), ("bleeder", False), ("hose_union", False)]
)
def test_only_what_weeps_at_the_piston_tells_of_its_seal(at, expected):
    found = {"leak": "seep"} | ({"leak_at": at} if at else {})
    told = overview(inspected({"front_right": found}, FIRM), KNOWN).chances
    dry = overview(inspected({"front_right": {"leak": "none"}}, FIRM), KNOWN).chances
    suspect = (Corner.FRONT_RIGHT, "piston_not_releasing")
    assert (told[suspect] > 1.5 * dry[suspect]) == expected


def test_the_lamp_tells_nothing_more_where_the_level_was_read():
    """The lamp's float is the level: what was read once is not counted twice."""
    leak = (VEHICLE, "external_leak")
    worn = {name: {"pad_mm": pads(2.6, 2.8)} for name in list(Corner)[:4]}
    read, both = (
        overview(inspected(worn, {"fluid_level": 0.0} | lamp), KNOWN).chances[leak]
        for lamp in ({}, {"warning_lamp": "brake"})
    )
    alone = overview(inspected(worn, {"warning_lamp": "brake"}), KNOWN).chances[leak]
    assert both == pytest.approx(read, rel=1e-9)
    assert alone > 2 * overview(inspected(worn), KNOWN).chances[leak]


@pytest.mark.parametrize(
    ("seen", "fault", "at", "never_at"),
    [
        ({"vibration": "steering"}, "rotor_worn_or_damaged", "front_left", "rear_left"),
        ({"parking_brake_holds": "no"}, "piston_seized_released", "rear_left", "front_left"),
    ],
)
def test_a_finding_of_the_vehicle_accuses_the_axle_that_makes_it(seen, fault, at, never_at):
    before = diagnose(inspected({}, {"fluid_age_months": 10}), KNOWN).believed
    after = diagnose(inspected({}, {"fluid_age_months": 10} | seen), KNOWN).believed
    here, there = (after[Corner(place), fault] / before[Corner(place), fault] for place in (at, never_at))
    assert here > 1.7
    assert there < 0.6 * here


def test_where_all_is_seen_and_nothing_explains_it_what_was_found_is_looked_at_once_more():
    """Every finding of every wheel is made and well, and one squeals: a lead closes it, or it is listened to again."""
    of_pads = dict.fromkeys(("inner", "outer"), "sound")
    seen = WELL | {
        "hub_temperature_c": 52, "noise": "none", "pad_gap_mm": {"inner": 0.15, "outer": 0.15}, "hose": "sound",
        "pedal_response": dict.fromkeys(of_pads, "moves_and_returns"), "leak": "none", "bleeder": "sound",
        "rotor_face": dict.fromkeys(of_pads, "smooth"), "rotor_lip_mm": 0.2, "wear_sensor": "none", "shield": "clear",
        "pad_condition": of_pads, "pad_material": "EE", "pin_condition": {"upper": "greased", "lower": "greased"},
        "pin_boot": {"upper": "sound", "lower": "sound"}, "bracket_lands": "clean", "hardware": "complete",
        "rotor_mm": [24.3, 24.3, 24.3], "rotor_runout_mm": 0.03, "bearing": "quiet", "bleeder_opened": "no_change",
        "caliper_bolts_slackened": "no_change", "line_loosened_at_master": "no_change",
    }  # fmt: skip
    rear = seen | {"parking_lever": "returns", "parking_cable_slackened": "no_change", "rotor_mm": [9.6, 9.6, 9.6]}
    wheels = {"front_left": seen, "front_right": seen, "rear_left": rear, "rear_right": rear | {"noise": "squeal"}}
    answer = diagnose(inspected(wheels, FIRM), KNOWN)
    (left,) = answer.decision.open
    assert (left.place, left.next_test) == (Corner.REAR_RIGHT, "noise")
    told = PLAINLY(open_under(left, KNOWN))
    assert told.endswith("nothing else would tell more: ask what was heard on the drive, 1 min, once more")


def test_the_other_side_that_nobody_measured_is_measured_and_not_the_same_once_more():
    hot = diagnose(inspected({"rear_left": {"hub_temperature_c": 140}}), KNOWN)
    (left,) = hot.decision.open
    assert (left.next_test, left.once_more) == ("hub_temperature_c", False)
    assert left.next_place == Corner.REAR_RIGHT
    assert (hot.next_tests[0].corner, hot.next_tests[0].finding) == (Corner.REAR_RIGHT, "hub_temperature_c")
    assert PLAINLY(open_under(left, KNOWN)).endswith("next: measure the hub temperature after the drive, 2 min")


def test_a_lip_that_nothing_but_its_measure_explains_is_told_without_suspects():
    lipped = diagnose(inspected({"front_left": {"rotor_lip_mm": 1.2}}), KNOWN)
    (left,) = lipped.decision.open
    assert not left.explained_by
    words = "a lip of 1.20 mm at the rotor's edge: measure its thickness; next: measure the rotor, 14 min"
    assert PLAINLY(open_under(left, KNOWN)) == words

"""Every finding gets its answer: the whole vocabulary, value by value, alone and in pairs (common practice)."""

from __future__ import annotations

import json

import pytest

from mesotrope.core.answer.answer import diagnose, overview
from mesotrope.core.decision.verdict import VERDICTS
from mesotrope.core.language.corner import VEHICLE, Corner
from mesotrope.core.language.inspection import parse_inspection
from mesotrope.core.language.paths import nest
from mesotrope.knowledge import knowledge
from mesotrope.words import PLAINLY
from tests.documents import ALL_FREE, FREE, answer, decided, document, inspect, pad, pads

HEALTHY = {"spin": FREE, "pad_mm": pads(8.0, 8.2), **ALL_FREE}
WELL = {"pedal_travel": 0.3, "pedal_feel": "firm", "pedal_hold": "holds", "pedal_pump": "no_change"}

#: What each finding at a corner has that is bad: words, or figures from bad to worse. By hand from the trade's table.
BAD_AT_CORNERS = {
    "hose": ["twisted", "kinked", "cracked", "swollen"], "leak": ["seep", "drip"],
    "bleeder": ["rusted", "seized", "low"], "rotor_lip_mm": [1.0, 1.5, 3.0], "wear_sensor": ["cut"],
    "pad_condition.inner": ["glazed", "cracked", "delaminated", "oiled", "metal_to_metal", "backwards"],
    "pin_condition.upper": ["dry", "corroded", "pitted"], "pin.lower": ["stiff", "seized"],
    "pad_fit.outer": ["tight", "bound"], "pin_boot.upper": ["torn", "missing"],
    "piston_boot": ["torn", "wet"], "bracket_lands": ["rusted", "grooved", "pitted"],
    "hardware": ["clip_missing", "spring_missing", "shim_missing", "clip_reversed"],
    "rotor_face.outer": ["glazed", "scored", "blued", "rust_scaled", "grooved", "cracked"],
    "parking_lever": ["slow", "stuck"], "shield": ["touching", "rotten"], "bearing": ["rough", "play"],
    "retaining_pin": ["stiff", "seized"], "noise": ["squeal", "click", "rumble", "scrape", "grind"],
    "pedal_response.inner": ["moves_and_stays", "still"], "pad_gap_mm.inner": [0.9, 1.6],
    "rotor_runout_mm": [0.12, 0.3], "piston_pushback": [["firm"], ["immovable"]],
    "rotor_mm": [[7.9, 7.9], [6.5, 6.5]], "hub_temperature_c": [95.0, 130.0, 190.0],
    "spin": [{"turns": 1, "seconds": 1.2}, {"turns": 0, "seconds": 0}], "pad_material": ["EE"],
    "pad_mm": [{"inner": pad(7.2, 9.0), "outer": pad(8.2)}, {"inner": pad(4.8), "outer": pad(8.2)},
               {"inner": pad(2.8), "outer": pad(3.0)}, {"inner": pad(1.2), "outer": pad(2.0)}],
    "bleeder_opened": ["frees"], "line_loosened_at_master": ["frees"], "caliper_bolts_slackened": ["frees"],
    "parking_cable_slackened": ["frees"],
}  # fmt: skip
BAD_SHOES = ["worn", "delaminated", "tight"]
BAD_OF_VEHICLE = {
    "pull_braking": ["left", "right"], "pull_coasting": ["left", "right"], "pedal_travel": [0.55, 0.7, 0.9],
    "pedal_feel": ["spongy", "hard"], "pedal_hold": ["sinks"], "pedal_pump": ["rises"],
    "pedal_on_engine_start": ["no_change"], "pedal_release": ["slow", "no_free_play"], "fluid_level": [-0.2, 1.2],
    "fluid_colour": ["brown", "black", "cloudy"], "fluid_water_percent": [3.0, 5.0], "fluid_boiling_c": [150.0, 120.0],
    "fluid_copper_ppm": [210.0], "fluid_age_months": [26.0, 60.0], "cap_seal": ["swollen"],
    "visible_leak": ["under_bonnet", "underbody", "at_wheel"], "smell": ["hot"], "vibration": ["pedal", "steering"],
    "warning_lamp": ["brake", "wear"], "parking_brake_holds": ["weak", "no"],
    "brake_force_n": [{"front_left": 2400.0, "front_right": 1500.0}, {"front_left": 2400.0, "front_right": 900.0}],
}  # fmt: skip

#: What has no bad value of its own: it stands beside another, or only tells.
NEVER_BAD_ALONE = {"pull_n", "pull_radius_mm", "window_pad_mm", "leak_at", "topped_up_since_service"}

AT_CORNERS = [(path, value) for path, values in BAD_AT_CORNERS.items() for value in values]
OF_VEHICLE = [(path, value) for path, values in BAD_OF_VEHICLE.items() for value in values]
IN_HAT = {"axles": {"rear": {"caliper": "floating", "pistons": 1, "parking_brake": "drum_in_hat"}}}
WARM = {"hub_temperature_c": 60.0}


def _seen(at_corner, of_vehicle, **vehicle):
    corners = {corner: HEALTHY | WARM | {"pad_material": "FF"} for corner in list(Corner)[:4]}
    corners[Corner.REAR_LEFT] = corners[Corner.REAR_LEFT] | nest(at_corner)
    axles = {"axles": {"rear": {"caliper": "floating", "pistons": 1, "parking_brake": "integral_cable"}}} | vehicle
    return inspect(corners, WELL | of_vehicle, **axles)


def _places_answered(decision):
    return {(one.place, one.finding) for one in decision.answered}


def _never_left_without_answer(decision, place, finding):
    assert (place, finding) in _places_answered(decision), "left without an answer"
    verdict = decision.corners[place].verdict if isinstance(place, Corner) else decision.verdict
    assert verdict != "sound"
    assert decision.verdict != "sound"
    for corner, of_corner in decision.corners.items():
        if of_corner.verdict in ("service", "replace", "unsafe"):
            assert any(step.corner in (corner, VEHICLE) for step in decision.actions), corner
    if decision.verdict in ("service", "replace", "unsafe"):
        assert any(step.action != "no_action" for step in decision.actions)
    if verdict is None:
        assert any(one.place in (place, VEHICLE) for one in decision.open)


def test_the_sweep_goes_over_the_whole_vocabulary():
    known = knowledge()
    swept = {path.split(".")[0] for path in (*BAD_AT_CORNERS, *BAD_OF_VEHICLE)} | {"parking_shoes"} | NEVER_BAD_ALONE
    assert set(known.corner_finding) | set(known.system_finding) == swept


@pytest.mark.parametrize(("path", "value"), AT_CORNERS, ids=str)
def test_a_bad_value_alone_at_a_corner_is_answered_and_never_called_sound(path, value):
    decision = overview(_seen({path: value}, {}), knowledge()).decision
    _never_left_without_answer(decision, Corner.REAR_LEFT, path.split(".")[0])


@pytest.mark.parametrize("value", BAD_SHOES)
def test_bad_shoes_alone_are_answered(value):
    decision = overview(_seen({"parking_shoes": value}, {}, **IN_HAT), knowledge()).decision
    _never_left_without_answer(decision, Corner.REAR_LEFT, "parking_shoes")


@pytest.mark.parametrize(("path", "value"), OF_VEHICLE, ids=str)
def test_a_bad_value_alone_of_the_vehicle_is_answered_and_never_called_sound(path, value):
    decision = overview(_seen({}, {path: value}), knowledge()).decision
    place = Corner.FRONT_RIGHT if path == "brake_force_n" else VEHICLE
    _never_left_without_answer(decision, place, path)


#: One bad value of each finding at a corner.
ONE_EACH = {path: values[0] for path, values in BAD_AT_CORNERS.items()}
FINDINGS = list(ONE_EACH)


@pytest.mark.parametrize("path", FINDINGS[:-1])
def test_a_bad_value_beside_each_other_is_answered_as_well(path):
    for other in FINDINGS[FINDINGS.index(path) + 1 :]:
        pair = (path, other)
        if path.split(".")[0] == other.split(".")[0]:
            continue  # two parts of one finding
        decision = overview(_seen({name: ONE_EACH[name] for name in pair}, {}), knowledge()).decision
        for name in pair:
            if not (name == "rotor_lip_mm" and "rotor_mm" in pair):
                _never_left_without_answer(decision, Corner.REAR_LEFT, name.split(".")[0])


#: Words that stand from bad to worse, and every figure.
GRADED = {"pad_condition.inner", "pin_condition.upper", "pin.lower", "pad_fit.outer", "piston_boot", "leak",
          "bracket_lands", "rotor_lip_mm", "pad_gap_mm.inner", "rotor_runout_mm", "piston_pushback", "rotor_mm",
          "hub_temperature_c", "spin", "bearing", "pedal_travel", "fluid_water_percent", "fluid_age_months",
          "brake_force_n"} - {"pad_condition.inner"}  # fmt: skip


@pytest.mark.parametrize("path", sorted(GRADED))
def test_a_worse_value_is_never_milder(path):
    def grave(value):
        at_corner, of_vehicle = ({path: value}, {}) if path in BAD_AT_CORNERS else ({}, {path: value})
        verdict = overview(_seen(at_corner, of_vehicle), knowledge()).decision.verdict
        return VERDICTS.index(verdict) if verdict else 0

    graves = [grave(value) for value in (BAD_AT_CORNERS | BAD_OF_VEHICLE)[path]]
    assert graves == sorted(graves)


def test_a_lamp_outside_the_product_is_said_to_be():
    decision = decided(dict.fromkeys(list(Corner)[:4], HEALTHY), {"warning_lamp": "abs"})
    assert [(one.finding, one.how) for one in decision.answered] == [("warning_lamp", "outside")]


def test_what_is_open_is_told_with_what_would_explain_it_and_the_next_test():
    """A rear wheel that turns hard, everything free on the bench: several causes, none settled."""
    hard = HEALTHY | {"spin": {"turns": 1, "seconds": 1.2}}
    whole = answer({**dict.fromkeys(list(Corner)[:4], HEALTHY), Corner.REAR_LEFT: hard})
    (one,) = {one.place: one for one in whole.decision.open}.values()
    assert one.place == Corner.REAR_LEFT
    assert {fault for _, fault, _ in one.explained_by} & {"piston_not_releasing", "parking_brake_holding"}
    assert one.next_test
    assert whole.decision.verdict is None


def test_a_complaint_that_nothing_explains_stays_open():
    whole = inspect(dict.fromkeys(list(Corner)[:4], HEALTHY), WELL)
    complained = whole.model_copy(
        update={"visit": whole.visit.model_copy(update={"complaint": "It pulls to the left"})}
    )
    assert overview(whole, knowledge()).decision.verdict == "sound"
    decision = overview(complained, knowledge()).decision
    assert decision.verdict is None
    assert [PLAINLY(one.what) for one in decision.open] == ["the complaint: It pulls to the left"]


def test_a_cause_that_is_named_explains_what_was_found():
    """Hot, and the piston is fast in its bore: the heat asks for no other answer."""
    stuck = HEALTHY | {"hub_temperature_c": 160.0, "spin": {"turns": 0, "seconds": 0}, "piston_pushback": ["immovable"],
                       "pad_mm": pads(2.0, 4.0), "piston_boot": "torn"}  # fmt: skip
    decision = decided({Corner.FRONT_LEFT: stuck, Corner.FRONT_RIGHT: HEALTHY | WARM})
    assert decision.open == ()
    hub = [one.how for one in decision.answered if one.finding == "hub_temperature_c"]
    assert "explained by piston_seized_applied" in hub
    assert "find_the_cause" not in {step.action for step in decision.actions}


def test_a_complaint_is_tied_to_what_explains_it():
    stuck = HEALTHY | {"spin": {"turns": 0, "seconds": 0}, "piston_pushback": ["immovable"], "piston_boot": "torn"}
    whole = inspect({Corner.FRONT_LEFT: stuck | {"pad_mm": pads(3.2, 5.0)}, Corner.FRONT_RIGHT: HEALTHY})
    visit = whole.visit.model_copy(update={"complaint": "Hot smell at the left front"})
    decision = overview(whole.model_copy(update={"visit": visit}), knowledge()).decision
    (tied,) = [one for one in decision.answered if one.finding == "complaint"]
    assert tied.how == "explained by piston_seized_applied"
    assert PLAINLY(tied.because) == "front left: piston seized, holding the brake on"


def test_a_pad_worn_by_doing_its_partners_work_is_explained():
    """The other side does not brake: this one is thin for it, and its own corner is blamed for nothing."""
    stuck = HEALTHY | {"pad_gap_mm": {"inner": 1.6}, "piston_pushback": ["immovable"], "pad_mm": pads(9.4, 9.5),
                       "pedal_response": {"inner": "still", "outer": "still"}}  # fmt: skip
    decision = decided({Corner.REAR_RIGHT: stuck, Corner.REAR_LEFT: HEALTHY | {"pad_mm": pads(4.4, 4.6)}})
    assert not [one for one in decision.open if one.place == Corner.REAR_LEFT]
    assert ("replace_pads", Corner.REAR_LEFT) in {(step.action, step.corner) for step in decision.actions}


def test_a_condition_that_is_acted_on_explains_what_it_does():
    """Shoes off their lining: no other cause is looked for, why the parking brake holds nothing."""
    decision = diagnose(
        _seen({"parking_shoes": "delaminated"}, {"parking_brake_holds": "no"}, **IN_HAT), knowledge()
    ).decision
    assert decision.open == ()
    assert {"replace_parking_brake_shoes", "adjust_parking_brake"} <= {step.action for step in decision.actions}


HUBS = {"front_left": 150, "front_right": 152, "rear_left": 131, "rear_right": 128}


def hot_all_round(hubs, spin=None, system=None, **visit):
    corners = {corner: {"hub_temperature_c": hub, **({"spin": spin} if spin else {})} for corner, hub in hubs.items()}
    written = {**document(corners), "visit": {"ambient_c": 18, **visit}}
    written["findings"]["system"] = system or {}
    return overview(parse_inspection(json.dumps(written)), knowledge()).decision


@pytest.mark.parametrize(
    ("made", "left_open"),
    [
        ({}, True),
        ({"spin": FREE}, True),
        ({"spin": FREE, "system": {"pedal_release": "full"}}, False),
        ({"usage": "towing"}, False),
    ],
    ids=["hubs alone", "wheels free", "wheels free under a pedal that comes back", "a drive that heats brakes"],
)
def test_hot_wheels_all_round_are_open_until_they_are_seen_to_let_go(made, left_open):
    """Common practice: all wheels hot is pressure that stays, a foot on the pedal, or a hard drive. The coolest has
    128 °C in air of 18 °C."""
    told = [PLAINLY(one.what) for one in hot_all_round(HUBS, **made).open if one.place is VEHICLE]
    assert any("every wheel is hot, the coolest 110 °C over the air" in words for words in told) == left_open


def test_one_cool_wheel_or_one_that_nobody_measured_is_not_all_round():
    for hubs in (HUBS | {"rear_left": 60}, {corner: hub for corner, hub in HUBS.items() if corner != "rear_left"}):
        assert not [one for one in hot_all_round(hubs).open if one.place is VEHICLE]


AT_DRUM = {"axles": {"rear": {"caliper": "drum", "parking_brake": "lever_on_drum"}}}


@pytest.mark.parametrize(
    ("found", "verdict", "action"),
    [
        ({"bearing": "play"}, "unsafe", "inspect_bearing_or_driveline"),
        ({"hose": "cracked"}, "replace", "replace_hose"),
        ({"leak": "drip", "leak_at": "piston"}, "unsafe", "repair_leak"),
        ({"bleeder": "seized"}, "service", "service_bleeder"),
        ({"parking_shoes": "worn"}, "replace", "replace_parking_brake_shoes"),
        ({"hub_temperature_c": 190.0}, "unsafe", "find_the_cause"),
        ({"spin": {"turns": 0, "seconds": 0}}, "unsafe", "find_the_cause"),
        ({"noise": "grind"}, None, "find_the_cause"),
    ],
    ids=lambda value: next(iter(value)) if isinstance(value, dict) else "",
)
def test_what_is_found_at_a_wheel_with_a_drum_is_answered(found, verdict, action):
    """A drum is not diagnosed; its wheel, its hose and leaks are. Nothing is done to a caliper that it has not."""
    decision = decided({Corner.REAR_LEFT: found, Corner.REAR_RIGHT: {"spin": FREE}}, **AT_DRUM)
    assert decision.verdict == verdict
    planned = {step.action for step in decision.actions if step.corner == Corner.REAR_LEFT}
    assert action in planned
    assert not planned & {"rebuild_caliper", "replace_caliper"}
    if action == "find_the_cause":
        (words, *_) = [PLAINLY(one.what) for one in decision.open if one.place == Corner.REAR_LEFT]
        assert words.endswith("look into the drum, which is not diagnosed here")


def test_a_drum_that_is_well_says_nothing():
    decision = decided({Corner.REAR_LEFT: {"spin": FREE, "noise": "none", "hose": "sound"}}, **AT_DRUM)
    assert (decision.verdict, decision.open, decision.actions) == (None, (), ())


@pytest.mark.parametrize("brake", ["none", "integral_cable", "electric_on_caliper", "drum_in_hat"])
@pytest.mark.parametrize("found", [{"parking_shoes": "worn"}, {"parking_shoes": "tight"}, {"parking_lever": "slow"}])
def test_what_was_seen_of_a_parking_brake_is_answered_whatever_the_vehicle_is_said_to_have(brake, found):
    """Whoever saw shoes saw them: the specification is wrong then, not the eye."""
    axles = {"rear": {"caliper": "floating", "parking_brake": brake}}
    decision = decided({Corner.REAR_LEFT: found}, axles=axles)
    assert decision.verdict not in (None, "sound")
    assert [step for step in decision.actions if step.corner == Corner.REAR_LEFT]


def test_a_hot_hub_whose_partner_nobody_measured_is_open_however_free_the_wheel():
    """Hotter is never milder: at 150 °C as at 175 °C, and under the limit of what may not be driven."""
    for hub_c in (125.0, 150.0, 175.0):
        decision = decided({Corner.FRONT_LEFT: {"hub_temperature_c": hub_c, "spin": FREE}})
        assert [one.place for one in decision.open] == [Corner.FRONT_LEFT]
        assert decision.verdict is None

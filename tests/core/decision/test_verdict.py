"""Hard rules, each with a test of its name, and the first decision."""

from __future__ import annotations

import pytest

from mesotrope.core.decision.rules import CORNER_RULES
from mesotrope.core.decision.verdict import VERDICTS, decide
from mesotrope.core.evidence.measures import measure_all
from mesotrope.core.evidence.specification import complete_specification
from mesotrope.core.language.corner import VEHICLE, Corner
from mesotrope.knowledge import knowledge
from mesotrope.words import PLAINLY
from tests.documents import ALL_FREE, DRAGS, FREE, answer, decided, inspect, pads

#: rule: what is found, vehicle, the least verdict, an action at that corner.
FIRES = {
    "lining_at_or_under_its_limit": ({"pad_mm": pads(2.8, 5.0)}, {}, "replace", "replace_pads"),
    "pads_spoiled": ({"pad_condition": {"inner": "oiled"}}, {}, "replace", "replace_pads"),
    "piston_boot_torn_or_wet": ({"piston_boot": "torn", "piston_pushback": ["easy"]}, {}, "replace", "rebuild_caliper"),
    "piston_immovable": ({"piston_pushback": ["immovable"]}, {}, "replace", "replace_caliper"),
    "piston_firm_where_thumbs_should_do": (
        {"piston_pushback": ["firm", "easy"]}, {"kind": "motorcycle"}, "replace", "rebuild_caliper",
    ),
    "pin_seized": ({"pin": {"upper": "seized"}}, {}, "service", "replace_pins_and_boots"),
    "pin_pitted": ({"pin_condition": {"lower": "pitted"}}, {}, "replace", "replace_bracket"),
    "pin_boot_torn_or_missing": ({"pin_boot": {"upper": "missing"}}, {}, "service", "clean_and_lubricate_slides"),
    "lever_stuck_with_its_cable_slack": (
        {"parking_lever": "stuck", "parking_cable_slackened": "no_change"},
        {"axles": {"front": {"parking_brake": "integral_cable"}}}, "replace", "rebuild_caliper",
    ),
    "bracket_lands_catch_the_ears": ({"bracket_lands": "pitted"}, {}, "replace", "replace_bracket"),
    "pads_need_force": ({"pad_fit": {"outer": "bound"}}, {}, "service", "clean_bracket_lands"),
    "rotor_at_or_under_discard": ({"rotor_mm": [22.9, 23.2]}, {}, "replace", "replace_rotor"),
    "rotor_cracked_or_grooved": ({"rotor_face": {"inner": "grooved"}}, {}, "replace", "replace_rotor"),
    "hose_unsound": ({"hose": "cracked"}, {}, "replace", "replace_hose"),
    "leaks": ({"leak": "drip", "leak_at": "hose_union"}, {}, "unsafe", "repair_leak"),
    "caliper_on_the_wrong_side": ({"bleeder": "low"}, {}, "service", "refit_pads_and_hardware"),
}  # fmt: skip


def test_every_rule_has_its_case():
    assert set(FIRES) == {rule.__name__ for rule in CORNER_RULES}


@pytest.mark.parametrize("rule", FIRES)
def test_a_hard_rule_fires_with_its_verdict_and_action(rule):
    found, vehicle, least, action = FIRES[rule]
    out = answer({Corner.FRONT_LEFT: found}, **vehicle)
    verdict = out.decision.corners[Corner.FRONT_LEFT].verdict
    assert VERDICTS.index(verdict) >= VERDICTS.index(least)
    planned = {a.action for a in out.decision.actions if a.corner == Corner.FRONT_LEFT}
    if action == "rebuild_caliper":
        assert planned & {"rebuild_caliper", "replace_caliper"}
    elif action:
        assert action in planned


@pytest.mark.parametrize("rule", CORNER_RULES, ids=lambda rule: rule.__name__)
def test_no_rule_fires_on_a_healthy_corner(rule):
    found = {"spin": FREE, "pad_mm": pads(7, 7.2), **ALL_FREE, "hose": "sound", "leak": "none", "rotor_mm": [24.5],
             "rotor_face": {"inner": "smooth", "outer": "smooth"}, "bracket_lands": "clean"}  # fmt: skip
    assert decided({Corner.FRONT_LEFT: found}).corners[Corner.FRONT_LEFT].verdict == "sound"


@pytest.mark.parametrize(
    ("found", "said"),
    [
        ({"pad_mm": pads(1.4, 4)}, "front left: a lining is at or under its legal or dangerous floor"),
        ({"piston_boot": "wet"}, "front left: a piston seal weeps"),
        ({"leak": "seep"}, "front left: fluid leaks"),
        ({"pad_condition": {"inner": "metal_to_metal"}}, "front left: a pad runs metal on metal"),
        ({"rotor_face": {"outer": "cracked"}}, "front left: a rotor is cracked"),
        ({"spin": {"turns": 0}}, "front left: a wheel drags hard enough to overheat its brake"),
    ],
)
def test_what_must_not_be_driven_is_called_unsafe_in_words(found, said):
    decision = decided({Corner.FRONT_LEFT: found})
    assert decision.verdict == "unsafe"
    assert said in map(PLAINLY, decision.unsafe)


def test_a_corner_that_does_not_brake_is_unsafe():
    found = {"spin": FREE, "pad_gap_mm": {"inner": 1.5, "outer": 1.0}, "pad_mm": pads(9.3, 9.4),
             "pedal_response": {"inner": "still", "outer": "still"}, "piston_pushback": ["immovable"]}  # fmt: skip
    decision = decided({Corner.REAR_RIGHT: found, Corner.REAR_LEFT: {"pad_mm": pads(4, 4.2)}})
    assert "rear right: this corner does not brake" in map(PLAINLY, decision.unsafe)


@pytest.mark.parametrize(
    ("system", "said"),
    [
        ({"pedal_hold": "sinks"}, "the pedal does not hold"),
        ({"visible_leak": "under_bonnet"}, "fluid leaks"),
        ({"cap_seal": "swollen"}, "mineral oil swells every rubber part of the brakes"),
    ],
)
def test_findings_of_the_whole_vehicle_can_be_unsafe(system, said):
    decision = decided({}, system)
    assert decision.verdict == "unsafe"
    assert said in map(PLAINLY, decision.unsafe)


@pytest.mark.parametrize("action", ["replace_pads", "clean_and_lubricate_slides", "replace_rotor"])
def test_what_would_pull_on_one_side_is_done_on_both(action):
    found = {"pad_mm": pads(2.6, 5), "pin": {"upper": "seized", "lower": "free"}, "rotor_mm": [22.5]}
    corners = {a.corner for a in decided({Corner.FRONT_LEFT: found}).actions if a.action == action}
    assert corners == {Corner.FRONT_LEFT, Corner.FRONT_RIGHT}


def test_the_makers_limit_wins_over_the_default():
    thick = {"axles": {"front": {"pad_limit_mm": 2.0}}}
    assert decided({Corner.FRONT_LEFT: {"pad_mm": pads(2.8, 5)}}).corners[Corner.FRONT_LEFT].verdict == "replace"
    kept = answer(
        {Corner.FRONT_LEFT: {"spin": FREE, "pad_mm": pads(2.8, 2.9)}, Corner.FRONT_RIGHT: {"pad_mm": pads(2.8, 3)}},
        **thick,
    )
    assert not [a for a in kept.decision.actions if a.action == "replace_pads"]


def test_a_sound_vehicle_is_left_alone():
    healthy = {"spin": FREE, "pad_mm": pads(7, 7.2), **ALL_FREE}
    decision = answer(
        dict.fromkeys((Corner.FRONT_LEFT, Corner.FRONT_RIGHT, Corner.REAR_LEFT, Corner.REAR_RIGHT), healthy)
    ).decision
    assert decision.verdict == "sound"
    assert [a.action for a in decision.actions] == ["no_action"]


def test_a_replaced_caliper_is_not_rebuilt_and_the_system_is_bled_once():
    decision = decided({Corner.FRONT_LEFT: {"piston_pushback": ["immovable"], "piston_boot": "torn"}})
    actions = [a.action for a in decision.actions]
    assert "rebuild_caliper" not in actions
    assert actions.count("bleed_system") == 1


def test_cautions_belong_to_what_is_done():
    none, strip = answer({}), answer({Corner.FRONT_LEFT: {"pin": {"upper": "free"}}})
    assert len(none.decision.cautions) == 1
    assert any("Nobody presses the pedal while a caliper is off" in c for c in strip.decision.cautions)
    screw_in = decided({Corner.REAR_LEFT: {"piston_pushback": ["immovable"]}}).cautions
    assert any("screw-in piston" in c for c in screw_in)
    assert not any(
        "screw-in piston" in c for c in decided({Corner.FRONT_LEFT: {"piston_pushback": ["immovable"]}}).cautions
    )


def test_no_torque_is_ever_invented():
    out = answer({Corner.FRONT_LEFT: {"piston_pushback": ["immovable"], "pin": {"upper": "seized"}}})
    assert any("No torque is given here" in c for c in out.decision.cautions)


def test_a_corner_is_settled_sound_only_when_it_is_likely_enough():
    """Nothing done is the right thing at 70 in 100, and still worth a look; at 90 it is settled (common practice)."""
    inspection = inspect({Corner.FRONT_LEFT: {"noise": "none"}})
    specification = complete_specification(inspection, knowledge())
    measures = measure_all(inspection, specification, knowledge())
    for chance, settled in ((0.7, False), (0.9, True)):
        chances = {(Corner.FRONT_LEFT, "no_fault"): chance}
        found = decide(inspection, specification, measures, chances, knowledge()).corners[Corner.FRONT_LEFT]
        assert (found.verdict, found.settled) == ("sound", settled)


@pytest.mark.parametrize(("chance", "how"), [(0.05, "nothing"), (0.2, "open"), (0.45, "open"), (0.6, "unsafe")])
def test_a_danger_that_is_not_ruled_out_is_open_and_one_that_is_likely_is_unsafe(chance, how):
    """A corner that does not brake is unsafe (04-decisions); where it may be, nobody says that the vehicle is sound."""
    inspection = inspect({Corner.FRONT_LEFT: {"piston_pushback": ["firm"]}})
    specification = complete_specification(inspection, knowledge())
    measures = measure_all(inspection, specification, knowledge())
    chances = {
        (Corner.FRONT_LEFT, "piston_seized_released"): chance, (Corner.FRONT_LEFT, "no_fault"): 1 - chance,
        (Corner.REAR_LEFT, "piston_seized_released"): chance,  # nothing was looked at there
    }  # fmt: skip
    found = decide(inspection, specification, measures, chances, knowledge())
    dangers = [one for one in found.open if one.what == "a danger that is not ruled out"]
    assert [one.place for one in dangers] == ([Corner.FRONT_LEFT] if how == "open" else [])
    assert bool(found.unsafe) == (how == "unsafe")
    assert how == "nothing" or found.corners[Corner.FRONT_LEFT].verdict != "sound"


def test_a_piston_that_does_not_move_in_a_brake_that_may_not_brake_is_not_left_without_a_word():
    """Pads thick and alike, little drag, the piston immovable, a pin seized beside it: stuck out, or stuck in?"""
    found = {
        "spin": {"turns": 1.75, "seconds": 2.2}, "pad_mm": pads(5.3, 5.5),
        "pad_fit": {"inner": "free", "outer": "free"},
        "pin": {"upper": "free", "lower": "seized"}, "piston_pushback": ["immovable"], "parking_lever": "returns",
    }  # fmt: skip
    out = decided({Corner.REAR_LEFT: found}, axles={"rear": {"parking_brake": "integral_cable"}})
    assert out.unsafe or any(one.place == Corner.REAR_LEFT for one in out.open)


def test_faults_that_ask_for_the_same_work_are_acted_on_together():
    """Either pin or both: freed, new pins and boots, whichever it is."""
    pins = {"pin": {"upper": "seized", "lower": "free"}, "spin": DRAGS, "pad_mm": pads(4.0, 6.5)}
    told = answer({"front_left": pins | {"pad_fit": {"inner": "free", "outer": "free"}}})
    both = [told.chances[Corner.FRONT_LEFT, f"slide_pin{one}"] for one in ("s_seized", "_seized_one")]
    assert sum(both) > 0.75
    assert not [one for one in told.decision.open if one.place == Corner.FRONT_LEFT]


def test_a_danger_that_the_planned_work_puts_right_is_not_open_beside_it():
    wet = decided({"rear_left": {"piston_boot": "wet"}})
    assert wet.verdict == "unsafe"
    assert (Corner.REAR_LEFT, "rebuild_caliper") in {(one.corner, one.action) for one in wet.actions}
    assert not wet.open


def test_a_level_that_wear_explains_is_no_leak_and_one_far_below_is_open():
    """Linings worn to 3.5 mm on all four corners hold 107 mL, all that is between these marks, give or take what it was
    filled to."""
    worn = {str(corner): {"pad_mm": pads(3.4, 3.5)} for corner in list(Corner)[:4]}
    for level, left_open in ((-0.05, False), (-0.8, True)):
        system = {"fluid_level": level, "visible_leak": "none"}
        told = decided(worn, system, reservoir={"min_to_max_ml": 107, "max_to_brim_ml": 60})
        assert bool([one for one in told.open if one.place is VEHICLE]) == left_open, (level, told.open)

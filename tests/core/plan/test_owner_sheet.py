"""What an owner is told: plain words for everything, before and after with the limit. Common practice throughout."""

from __future__ import annotations

import json

import pytest

from mesotrope.core.answer.answer import diagnose
from mesotrope.core.language.corner import VEHICLE, Corner
from mesotrope.core.language.inspection import parse_inspection
from mesotrope.core.plan.hand_back import Check, MeasuredInspection
from mesotrope.core.plan.owner_sheet import owner_facts
from mesotrope.core.plan.release import PROOFS
from mesotrope.knowledge import knowledge
from tests.documents import DRAGS, FREE, decided, inspect, pads

OWNER = knowledge().owner


def told(corners, work, done=(), found=None, after=None, checks=(), system=None, stands=True):
    inspection = inspect(corners, system=system or {})
    answer = diagnose(inspection, knowledge())
    later = parse_inspection(json.dumps({"findings": {"corners": after or {}}}))
    measured = MeasuredInspection(later, diagnose(later, knowledge()).measures)
    ticked = {one for one in work if one[1] in done}
    return owner_facts(answer, found or {}, work, ticked, checks, inspection, measured, knowledge(), stands=stands)


def test_every_fault_action_and_proof_has_words_for_an_owner():
    actions = {action.id for action in knowledge().actions} - {"no_action"}
    assert set(OWNER.fault) == {fault.id for fault in knowledge().faults}
    assert set(OWNER.action) == actions
    assert set(PROOFS) - {"pedal"} <= set(OWNER.check)


@pytest.mark.parametrize("word", OWNER.plain.never)
def test_no_word_of_the_trade_reaches_an_owner(word):
    said = [told.model_dump().values() for table in (OWNER.fault, OWNER.action, OWNER.check) for told in table.values()]
    assert not [text for texts in said for text in texts if word.lower() in text.lower()]


def test_what_was_done_is_told_in_the_past_and_what_was_not_as_what_remains():
    work = [(Corner.REAR_LEFT, "replace_pads"), (Corner.REAR_RIGHT, "replace_pads"), (Corner.REAR_LEFT, "replace_hose")]
    facts = told({"rear_left": {"pad_mm": pads(1.5, 4.0)}}, work, done=["replace_pads"])
    assert [(one.what, one.where) for one in facts.done] == [
        ("new brake pads were fitted", (Corner.REAR_LEFT, Corner.REAR_RIGHT))
    ]
    assert [one.what for one in facts.remains] == ["a new brake hose is needed"]


def test_what_was_seen_in_the_parts_is_told_not_what_was_suspected():
    corners = {
        "rear_left": {"spin": DRAGS, "pin": {"upper": "seized", "lower": "seized"}},
        "rear_right": {"spin": FREE},
    }
    suspected = told(corners, [])
    assert "move sideways" in suspected.wrong[0].what  # both pins are seized
    seen = told(corners, [], found={Corner.REAR_LEFT: ["piston_seized_applied"]})
    assert [(one.where, one.what) for one in seen.wrong] == [(Corner.REAR_LEFT, "the brake was stuck on")]


def test_where_no_fault_is_named_the_work_says_against_what_it_was_done():
    facts = told({"front_left": {"pad_mm": pads(2.0, 2.0)}}, [(Corner.FRONT_LEFT, "replace_pads")])
    assert ("the brake pads were worn, or worn unevenly", "") in [(one.what, one.did) for one in facts.wrong]


def test_a_sound_side_that_gets_new_pads_for_its_partners_sake_was_not_wrong_nor_was_a_system_bled_after_it():
    """Pads go as an axle set, and a caliper that was off is bled: neither was a fault (common practice). That both
    sides need pads is said all the same: both are paid."""
    work = [(VEHICLE, "bleed_system"), (Corner.FRONT_RIGHT, "replace_caliper")]
    work += [(corner, action) for corner in (Corner.FRONT_LEFT, Corner.FRONT_RIGHT) for action in ("replace_pads",)]
    bound = {"front_left": {"pad_mm": pads(9.0, 9.1), "spin": FREE}, "front_right": {"pad_mm": pads(2.0, 2.1)}}
    facts = told(bound, work, system={"fluid_age_months": 20})
    assert {one.where for one in facts.wrong} == {Corner.FRONT_RIGHT}
    assert [one.where for one in facts.remains] == [(Corner.FRONT_RIGHT,), (Corner.FRONT_LEFT, Corner.FRONT_RIGHT)]
    left = told(bound, work, done=["replace_caliper", "replace_pads"])
    assert [one.where for one in left.remains] == [(VEHICLE,)]


def test_new_pads_are_needed_where_they_are_worn_out_whatever_else_is_done_there():
    """A rotor that is resurfaced gets new pads, and a stiff pin is no worn pad: the side at its limit needs them, and
    its partner with it."""
    left = {"pad_mm": pads(2.9, 8.2), "rotor_face": {"inner": "scored"}, "pin": {"upper": "seized", "lower": "free"}}
    corners = {
        "front_left": left,
        "front_right": {"pad_mm": pads(6.4, 6.8), "pin": {"upper": "free", "lower": "stiff"}},
    }
    planned = decided(corners).actions
    work = [(one.corner, one.action) for one in planned]
    assert {(Corner.FRONT_LEFT, "resurface_rotor"), (Corner.FRONT_RIGHT, "replace_pads")} <= set(work)
    remains = {one.what: one.where for one in told(corners, work).remains}
    assert remains["new brake pads are needed"] == (Corner.FRONT_LEFT, Corner.FRONT_RIGHT)
    alone = [one for one in work if one != (Corner.FRONT_LEFT, "replace_pads")]  # overruled there: it stays where it is
    assert {one.what: one.where for one in told(corners, alone).remains}["new brake pads are needed"] == (
        Corner.FRONT_RIGHT,
    )


def test_pads_that_go_with_a_new_disc_are_told_for_they_are_paid():
    """Never old pads on a new rotor (`04`, hard rules)."""
    sides = (Corner.FRONT_LEFT, Corner.FRONT_RIGHT)
    cracked = {"front_left": {"rotor_face": {"inner": "cracked"}, "pad_mm": pads(9.0, 9.1), "spin": FREE}}
    work = [(side, action) for side in sides for action in ("replace_rotor", "replace_pads", "replace_hardware")]
    assert {one.what: one.where for one in told(cracked, work).remains} == {
        OWNER.action["replace_rotor"].to_do: sides, OWNER.action["replace_pads"].to_do: sides,
    }  # fmt: skip


def test_where_the_cause_is_open_the_owner_is_told_of_no_part_that_may_not_be_needed():
    """A wheel that no hand turns may be held by its piston or by its hose; its partner's dry pin is greased whatever
    holds it. Once somebody signed, what was signed is told."""
    corners = {
        "front_left": {"spin": {"turns": 0, "seconds": 0}},
        "front_right": {"spin": FREE, "pin_condition": {"upper": "dry"}},
    }
    decision = decided(corners)
    assert Corner.FRONT_LEFT in {one.place for one in decision.open}
    work = [(one.corner, one.action) for one in decision.actions]
    assert (Corner.FRONT_LEFT, "replace_caliper") in work
    greased = {"the guides on which the brake moves have to be cleaned and greased"}
    looked_for = {"something does not work as it should, and its cause has to be found"}
    assert {one.what for one in told(corners, work, stands=False).remains} == greased | looked_for
    assert "a new brake unit (caliper) is needed" in {one.what for one in told(corners, work).remains}


def test_a_system_that_is_bled_for_its_own_sake_held_air():
    inspection = {"front_left": {"spin": FREE}}
    facts = told(inspection, [(VEHICLE, "bleed_system")], system={"pedal_feel": "spongy"})
    assert [one.where for one in facts.wrong] == [VEHICLE]


def test_a_lining_stands_before_and_after_on_one_scale_with_its_limit():
    facts = told(
        {"rear_left": {"pad_mm": pads(2.0, 4.0), "spin": DRAGS}}, [], after={"rear_left": {"pad_mm": pads(11.0, 11.0)}}
    )
    lining = next(gauge for gauge in facts.gauges if gauge.unit == "mm")
    assert (lining.before, lining.after) == (1.9, 10.9)  # the thinnest places of these pads
    assert lining.worse == "under"
    assert lining.full >= lining.after > lining.limit > lining.before
    drag = next(gauge for gauge in facts.gauges if not gauge.unit)
    assert drag.worse == "over"
    assert drag.after is None
    assert drag.limit == 8.0  # N·m, common practice
    assert drag.before > drag.limit


def test_only_what_was_proved_is_told_of_the_proofs():
    checks = [
        Check("rear_left/drag", Corner.REAR_LEFT, "drag", "", "", "open"),
        Check("system/leak", VEHICLE, "leak", "", "", "good"),
        Check("rear_left/leak", Corner.REAR_LEFT, "leak", "", "", "bad"),
    ]
    facts = told({}, [], checks=checks)
    assert [(one.name, one.words, one.good) for one in facts.proved] == [
        ("brake fluid under the vehicle", "dry", True), ("brake fluid at the wheel", "fluid still leaves here", False),
    ]  # fmt: skip

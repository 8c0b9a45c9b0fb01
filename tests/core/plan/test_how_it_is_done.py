"""How it is done: every detail has its place, and applies to this vehicle and this work only. Common practice."""

from __future__ import annotations

import pytest

from mesotrope.core.answer.answer import diagnose
from mesotrope.core.decision.verdict import PlannedAction
from mesotrope.core.evidence.job_numbers import job_numbers
from mesotrope.core.language.corner import VEHICLE, Corner
from mesotrope.core.plan.how_it_is_done import OwnWays
from mesotrope.core.plan.work_card import Own, work_card
from mesotrope.knowledge import knowledge
from mesotrope.web.card.pictures import names
from tests.core.plan.test_work_card import DEFAULTS, card
from tests.documents import inspect

FIXED = {"axles": {"front": {"caliper": "fixed", "pistons": 4}}}
REAR = [Corner.REAR_LEFT, Corner.REAR_RIGHT]
FRONT = [Corner.FRONT_LEFT, Corner.FRONT_RIGHT]


def told(made):
    return {detail.words for there in made.details.values() for detail in there}


def at(made, step):
    return [detail.words for detail in made.details.get(step, ())]


def everything(corners, *, calipers=True, **vehicle):
    """All that can be done; without `calipers` none comes off its hose, and their pistons are pushed home."""
    off = {"no_action"} if calipers else {"no_action", "replace_caliper", "rebuild_caliper"}
    actions = [action.id for action in knowledge().actions if action.id not in off]
    return card([(corner, action) for action in actions for corner in corners], **vehicle)


def test_every_detail_stands_on_some_card_and_every_drawing_is_ours():
    cable = {"axles": {"rear": {"parking_brake": "integral_cable"}}}
    cards = [
        everything(FRONT, model_year=1968), everything(REAR, **cable), everything(FRONT, **FIXED),
        everything(REAR, calipers=False, **cable), everything(FRONT, calipers=False, **FIXED),
        everything([*FRONT, Corner.REAR], kind="motorcycle"),
    ]  # fmt: skip
    missing = {detail.id for detail in knowledge().details} - {
        detail.id for detail in knowledge().details if any(detail.said in told(made) for made in cards)
    }
    assert not missing
    assert {detail.picture for detail in knowledge().details} - {""} <= set(names())


@pytest.mark.parametrize(
    ("actions", "corners", "vehicle", "has", "has_not"),
    [
        (["replace_pads"], FRONT, FIXED, "split pin", "pins with a hexagon"),
        (["replace_pads"], FRONT, {}, "pins with a hexagon", "split pin"),
        (["replace_pads"], REAR, {"axles": {"rear": {"parking_brake": "integral_cable"}}}, "screw-in", "retaining pin"),
        (["replace_pads"], FRONT, {}, "steer the wheel outward", "screw-in"),
        (["replace_pads"], [Corner.REAR], {"kind": "motorcycle"}, "on a stand that holds it", "chock the wheels"),
        (["replace_pads"], FRONT, {"kind": "motorcycle"}, "before the caliper leaves the fork", "under the car"),
        (["replace_hose"], FRONT, {}, "new copper washers", "old beside new"),
    ],
)  # fmt: skip
def test_a_detail_applies_to_this_vehicle_and_this_work(actions, corners, vehicle, has, has_not):
    words = " ".join(map(str, told(card([(corner, action) for action in actions for corner in corners], **vehicle))))
    assert has in words
    assert has_not not in words


def test_pads_alone_carry_what_a_good_technician_does_anyway():
    made = card([(corner, "replace_pads") for corner in FRONT])
    steps = [step.id for step in made.steps]
    assert {"pins_at_new_pads", "lands_at_new_pads", "rotor_at_new_pads"} <= set(steps)
    assert steps.index("lands_at_new_pads") < steps.index("replace_pads")
    cleaned = card([(Corner.FRONT_LEFT, "replace_pads"), (Corner.FRONT_LEFT, "clean_bracket_lands"),
                    (Corner.FRONT_LEFT, "replace_rotor")])  # fmt: skip
    assert not {"lands_at_new_pads", "rotor_at_new_pads"} & {step.id for step in cleaned.steps}
    fixed = card([(Corner.FRONT_LEFT, "replace_pads")], **FIXED)
    ids = {step.id for step in fixed.steps}
    assert "retaining_pins_at_new_pads" in ids
    assert "pins_at_new_pads" not in ids


def test_an_electric_parking_brake_comes_out_of_its_service_position_again():
    electric = card([(corner, "replace_pads") for corner in REAR],
                    axles={"rear": {"parking_brake": "electric_on_caliper"}})  # fmt: skip
    steps = [step.id for step in electric.steps]
    assert steps.index("pistons_home_rear") < steps.index("service_position_ended")
    assert "service_position_ended" not in {step.id for step in card([(c, "replace_pads") for c in FRONT]).steps}


def test_what_is_left_out_is_gone_and_lines_of_ones_own_stand_under_their_phase():
    inspection = inspect({})
    answer = diagnose(inspection, knowledge())
    numbers = job_numbers(inspection, answer.specification, answer.measures, knowledge())
    plan = [PlannedAction("replace_pads", Corner.FRONT_LEFT, "")]
    own = Own(ways=OwnWays(frozenset({"beside"}), {"friction": ("photograph the edge code",)}))
    made = work_card(plan, inspection, answer.specification, numbers, DEFAULTS, knowledge(), own)
    assert "old beside new" not in " ".join(map(str, told(made)))
    under = next(
        step for step, there in made.details.items() if any(d.words == "photograph the edge code" for d in there)
    )
    assert next(step.phase for step in made.steps if step.id == under) == "friction"


def test_a_motorcycles_front_job_bleeds_the_front_circuit_alone():
    front = card([(Corner.FRONT_LEFT, "replace_hose"), (VEHICLE, "bleed_system")], kind="motorcycle")
    order = next(step for step in front.steps if step.id == "bleed_order").words
    places = dict(order.gaps)["order"].parts
    assert set(places) == {Corner.FRONT_LEFT, Corner.FRONT_RIGHT}
    car = card([(Corner.FRONT_LEFT, "replace_hose"), (VEHICLE, "bleed_system")])
    assert len(dict(next(s for s in car.steps if s.id == "bleed_order").words.gaps)["order"].parts) == 4

"""The work card: its order on every simulated vehicle, and what it says by school; common practice."""

from __future__ import annotations

import json

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from mesotrope.core.answer.answer import diagnose
from mesotrope.core.decision.verdict import PlannedAction
from mesotrope.core.evidence.job_numbers import job_numbers
from mesotrope.core.evidence.specification import complete_specification
from mesotrope.core.language.corner import VEHICLE, Corner
from mesotrope.core.language.inspection import parse_inspection
from mesotrope.core.language.saying import joined
from mesotrope.core.plan.packages import compare_all, plan_of
from mesotrope.core.plan.work_card import bleed_order, work_card
from mesotrope.core.simulator import inspect_vehicle, simulate_vehicle
from mesotrope.knowledge import knowledge
from mesotrope.words import PLAINLY
from tests.documents import inspect, pads

DEFAULTS = {school.id: school.default for school in knowledge().schools}


def card(actions, corners=None, system=None, schools=None, **vehicle):
    written = {"vehicle": {"kind": "car", **vehicle}, "findings": {"corners": corners or {}, "system": system or {}}}
    inspection = parse_inspection(json.dumps(written))
    answer = diagnose(inspection, knowledge())
    numbers = job_numbers(inspection, answer.specification, answer.measures, knowledge())
    plan = [PlannedAction(action, corner, "") for corner, action in actions]
    return work_card(plan, inspection, answer.specification, numbers, {**DEFAULTS, **(schools or {})}, knowledge())


def step(made, id_):
    return next(step for step in made.steps if step.id == id_)


PADS = [(Corner.REAR_LEFT, "replace_pads"), (Corner.REAR_RIGHT, "replace_pads")]
CALIPER = [*PADS, (Corner.REAR_LEFT, "replace_caliper"), (VEHICLE, "bleed_system")]


def in_order(made, *ids):
    places = [[s.id for s in made.steps].index(name) for name in ids]
    return places == sorted(places)


def test_hydraulics_come_before_new_pads_and_fluid_out_before_pistons_home():
    made = card([*CALIPER, (Corner.REAR_LEFT, "replace_rotor"), (Corner.REAR_RIGHT, "replace_rotor")])
    assert in_order(made, "fluid_out_rear", "replace_caliper", "pistons_home_rear", "replace_rotor", "bleed_system",
                    "torque", "pump", "nuts", "bed", "nuts_again")  # fmt: skip


def test_the_cause_comes_first_and_says_which_test_finds_it():
    """The work card carries the test as its first step, for what is open and for what is not settled."""
    hot = {"front_right": {"hub_temperature_c": 200}, "front_left": {"hub_temperature_c": 60}}
    inspection = inspect(hot)
    answer = diagnose(inspection, knowledge())
    plan = plan_of(answer.decision.actions, compare_all(answer, inspection, knowledge()))
    numbers = job_numbers(inspection, answer.specification, answer.measures, knowledge())
    made = work_card(plan, inspection, answer.specification, numbers, DEFAULTS, knowledge())
    assert made.steps[0].id == "find_the_cause"
    assert PLAINLY(made.steps[0].notes[-1]).endswith("next: spin the wheel, 1 min")


@given(st.integers(0, 10_000))
@settings(max_examples=25, deadline=None)
def test_the_order_is_safe_on_every_simulated_vehicle(seed):
    """Hydraulics before friction parts, fluid out before pistons home, the pedal before the wheels, nuts last."""
    random = np.random.default_rng(seed)
    inspection = parse_inspection(json.dumps(inspect_vehicle(random, simulate_vehicle(random))))
    known = knowledge()
    answer = diagnose(inspection, known)
    plan = plan_of(answer.decision.actions, compare_all(answer, inspection, known))
    numbers = job_numbers(inspection, answer.specification, answer.measures, known)
    made = work_card(plan, inspection, answer.specification, numbers, DEFAULTS, known)
    if not made.steps:
        assert all(planned.action == "no_action" for planned in plan)
        return
    ids, phases = [s.id for s in made.steps], [s.phase for s in made.steps]
    assert phases == sorted(phases, key=list(known.phases).index)
    assert {planned.action for planned in plan} <= {*ids, "no_action"}
    for home in (name for name in ids if name.startswith("pistons_home")):
        assert ids.index(home.replace("pistons_home", "fluid_out")) < ids.index(home)
    assert ids.index("pump") < ids.index("nuts") < ids.index("nuts_again") == len(ids) - 1
    for opened in ("replace_caliper", "rebuild_caliper", "replace_hose"):
        for friction in ("replace_pads", "replace_rotor"):
            if opened in ids and friction in ids:
                assert ids.index(opened) < ids.index(friction)


def test_parts_are_counted_for_each_corner():
    counted = {part.words: part.count for part in card(CALIPER).parts}
    assert counted == {"caliper": 1, "axle set of pads": 1, "brake fluid, 1 L": 1}


def test_no_torque_is_invented_and_the_nuts_of_every_wheel_that_came_off_are_there():
    made = card(CALIPER)
    nuts = {fastener.where for fastener in made.fasteners if fastener.words == "wheel nuts"}
    assert nuts == {Corner.REAR_LEFT, Corner.REAR_RIGHT}
    assert not any(character.isdigit() for fastener in made.fasteners for character in fastener.words)


def test_fluid_is_taken_out_by_what_comes_back():
    """Both rear corners worn from 11 to 4 mm at MAX: what their pistons hold comes back, and that much is taken out."""
    worn = {"pad_mm": pads(4.0, 4.0)}
    made = card(PADS, {Corner.REAR_LEFT: worn, Corner.REAR_RIGHT: worn}, {"fluid_level": 1.0})
    out = step(made, "fluid_out_rear")
    assert PLAINLY(out.words).startswith("take ")
    assert "come back as its pistons go home" in PLAINLY(out.notes[0])
    unknown = step(card(PADS), "fluid_out_rear")
    assert "is not known" in PLAINLY(unknown.words)


@pytest.mark.parametrize(
    ("parking_brake", "said"),
    [("integral_cable", "turn the pistons home while pushing"), ("drum_in_hat", "push the pistons home")],
)
def test_pistons_go_home_as_their_parking_brake_asks(parking_brake, said):
    home = step(card(PADS, axles={"rear": {"parking_brake": parking_brake}}), "pistons_home_rear")
    assert said in f"{PLAINLY(home.words)}; {PLAINLY(joined(home.notes))}"


def test_an_electric_parking_brake_is_in_its_service_position_before_the_brake_is_opened():
    for done in (PADS, [(Corner.REAR_LEFT, "replace_caliper")]):
        made = card(done, axles={"rear": {"parking_brake": "electric_on_caliper"}})
        position = step(made, "service_position")
        assert "it crushes fingers" in PLAINLY(position.words)
        steps = list(made.steps)
        assert all(steps.index(position) < steps.index(one) for one in steps if one.phase not in ("find_out", "open"))


def test_a_caliper_that_comes_off_its_hose_has_no_pistons_to_push_home():
    """Its fluid leaves at the hose; its partner's pads are new and its pistons go home, and only theirs comes back."""
    worn = {"pad_mm": pads(4.0, 4.0)}
    corners, full = {Corner.REAR_LEFT: worn, Corner.REAR_RIGHT: worn}, {"fluid_level": 1.0}
    one = card([*PADS, (Corner.REAR_LEFT, "replace_caliper")], corners, full)
    whole, half = (step(made, "fluid_out_rear").words.gaps[0][1].value for made in (card(PADS, corners, full), one))
    assert half == pytest.approx(whole / 2, rel=0.02)
    alone = card([(Corner.REAR_LEFT, "rebuild_caliper")], corners, full)
    assert not {"fluid_out_rear", "pistons_home_rear"} & {made.id for made in alone.steps}
    assert "pump" in {made.id for made in alone.steps}


def test_the_second_axles_fluid_is_taken_out_once_the_first_ones_pistons_are_home():
    """Both at once would run the reservoir under MIN, and uncover its port."""
    worn = {"pad_mm": pads(3.2, 3.2)}
    both = card([(corner, "replace_pads") for corner in list(Corner)[:4]], dict.fromkeys(list(Corner)[:4], worn))
    order = [made.id for made in both.steps if made.id.startswith(("fluid_out", "pistons_home"))]
    assert order == ["fluid_out_front", "pistons_home_front", "fluid_out_rear", "pistons_home_rear"]
    assert "reckoned from MAX" in PLAINLY(joined(step(both, "fluid_out_front").notes))


@pytest.mark.parametrize(
    ("school", "system", "said"),
    [
        ("by_fluid", {"fluid_colour": "black"}, "bleeder open"),
        ("by_fluid", {"fluid_water_percent": 3.2}, "bleeder open"),
        ("by_fluid", {"fluid_colour": "clear"}, "bleeder closed"),
        ("closed", {"fluid_colour": "black"}, "bleeder closed"),
        ("open", {"fluid_colour": "clear"}, "bleeder open"),
    ],
)
def test_the_bleeder_is_open_or_closed_by_school_and_fluid(school, system, said):
    home = step(card(PADS, system=system, schools={"pistons_home": school}), "pistons_home_rear")
    assert said in PLAINLY(joined(home.notes))


@pytest.mark.parametrize(
    ("split", "side", "school", "order"),
    [
        (
            "front_rear",
            "left",
            "by_split",
            [Corner.REAR_RIGHT, Corner.REAR_LEFT, Corner.FRONT_RIGHT, Corner.FRONT_LEFT],
        ),
        (
            "front_rear",
            "right",
            "by_split",
            [Corner.REAR_LEFT, Corner.REAR_RIGHT, Corner.FRONT_LEFT, Corner.FRONT_RIGHT],
        ),
        ("diagonal", "left", "by_split", [Corner.REAR_RIGHT, Corner.FRONT_LEFT, Corner.REAR_LEFT, Corner.FRONT_RIGHT]),
        (
            "diagonal",
            "left",
            "farthest_first",
            [Corner.REAR_RIGHT, Corner.REAR_LEFT, Corner.FRONT_RIGHT, Corner.FRONT_LEFT],
        ),
        (
            "diagonal",
            "left",
            "nearest_first",
            [Corner.FRONT_LEFT, Corner.FRONT_RIGHT, Corner.REAR_LEFT, Corner.REAR_RIGHT],
        ),
    ],
)
def test_the_bleed_order_follows_split_side_and_school(split, side, school, order):
    """The master cylinder is at the driver's side: with it on the left the right rear is farthest."""
    specification = complete_specification(inspect({}, circuit_split=split), knowledge())
    assert bleed_order(specification, side, school) == order


def test_schools_are_printed_as_chosen():
    made = card(PADS, schools={"pad_backs": "dry", "nuts": "once"})
    assert "dry, as makers' manuals that call for nothing" in PLAINLY(step(made, "replace_pads").notes[0])
    assert not [s for s in made.steps if s.id == "nuts_again"]


def test_nothing_planned_no_card():
    made = card([(VEHICLE, "no_action")])
    assert (made.steps, made.parts, made.fasteners, made.bedding) == ((), (), (), None)


def test_every_action_has_its_place_in_the_work():
    known = knowledge()
    assert set(known.work) == set(known.action)
    assert {work.phase for work in known.works} <= set(known.phases)


def test_what_is_done_for_one_side_is_not_done_for_the_other():
    """More is found while it is worked on: a step is done for what it was done for (common practice)."""
    sides = (Corner.FRONT_LEFT, Corner.FRONT_RIGHT)
    one, both = (
        card([*((side, "rebuild_caliper") for side in some), (VEHICLE, "bleed_system")]) for some in (sides[:1], sides)
    )
    for name in ("rebuild_caliper", "bleed_system", "bleed_order", "pump", "nuts"):
        assert step(both, name).done_for > step(one, name).done_for, name
    # new pads beside them are bedded in and looked over, and open no hydraulics
    new = [(side, action) for side in sides for action in ("rebuild_caliper", "replace_pads")]
    pads = card([*new, (VEHICLE, "bleed_system")])
    assert step(pads, "bleed_order").done_for == step(both, "bleed_order").done_for
    assert step(pads, "nuts").done_for - step(both, "nuts").done_for
    left, right = (card([(side, "clean_bracket_lands"), (side, "replace_pads")]) for side in sides)
    for name in ("pistons_home_front", "fluid_out_front"):
        assert step(right, name).done_for - step(left, name).done_for == {"front_right"}

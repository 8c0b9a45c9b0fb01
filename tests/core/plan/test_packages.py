"""Packages of actions: expected cost against a tree on paper and an independent enumeration, and the hard rules."""

from __future__ import annotations

import json
from itertools import combinations, product
from types import MappingProxyType

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from mesotrope.core.answer.answer import diagnose, overview
from mesotrope.core.decision.costs import comeback_cost, failing_cost
from mesotrope.core.inference.axle_beliefs import AxleBeliefs, beliefs_of
from mesotrope.core.language.corner import VEHICLE, Corner
from mesotrope.core.language.inspection import parse_inspection
from mesotrope.core.plan.packages import compare_all, compare_packages, demands_at, plan_of, with_prices
from mesotrope.core.plan.worth import Worth
from mesotrope.core.simulator import inspect_vehicle, simulate_vehicle
from mesotrope.knowledge import knowledge
from tests.documents import ALL_FREE, DRAGS, FREE, inspect, pads

HEALTHY = {"spin": FREE, "pad_mm": pads(7.0, 7.2), **ALL_FREE}
TORN = {
    "spin": DRAGS, "pad_mm": pads(3.5, 4.2), **ALL_FREE, "piston_pushback": ["firm"], "piston_boot": "torn",
    "bleeder_opened": "no_change", "parking_cable_slackened": "no_change",
}  # fmt: skip


def compared(corners, axle="rear", known=None, schools=None, **vehicle):
    known = known or knowledge()
    return _compared(inspect(corners, **vehicle), axle, known, schools or {})


def _compared(inspection, axle, known, schools=MappingProxyType({})):
    short = overview(inspection, known)
    findings = short.decision.findings
    demands = demands_at(short.specification.corners_on(axle), findings)
    found = compare_packages(
        axle, short.specification, beliefs_of(short.posterior)[axle], short.chances, demands, known, schools
    )
    return found, demands, short


def four(**here):
    return {
        corner: here.get(corner, HEALTHY)
        for corner in (Corner.FRONT_LEFT, Corner.FRONT_RIGHT, Corner.REAR_LEFT, Corner.REAR_RIGHT)
    }


def one_fault(chance):
    """A belief: one corner that has a restricted hose with the chance given, or nothing."""
    names = [(Corner.REAR_LEFT, "hose_restricted"), (Corner.REAR_LEFT, "no_fault")]
    return AxleBeliefs([names], [np.array([[1.0, 0.0], [0.0, 1.0]])], np.array([chance, 1 - chance]))


def test_expected_cost_is_that_of_the_tree_on_paper():
    """A hose with 0.8: 32 for it, 10 for fluid, 25 + 30 + 14 minutes at 95 an hour; cured in 0.98 of the cases.

    Left with 0.8 x 0.02, it drags: a comeback (75 minutes and 80), 190 of pads and rotors, and then the right repair
    after all. The work itself comes back with 1 - 0.99 x 0.98. The other hose follows with 0.8 x 0.25, and then costs a
    comeback, pads and rotors. Worked out on paper from the figures of costs.toml; basis common practice.
    """
    chances = {(Corner.REAR_LEFT, "hose_restricted"): 0.8, (Corner.REAR_LEFT, "no_fault"): 0.2}
    worth = Worth("rear", (Corner.REAR_LEFT, Corner.REAR_RIGHT), one_fault(0.8), chances, knowledge())
    package = worth.of(frozenset({(Corner.REAR_LEFT, "replace_hose"), (VEHICLE, "bleed_system")}))
    labour = (25 + 30 + 14) * 95 / 60
    comeback = 75 * 95 / 60 + 80
    right = 42 + (25 + 30) * 95 / 60  # the hose and the bleeding once more, after all
    expected = 0.8 * 0.02 * (comeback + 190 + right) + (1 - 0.99 * 0.98) * comeback + 0.8 * 0.25 * (comeback + 190)
    assert package.price == pytest.approx(42 + labour)
    assert package.comeback_cost == pytest.approx(expected)
    assert package.cure == pytest.approx(0.2 + 0.8 * 0.98)


def test_leaving_it_costs_what_a_comeback_and_the_right_repair_cost():
    chances = {(Corner.REAR_LEFT, "hose_restricted"): 0.8, (Corner.REAR_LEFT, "no_fault"): 0.2}
    worth = Worth("rear", (Corner.REAR_LEFT, Corner.REAR_RIGHT), one_fault(0.8), chances, knowledge())
    nothing = worth.of(frozenset())
    assert nothing.price == 0
    assert nothing.expected == pytest.approx(0.8 * failing_cost("hose_restricted", knowledge()))
    assert nothing.comeback == pytest.approx(0.8)


def test_the_chance_of_cure_is_that_of_an_enumeration_of_all_sets_of_faults():
    """Independent of the arrays: every set of up to three faults of a corner with its chance, cured fault by fault;
    faults that the same work cures alike, as both pads bound in one bracket, are cured together or not at all."""
    short = overview(inspect(four(rear_left=TORN)), knowledge())
    (left, right), members, states = beliefs_of(short.posterior)["rear"]
    names = [*left, *right]
    accused = {c for c in (Corner.REAR_LEFT, Corner.REAR_RIGHT) if short.chances.get((c, "no_fault"), 1.0) < 0.65}
    actions = frozenset({(Corner.REAR_LEFT, "replace_caliper"), (VEHICLE, "bleed_system")})
    worth = Worth(
        "rear", (Corner.REAR_LEFT, Corner.REAR_RIGHT), beliefs_of(short.posterior)["rear"], short.chances, knowledge()
    )
    total = 0.0
    for (one, other), chance in zip(product(*members), states.reshape(-1), strict=True):
        cured, seen = 1.0, []
        for name, there in zip(names, [*one, *other], strict=True):
            if there and name[0] in accused and name in short.chances and name[1] in knowledge().remedy:
                cures = knowledge().remedy[name[1]].cures
                if (name[0], cures) in seen:
                    continue
                seen.append((name[0], cures))
                failed = 1.0
                for where, action in actions:
                    failed *= 1 - (cures.get(action, 0.0) if where in (name[0], VEHICLE) else 0.0)
                cured *= 1 - failed
        total += chance * cured
    worn = 1.0
    for corner in (Corner.REAR_LEFT, Corner.REAR_RIGHT):
        worn *= 1 - short.chances.get((corner, "worn_out_normally"), 0.0)
    assert worth.of(actions).cure == pytest.approx(total * worn, abs=1e-6)


def test_a_torn_boot_is_never_left_and_a_single_caliper_is_weighed_against_a_pair():
    found, _, _ = compared(four(rear_left=TORN))
    for package in found.packages:
        assert {(Corner.REAR_LEFT, "rebuild_caliper"), (Corner.REAR_LEFT, "replace_caliper")} & package.actions
    both = [p for p in found.packages if p.units.get("replace_caliper") == 2]
    assert both
    assert found.recommended.expected == min(p.expected for p in found.packages)


def test_a_break_even_is_where_both_cost_the_same():
    """Put the price at the break-even: recommended and runner-up then cost the same to a cent."""
    found, _, _ = compared(four(rear_left=TORN))
    (even, *_) = [b for b in found.break_evens if b.what != "labour"]
    moved, _, _ = compared(four(rear_left=TORN), known=with_prices(knowledge(), {even.what: {"parts": even.value}}))
    then = {p.actions: p.expected for p in moved.packages}
    assert then[found.recommended.actions] == pytest.approx(then[found.runner_up.actions], abs=0.01)
    assert even.over == (even.value > even.now)


def test_a_sound_axle_has_no_packages():
    assert compared(four(), axle="front")[0] is None


def test_symmetric_axles_are_treated_alike():
    """The same findings on the other side give the mirrored packages at the same cost."""
    mirror = {Corner.REAR_LEFT: Corner.REAR_RIGHT, Corner.REAR_RIGHT: Corner.REAR_LEFT, VEHICLE: VEHICLE}
    left, _, _ = compared(four(rear_left=TORN))
    right, _, _ = compared(four(rear_right=TORN))
    for ours, theirs in zip(left.packages, right.packages, strict=True):
        assert theirs.expected == pytest.approx(ours.expected, rel=1e-6)
    assert {(mirror[c], a) for c, a in left.recommended.actions} == right.recommended.actions


def calipers_of(packages):
    return {
        tuple(sorted(corner for corner, action in package.actions if action in ("replace_caliper", "rebuild_caliper")))
        for package in packages
    }


def test_the_school_of_calipers_decides_what_is_weighed():
    torn = four(rear_left=TORN)
    default, pairs, single = (
        calipers_of(compared(torn, schools={"calipers": school} if school else {})[0].packages)
        for school in ("", "always_pairs", "only_the_faulty")
    )
    assert pairs == {(Corner.REAR_LEFT, Corner.REAR_RIGHT)}
    assert single == {(Corner.REAR_LEFT,)}
    assert pairs | single <= default


THIN = {**HEALTHY, "pad_mm": pads(1.0, 1.2)}


def actions_of(schools):
    found = compared(four(rear_left=THIN), schools=schools)[0]
    return [{action for _, action in package.actions} for package in found.packages]


def test_the_school_of_rotors_and_of_hardware():
    assert all("replace_hardware" in actions for actions in actions_of({}))
    assert not any("replace_rotor" in actions for actions in actions_of({})[:1])
    assert all("replace_rotor" in actions for actions in actions_of({"rotors_with_pads": "always"}))
    assert not any("replace_hardware" in actions for actions in actions_of({"hardware": "if_sound"})[:1])


def test_dearer_parts_never_make_a_package_with_them_cheaper():
    cheap, _, _ = compared(four(rear_left=TORN))
    dear, _, _ = compared(four(rear_left=TORN), known=with_prices(knowledge(), {"replace_caliper": {"parts": 400.0}}))
    assert dear.recommended.units.get("replace_caliper", 0) <= cheap.recommended.units.get("replace_caliper", 0)
    assert dear.recommended.expected >= cheap.recommended.expected


@given(st.integers(0, 10_000))
@settings(max_examples=30, deadline=None)
def test_no_package_of_a_simulated_vehicle_breaks_a_hard_rule(seed):
    """Whatever it costs: what the rules demand is in every package, nothing old goes on new rotors, opened
    hydraulics are bled, and what is done to one side's slides, pads and rotors is done to the other's."""
    random = np.random.default_rng(seed)
    inspection = parse_inspection(json.dumps(inspect_vehicle(random, simulate_vehicle(random))))
    known = knowledge()
    for axle in ("front", "rear"):
        found, demands, short = _compared(inspection, axle, known)
        corners = short.specification.corners_on(axle)
        for package in found.packages if found else ():
            done = package.actions
            for corner, rules in demands.items():
                for rule in rules:
                    for action in rule.actions:
                        place = VEHICLE if known.cost[action].per == "vehicle" else corner
                        ways = {(place, one) for one in {action} | known.in_place_of.get(action, frozenset())}
                        assert ways & done, (rule, sorted(done))
            for corner, brings in [(c, known.action[a].brings) for c, a in done]:
                for brought in brings:
                    assert (
                        (corner, brought) in done or (VEHICLE, brought) in done or (corner, "replace_bracket") in done
                    )
            for one, other in combinations(corners, 2):
                for action in ("replace_pads", "replace_rotor", "clean_and_lubricate_slides"):
                    assert ((one, action) in done) == ((other, action) in done)


def test_a_comeback_costs_its_minutes_and_the_trust():
    """75 minutes at 95 an hour, and 80; costs.toml, common practice."""
    assert comeback_cost(knowledge()) == pytest.approx(198.75)


def test_a_package_that_probably_fails_is_never_recommended_and_the_cause_comes_first():
    """A rear wheel that drags, one side worn to 2 mm, all moving freely: new pads alone would mostly fail."""
    worn = {"spin": DRAGS, "pad_mm": pads(2.0, 2.6), **ALL_FREE}
    found, _, _ = compared(four(rear_left=worn))
    pads_only = [p for p in found.packages if {a for _, a in p.actions} <= {"replace_pads", "replace_hardware"}]
    assert all(package is not found.recommended or found.find_out_first for package in pads_only)
    assert found.find_out_first or found.recommended.cure >= 0.7


def test_what_is_settled_is_recommended_with_a_good_chance_of_cure():
    """The bleeder frees it, the line at the master does not: the hose, and it cures."""
    hose = {
        "spin": DRAGS, "pad_mm": pads(5.6, 5.7), **ALL_FREE, "bleeder_opened": "frees", "hose": "swollen",
        "line_loosened_at_master": "no_change", "parking_cable_slackened": "no_change",
    }  # fmt: skip
    found, _, _ = compared(four(rear_left=hose))
    assert not found.find_out_first
    assert found.recommended.cure >= found.least_cure >= 0.7
    assert (Corner.REAR_LEFT, "replace_hose") in found.recommended.actions


def test_a_wedge_and_uneven_pads_do_not_go_back():
    """Common practice: tapered or uneven linings are renewed as an axle set once their cause is mended."""
    uneven = {"spin": DRAGS, "pad_mm": pads(3.4, 8.0), **ALL_FREE, "pin": {"upper": "seized", "lower": "seized"}}
    found, _, _ = compared(four(rear_left=uneven))
    for package in found.packages:
        assert {(corner, "replace_pads") for corner in (Corner.REAR_LEFT, Corner.REAR_RIGHT)} <= package.actions


def test_nothing_is_bled_that_was_not_opened():
    stiff = {"spin": DRAGS, "pad_mm": pads(6.0, 7.2), **ALL_FREE, "pin": {"upper": "seized", "lower": "seized"}}
    found, _, _ = compared(four(rear_left=stiff))
    opened = {"replace_hose", "replace_caliper", "rebuild_caliper", "repair_leak", "refit_hose"}
    for package in found.packages:
        actions = {action for _, action in package.actions}
        assert "bleed_system" not in actions or actions & opened


def test_an_electric_parking_brake_gets_no_part_of_what_a_cable_needs():
    """A way to put a fault right is offered whole or not at all; the cause is looked for at the wheel that is held."""
    held = {"spin": {"turns": 0, "seconds": 0}, "bleeder_opened": "no_change", "pad_mm": pads(3.5, 3.6)}
    electric = {"axles": {"rear": {"caliper": "floating", "pistons": 1, "parking_brake": "electric_on_caliper"}}}
    inspection = inspect({"rear_left": held, "rear_right": {"spin": FREE, "pad_mm": pads(6.5, 6.6)}}, **electric)
    (rear,) = compare_all(diagnose(inspection, knowledge()), inspection, knowledge())
    done = {action for package in rear.packages for _, action in package.actions}
    assert "replace_parking_brake_actuator" in done
    assert not done & {"adjust_parking_brake", "free_parking_brake_lever", "replace_parking_brake_cable"}
    assert rear.find_out_first
    assert rear.test.corner == Corner.REAR_LEFT


@settings(max_examples=20)
@given(st.integers(0, 10**6), st.sampled_from(["car", "light_truck", "motorcycle"]), st.integers(1, 5))
def test_pads_are_planned_only_where_it_was_decided(seed, kind, thorough):
    """What is worked by is what was said: no package orders pads that the decision does not name, but with a rotor that
    it renews where it was to be resurfaced."""
    random = np.random.default_rng(seed)
    vehicle = simulate_vehicle(random, kind)
    inspection = parse_inspection(json.dumps(inspect_vehicle(random, vehicle, thorough=thorough)))
    answer = diagnose(inspection, knowledge())
    plan = plan_of(answer.decision.actions, compare_all(answer, inspection, knowledge()))
    planned, decided = ({(one.corner, one.action) for one in some} for some in (plan, answer.decision.actions))
    new_rotors = {where for where, action in planned - decided if action == "replace_rotor"}
    pads = {where for where, action in planned - decided if action == "replace_pads"}
    assert pads <= new_rotors
    # and what goes with them was decided with them: clips and springs are new when pads are (`04`, schools)
    for done in (planned, decided):
        fitted = {where for where, action in done if action == "replace_pads"}
        assert {(where, "replace_hardware") for where in fitted} <= done

"""Laws of the diagnosis, as properties."""

from __future__ import annotations

import json
from unittest.mock import patch

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from mesotrope.core.answer.answer import diagnose, overview
from mesotrope.core.answer.document import answer_document
from mesotrope.core.evidence.collect import collect
from mesotrope.core.evidence.measures import measure_all
from mesotrope.core.evidence.specification import complete_specification
from mesotrope.core.inference import posterior as posteriors
from mesotrope.core.inference.posterior import Posterior
from mesotrope.core.inference.story import story
from mesotrope.core.inference.vehicle_space import space_of
from mesotrope.core.inference.worst import worst_of
from mesotrope.core.language.corner import Corner
from mesotrope.core.language.inspection import parse_inspection
from mesotrope.core.language.quantity import convert, parse_quantity
from mesotrope.knowledge import knowledge
from mesotrope.services.rules import own_knowledge
from mesotrope.words import PLAINLY
from tests.documents import DRAGS, FREE, answer, chances_of, document, inspect, pads

SIDES = {
    Corner.FRONT_LEFT: Corner.FRONT_RIGHT,
    Corner.FRONT_RIGHT: Corner.FRONT_LEFT,
    Corner.REAR_LEFT: Corner.REAR_RIGHT,
    Corner.REAR_RIGHT: Corner.REAR_LEFT,
}


def _maybe(values):
    return st.one_of(st.none(), values)


slide = st.sampled_from(["free", "stiff", "seized"])
fit = st.sampled_from(["free", "tight", "bound"])
spin = st.one_of(
    st.just({"turns": 0, "seconds": 0}),
    st.builds(lambda t, s: {"turns": t, "seconds": s}, st.sampled_from([0.5, 1, 2, 4]), st.sampled_from([0.8, 1.5, 5])),
)
thickness = st.sampled_from([1.8, 3.2, 5.0, 7.1, 9.4])
corner = st.fixed_dictionaries(
    {
        "spin": _maybe(spin),
        "pad_mm": _maybe(st.builds(pads, thickness, thickness)),
        "pin": _maybe(st.builds(lambda u, o: {"upper": u, "lower": o}, _maybe(slide), _maybe(slide))),
        "pad_fit": _maybe(st.builds(lambda i, o: {"inner": i, "outer": o}, _maybe(fit), _maybe(fit))),
        "piston_pushback": _maybe(st.sampled_from([["easy"], ["firm"], ["immovable"]])),
        "piston_boot": _maybe(st.sampled_from(["sound", "torn", "wet"])),
        "bleeder_opened": _maybe(st.sampled_from(["frees", "no_change"])),
        "pad_gap_mm": _maybe(st.builds(lambda g: {"inner": g}, st.sampled_from([0.0, 0.2, 1.4]))),
    }
)
corners = st.fixed_dictionaries(dict.fromkeys(SIDES, corner))


@given(corners)
@settings(max_examples=25)
def test_mirroring_the_vehicle_mirrors_the_answer(found):
    """Left and right are names: swapping them swaps the suspects and changes no chance and no weight."""
    split = {"circuit_split": "front_rear"}
    straight = answer(found, **split)
    mirrored = answer({SIDES[name]: values for name, values in found.items()}, **split)
    for (name, fault), chance in straight.chances.items():
        assert mirrored.chances[SIDES.get(name, name), fault] == pytest.approx(chance, abs=1e-9)
    weights = {
        (s.corner, s.fault): sorted(round(r.decibans, 6) for r in (*s.reasons_for, *s.reasons_against))
        for s in straight.suspects
    }
    for suspect in mirrored.suspects:
        own = sorted(round(r.decibans, 6) for r in (*suspect.reasons_for, *suspect.reasons_against))
        assert own == pytest.approx(weights[SIDES.get(suspect.corner, suspect.corner), suspect.fault], abs=1e-4)


@given(corners)
@settings(max_examples=25)
def test_where_next_to_nothing_can_be_moves_no_chance(found):
    """What is left out is left out of the sum of all chances."""
    inspection, known = inspect(found), knowledge()
    short = overview(inspection, known)
    with patch.object(posteriors, "NEXT_TO_NOTHING", 0.0):
        made = Posterior(known, short.specification, short.posterior.space, short.evidence, {})
        whole = made.suspects()
    for suspect, chance in short.posterior.suspects().items():
        assert chance == pytest.approx(whole[suspect], abs=2 * posteriors.NEXT_TO_NOTHING), suspect


@given(corners)
@settings(max_examples=25)
def test_chances_are_chances_and_the_weights_add_up(found):
    inspection = inspect(found)
    known = knowledge()
    specification = complete_specification(inspection, known)
    measures = measure_all(inspection, specification, known)
    evidence = collect(inspection, specification, measures, known)
    posterior = Posterior(known, specification, space_of(known, specification), evidence, {})
    chances = posterior.suspects()
    assert all(-1e-12 <= chance <= 1 + 1e-12 for chance in chances.values())
    last = {}
    for step in story(posterior):
        last |= {suspect: chance for suspect, chance in step.after.items() if suspect[0]}
    for suspect, chance in last.items():
        assert chances[suspect] == pytest.approx(chance, abs=1e-6)  # the story is told in single precision


def test_every_step_is_the_posterior_had_the_work_stopped_there():
    """By definition: with everything found elsewhere known, the corner's findings one after the other."""
    rear = {"pin": {"upper": "stiff"}, "rotor_face": {"inner": "blued"}, "pad_fit": {"inner": "bound"}}
    found = {
        Corner.FRONT_LEFT: {"pin": {"lower": "seized"}},
        Corner.REAR_LEFT: rear,
        Corner.REAR_RIGHT: {"pin": {"upper": "free"}},
    }
    inspection = inspect(found)
    known = knowledge()
    specification = complete_specification(inspection, known)
    evidence = collect(inspection, specification, measure_all(inspection, specification, known), known)
    space = space_of(known, specification)
    here = [item for item in evidence if item.corner == Corner.REAR_LEFT]
    steps = story(Posterior(known, specification, space, evidence, {}))
    steps = [step for step in steps if step.evidence[0].corner == Corner.REAR_LEFT]
    assert len(steps) >= 3
    so_far = [item for item in evidence if item not in here]
    for step in steps:
        so_far += step.evidence
        stopped = Posterior(known, specification, space, so_far, {}).suspects()
        for suspect, chance in step.after.items():
            if suspect[0] == Corner.REAR_LEFT:
                assert chance == pytest.approx(stopped[suspect], rel=1e-5)


#: Evidence that speaks for a fault at least as clearly as for any other: fault, finding.
SPEAKS = [
    ("slide_pins_seized", {"pin": {"upper": "seized", "lower": "seized"}}),
    ("pad_bound_inner", {"pad_fit": {"inner": "bound"}}),
    ("pad_bound_outer", {"pad_fit": {"outer": "bound"}}),
    ("piston_seized_applied", {"piston_pushback": ["immovable"]}),
    ("piston_seized_released", {"pedal_response": {"inner": "still"}}),
    ("hose_restricted", {"hose": "swollen"}),
    ("parking_brake_holding", {"parking_cable_slackened": "frees"}),
    ("shield_contact", {"shield": "touching"}),
    ("bearing_or_driveline_drag", {"bearing": "rough"}),
    ("lining_contaminated", {"pad_condition": {"inner": "oiled"}}),
    ("rotor_worn_or_damaged", {"rotor_face": {"inner": "cracked"}}),
]


@pytest.mark.parametrize(("fault", "evidence"), SPEAKS, ids=[fault for fault, _ in SPEAKS])
@given(found=corners)
@settings(max_examples=8)
def test_adding_evidence_for_a_fault_never_lowers_it(fault, evidence, found):
    name = Corner.REAR_LEFT if fault == "parking_brake_holding" else "front_left"
    (finding,) = evidence
    before = {**found, name: {**found[name], finding: None}}
    after = {**found, name: {**found[name], **evidence}}
    chance = chances_of(after)[name, fault]
    without = chances_of(before)
    if (name, fault) in without:
        assert chance >= without[name, fault] - 1e-9


@given(st.sampled_from(list(SIDES)))
def test_a_finding_not_made_contributes_nothing(name):
    """Null, empty and absent are the same, and say nothing."""
    absent = answer({Corner.FRONT_LEFT: {"spin": {"turns": 1, "seconds": 1.2}}})
    empty = {"pin": {"upper": None}, "pad_mm": {"inner": {}}, "piston_pushback": [None], "rotor_mm": [None]}
    found = {Corner.FRONT_LEFT: {"spin": {"turns": 1, "seconds": 1.2}}}
    with_empty = answer({**found, name: {**empty, **found.get(name, {})}})
    assert with_empty.chances == pytest.approx(absent.chances)


def test_nothing_looked_at_nothing_claimed():
    document_ = answer_document(answer({}), PLAINLY)
    assert document_["suspects"] == []
    assert document_["cleared"] == []
    assert document_["decision"]["verdict"] is None
    assert document_["decision"]["actions"] == []
    assert document_["defaults_used"] == []


@given(corners, st.randoms())
@settings(max_examples=10)
def test_the_order_of_entry_is_irrelevant(found, random):
    names = list(found)
    random.shuffle(names)
    shuffled = {name: dict(random.sample(list(found[name].items()), len(found[name]))) for name in names}
    assert chances_of(found) == chances_of(shuffled)


@given(st.sampled_from([3.2, 5.0, 7.1]), st.sampled_from([3.2, 5.0, 7.1]))
@settings(max_examples=9)
def test_units_are_irrelevant(inner_mm, outer_mm):
    """The same thickness entered in inches gives the same answer."""
    inches = [parse_quantity(f'{convert(mm, "mm", "in"):.8f}"', "mm") for mm in (inner_mm, outer_mm)]
    in_mm = chances_of({Corner.FRONT_LEFT: {"pad_mm": pads(inner_mm, outer_mm)}})
    in_inches = chances_of({Corner.FRONT_LEFT: {"pad_mm": pads(*inches)}})
    assert in_inches == pytest.approx(in_mm, abs=1e-6)


@given(st.lists(st.lists(st.floats(0.01, 1), min_size=3, max_size=3), min_size=1, max_size=3))
def test_another_cause_never_makes_the_worst_less_likely(weights):
    rows = [tuple(w / sum(row) for w in row) for row in weights]
    alone, together = worst_of([], rows[0]), worst_of(rows[1:], rows[0])
    assert together.sum() == pytest.approx(1)
    assert together[-1] >= alone[-1] - 1e-12
    assert together[0] <= alone[0] + 1e-12


def test_the_prior_has_as_many_faults_as_come_through_the_door():
    """Common practice: about one in five sound or merely worn, about one in six with more than one hidden fault.

    Counted here by convolution: rust by rust, visit by visit, how many hidden faults there are.
    """
    known = knowledge()
    space = space_of(known, complete_specification(inspect({}), known))

    def hidden(parts):
        return sum(not fault.condition for fault, _ in parts)

    counted = np.zeros(60)
    for level, chance in enumerate(known.rust.chances):
        for visit, variants in enumerate(space.visits):
            sets = np.flatnonzero(space.visit_of_set == visit)
            many = np.bincount([hidden(space.system_sets[number]) for number in sets], space.system_prior[sets])
            for corner, variant in zip(space.corners.values(), variants, strict=True):
                rows = np.flatnonzero(corner.row_variant == variant)
                here = np.bincount([hidden(corner.parts[row]) for row in rows], corner.prior[level][rows])
                many = np.convolve(many, here)
            counted[: len(many)] += chance * many
    counted[0] *= known.often.nothing_comes_in
    counted /= counted.sum()
    assert counted[0] == pytest.approx(0.2, abs=0.03)
    assert 0.14 <= counted[2:].sum() <= 0.25
    assert counted[4:].sum() > 0.005  # a neglected car is possible


@given(corners)
@settings(max_examples=15)
def test_more_wrong_never_means_less_found(found):
    """A bad finding at one more corner clears no other that it does not touch."""
    worse = {"pin": {"upper": "seized", "lower": "seized"}, "pad_fit": {"inner": "bound"}}
    before = chances_of(found)
    after = chances_of({**found, Corner.REAR_RIGHT: {**found[Corner.REAR_RIGHT], **worse}})
    for name in (Corner.FRONT_LEFT, Corner.FRONT_RIGHT):
        healthy = before.get((name, "no_fault")), after.get((name, "no_fault"))
        if None not in healthy and before[name, "no_fault"] < 0.5:
            assert after[name, "no_fault"] < 0.6, name


def test_two_discs_on_one_wheel_count_the_spin_once():
    """A motorcycle's front wheel: the same spin written at both corners is one fact, not two."""
    both = {
        Corner.FRONT_LEFT: {"spin": {"turns": 1, "seconds": 1.6}},
        Corner.FRONT_RIGHT: {"spin": {"turns": 1, "seconds": 1.6}},
    }
    one = {Corner.FRONT_LEFT: {"spin": {"turns": 1, "seconds": 1.6}}, Corner.FRONT_RIGHT: {}}
    twice, once = answer(both, kind="motorcycle", front_discs=2), answer(one, kind="motorcycle", front_discs=2)
    assert twice.chances[Corner.FRONT_LEFT, "piston_not_releasing"] == pytest.approx(
        once.chances[Corner.FRONT_LEFT, "piston_not_releasing"]
    )
    assert twice.chances[Corner.FRONT_LEFT, "piston_not_releasing"] == pytest.approx(
        twice.chances[Corner.FRONT_RIGHT, "piston_not_releasing"]
    )


def test_a_drum_axle_is_recorded_and_not_diagnosed():
    out = answer({Corner.REAR_LEFT: {"spin": {"turns": 0, "seconds": 0}}}, axles={"rear": {"caliper": "drum"}})
    assert not [s for s in out.suspects if s.corner.startswith("rear")]
    assert tuple(map(PLAINLY, out.notes)) == ("the rear axle has drums: recorded, not diagnosed here",)


def test_a_document_of_only_defaults_says_which_it_used():
    assert "front.pad_new_mm" in answer({Corner.FRONT_LEFT: {"pad_mm": pads(4, 4)}}).defaults_used
    known = answer(
        {Corner.FRONT_LEFT: {"pad_mm": pads(4, 4)}}, axles={"front": {"pad_new_mm": 11, "caliper": "floating"}}
    )
    assert "front.pad_new_mm" not in known.defaults_used


def test_a_free_wheel_with_dead_pins_is_to_be_measured_again():
    """Both pins seized, yet evenly worn pads, free wheel and a caliper that works: something was misread."""
    strange = {
        "spin": {"turns": 6, "seconds": 7}, "pad_mm": pads(7, 7.1), "pin": {"upper": "seized", "lower": "free"},
        "pad_fit": {"inner": "free", "outer": "free"}, "pin_condition": {"upper": "greased"},
        "pin_boot": {"upper": "sound"}, "pedal_response": {"inner": "moves_and_returns", "outer": "moves_and_returns"},
        "rotor_face": {"inner": "smooth", "outer": "smooth"},
    }  # fmt: skip
    out = answer({Corner.REAR_LEFT: strange, Corner.REAR_RIGHT: {"pad_mm": pads(7, 7.1)}})
    assert any("upper slide pin: seized" in words for words in map(PLAINLY, out.contradictions))


def test_the_same_document_gives_the_same_answer_twice():
    text = json.dumps(document({Corner.REAR_LEFT: {"spin": {"turns": 1, "seconds": 1.2}}}))
    first, second = (answer_document(diagnose(parse_inspection(text), knowledge()), PLAINLY) for _ in range(2))
    assert first == second


def test_a_workshops_prices_and_limits_share_the_space_and_change_no_chance():
    """What a workshop sets is about money and verdicts: the faults, chances and tables stay the same."""
    inspection = inspect({Corner.REAR_LEFT: {"spin": DRAGS, "piston_boot": "torn"}})
    figures = (("cost.replace_hose.parts", 1.0), ("limit.drag_unsafe_nm", 12.0), ("sure.least_cure", 90.0))
    own = own_knowledge(knowledge(), figures)
    first, second = (overview(inspection, known) for known in (knowledge(), own))
    assert first.posterior.space is second.posterior.space
    assert first.chances == second.chances


def test_a_corner_in_doubt_is_said_with_its_finding_until_a_fault_stands_out():
    fixed = {"front": {"caliper": "fixed", "pistons": 4}}
    doubtful = diagnose(inspect({Corner.FRONT_LEFT: {"spin": {"turns": 2, "seconds": 1.95}}}, axles=fixed), knowledge())
    assert [(one.corner, one.fault) for one in doubtful.in_doubt] == [(Corner.FRONT_LEFT, "no_fault")]
    assert "N·m" in PLAINLY(doubtful.in_doubt[0].reasons_against[0].because)
    clear = answer(
        {Corner.FRONT_LEFT: {"spin": {"turns": 0, "seconds": 0}, "pin": {"upper": "seized", "lower": "seized"}}}
    )
    assert clear.suspects[0].fault == "slide_pins_seized"
    assert clear.in_doubt == ()
    assert answer({Corner.FRONT_LEFT: {"spin": FREE}}).in_doubt == ()


def test_that_a_corner_was_isolated_says_that_it_dragged_unless_it_was_measured_free():
    """Common practice: nobody opens a bleeder at a wheel that turns freely."""
    stuck, free, opened = {"spin": {"turns": 1.5, "seconds": 1.5}}, {"spin": FREE}, {"bleeder_opened": "no_change"}

    def sound(found):
        return chances_of({Corner.FRONT_LEFT: found})[Corner.FRONT_LEFT, "no_fault"]

    assert sound(stuck | opened) < 0.5 * sound(stuck)
    assert sound(free | opened) > 0.85


def test_a_wreck_at_which_everything_is_bad_is_still_answered():
    """Every finding of the vehicle bad at once: as many as can be are weighed with the corners, none is lost."""
    bad = {"pull_braking": "left", "pull_coasting": "right", "pedal_travel": 0.9, "pedal_pump": "rises", "smell": "hot",
           "vibration": "pedal", "parking_brake_holds": "no", "visible_leak": "at_wheel"}  # fmt: skip
    corner = {"spin": DRAGS, "leak": "drip", "pin": {"upper": "seized", "lower": "seized"}}
    wreck = answer(dict.fromkeys(SIDES, corner), bad)
    assert all(wreck.chances[name, "slide_pins_seized"] > 0.5 for name in SIDES)
    assert wreck.decision.verdict == "unsafe"
    told = {one.finding for one in wreck.decision.answered}
    assert set(bad) <= told


def test_a_lining_is_worn_out_by_its_thickness_and_never_by_anything_else():
    """Common practice: seen 3.6 mm through the window, with a limit of 3, it may be at it; its thickness does not
    say so, and a cool hub cannot."""
    cool = {"spin": FREE, "hub_temperature_c": 30}

    def worn(mm):
        told = answer({Corner.FRONT_LEFT: {**cool, "window_pad_mm": {"inner": mm, "outer": mm}}})
        return told.chances[Corner.FRONT_LEFT, "worn_out_normally"], [
            one for one in told.suspects if one.fault == "worn_out_normally"
        ]

    chance, listed = worn(3.6)
    assert 0.05 < chance < 0.25
    assert listed == []
    chance, [thin] = worn(2.5)
    assert chance > 0.8
    assert thin.reasons_for[0].finding == "pad_mm"

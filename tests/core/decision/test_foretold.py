"""What each answer would do, told before the test: against the answer then given; and what fits nothing."""

from __future__ import annotations

import pytest

from mesotrope.core.answer.answer import diagnose
from mesotrope.core.decision.check_next import MOST_FORETOLD
from mesotrope.core.decision.foretold import Foretold
from mesotrope.core.language.corner import Corner
from mesotrope.demo.load import inspections
from mesotrope.knowledge import knowledge
from mesotrope.words import PLAINLY
from tests.documents import ALL_FREE, DRAGS, FREE, answer, chances_of, pads

HEALTHY = {"spin": FREE, "pad_mm": pads(7.0, 7.2), **ALL_FREE}


def four(**here):
    return {
        corner: here.get(corner, HEALTHY)
        for corner in (Corner.FRONT_LEFT, Corner.FRONT_RIGHT, Corner.REAR_LEFT, Corner.REAR_RIGHT)
    }


DRAGGING = {"spin": DRAGS, "pad_mm": pads(4.0, 4.2), **ALL_FREE, "pedal_response": {"inner": "moves_and_stays"}}


def foretold(finding, corner, corners):
    for test in answer(corners).tests[:MOST_FORETOLD]:
        if (test.finding, test.corner) == (finding, corner):
            return {told.answer: told for told in test.foretold}
    return {}


def test_what_is_foretold_is_what_then_comes():
    """A wheel drags, all is free: the bleeder is told to point at the hose, and when it frees the wheel, it does."""
    found = {**DRAGGING, "rotor_face": {"inner": "smooth", "outer": "smooth"}, "pad_gap_mm": {"inner": 0, "outer": 0},
             "hose": "sound", "bearing": "quiet", "noise": "none", "leak": "none"}  # fmt: skip
    system = {"pedal_feel": "firm", "pedal_hold": "holds", "pedal_pump": "no_change", "pedal_travel": 0.3}
    corners = four(rear_left=found)
    tests = answer(corners).tests
    test = next(t for t in tests if t.finding == "bleeder_opened" and t.corner == Corner.REAR_LEFT)
    assert test.saves >= 0
    assert system
    told = foretold("bleeder_opened", Corner.REAR_LEFT, corners)
    if told:
        frees = next(words for name, words in told.items() if "free" in name)
        then = answer(four(rear_left={**found, "bleeder_opened": "frees"}))
        top = max((s for s in then.suspects if s.corner == Corner.REAR_LEFT), key=lambda s: s.probability)
        assert frees.leads == top.words
        assert frees.probability == pytest.approx(top.probability, abs=0.12)


def test_every_first_test_tells_its_answers_and_their_chances_do_not_exceed_one():
    for corners in ({}, four(rear_left=DRAGGING)):
        for test in answer(corners).tests[:MOST_FORETOLD]:
            assert test.foretold
            assert all(isinstance(told, Foretold) and 0 < told.chance <= 1 for told in test.foretold)
            assert sum(told.chance for told in test.foretold) <= 1 + 1e-9
            assert [t.chance for t in test.foretold] == sorted((t.chance for t in test.foretold), reverse=True)


def test_tests_offered_are_worth_their_minutes_or_could_change_the_plan():
    """The best come first, by money for the minute; nothing that is not worth offering stands before what is."""
    tests = answer(four(rear_left=DRAGGING)).tests
    worths = [test.worth for test in tests if test.decides]
    assert worths == sorted(worths, reverse=True)
    assert [test.decides for test in tests] == sorted((test.decides for test in tests), reverse=True)


NOTHING_HOLDS = {
    **HEALTHY, "spin": None, "pull_n": 60.0, "pull_radius_mm": 300.0, "hub_temperature_c": 190.0, "noise": "none",
    "pedal_response": {"inner": "moves_and_returns", "outer": "moves_and_returns"}, "parking_lever": "returns",
    "pad_gap_mm": {"inner": 0.2, "outer": 0.25}, "bearing": "quiet", "bleeder_opened": "no_change",
    "caliper_bolts_slackened": "no_change", "parking_cable_slackened": "no_change",
}  # fmt: skip


def test_a_fault_outside_the_list_is_possible_and_said():
    """18 N·m by the spring scale and 190 °C, while everything that could hold it has been taken away: fits nothing."""
    out = answer(four(rear_left=NOTHING_HOLDS, rear_right={**HEALTHY, "hub_temperature_c": 40.0}))
    (words,) = map(PLAINLY, out.fits_nothing)
    assert words.startswith("rear left: fits nothing well")
    assert "pull" in words
    assert "hub temperature" in words


def test_what_fits_a_fault_is_not_said_to_fit_nothing():
    assert answer(four(rear_left={**DRAGGING, "piston_boot": "torn"})).fits_nothing == ()


def test_heat_marks_are_counted_once_with_the_drag():
    """A blued face tells nothing between two faults that rub a pad of a wheel already known to be held; without the
    spin it speaks. A bearing heats no rotor: it is cleared by the face."""
    faces = {"rotor_face": {"inner": "blued", "outer": "blued"}}
    hard = {**HEALTHY, "spin": {"turns": 0, "seconds": 0}}

    def chance(corner, fault):
        return chances_of(four(rear_left=corner))[Corner.REAR_LEFT, fault]

    unspun = {name: value for name, value in HEALTHY.items() if name != "spin"}
    assert 1 - chance({**unspun, **faces}, "no_fault") > 5 * (1 - chance(unspun, "no_fault"))
    both = {**hard, **faces}
    before, after = (chance(at, "parking_brake_holding") / chance(at, "hose_restricted") for at in (hard, both))
    assert after == pytest.approx(before, rel=0.1)
    assert chance(both, "bearing_or_driveline_drag") < 0.1 * chance(hard, "bearing_or_driveline_drag")


def test_where_every_likely_answer_leaves_the_leader_the_one_that_would_not_is_told_too():
    """Nobody looked for leaks yet: there is none, most likely; one at a wheel is rare, and all that the look is for."""
    pedal = {"pedal_feel": "firm", "pedal_travel": 0.3, "pedal_pump": "no_change"}
    told = answer(four(rear_left=HEALTHY), pedal)
    look = next(test for test in told.next_tests if test.finding == "visible_leak")
    assert [PLAINLY(one.answer) for one in look.foretold] == ["none", "at a wheel"]
    assert look.foretold[1].chance < 0.03
    assert look.foretold[1].leads == "fluid leaks out"


def test_a_test_is_said_to_tell_two_suspects_apart_only_where_it_does():
    """Clips and springs tell no piston from another (the trade looks at them because they are renewed); a hose does."""
    clips, hose = (
        next(
            PLAINLY(test.because)
            for test in diagnose(inspections()[job], knowledge()).next_tests
            if test.finding == finding
        )
        for job, finding in ((0, "hardware"), (3, "hose"))
    )
    assert clips == "would show what has not shown itself yet"
    assert hose == "tells “piston not drawn back by its seal” from “hose holds pressure”"


def test_a_lining_that_was_measured_is_not_foretold_to_be_gone():
    """Its outer pad of 8 mm cannot show bare metal; the demo's job foretold that it might."""
    told = diagnose(inspections()[1], knowledge())
    linings = next(test for test in told.next_tests if test.finding == "pad_condition")
    assert len(linings.foretold) == 3
    assert not any("metal to metal" in PLAINLY(one.answer) for one in linings.foretold)

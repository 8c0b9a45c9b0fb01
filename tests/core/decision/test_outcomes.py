"""What a test can show: worked by hand from the levels of drag and the wear that faults leave."""

from __future__ import annotations

from types import SimpleNamespace

import numpy as np
import pytest

from mesotrope.core.answer.answer import overview
from mesotrope.core.decision.answered import Finding, _Explained, _explained
from mesotrope.core.decision.due_figures import figures_at, figures_of_vehicle
from mesotrope.core.decision.foretold import foretell, seen_in_steps
from mesotrope.core.decision.outcomes import SPIN_STEPS, corner_tests, spin_answers
from mesotrope.core.inference.densities import Driven
from mesotrope.core.language.corner import Corner
from mesotrope.knowledge import knowledge
from mesotrope.words import PLAINLY
from tests.documents import inspect

KNOWN = knowledge()


@pytest.fixture(scope="module")
def corner():
    """The space of a front corner, and what every test there would show."""
    short = overview(inspect({}), KNOWN)
    space = short.posterior.space.corners[Corner.FRONT_LEFT]
    driven = Driven.of(KNOWN, short.specification, "front", {}, None)
    tests = corner_tests(space, short.specification.axle_of(Corner.FRONT_LEFT), driven)
    return space, {finding: shows.at() for finding, shows in tests.items()}


def row_of(space, *faults):
    """The first row with just these faults and no visitor."""
    return next(
        n for n, parts in enumerate(space.parts)
        if tuple(fault.id for fault, _ in parts) == faults and not space.visitors(n)
    )  # fmt: skip


def test_a_spin_shows_the_torque_of_the_level_that_a_row_has(corner):
    space, shows = corner
    outcomes, _ = shows["spin"]
    for level, torque_nm in enumerate(KNOWN.drag.torque_nm):
        row = int(space.drag_chances[:, level].argmax())
        expected = space.drag_chances[row] @ np.log(KNOWN.drag.torque_nm)
        assert outcomes[row] @ SPIN_STEPS == pytest.approx(expected, abs=0.25), torque_nm


def test_pads_of_seized_pins_would_show_the_inner_thinner_and_sound_ones_alike(corner):
    space, shows = corner
    outcomes, _ = shows["pad_mm"]
    seized, sound = outcomes[row_of(space, "slide_pins_seized")], outcomes[row_of(space)]
    assert seized[6:].sum() > 2 * seized[:3].sum()
    assert sound[3:6].sum() > 0.6
    assert sound[4] > max(sound[3], sound[5])
    patterns = space.wear_patterns
    outer = int(np.flatnonzero(patterns.of_row == (patterns.outer - patterns.inner).argmax())[0])
    assert outcomes[outer][:4].sum() > 2 * outcomes[outer][5:].sum()  # where the outer pad wears most, it is thinner


def test_the_answers_of_a_spin_go_from_free_to_hard():
    words = [str(answer_) for answer_ in spin_answers(KNOWN)]
    assert words == sorted(words, key=["turns freely", "drags lightly", "drags", "drags hard"].index)


def test_a_measured_quantity_is_seen_over_its_whole_range_and_not_far_beyond():
    for likelihood in KNOWN.likelihoods:
        if likelihood.mean is not None:
            shares = seen_in_steps(likelihood)
            means = np.array(likelihood.mean)
            assert shares[0, means.argmin()] > 0.1, likelihood.key
            assert shares[-1, means.argmax()] > 0.1, likelihood.key


WEIGHTS = np.array([[0.8, 0.0, 0.8], [0.0, 0.2, 0.2]])  # piston, oiled lining; of all


def test_what_is_foretold_does_not_depend_on_what_all_the_weights_are_a_share_of():
    shows = np.array([[1.0, 0.0], [0.2, 0.8]])
    told = [foretell(["dry", "oiled"], shows, WEIGHTS * times, ["piston", "oiled"], 0.05) for times in (1.0, 3.7)]
    assert [(one.answer, one.leads) for one in told[0]] == [(one.answer, one.leads) for one in told[1]]
    assert [one.chance for one in told[0]] == pytest.approx([one.chance for one in told[1]])


def test_an_answer_that_hardly_moves_anything_speaks_of_what_leads():
    shows = np.array([[0.50, 0.50], [0.52, 0.48]])
    first, second = foretell(["so", "otherwise"], shows, WEIGHTS, ["piston", "oiled"], 0.05)
    assert (first.leads, second.leads) == ("piston", "piston")


def test_a_leading_explanation_alone_does_not_settle_what_is_not_explained_enough():
    shares = ((Corner.FRONT_LEFT, "hose_restricted", KNOWN.threshold["named_chance"] + 0.01),)
    enough = KNOWN.threshold["explained_chance"]
    assert not _Explained(shares, enough - 0.01).settled(KNOWN)
    assert _Explained(shares, enough).settled(KNOWN)


def test_together_is_the_chance_of_any_explanation():
    finding = Finding(Corner.FRONT_LEFT, "spin", "drags", None, explained_by=("hose_restricted",))
    due = SimpleNamespace(partner_explains=())
    explained = _explained(finding, due, {}, lambda *_: 0.6, 0.05)
    assert explained.together == pytest.approx(0.6)


def figures(corners, system=None, **vehicle):
    inspection = inspect(corners, system, **vehicle)
    short = overview(inspection, KNOWN)
    place = Corner.FRONT_LEFT
    return figures_at(place, inspection, short.specification, short.measures, KNOWN), inspection, short


def test_drag_over_the_partners_is_the_difference_of_both():
    sides = {"front_left": 40.0, "front_right": 15.0}
    found, *_ = figures(
        {side: {"pull_n": pull, "pull_radius_mm": 300.0} for side, pull in sides.items()}
    )  # 12.0 and 4.5 N·m, by force times radius
    assert found["drag_over_partner_nm"].value == pytest.approx(12.0 - 4.5)  # force times radius


@pytest.mark.parametrize(("left", "right", "differs"), [("EE", "FF", 1.0), ("FF", "EE", 1.0), ("ee", "EE", 0.0)])
def test_linings_differ_whichever_side_has_the_other_code(left, right, differs):
    found, *_ = figures({"front_left": {"pad_material": left}, "front_right": {"pad_material": right}})
    assert found["lining_differs"].value == differs


def test_fluid_that_boils_early_is_under_the_wet_boiling_point_by_the_difference():
    _, inspection, short = figures({}, {"fluid_boiling_c": 60.0}, fluid_grade="DOT 4")
    found = figures_of_vehicle(inspection, short.specification, short.measures, KNOWN)
    assert found["fluid_boiling_under_wet_k"].value == pytest.approx(155 - 60)  # wet DOT 4: 155 °C


def test_a_pedal_right_at_its_limit_is_low_where_screw_pistons_were_wound_home():
    """At the limit is over it, as in the table of what is due."""
    wound = {"axles": {"rear": {"caliper": "floating", "pistons": 1, "parking_brake": "integral_cable"}}}
    for travel, told in ((KNOWN.limit["pedal_long"], True), (KNOWN.limit["pedal_long"] - 0.01, False)):
        inspection = inspect({}, {"pedal_travel": travel}, **wound)
        visit = inspection.visit.model_copy(update={"recent_work": ["pads_rear"]})
        short = overview(inspection.model_copy(update={"visit": visit}), KNOWN)
        first = short.decision.actions[:1]
        assert any("cycle the parking brake" in PLAINLY(one.because) for one in first) == told, travel

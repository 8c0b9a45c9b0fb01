"""Paths, judgement and debrief: its arithmetic against the engine's own."""

from __future__ import annotations

import dataclasses
import math

import pytest

from mesotrope.core.answer.answer import overview
from mesotrope.core.decision.check_next import next_tests
from mesotrope.core.decision.costs import comeback_cost, failing_cost
from mesotrope.core.language.corner import VEHICLE, Corner
from mesotrope.core.plan.worth import cure_of, price_of
from mesotrope.core.practice.acts import Act
from mesotrope.core.practice.bay import Bay
from mesotrope.core.practice.debrief import debrief
from mesotrope.core.practice.hints import hint
from mesotrope.core.practice.judged import Commitment, judge
from mesotrope.core.practice.numbers import Drawn, number_of_drawn
from mesotrope.core.practice.paths import best_path, fixed_order, path_taken
from mesotrope.core.practice.physics_told import why
from mesotrope.core.practice.vehicle import mystery_of
from mesotrope.knowledge import knowledge
from mesotrope.words import PLAINLY

KNOWN = knowledge()
LEFT, RIGHT = Corner.FRONT_LEFT, Corner.FRONT_RIGHT
HOSE = mystery_of(2, KNOWN)


def commitment(*faults, work=(), safe=True):
    return Commitment(frozenset(faults), frozenset(work), safe)


def test_the_best_path_makes_what_the_engine_offers_first_knowing_only_what_was_found():
    bay = Bay(HOSE, KNOWN)
    for told in best_path(HOSE, KNOWN).told:
        act = told.step.act
        if act.kind == "test":
            short = overview(bay.inspection(), KNOWN)
            tests = next_tests(
                short.posterior, bay.inspection(), short.specification, short.measures, KNOWN, short.decision
            )
            assert (act.place, act.what) in {(t.corner, t.finding) for t in tests if t.offered}
        bay.do(act)
        after = overview(bay.inspection(), KNOWN)
        assert told.truth == pytest.approx([after.chances.get(one, 0.0) for one in HOSE.truth])
    short = overview(bay.inspection(), KNOWN)
    tests = next_tests(short.posterior, bay.inspection(), short.specification, short.measures, KNOWN, short.decision)
    assert not [t for t in tests if t.offered and not bay.why_not(*_test_at(bay, t))]


def _test_at(bay, wanted):
    return next((place, t) for place, t in bay.tests() if (place, t.finding) == (wanted.corner, wanted.finding))


def test_the_hose_is_sure_once_the_bleeder_was_opened():
    """The lesson itself: common practice, and the reason why the bleeder is opened before a caliper is bought."""
    best = best_path(HOSE, KNOWN)
    opened = next(one for one in best.told if one.step.act.what == "bleeder_opened")
    assert opened.weight_db > 6
    assert opened.truth[0] > 0.98
    assert opened.step.act.place == RIGHT
    seen = best.settling.step  # the eye had accused it before
    assert (seen.act.what, seen.act.place) == ("hose", RIGHT)
    assert seen.clock < opened.step.clock
    assert best.told[0].step.act.kind == "press"
    assert best.minutes < fixed_order(HOSE, KNOWN).clock / 5


def test_the_best_path_is_never_longer_on_average_than_the_whole_fixed_order():
    """`make calibrate` prints it over 200 numbers."""
    numbers = [number_of_drawn(Drawn("car", "one_fault", seed), KNOWN.practice) for seed in (1, 2)]
    mysteries = [mystery_of(number, KNOWN) for number in numbers]
    best = sum(best_path(m, KNOWN).minutes for m in mysteries)
    assert best < 0.6 * sum(fixed_order(m, KNOWN).clock for m in mysteries)


def test_a_path_says_what_each_test_told_and_which_were_needless():
    acts = [Act("press"), Act("test", "spin", RIGHT), Act("test", "bleeder_opened", RIGHT),
            Act("test", "rotor_mm", Corner.REAR_LEFT), Act("hint", "next")]  # fmt: skip
    path = path_taken(HOSE, acts, KNOWN)
    told = {one.step.act.what: one for one in path.told}
    assert told["bleeder_opened"].weight_db > 6
    assert told["rotor_mm"].needless
    assert not told["bleeder_opened"].needless
    assert abs(told["rotor_mm"].weight_db) < 2.5
    assert path.minutes == path.told[-1].step.clock
    assert path.told[0].truth == (0.0,)


def test_a_needless_test_is_not_the_one_that_makes_a_spoiled_reading_good():
    acts = [Act("test", "spin", RIGHT), Act("press"), Act("test", "spin", RIGHT)]
    first, _, again = path_taken(HOSE, acts, KNOWN).told
    assert first.step.spoiled
    assert not again.needless


# -- judging -----------------------------------------------------------------------------------------------------


def test_a_bill_is_price_what_is_left_and_what_comes_back():
    """By hand, from the engine's own prices: a caliper bought for a bad hose cures nothing of it."""
    wrong = judge(HOSE, commitment((RIGHT, "piston_not_releasing"), work=[(RIGHT, "replace_caliper")]), KNOWN)
    work = frozenset({(RIGHT, "replace_caliper"), (VEHICLE, "bleed_system"), (VEHICLE, "flush_fluid")})
    assert wrong.chosen.work == work
    assert wrong.chosen.price == pytest.approx(price_of(work, KNOWN))
    uncured = (1 - cure_of((RIGHT, "hose_restricted"), work, KNOWN)) * failing_cost("hose_restricted", KNOWN)
    again = 1 - math.prod(1 - KNOWN.cost[action].again for _, action in work)
    due = wrong.chosen.left - uncured - again * comeback_cost(KNOWN)
    assert due >= comeback_cost(KNOWN)  # cracked linings and hose are left as well
    assert wrong.over == pytest.approx(wrong.chosen.whole - wrong.best.whole)
    assert wrong.missed == ((RIGHT, "hose_restricted"),)
    assert wrong.wrong == ((RIGHT, "piston_not_releasing"),)


def test_the_best_work_costs_no_more_than_anything_committed_to():
    best = judge(HOSE, commitment(work=[]), KNOWN).best
    for work in ([], [(RIGHT, "replace_hose")], best.work, [(RIGHT, "replace_caliper"), (RIGHT, "replace_hose")]):
        judged = judge(HOSE, commitment(work=work), KNOWN)
        assert judged.best.whole <= judged.chosen.whole + 1e-9
        assert judged.over >= 0
    assert judge(HOSE, commitment(work=best.work), KNOWN).over == pytest.approx(0)
    assert (RIGHT, "replace_hose") in best.work


def test_nothing_is_the_best_work_for_nothing():
    nothing = mystery_of(10, KNOWN)
    judged = judge(nothing, commitment(), KNOWN)
    assert (judged.right, judged.missed, judged.wrong, judged.danger) == ((), (), (), ())
    assert judged.best.whole == judged.chosen.whole == 0
    sold = judge(nothing, commitment((LEFT, "hose_restricted"), work=[(LEFT, "replace_hose")]), KNOWN)
    assert sold.over > 50
    assert judge(nothing, commitment(safe=False), KNOWN).false_alarm


def test_a_missed_danger_costs_most():
    number = number_of_drawn(Drawn("car", "neglected", 2), KNOWN.practice)  # a corner that does not brake
    danger = mystery_of(number, KNOWN)
    assert "piston_seized_released" in {fault for _, fault in danger.truth}
    acts = [Act("press"), Act("test", "spin", LEFT)]
    let_go, kept = (debrief(danger, acts, commitment(*danger.truth, safe=safe), KNOWN) for safe in (True, False))
    assert let_go.judged.missed_danger
    assert not kept.judged.missed_danger
    assert let_go.points <= kept.points - KNOWN.practice.points["missed_danger"] or let_go.points == 0
    assert "must not be driven" in PLAINLY(let_go.deducted[0].why)


def test_points_are_the_whole_less_what_was_lost():
    acts = [one.step.act for one in best_path(HOSE, KNOWN).told]
    best = judge(HOSE, commitment(), KNOWN).best.work
    perfect = debrief(HOSE, acts, commitment(*HOSE.truth, work=best), KNOWN)
    assert (perfect.points, perfect.deducted) == (100, ())
    helped = debrief(HOSE, [*acts, Act("hint", "suspects")], commitment(*HOSE.truth, work=best), KNOWN)
    assert helped.points == 100 - KNOWN.practice.points["hint_suspects"]
    lost = debrief(HOSE, [Act("test", "pin", LEFT), Act("press")], commitment(safe=False), KNOWN)
    assert lost.points == max(0, 100 - sum(one.points for one in lost.deducted))
    assert len(lost.mishaps) == 1


# -- hints and physics -------------------------------------------------------------------------------------------


def test_hints_say_what_the_engine_would():
    bay = Bay.after(HOSE, [Act("press"), Act("test", "spin", RIGHT), Act("test", "hose", RIGHT)], KNOWN)
    told = hint(bay, "suspects", KNOWN)
    assert told.suspects[0][0] == (RIGHT, "hose_restricted")
    chances = overview(bay.inspection(), KNOWN).chances
    assert all(chances[suspect] == pytest.approx(p) for suspect, p in told.suspects)
    assert hint(bay, "next", KNOWN).test.decides


def test_the_physics_of_a_reading_adds_up():
    bay = Bay.after(HOSE, [Act("press"), Act("test", "spin", RIGHT)], KNOWN)
    spin = bay.steps[-1]
    held, base = HOSE.vehicle.corners[RIGHT].drag_nm, HOSE.vehicle.base_nm["front"]
    assert PLAINLY(why(HOSE, spin, KNOWN)) == (
        f"held by {held:.1f} N·m hose holds pressure, {base:.1f} N·m driveline and seal"
    )
    assert spin.held == {"hose_restricted": pytest.approx(held)}
    assert why(HOSE, bay.steps[0], KNOWN) == ""


@pytest.mark.parametrize("number", [1, 3, 5, 7, 8, 471133])
def test_every_reading_has_its_physics_in_words(number):
    mystery = mystery_of(number, KNOWN)
    for step in fixed_order(mystery, KNOWN).steps:
        words = PLAINLY(why(mystery, step, KNOWN))
        assert "{" not in words
        if step.act.kind == "test" and isinstance(step.act.place, Corner):
            assert words


def test_an_eye_that_erred_is_told():
    mystery = mystery_of(8, KNOWN)
    bay = Bay(mystery, KNOWN)
    step = bay.do(Act("test", "bearing", LEFT))
    wrong = dataclasses.replace(step, found={"bearing": "rough"})
    assert "an eye errs once in 29" in PLAINLY(why(mystery, wrong, KNOWN))

"""Progress: grades from a debrief, spacing by FSRS, and the next vehicle from what was missed."""

from __future__ import annotations

import datetime

import pytest

from mesotrope.core.language.corner import Corner
from mesotrope.core.practice.acts import Act
from mesotrope.core.practice.debrief import debrief
from mesotrope.core.practice.judged import Commitment, judge
from mesotrope.core.practice.paths import best_path
from mesotrope.core.practice.progress import Review, grades_of, next_key, next_number, standings
from mesotrope.core.practice.vehicle import mystery_of
from mesotrope.knowledge import knowledge

KNOWN = knowledge()
FIGURES = KNOWN.practice
NOW = datetime.datetime(2026, 5, 4, 9, 0)
HOSE = mystery_of(2, KNOWN)


def days(count):
    return datetime.timedelta(days=count)


def grades(faults, acts, *, work=(), safe=True):
    told = debrief(HOSE, acts, Commitment(frozenset(faults), frozenset(work), safe), KNOWN)
    return grades_of(told, FIGURES)


def test_right_alone_is_good_with_help_is_hard_and_missed_is_again():
    acts = [one.step.act for one in best_path(HOSE, KNOWN).told]
    best = judge(HOSE, Commitment(frozenset(), frozenset(), True), KNOWN).best.work
    alone = grades(HOSE.truth, acts, work=best)
    assert alone == {
        "fault:hose_restricted": 3, "skill:hose_or_piston": 3, "skill:order": 4, "skill:stopping": 4, "skill:safety": 3,
    }  # fmt: skip
    assert grades(HOSE.truth, [*acts, Act("hint", "next")])["fault:hose_restricted"] == 2
    missed = grades([(Corner.FRONT_RIGHT, "piston_not_releasing")], [Act("press")], safe=False)
    assert missed["fault:hose_restricted"] == missed["fault:piston_not_releasing"] == 1
    assert missed["skill:hose_or_piston"] == missed["skill:stopping"] == missed["skill:safety"] == 1


def test_needless_tests_are_not_knowing_when_to_stop_and_unpressed_wheels_are_no_order():
    acts = [one.step.act for one in best_path(HOSE, KNOWN).told]
    more = [Act("test", name, Corner.REAR_LEFT) for name in ("hose", "leak", "bleeder", "shield")]
    more = [act for act in more if act not in acts]
    late = grades(HOSE.truth, [*acts, *more])
    assert late["skill:stopping"] == 2
    unpressed = grades(HOSE.truth, [Act("test", "spin", Corner.FRONT_RIGHT)])
    assert unpressed["skill:order"] == 2


def test_what_was_missed_comes_sooner_and_is_known_less():
    reviews = [Review("fault:hose_restricted", 1, NOW), Review("fault:booster_weak", 3, NOW),
               Review("skill:order", 4, NOW)]  # fmt: skip
    standing = standings(reviews, NOW + days(1))
    due = [standing[key].due for key in ("fault:hose_restricted", "fault:booster_weak", "skill:order")]
    assert due == sorted(due)
    assert standing["fault:hose_restricted"].recall < standing["fault:booster_weak"].recall
    assert 0 < standing["skill:order"].recall <= 1


def test_what_was_got_right_again_and_again_comes_ever_later():
    """A law of spacing: each success, at the time it was due, stretches the next interval."""
    moment, gaps, reviews = NOW, [], []
    for _ in range(4):
        reviews.append(Review("fault:hose_restricted", 3, moment))
        due = standings(reviews, moment)["fault:hose_restricted"].due
        gaps.append(due - moment)
        moment = due
    assert gaps == sorted(gaps)
    assert gaps[-1] > 3 * gaps[0]
    assert standings(reviews, moment)["fault:hose_restricted"].recall == pytest.approx(0.9, abs=0.01)


def test_reviews_are_read_in_their_order_in_time():
    reviews = [Review("skill:order", 3, NOW), Review("skill:order", 1, NOW + days(3))]
    assert standings(reviews, NOW + days(4)) == standings(reversed(reviews), NOW + days(4))
    assert standings(reviews, NOW + days(4))["skill:order"].last == 1
    assert standings([], NOW) == {}


def test_what_is_due_comes_first_then_what_was_never_met():
    assert next_key({}, FIGURES, NOW) == f"fault:{FIGURES.faults[0]}"
    missed = standings([Review("fault:shield_contact", 1, NOW), Review("skill:taper", 1, NOW)], NOW + days(30))
    assert next_key(missed, FIGURES, NOW + days(30)) in missed
    fresh = standings([Review("fault:piston_not_releasing", 3, NOW)], NOW)
    assert next_key(fresh, FIGURES, NOW) == f"fault:{FIGURES.faults[1]}"
    everything = standings([Review(f"fault:{fault}", 3, NOW) for fault in FIGURES.faults], NOW)
    assert next_key(everything, FIGURES, NOW) in everything


@pytest.mark.parametrize("key", [*(f"fault:{f}" for f in FIGURES.faults), *(f"skill:{s.id}" for s in FIGURES.skill)])
def test_the_next_vehicle_practises_what_is_asked_and_is_another_each_turn(key):
    numbers = [next_number(key, turn, KNOWN) for turn in range(3)]
    assert len(set(numbers)) == 3
    for number in numbers:
        truth = {fault for _, fault in mystery_of(number, KNOWN).truth}
        kind, _, name = key.partition(":")
        if kind == "fault":
            assert name in truth
        elif FIGURES.skills[name].faults:
            assert truth & set(FIGURES.skills[name].faults)

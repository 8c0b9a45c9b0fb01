"""How far the work has come, where more is found half-way: laws over simulated vehicles. Common practice."""

from __future__ import annotations

import datetime
import json

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from mesotrope.core.answer.answer import diagnose
from mesotrope.core.evidence.job_numbers import job_numbers
from mesotrope.core.language.corner import VEHICLE, Corner
from mesotrope.core.language.inspection import parse_inspection
from mesotrope.core.plan.card_step import CardStep
from mesotrope.core.plan.packages import compare_all, plan_of
from mesotrope.core.plan.work_card import CLOSING, work_card
from mesotrope.core.simulator import inspect_vehicle, simulate_vehicle
from mesotrope.knowledge import knowledge
from mesotrope.services.progress import progress_of
from mesotrope.services.records import Record

SCHOOLS = {school.id: school.default for school in knowledge().schools}
NOON = datetime.datetime(2026, 5, 4, 12, 0)

#: What follows from other work: it is done again where more of that comes.
FOLLOWS = {"bleed_system"}


def kept(kind, subject, value, at=NOON):
    return Record(kind, subject, value, "", "somebody", "technician", at)


def planned(document):
    """The card of an inspection, and the work on it."""
    inspection = parse_inspection(json.dumps(document))
    answer = diagnose(inspection, knowledge())
    plan = plan_of(answer.decision.actions, compare_all(answer, inspection, knowledge()))
    numbers = job_numbers(inspection, answer.specification, answer.measures, knowledge())
    card = work_card(plan, inspection, answer.specification, numbers, SCHOOLS, knowledge())
    return card, tuple((one.corner, one.action) for one in plan if one.action != "no_action")


def ticked_off(card):
    return {("tick", step.id): kept("tick", step.id, sorted(step.done_for) or True) for step in card.steps}


KINDS, AXLES = st.sampled_from(["car", "light_truck", "motorcycle"]), st.sampled_from(["front", "rear"])


@settings(max_examples=12, deadline=None)
@given(st.integers(0, 10_000), KINDS, AXLES)
def test_what_was_done_stays_done_and_nothing_else_is_said_to_be(seed, kind, first):
    """One axle is looked at and done, every step ticked off; then the other is looked at."""
    random = np.random.default_rng(seed)
    whole = inspect_vehicle(random, simulate_vehicle(random, kind), thorough=4)
    found = whole["findings"]
    at_first = {name: corner for name, corner in found["corners"].items() if Corner(name).axle == first}
    (card, work), (later, more) = planned({**whole, "findings": {**found, "corners": at_first}}), planned(whole)
    made = progress_of(card.steps, work, ticked_off(card), 0)
    assert (made.ticked, set(made.done), made.more) == ({step.id for step in card.steps}, set(work), {})
    now = progress_of(later.steps, more, ticked_off(card), 0)
    assert set(now.done) <= set(work)
    assert set(now.done) >= {one for one in more if one in work and one[1] not in FOLLOWS}
    new_places = {str(place) for place, _ in set(more) - set(work) if place is not VEHICLE}
    before = {step.id: set(step.done_for) for step in card.steps}
    for step in later.steps:
        after_all = step.phase in CLOSING and step.id != "bed"
        if new_places and (after_all or new_places & (step.done_for - before.get(step.id, set()))):
            assert step.id not in now.ticked, step.id
    # and once all of it is ticked off, all of it is done, whatever was planned before
    assert set(progress_of(later.steps, more, ticked_off(later), 0).done) == set(more)


STEP = CardStep("replace_pads", "friction", "new pads", (Corner.REAR_LEFT, Corner.REAR_RIGHT))
REAR = tuple((corner, "replace_pads") for corner in STEP.where)


def test_a_step_struck_out_before_and_ticked_off_since_is_done():
    records = {
        ("struck", "replace_pads"): kept("struck", "replace_pads", ["rear_left"]),
        ("tick", "replace_pads"): kept("tick", "replace_pads", ["rear_left", "rear_right"]),
    }
    made = progress_of([STEP], REAR, records, 0)
    assert (made.ticked, made.struck, made.more, made.done) == ({"replace_pads"}, set(), {}, REAR)


def test_what_earlier_versions_ticked_off_stands_for_all():
    made = progress_of([STEP], REAR, {("tick", "replace_pads"): kept("tick", "replace_pads", True)}, 0)
    assert (made.ticked, made.done) == ({"replace_pads"}, REAR)


ONE, BOTH = ["rear_left/replace_pads"], ["rear_left/replace_pads", "rear_right/replace_pads"]


@pytest.mark.parametrize(
    ("value", "chosen_minutes_later", "last_entry", "stands"),
    [
        ({"as": "released"}, None, 99, True),  # of before it said what was planned
        ({"as": "released", "planned": BOTH, "entry": 7}, None, 99, True),
        ({"as": "released", "planned": ONE, "entry": 7}, None, 7, True),  # nobody found more
        ({"as": "released", "planned": ONE, "entry": 7}, None, 8, False),
        ({"as": "restricted", "planned": ONE, "entry": 7}, None, 8, False),
        ({"as": "unsafe", "planned": ONE, "entry": 7}, None, 8, True),  # it did not leave
        ({"as": "released", "planned": ONE, "entry": 7}, 5, 7, False),
        ({"as": "released", "planned": ONE, "entry": 7}, -5, 7, True),
    ],
)
def test_a_release_stands_until_somebody_finds_or_chooses_more(value, chosen_minutes_later, last_entry, stands):
    records = {("release", ""): kept("release", "", value)}
    if chosen_minutes_later is not None:
        at = NOON + datetime.timedelta(minutes=chosen_minutes_later)
        records["package", "rear"] = kept("package", "rear", [], at)
    made = progress_of([STEP], REAR, records, last_entry)
    assert (made.release is not None) is stands
    assert (made.overtaken is None) is stands
    if not stands:
        assert made.overtaken[1] == {"rear_right/replace_pads"}

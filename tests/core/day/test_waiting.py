"""What a job waits for: every state of the day, in its order."""

from __future__ import annotations

import datetime
from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from mesotrope.core.day.waiting import SETTABLE, STATES, JobFacts, Told, minutes_to_go, waits_for
from mesotrope.knowledge import knowledge
from mesotrope.words import PLAINLY

#: A job as it goes through a day, each line one step further.
ON_ITS_WAY = [
    ("inspect", JobFacts(found=False)),
    ("next_test", JobFacts(found=True, test="open the bleeder")),
    ("verdict", JobFacts(found=True)),
    ("approval", JobFacts(found=True, sign_off="waits")),
    ("owner", JobFacts(found=True, sign_off="stands", work=True, parts="to_order", steps=12)),
    ("parts", JobFacts(found=True, sign_off="stands", work=True, agreed=True, parts="ordered", steps=12)),
    ("work", JobFacts(found=True, sign_off="stands", work=True, agreed=True, parts="here", steps=12, done=4)),
    ("proof", JobFacts(True, sign_off="stands", work=True, agreed=True, parts="here", steps=12, done=12, unproved=3)),
    ("release", JobFacts(True, sign_off="stands", work=True, agreed=True, parts="here", steps=12, done=12)),
    ("collect", JobFacts(True, sign_off="stands", work=True, agreed=True, released="released")),
    ("unsafe", JobFacts(True, sign_off="stands", work=True, agreed=True, released="unsafe")),
]


@pytest.mark.parametrize(("state", "job"), ON_ITS_WAY)
def test_a_job_on_its_way(state, job):
    assert waits_for(job).state == state


def test_every_state_is_reached_on_the_way_or_said_by_people():
    assert {state for state, _ in ON_ITS_WAY} | set(SETTABLE) == set(STATES)


def test_the_step_that_comes_next_is_named():
    job = dict(ON_ITS_WAY)["work"]
    assert PLAINLY(waits_for(job).said) == "work: step 5 of 12"


def test_a_verdict_that_changed_is_signed_again_before_anything_else():
    job = replace(dict(ON_ITS_WAY)["next_test"], sign_off="changed")
    assert PLAINLY(waits_for(job).said) == "verdict to be signed: it changed since it was signed"


def test_work_that_was_begun_waits_for_nobody_any_more():
    begun = replace(dict(ON_ITS_WAY)["owner"], done=1)
    assert waits_for(begun).state == "work"


@given(st.sampled_from([job for _, job in ON_ITS_WAY]), st.sampled_from(SETTABLE))
def test_what_a_person_said_goes_before_until_the_vehicle_has_left(job, state):
    told = Told(state, "caliper, rear left", datetime.date(2026, 3, 5))
    said = waits_for(replace(job, told=told))
    if job.released:
        assert said == waits_for(job)
    else:
        assert (said.state, said.detail, said.until) == (state, "caliper, rear left", datetime.date(2026, 3, 5))


def test_minutes_grow_less_with_every_step_and_end_with_the_release():
    usual = knowledge().of_the_day
    left = [minutes_to_go(job, 80.0, 10.0, usual) for _, job in ON_ITS_WAY[3:]]
    assert left == sorted(left, reverse=True)
    assert left[-1] == 0.0

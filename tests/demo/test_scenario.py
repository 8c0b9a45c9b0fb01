"""The made-up scenario: believable, whole, and diagnosed as it was thought through."""

from __future__ import annotations

import datetime
import json
import re

import pytest

from mesotrope.core.answer.answer import diagnose
from mesotrope.core.day.waiting import STATES
from mesotrope.core.language.corner import VEHICLE, Corner
from mesotrope.core.language.inspection import parse_inspection
from mesotrope.demo.load import load_demo, scenario
from mesotrope.knowledge import knowledge
from mesotrope.services.day_plan import plan_of_the_day
from mesotrope.services.jobs import open_job
from mesotrope.services.passwords import Passwords
from mesotrope.services.signing_in import demo_people, open_session, who_is
from mesotrope.store.instance import Instance
from mesotrope.store.migrate import migrate
from mesotrope.store.session import Database

#: What each vehicle was made up to have: corner, fault, verdict of the vehicle.
THOUGHT_THROUGH = {
    "0-QLB-01": (Corner.FRONT_RIGHT, "piston_not_releasing", "replace"),
    "0-QLB-02": (Corner.FRONT_LEFT, "slide_pins_seized", "replace"),
    "0-QLB-03": (Corner.FRONT_RIGHT, "piston_hung_one_of_several", "replace"),
    "0-QLB-04": (Corner.FRONT_LEFT, "piston_not_releasing", "replace"),
    "0-QLB-05": ("front", "pad_bound_outer", "service"),
    "0-QLB-06": (Corner.REAR_LEFT, "parking_brake_holding", "unsafe"),
    "0-QLB-07": (Corner.FRONT_RIGHT, "hose_restricted", "replace"),
    "0-QLB-08": (Corner.FRONT_LEFT, "worn_out_normally", "replace"),
    "0-QLB-09": (Corner.FRONT_LEFT, "piston_seized_released", "unsafe"),
    "0-QLB-11": (VEHICLE, "air_in_hydraulics", "service"),
}


@pytest.fixture(scope="module")
def demo(instance: Instance):
    """A database of its own with the scenario in it."""
    instance.start(("mesotrope_demo",))
    url = instance.url("mesotrope_demo")
    migrate(url)
    database = Database(url)
    now = datetime.datetime(2026, 5, 4, 12, 0)
    assert load_demo(database, knowledge(), Passwords.with_cost(16, 1), now=now)
    yield database, now
    database.close()


def _who(demo, name):
    database, now = demo
    person = next(person for person in demo_people(database) if person.name.startswith(name))
    return who_is(database, open_session(database, person.id, now=now, hours=1), now=now)


@pytest.mark.parametrize("plate", THOUGHT_THROUGH)
def test_each_vehicle_is_diagnosed_as_it_was_thought_through(plate):
    job = next(j for j in scenario()["job"] if j["vehicle"].get("registration") == plate and "label" in j["vehicle"])
    document = {"vehicle": job["vehicle"], "visit": job["visit"], "findings": {"corners": job.get("corners", {})}}
    document["findings"]["system"] = job.get("system", {})
    out = diagnose(parse_inspection(json.dumps(document)), knowledge())
    corner, fault, verdict = THOUGHT_THROUGH[plate]
    here = {f: p for (where, f), p in out.chances.items() if where == corner and f != "no_fault"}
    assert max(here, key=here.get) == fault
    assert out.decision.verdict == verdict


def test_today_holds_eleven_vehicles_of_all_kinds_in_different_stages(demo, day_of):
    database, _ = demo
    jobs = day_of(_who(demo, "Bram"), database)
    assert len(jobs) == 11
    linings = {len(job.stand.glance.linings) for job in jobs}
    assert linings == {4, 3, 2}  # cars and trucks, motorcycles with two discs or one
    assert any(not job.stand.glance.stage for job in jobs)
    assert jobs == sorted(jobs, key=lambda job: job.opened_at)


def test_some_have_a_history(demo, day_of):
    database, _ = demo
    who = _who(demo, "Bram")
    histories = [open_job(database, job.id, by=who, knowledge=knowledge()).earlier for job in day_of(who, database)]
    assert sum(bool(history) for history in histories) == 2


def test_the_neighbours_see_only_their_own(demo, day_of):
    database, _ = demo
    assert [job.label for job in day_of(_who(demo, "Petra"), database)] == ["Brown minibus"]


def test_loading_twice_changes_nothing(demo):
    database, now = demo
    assert not load_demo(database, knowledge(), Passwords.with_cost(16, 1), now=now)
    assert len(demo_people(database)) == 6


def test_plates_are_none_that_an_office_issues():
    for job in scenario()["job"]:
        assert re.fullmatch(r"0-[A-Z]{3}-\d\d", job["vehicle"]["registration"])


def test_a_full_day_has_a_job_in_every_state_and_one_that_is_late(instance, day_of):
    instance.start(("mesotrope_full_day",))
    url = instance.url("mesotrope_full_day")
    migrate(url)
    database, now = Database(url), datetime.datetime(2026, 5, 4, 12, 0)
    load_demo(database, knowledge(), Passwords.with_cost(16, 1), now=now, whole_day=True)
    lead = _who((database, now), "Ilse")
    jobs = day_of(lead, database)
    assert len(jobs) == 26
    said_by_people_alone = {"other", "verdict"}
    assert {job.waits.state for job in jobs} == set(STATES) - said_by_people_alone
    planned = plan_of_the_day(database, jobs, by=lead, now=now)
    assert [job.label for job in jobs if job.late(now)] == ["Grey estate"]
    late = {slot.task.id for slot in planned.plan.late}
    assert {job.id for job in jobs if job.late(now)} <= late
    assert len(late) <= 2
    assert len(planned.plan.without) <= 2  # a full day: not everything has its person and place
    database.close()

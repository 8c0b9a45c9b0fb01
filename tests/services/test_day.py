"""Today: what people settle of a job, and the plan made from it."""

from __future__ import annotations

import datetime
from dataclasses import replace

import pytest

from mesotrope.core.answer.answer import diagnose
from mesotrope.core.day.schedule import WorkPlace
from mesotrope.errors import InvalidInput, JobClosed, NotAllowed, NotFound
from mesotrope.knowledge import knowledge
from mesotrope.services.day_changes import hand_on, owner_said, promise, say_it_waits, stand_at
from mesotrope.services.day_plan import plan_of_the_day
from mesotrope.services.findings import record_finding
from mesotrope.services.jobs import take_in
from mesotrope.services.outcomes import close_job
from mesotrope.services.people import people_of, set_hours
from mesotrope.services.planned_jobs import planned_job
from mesotrope.services.plans import approve_verdict, sign_verdict
from mesotrope.services.records import records_of
from mesotrope.services.workshop import places_of, set_opening, set_places, week_of
from mesotrope.store.tables import Job
from mesotrope.words import Dates

ALWAYS = ["0:00-24:00"] * 7


@pytest.fixture
def job_of(database, clock):
    numbers = iter(range(1, 1000))

    def job(who, **more):
        number = next(numbers)
        return take_in(
            database, knowledge(), label=f"Van {number}", kind="car", registration="", odometer_km=None, usage="",
            complaint="drags", by=who, now=clock(), **more,
        )  # fmt: skip

    return job


@pytest.fixture
def shop(someone):
    """A lead, a technician and an apprentice of one workshop."""
    lead = someone(role="lead")
    return lead, *(someone(role=role, workshop=lead.workshop) for role in ("technician", "apprentice"))


def find_fault(database, clock, job, who):
    """What makes a verdict: a pad below its limit."""
    for side in ("inner", "outer"):
        record_finding(
            database, knowledge(), job, "front_left", f"pad_mm.{side}.lead_rim", "1.0", by=who, now=clock(),
            idempotency_key=f"thin-{job}-{side}",
        )  # fmt: skip


def planned(database, job, who):
    return planned_job(database, knowledge(), lambda here: diagnose(here.inspection, knowledge()), job, by=who)


def plan_of(database, job, who):
    return planned(database, job, who).plan


def only(jobs):
    [one] = jobs
    return one


def test_a_job_goes_from_hand_to_hand_with_its_note(database, clock, shop, job_of, day_of):
    lead, technician, apprentice = shop
    job = job_of(lead)
    assert only(day_of(lead)).who is None
    hand_on(database, job, apprentice.person_id, "pads are measured on the left", by=lead, now=clock())
    here = only(day_of(technician))
    assert (here.who, here.who_name) == (apprentice.person_id, apprentice.name)
    assert (here.has_it.note, here.has_it.by) == ("pads are measured on the left", lead.name)
    hand_on(database, job, technician.person_id, by=technician, now=clock())  # taken over
    assert only(day_of(lead)).who == technician.person_id
    hand_on(database, job, None, by=lead, now=clock())
    assert only(day_of(lead)).who is None
    kept = [(r.value, r.by) for r in records_of(database, job, by=lead) if r.kind == "has_it"]
    assert [by for _, by in kept] == [lead.name, technician.name, lead.name]


def test_it_is_given_to_nobody_of_another_workshop(database, clock, someone, shop, job_of):
    lead, stranger = shop[0], someone()
    job = job_of(lead)
    with pytest.raises(NotFound, match="no such person"):
        hand_on(database, job, stranger.person_id, by=lead, now=clock())
    with pytest.raises(NotFound, match="no such job"):
        hand_on(database, job, stranger.person_id, by=stranger, now=clock())


def test_a_promise_is_kept_by_the_workshops_clock_and_late_once_it_has_passed(database, clock, shop, job_of, day_of):
    lead = shop[0]
    job = job_of(lead)
    promise(database, job, "2026-05-04", "11:30", by=lead, now=clock())
    here = only(day_of(lead))
    assert here.promised == datetime.datetime(2026, 5, 4, 11, 30)
    assert not here.late(clock())
    clock.forward(121)
    assert here.late(clock())
    promise(database, job, "", "", by=lead, now=clock())
    assert only(day_of(lead)).promised is None


@pytest.mark.parametrize(
    ("day", "hour", "words"),
    [
        ("tomorrow", "", "a day and a time are needed"),
        ("2026-05-04", "noon", "a day and a time are needed"),
        ("2026-05-03", "12:00", "it lies in the past"),
        ("2031-05-04", "12:00", "more than a year ahead"),
    ],
)
def test_a_promise_that_cannot_be_is_refused(database, clock, shop, job_of, day, hour, words):
    job = job_of(shop[0])
    with pytest.raises(InvalidInput, match=words):
        promise(database, job, day, hour, by=shop[0], now=clock())


@pytest.mark.parametrize(("zone", "day"), [("Asia/Tokyo", "0001-01-01"), ("America/New_York", "9999-12-31")])
def test_a_promise_at_an_end_of_the_calendar_is_refused_in_every_zone(database, clock, shop, job_of, zone, day):
    job, there = job_of(shop[0]), replace(shop[0], dates=Dates(zone))
    with pytest.raises(InvalidInput, match="it lies in the past, or more than a year ahead"):
        promise(database, job, day, "23:30" if day > "2" else "00:30", by=there, now=clock())


def test_what_only_people_know_stands_until_it_is_taken_back(database, clock, shop, job_of, day_of):
    lead = shop[0]
    job = job_of(lead)
    say_it_waits(database, job, "parts", "caliper, rear left", "2026-05-07", by=lead, now=clock())
    waits = only(day_of(lead)).waits
    assert (waits.state, waits.detail, waits.until) == ("parts", "caliper, rear left", datetime.date(2026, 5, 7))
    say_it_waits(database, job, "", "", "", by=lead, now=clock())
    assert only(day_of(lead)).waits.state == "inspect"
    for what, words, until, message in (
        ("luck", "", "", "allowed: owner’s word, parts, something else"),
        ("other", " ", "", "cannot be empty"),
        ("parts", "", "Thursday", "a day is needed"),
    ):
        with pytest.raises(InvalidInput, match=message):
            say_it_waits(database, job, what, words, until, by=lead, now=clock())


def test_a_job_says_itself_what_it_waits_for(database, clock, shop, job_of, day_of):
    lead, technician, apprentice = shop
    job = job_of(lead)
    find_fault(database, clock, job, apprentice)
    assert only(day_of(lead)).waits.state in ("next_test", "verdict")
    sign_verdict(database, plan_of(database, job, apprentice), job, by=apprentice, now=clock())
    assert only(day_of(lead)).waits.state == "approval"
    approve_verdict(database, plan_of(database, job, lead), job, by=lead, now=clock())
    assert only(day_of(lead)).waits.state == "owner"
    with pytest.raises(InvalidInput, match="what the owner declined"):
        owner_said(database, job, "part", "", (), by=technician, now=clock())
    owner_said(database, job, "yes", "", planned(database, job, lead).work, by=technician, now=clock())
    assert only(day_of(lead)).waits.state == "parts"
    assert only(day_of(lead)).minutes > 0


def test_an_owner_who_declines_all_of_it_leaves_nothing_to_be_worked(database, clock, shop, job_of, day_of):
    lead = shop[0]
    job = job_of(lead)
    find_fault(database, clock, job, lead)
    sign_verdict(database, plan_of(database, job, lead), job, by=lead, now=clock())
    owner_said(database, job, "no", "all of it", planned(database, job, lead).work, by=lead, now=clock())
    here = only(day_of(lead))
    assert here.waits.state in ("proof", "release")
    assert here.stand.planned_minutes == 0.0


def test_a_closed_job_takes_none_of_it(database, clock, shop, job_of):
    lead = shop[0]
    job = job_of(lead)
    close_job(database, job, by=lead, now=clock())
    for use in (
        lambda: hand_on(database, job, lead.person_id, by=lead, now=clock()),
        lambda: promise(database, job, "2026-05-05", "", by=lead, now=clock()),
        lambda: say_it_waits(database, job, "parts", "", "", by=lead, now=clock()),
        lambda: owner_said(database, job, "yes", "", (), by=lead, now=clock()),
    ):
        with pytest.raises(JobClosed):
            use()


def test_none_of_two_hundred_open_jobs_is_hidden(database, clock, shop, job_of, day_of):
    lead = shop[0]
    first = job_of(lead)
    with database.of_workshop(lead.workshop_id) as session, session.begin():
        here = session.get_one(Job, first)
        more = [
            Job(vehicle_id=here.vehicle_id, opened_by=lead.person_id, opened_at=clock(), state="open", visit=here.visit)
            for _ in range(199)
        ]
        session.add_all(more)
    assert [one.id for one in day_of(lead)] == [first, *(job.id for job in more)]


def test_places_and_hours_are_a_leads_and_on_the_plan(database, clock, shop, job_of, day_of):
    lead, technician, _ = shop
    for use in (
        lambda: set_places(database, "Lift 1", by=technician, now=clock()),
        lambda: set_opening(database, ALWAYS, by=technician, now=clock()),
        lambda: set_hours(database, lead.person_id, ALWAYS, "", by=technician, now=clock()),
    ):
        with pytest.raises(NotAllowed, match="needs the role lead"):
            use()
    assert week_of(database, by=lead).usual
    set_opening(database, ALWAYS, by=lead, now=clock())
    set_places(database, "Lift 1\n- Bench", by=lead, now=clock())
    assert not week_of(database, by=lead).usual
    assert places_of(database, by=lead) == [WorkPlace("Lift 1"), WorkPlace("Bench", lift=False)]
    first, second = job_of(lead), job_of(lead)
    stand_at(database, first, "Lift 1", by=technician, now=clock())
    with pytest.raises(InvalidInput, match="allowed: Lift 1, Bench"):
        stand_at(database, second, "Lift 9", by=technician, now=clock())
    planned = plan_of_the_day(database, day_of(lead), by=lead, now=clock())
    assert [slot.place for slot in planned.plan.slots] == ["Lift 1", "Lift 1"]  # a car needs a lift, and there is one
    assert planned.plan.slots[0].end <= planned.plan.slots[1].start


def test_who_is_away_is_not_planned_for(database, clock, shop, job_of, day_of):
    lead, technician, apprentice = shop
    set_opening(database, ALWAYS, by=lead, now=clock())
    for person in (lead, apprentice):
        set_hours(database, person.person_id, [""] * 7, "2026-05-01 to 2026-05-31", by=lead, now=clock())
    job_of(lead)
    planned = plan_of_the_day(database, day_of(lead), by=lead, now=clock())
    assert [slot.who for slot in planned.plan.slots] == [technician.person_id]
    colleague = next(one for one in people_of(database, by=lead, now=clock()) if one.id == apprentice.person_id)
    assert colleague.away == "2026-05-01 to 2026-05-31"
    with pytest.raises(InvalidInput, match="it ends before it begins"):
        set_hours(database, lead.person_id, [""] * 7, "2026-05-05 to 2026-05-01", by=lead, now=clock())


def test_what_opens_the_hydraulics_asks_for_a_technician(database, clock, shop, job_of, day_of):
    lead, technician, apprentice = shop
    set_opening(database, ALWAYS, by=lead, now=clock())
    job = job_of(lead)
    record_finding(
        database,
        knowledge(),
        job,
        "front_left",
        "hose",
        "kinked",
        by=lead,
        now=clock(),
        idempotency_key="kinked-hose-1",
    )
    for person in (lead, technician):
        set_hours(database, person.person_id, [""] * 7, "2026-05-01 to 2026-05-31", by=lead, now=clock())
    assert only(day_of(lead)).stand.opens
    planned = plan_of_the_day(database, day_of(lead), by=lead, now=clock())
    assert dict(planned.plan.without) == {job: "time"}
    assert apprentice.person_id in planned.people


def test_parts_expected_on_a_day_are_not_planned_before(database, clock, shop, job_of, day_of):
    lead = shop[0]
    set_opening(database, ALWAYS, by=lead, now=clock())
    job = job_of(lead)
    say_it_waits(database, job, "parts", "", "2026-05-06", by=lead, now=clock())
    planned = plan_of_the_day(database, day_of(lead), by=lead, now=clock())
    assert planned.moment(planned.plan.slots[0].start) == datetime.datetime(2026, 5, 6)

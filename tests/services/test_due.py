"""What falls due of all vehicles: worked out when a visit ends, answered, and shown to whoever has the address."""

from __future__ import annotations

import datetime

import pytest

from mesotrope.core.language.corner import Corner
from mesotrope.core.plan.release import possible_releases
from mesotrope.errors import InvalidInput, LinkGone, NotAllowed, NotFound
from mesotrope.knowledge import knowledge
from mesotrope.services.day_changes import owner_said
from mesotrope.services.due import (
    answer_due,
    close_feed,
    due_in,
    feed_reader,
    has_feed,
    new_feed,
    refresh_due,
)
from mesotrope.services.findings import record_finding
from mesotrope.services.jobs import open_job, take_in
from mesotrope.services.outcomes import close_job, open_again
from mesotrope.services.proving import StopGap, keep_stop_gap, release
from mesotrope.services.rule_changes import set_rules


def free_to_go(stop_gap):
    return possible_releases([], found_unsafe=False, put_right=True, stop_gap=stop_gap, approved=True)


FAR = datetime.date(2040, 1, 1)


@pytest.fixture
def visit(database, clock):
    """Return a maker of visits of one vehicle, with both front-left pads measured."""

    def make(who, km=None, mm=None, plate="0-due-1"):
        job = take_in(
            database, knowledge(), label="Red van", kind="car", registration=plate, odometer_km=km, usage="",
            complaint="", confirmed=True, by=who, now=clock(),
        )  # fmt: skip
        if mm:
            for side in ("inner", "outer"):
                record_finding(
                    database, knowledge(), job, "front_left", f"pad_mm.{side}.lead_rim", f"{mm}", by=who, now=clock(),
                    idempotency_key=f"pads-{job}-{side}",
                )  # fmt: skip
        return job

    return make


def due(database, who, **more):
    assert refresh_due(database, knowledge(), by=who, knowledge_key="tests", works_for_s=None) == 0
    return {item.key: item for item in due_in(database, None, FAR, by=who, **more)}


def let_go(database, clock, job, who, how="released", **more):
    refused = free_to_go("" if how == "released" else "piston freed")
    release(database, job, how, more.pop("restriction", ""), [], refused, by=who, now=clock(), **more)


def test_nothing_is_due_of_a_visit_that_goes_on(database, someone, clock, visit):
    who = someone()
    visit(who, 40_000.0, 9.0)
    assert due(database, who) == {}


def test_a_release_says_when_to_come_back_for_what_was_done(database, someone, clock, visit):
    who = someone()
    job = visit(who, 40_000.0, 9.0)
    let_go(database, clock, job, who, done=[(Corner.FRONT_LEFT, "replace_pads")])
    found = due(database, who)
    assert {key: item.day.isoformat() for key, item in found.items()} == {"nuts": "2026-05-11", "brakes": "2027-05-04"}
    assert found["nuts"].here  # it was released, and stands here still


def test_a_restriction_and_a_stop_gap_are_due_on_their_days(database, someone, clock, visit):
    who = someone()
    job = visit(who)
    plan = StopGap("piston freed", declined="new caliper", until_day="2026-05-20")
    keep_stop_gap(database, job, plan, by=who, now=clock())
    let_go(database, clock, job, who, "restricted", restriction="no trailer", until="2026-05-18")
    found = due(database, who)
    assert found["restriction"].day == datetime.date(2026, 5, 18)
    assert found["stop_gap"].day == datetime.date(2026, 5, 20)
    assert found["declined"].told["words"] == "new caliper"


@pytest.mark.parametrize("wrong", ["soon", "2026-13-01"])
def test_a_last_day_that_is_none_is_refused(database, someone, clock, visit, wrong):
    who = someone()
    job = visit(who)
    with pytest.raises(InvalidInput, match="a day is needed"):
        keep_stop_gap(database, job, StopGap("piston freed", until_day=wrong), by=who, now=clock())
    with pytest.raises(InvalidInput, match="a day is needed"):
        let_go(database, clock, job, who, "restricted", restriction="no trailer", until=wrong)
    assert due(database, who) == {}


def test_pads_are_predicted_from_two_visits_and_again_when_a_limit_changes(database, someone, clock, visit):
    lead = someone(role="lead")
    first = visit(lead, 40_000.0, 9.0)
    close_job(database, first, by=lead, now=clock())
    clock.forward(365 * 24 * 60)
    second = visit(lead, 52_000.0, 6.6)
    close_job(database, second, by=lead, now=clock())
    predicted = due(database, lead)["pads_front"]
    assert predicted.first < predicted.day < predicted.last
    assert predicted.told["at_km"] == 70_000  # 2.4 mm in 12 000 km, 3.6 mm left to 3 mm
    open_again(database, second, by=lead, now=clock())
    assert "pads_front" not in due(database, lead)


def test_another_year_of_rules_works_everything_out_again(database, someone, clock, visit):
    lead = someone(role="lead")
    job = visit(lead)
    record_finding(
        database, knowledge(), job, "system", "fluid_age_months", "18", by=lead, now=clock(), idempotency_key="fluid-18"
    )
    close_job(database, job, by=lead, now=clock())
    before = due(database, lead)["fluid"].day
    set_rules(database, knowledge(), {"limit.fluid_age_months": "12"}, by=lead, now=clock())
    from dataclasses import replace

    from mesotrope.services.answers import Remembered

    newer = replace(lead, rules_version=lead.rules_version + 1)
    remember = Remembered(knowledge())
    known = remember.known(remember.figures(database, newer))
    refresh_due(database, known, by=newer, knowledge_key="tests", works_for_s=None)
    [after] = [item for item in due_in(database, None, FAR, by=newer) if item.key == "fluid"]
    assert (before - after.day).days in (365, 366)


def test_it_is_done_or_dismissed_with_a_reason_and_comes_back_with_the_next_visit(database, someone, clock, visit):
    who = someone()
    job = visit(who)
    vehicle = open_job(database, job, by=who, knowledge=knowledge()).vehicle_id
    let_go(database, clock, job, who, done=[(Corner.FRONT_LEFT, "replace_pads")])
    assert set(due(database, who)) == {"nuts", "brakes"}
    with pytest.raises(InvalidInput, match="reason for dismissing it"):
        answer_due(database, vehicle, job, "nuts", "dismissed", " ", by=who, now=clock())
    answer_due(database, vehicle, job, "nuts", "dismissed", "sold", by=who, now=clock())
    answer_due(database, vehicle, job, "brakes", "done", "", by=who, now=clock())
    assert due(database, who) == {}
    answer_due(database, vehicle, job, "nuts", "open", "", by=who, now=clock())
    assert set(due(database, who)) == {"nuts"}
    answer_due(database, vehicle, job, "nuts", "done", "", by=who, now=clock())
    close_job(database, job, by=who, now=clock())
    again = visit(who)
    let_go(database, clock, again, who, done=[(Corner.FRONT_LEFT, "replace_pads")])
    assert set(due(database, who)) == {"nuts", "brakes"}


def test_what_is_not_due_cannot_be_answered(database, someone, clock, visit):
    who, stranger = someone(), someone()
    job = visit(who)
    vehicle = open_job(database, job, by=who, knowledge=knowledge()).vehicle_id
    let_go(database, clock, job, who, done=[(Corner.FRONT_LEFT, "replace_pads")])
    due(database, who)
    for by, key in ((who, "moon"), (stranger, "nuts")):
        with pytest.raises(NotFound, match="no such date"):
            answer_due(database, vehicle, job, key, "done", "", by=by, now=clock())
    with pytest.raises(InvalidInput, match="allowed: done, dismissed, open again"):
        answer_due(database, vehicle, job, "nuts", "perhaps", "", by=who, now=clock())
    assert due(database, stranger) == {}


def test_what_an_owner_put_off_is_due_a_month_after_the_vehicle_left(database, someone, clock, visit):
    who = someone()
    job = visit(who)
    owner_said(database, job, "part", "rear rotors", (), by=who, now=clock())
    let_go(database, clock, job, who)
    item = due(database, who)["declined"]
    assert (item.day, item.told["words"]) == (datetime.date(2026, 6, 3), "rear rotors")


def test_the_calendars_address_is_a_leads_and_the_newest_alone_is_good(database, someone, clock):
    lead = someone(role="lead")
    with pytest.raises(NotAllowed, match="needs the role lead"):
        new_feed(database, by=someone(workshop=lead.workshop), now=clock())
    first = new_feed(database, by=lead, now=clock())
    assert feed_reader(database, first).workshop_id == lead.workshop_id
    second = new_feed(database, by=lead, now=clock())
    for token in (first, "", "guessed"):
        with pytest.raises(LinkGone, match="no address here any more"):
            feed_reader(database, token)
    assert has_feed(database, by=lead)
    close_feed(database, by=lead, now=clock())
    assert not has_feed(database, by=lead)
    with pytest.raises(LinkGone):
        feed_reader(database, second)

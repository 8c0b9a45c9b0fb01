"""Who works here: what a lead may change of whom, and the trail that nobody changes."""

from __future__ import annotations

import pytest
from sqlalchemy import delete, text, update
from sqlalchemy.exc import DBAPIError

from mesotrope.errors import InvalidInput, NotAllowed, NotFound, Unchangeable
from mesotrope.knowledge import knowledge
from mesotrope.services.audit import PAGE, note_by, note_export, trail_of
from mesotrope.services.jobs import take_in
from mesotrope.services.passwords import whose_link
from mesotrope.services.people import (
    add_colleague,
    end_all_sessions,
    end_their_sessions,
    give_role,
    link_for,
    people_of,
    switch,
)
from mesotrope.services.records import keep_record
from mesotrope.services.rule_changes import set_rules
from mesotrope.services.signing_in import open_session, still_signed_in
from mesotrope.store.tables import AuditEntry, FindingEntry, JobRecord, WorkshopRule


@pytest.fixture
def two(someone):
    """A lead and a technician of one workshop."""
    lead = someone(role="lead")
    return lead, someone(workshop=lead.workshop)


def _trail(database, lead, **asked):
    return [(line.act, line.subject, line.by) for line in trail_of(database, by=lead, **asked)]


def test_a_lead_adds_a_person_who_sets_their_own_password(database, two, clock):
    lead, _ = two
    token = add_colleague(database, " Nia ", "Nia Moor", "apprentice", by=lead, now=clock())
    assert whose_link(database, token, now=clock()) == "nia"
    added = next(person for person in people_of(database, by=lead, now=clock()) if person.sign_in_name == "nia")
    assert (added.name, added.role, added.active, added.sessions) == ("Nia Moor", "apprentice", True, 0)
    with pytest.raises(InvalidInput, match="it is taken"):
        add_colleague(database, "NIA", "Another", "lead", by=lead, now=clock())
    with pytest.raises(InvalidInput, match="allowed: apprentice, technician, lead"):
        add_colleague(database, "king", "King", "king", by=lead, now=clock())


def test_a_lead_changes_what_others_may_do_and_the_trail_says_so(database, two, clock):
    lead, who = two
    give_role(database, who.person_id, "apprentice", by=lead, now=clock())
    give_role(database, who.person_id, "apprentice", by=lead, now=clock())  # the same again is no change
    switch(database, who.person_id, False, by=lead, now=clock())
    switch(database, who.person_id, True, by=lead, now=clock())
    link_for(database, who.person_id, by=lead, now=clock())
    assert _trail(database, lead) == [
        ("password_link", who.name, lead.name),
        ("switched_on", who.name, lead.name),
        ("switched_off", who.name, lead.name),
        ("role", f"{who.name}: technician to apprentice", lead.name),
    ]
    assert _trail(database, lead, act="role") == [("role", f"{who.name}: technician to apprentice", lead.name)]


def test_sessions_are_ended_on_every_device_ones_own_and_a_colleagues(database, two, clock):
    lead, who = two
    tokens = [open_session(database, who.person_id, now=clock(), hours=1) for _ in range(2)]
    end_their_sessions(database, who.person_id, by=lead, now=clock())
    assert not any(still_signed_in(database, token, now=clock()) for token in tokens)
    token = open_session(database, lead.person_id, now=clock(), hours=1)
    end_all_sessions(database, by=lead, now=clock())
    assert not still_signed_in(database, token, now=clock())


ACTS = [
    lambda database, person, by, now: people_of(database, by=by, now=now),
    lambda database, person, by, now: add_colleague(database, "x", "X", "lead", by=by, now=now),
    lambda database, person, by, now: link_for(database, person, by=by, now=now),
    lambda database, person, by, now: switch(database, person, False, by=by, now=now),
    lambda database, person, by, now: give_role(database, person, "lead", by=by, now=now),
    lambda database, person, by, now: end_their_sessions(database, person, by=by, now=now),
    lambda database, person, by, now: trail_of(database, by=by),
]


@pytest.mark.parametrize("act", ACTS)
def test_nobody_but_a_lead_sees_to_people(database, two, clock, act):
    lead, who = two
    with pytest.raises(NotAllowed, match="needs the role lead"):
        act(database, lead.person_id, who, clock())


@pytest.mark.parametrize("act", ACTS[2:6])
def test_a_lead_reaches_neither_themselves_nor_another_workshop(database, two, someone, clock, act):
    lead, _ = two
    with pytest.raises(InvalidInput, match="so that one lead is always left"):
        act(database, lead.person_id, lead, clock())
    with pytest.raises(NotFound):
        act(database, someone().person_id, lead, clock())


def test_the_trail_is_read_a_page_at_a_time_and_only_ones_own(database, two, someone, clock):
    lead, _ = two
    with database.of_workshop(lead.workshop_id) as session, session.begin():
        for number in range(PAGE + 5):
            note_by(session, "exported", f"file {number}", by=lead, now=clock())
    first = trail_of(database, by=lead)
    rest = trail_of(database, by=lead, before=first[-1].id)
    assert [line.subject for line in (*first, *rest)] == [f"file {number}" for number in range(PAGE + 4, -1, -1)]
    assert trail_of(database, by=someone(role="lead")) == []


def test_rules_approvals_releases_and_exports_are_on_the_trail(database, two, clock):
    lead, who = two
    job = take_in(
        database, knowledge(), label="Red van", kind="car", registration="", odometer_km=None, usage="", complaint="",
        by=who, now=clock(),
    )  # fmt: skip
    keep_record(database, job, "tick", "pump", True, by=who, now=clock())  # not of this kind
    keep_record(database, job, "approved", "", "key", by=lead, now=clock())
    keep_record(database, job, "release", "", {"as": "unsafe", "open": []}, by=who, now=clock())
    keep_record(database, job, "overruled", "rear_left", None, by=who, now=clock())
    set_rules(database, knowledge(), {"money.labour_per_hour": "77"}, by=lead, now=clock())
    note_export(database, f"archive of job {job}", by=who, now=clock())
    assert [(act, subject) for act, subject, _ in _trail(database, lead)] == [
        ("exported", f"archive of job {job}"),
        ("rules", "money.labour_per_hour"),
        ("overruled", f"job {job} rear_left: taken back"),
        ("release", f"job {job}: unsafe"),
        ("approved", f"job {job}: key"),
    ]


@pytest.mark.parametrize("table", [AuditEntry, FindingEntry, JobRecord, WorkshopRule])
def test_no_session_changes_or_takes_away_what_is_written_once(database, two, table):
    lead, _ = two
    for statement in (update(table).values(workshop_id=lead.workshop_id), delete(table)):
        with database.of_workshop(lead.workshop_id) as session, pytest.raises(Unchangeable):
            session.execute(statement)


def test_a_row_that_was_read_is_not_changed_or_taken_away_either(database, two, clock):
    lead, _ = two
    note_export(database, "one", by=lead, now=clock())
    with database.of_workshop(lead.workshop_id) as session:
        line = session.query(AuditEntry).first()
        line.subject = "another"
        with pytest.raises(Unchangeable):
            session.flush()
    with database.of_workshop(lead.workshop_id) as session:
        session.delete(session.query(AuditEntry).first())
        with pytest.raises(Unchangeable):
            session.flush()


@pytest.mark.parametrize("statement", ["update audit_entries set subject = 'x'", "delete from audit_entries"])
def test_the_database_itself_refuses_to_change_the_trail(database, two, clock, statement):
    note_export(database, "one", by=two[0], now=clock())
    with database.engine.begin() as connection, pytest.raises(DBAPIError, match="only ever written"):
        connection.execute(text(statement))

"""Owners: what is kept of them, what they are sent, and their data taken out and away."""

from __future__ import annotations

import json
from pathlib import Path

import pytest
from sqlalchemy import select, text

from mesotrope.errors import InvalidInput, NotAllowed, NotFound
from mesotrope.knowledge import knowledge
from mesotrope.services.archiving import ArchiveFolder
from mesotrope.services.due import due_in, refresh_due
from mesotrope.services.finding import find
from mesotrope.services.frozen import freeze_sheet, sheets_of
from mesotrope.services.jobs import open_job, take_in
from mesotrope.services.messages import StandIn, letter, send
from mesotrope.services.outcomes import close_job
from mesotrope.services.owners import (
    Contact,
    as_document,
    erase_owner,
    everything_of,
    give_vehicle,
    keep_owner,
    owner_page,
    owners_of,
)
from mesotrope.services.proving import StopGap, keep_acknowledged, keep_stop_gap
from mesotrope.services.records import records_of
from mesotrope.services.workshop import about
from mesotrope.store.tables import Base, FrozenSheet
from mesotrope.words import PLAINLY

NAME, PHONE, PLATE = "Ulrike Zweifel", "0-555-0177", "0-OWN-77"

#: Nothing is archived here.
NO_FILES = ArchiveFolder(Path("/nonexistent"))


@pytest.fixture
def owned(database, someone, clock):
    """A lead, an owner's number, and the job of their vehicle with all that could name them."""
    lead = someone(role="lead")
    job = take_in(
        database, knowledge(), label="Zweifel's van", kind="car", registration=PLATE, odometer_km=1000.0, usage="",
        complaint=f"{NAME} says it drags", owner=Contact(NAME, PHONE), vin="1M8GDM9AXKP042788", by=lead, now=clock(),
    )  # fmt: skip
    plan = StopGap("piston freed", told=f"{NAME} was told")
    keep_stop_gap(database, job, plan, by=lead, now=clock())
    keep_acknowledged(database, job, plan, NAME, "1,1 2,2;", by=lead, now=clock())
    freeze_sheet(database, job, {"plate": PLATE, "for": NAME}, by=lead, now=clock())
    owner = owners_of(database, by=lead)[0].id
    keep_owner(database, Contact(NAME, PHONE, "u@z.example", ("letter",)), by=lead, now=clock(), owner_id=owner)
    send(database, StandIn(), owner, "letter", f"Dear {NAME}, your brakes.", by=lead, now=clock())
    return lead, owner, job


@pytest.mark.parametrize(
    ("contact", "words"),
    [
        (Contact(" "), "1 to 120 characters"),
        (Contact("x" * 121), "1 to 120 characters"),
        (Contact("A", "call me"), "digits with spaces"),
        (Contact("A", email="nowhere"), "name@place.example"),
        (Contact("A", allowed=("pigeon",)), "allowed: letter, message, email"),
    ],
)
def test_a_contact_that_cannot_be_is_refused_and_nothing_kept(database, someone, clock, contact, words):
    who = someone()
    with pytest.raises(InvalidInput, match=words):
        keep_owner(database, contact, by=who, now=clock())
    assert owners_of(database, by=who) == []


def test_a_vehicle_changes_hands(database, owned, clock):
    lead, owner, job = owned
    vehicle = open_job(database, job, by=lead, knowledge=knowledge()).vehicle_id
    other = keep_owner(database, Contact("Next One"), by=lead, now=clock(), vehicle_id=vehicle)
    assert [v.id for v in owner_page(database, other, by=lead).vehicles] == [vehicle]
    assert owner_page(database, owner, by=lead).vehicles == ()
    give_vehicle(database, vehicle, None, by=lead, now=clock())
    assert owner_page(database, other, by=lead).vehicles == ()


def test_taken_in_again_it_is_the_same_owner(database, owned, clock):
    lead, owner, _ = owned
    take_in(
        database, knowledge(), label="Second car", kind="car", registration="", odometer_km=None, usage="",
        complaint="", owner=Contact(NAME, PHONE), by=lead, now=clock(),
    )  # fmt: skip
    assert [(row.id, row.vehicles) for row in owners_of(database, by=lead)] == [(owner, 2)]


def test_nothing_is_sent_in_a_way_that_was_not_allowed(database, owned, clock):
    lead, owner, _ = owned
    for way in ("email", "message"):
        with pytest.raises(InvalidInput, match="this owner did not allow it"):
            send(database, StandIn(), owner, way, "hello", by=lead, now=clock())
    assert len(owner_page(database, owner, by=lead).sent) == 1


def test_the_port_is_given_what_is_sent_and_a_letter_is_only_kept(database, owned, clock):
    lead, owner, _ = owned
    given = []

    class Post(StandIn):
        def send(self, way, to, words):
            given.append((way, to, words))

    keep_owner(database, Contact(NAME, PHONE, "", ("message", "letter")), by=lead, now=clock(), owner_id=owner)
    send(database, Post(), owner, "message", "Come by.", by=lead, now=clock())
    send(database, Post(), owner, "letter", "Come by.", by=lead, now=clock())
    assert given == [("message", PHONE, "Come by.")]


def test_a_letter_names_vehicle_work_day_and_workshop(database, owned, clock):
    lead, owner, job = owned
    close_job(database, job, by=lead, now=clock())
    refresh_due(database, knowledge(), by=lead, knowledge_key="tests", works_for_s=None)
    items = due_in(database, None, clock().date().replace(year=2028), by=lead, owner_id=owner)
    words = letter(Contact(NAME), items, about(database, by=lead), knowledge(), PLAINLY)
    assert words.startswith(f"Dear {NAME},")
    assert f"({PLATE})" in words
    assert "it has to be put right now (by 2026-05-04)" in words
    assert words.splitlines()[-1] == "Testing"


def test_everything_of_an_owner_is_one_document(database, owned, clock):
    lead, owner, job = owned
    found = json.loads(as_document(everything_of(database, owner, by=lead, now=clock())))
    assert found["owner"] == {"name": NAME, "telephone": PHONE, "email": "u@z.example", "allowed": ["letter"]}
    [vehicle] = found["vehicles"]
    [visit] = vehicle["visits"]
    assert (visit["job"], visit["owner_sheets"], visit["acknowledged"][0]["name"]) == (
        job, [{"plate": PLATE, "for": NAME}], NAME
    )  # fmt: skip
    assert found["sent"][0]["words"].startswith(f"Dear {NAME}")


def everything_in(database, workshop_id):
    """Every cell of every table that a workshop has, as text: as whoever stole the database would search it."""
    out = []
    with database.engine.connect() as connection:
        for table in Base.metadata.sorted_tables:
            if "workshop_id" in table.c:
                rows = connection.execute(select(table).where(table.c.workshop_id == workshop_id))
                out += [repr(tuple(row)) for row in rows]
    return "\n".join(out)


def test_an_erased_owner_is_named_nowhere_and_the_history_stays(database, owned, clock):
    lead, owner, job = owned
    before = everything_in(database, lead.workshop_id)
    for trace in (NAME, PHONE, PLATE, "u@z.example", "1M8GDM9AXKP042788"):
        assert trace in before
    assert erase_owner(database, NO_FILES, owner, by=lead, now=clock()) == 1
    after = everything_in(database, lead.workshop_id).lower()
    for trace in (NAME, "zweifel", "ulrike", PHONE, "5550177", PLATE, "0own77", "u@z.example", "1m8gdm9axkp042788"):
        assert trace.lower() not in after, trace
    here = open_job(database, job, by=lead, knowledge=knowledge())
    assert here.inspection.visit.odometer_km == 1000.0
    assert here.label == f"Vehicle {here.vehicle_id}"
    assert {record.kind for record in records_of(database, job, by=lead)} <= {"release", "tick"}
    assert find(database, "ulrike", by=lead).vehicles == ()
    with pytest.raises(NotFound, match="no such owner"):
        owner_page(database, owner, by=lead)


def test_only_a_lead_takes_data_out_or_away(database, owned, someone, clock):
    lead, owner, _ = owned
    technician = someone(workshop=lead.workshop)
    for use in (
        lambda: erase_owner(database, NO_FILES, owner, by=technician, now=clock()),
        lambda: everything_of(database, owner, by=technician, now=clock()),
    ):
        with pytest.raises(NotAllowed, match="needs the role lead"):
            use()


def test_another_workshop_reaches_nothing_of_an_owner(database, owned, someone, clock):
    _, owner, job = owned
    stranger = someone(role="lead")
    for use in (
        lambda: owner_page(database, owner, by=stranger),
        lambda: everything_of(database, owner, by=stranger, now=clock()),
        lambda: erase_owner(database, NO_FILES, owner, by=stranger, now=clock()),
        lambda: send(database, StandIn(), owner, "letter", "x", by=stranger, now=clock()),
        lambda: keep_owner(database, Contact("X"), by=stranger, now=clock(), owner_id=owner),
    ):
        with pytest.raises(NotFound, match="no such owner"):
            use()
    assert job


def test_after_an_erasure_the_guards_hold_again(database, owned, clock):
    lead, owner, job = owned
    erase_owner(database, NO_FILES, owner, by=lead, now=clock())
    freeze_sheet(database, job, {"plate": "none"}, by=lead, now=clock())
    with database.engine.connect() as connection, pytest.raises(Exception, match="only ever written"):
        connection.execute(text("delete from frozen_sheets"))
    assert len(sheets_of(database, job, by=lead)) == 1
    assert FrozenSheet.__tablename__ == "frozen_sheets"

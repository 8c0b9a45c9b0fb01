"""Finding anything by a few words, in one's own workshop only."""

from __future__ import annotations

import dataclasses

import pytest
from hypothesis import given
from hypothesis import strategies as st
from sqlalchemy import delete, update

from mesotrope.core.language.corner import Corner
from mesotrope.core.language.inspection import parse_inspection
from mesotrope.knowledge import knowledge
from mesotrope.services.finding import MOST_SHOWN, asked_for, find
from mesotrope.services.findings import record_finding
from mesotrope.services.jobs import add_document, describe, take_in
from mesotrope.services.outcomes import close_job, note_outcome, take_comeback_in
from mesotrope.services.owners import Contact, keep_owner
from mesotrope.services.search_index import endings_of, index_what_is_left, words_of
from mesotrope.store.day_tables import SearchWord
from mesotrope.store.tables import Job, Vehicle
from mesotrope.words import Dates

VIN = "1M8GDM9AXKP042788"


@pytest.fixture
def shop(database, someone, clock):
    """A technician with a vehicle, its owner and a visit."""
    who = someone()
    job = take_in(
        database, knowledge(), label="Crème brûlée van", kind="car", registration="0-fnd-42", odometer_km=None,
        usage="", complaint="Rubs at the left rear", vin=VIN, owner=Contact("Ulla Brandt", "0-555-0142"),
        by=who, now=clock(),
    )  # fmt: skip
    return who, job


def found(database, who, text):
    return [vehicle.label for vehicle in find(database, text, by=who).vehicles]


@pytest.mark.parametrize(
    "text",
    [
        "0-FND-42", "0fnd42", "fnd", "nd-42", VIN, VIN[9:], "km9", "creme", "BRÛL", "van brulee", "ulla", "brandt van",
        "0555 0142", "0142", "rubs", "left rubs", "2026-05-04", "2026-05", "rear 2026-05-04 ulla",
    ],
)  # fmt: skip
def test_it_is_found_by_any_of_its_words(database, shop, text):
    who, _ = shop
    expected = [] if text == "km9" else ["Crème brûlée van"]
    assert found(database, who, text) == expected


@pytest.mark.parametrize("said", ['It "howls"\nat 40 km/h', "Café: l’été, 50 % 🚗 \\ back", "x" * 600])
def test_a_complaint_is_shown_as_it_was_written(database, shop, said):
    who, job = shop
    describe(database, knowledge(), job, lambda _: (None, {"complaint": said}), by=who)
    [vehicle] = find(database, "fnd", by=who).vehicles
    assert [visit.complaint for visit in vehicle.jobs] == [said]


@pytest.mark.parametrize("text", ["", "x", "  ", "nothing like it", "ulla somebody", "2026-05-05", "%", "_", "'"])
def test_what_is_not_there_is_not_found(database, shop, text):
    assert found(database, shop[0], text) == []


def test_nobody_finds_another_workshops(database, shop, someone):
    stranger = someone()
    for text in ("0-FND-42", "ulla", "rubs", VIN):
        assert find(database, text, by=stranger).vehicles == ()
        assert find(database, text, by=stranger).owners == ()


def test_a_day_is_written_as_the_workshop_writes_days(database, shop):
    who, _ = shop
    german = dataclasses.replace(who, dates=Dates("UTC", "day_first"))
    assert found(database, german, "04.05.2026") == ["Crème brûlée van"]
    assert found(database, who, "04.05.2026") == []


def test_what_was_really_found_leads_to_the_visit(database, shop, clock):
    who, job = shop
    assert found(database, who, "hose pressure") == []
    note_outcome(database, knowledge(), job, {Corner.REAR_LEFT: ["hose_restricted"]}, "seen", by=who, now=clock())
    [vehicle] = find(database, "hose pressure", by=who).vehicles
    assert [(one.id, one.matched) for one in vehicle.jobs] == [(job, True)]


def test_what_is_suspected_first_leads_to_an_open_job_and_no_more_once_it_is_closed(database, shop, clock, day_of):
    who, job = shop
    for number, (path, value) in enumerate(
        [("spin.turns", "0.75"), ("spin.seconds", "0.9"), ("bleeder_opened", "frees"), ("hose", "swollen")]
    ):
        record_finding(
            database, knowledge(), job, "front_left", path, value, by=who, now=clock(), confirmed=True,
            idempotency_key=f"suspect-{number:04}",
        )  # fmt: skip
    day_of(who)
    assert found(database, who, "hose pressure") == ["Crème brûlée van"]
    close_job(database, job, by=who, now=clock())
    assert found(database, who, "hose pressure") == []


def test_changed_words_find_and_the_old_ones_no_more(database, shop, clock):
    who, job = shop
    describe(database, knowledge(), job, lambda _: ({"label": "Ochre van", "kind": "car"}, None), by=who)
    describe(database, knowledge(), job, lambda _: (None, {"complaint": "Howls"}), by=who)
    assert found(database, who, "ochre howls") == ["Ochre van"]
    for text in ("creme", "0-FND-42", "rubs"):
        assert found(database, who, text) == []


def test_no_more_owners_are_shown_than_there_is_room_for(database, shop, clock):
    who, _ = shop
    numbers = [keep_owner(database, Contact(f"Yara {n:02}", ""), by=who, now=clock()) for n in range(MOST_SHOWN + 8)]
    shown = [number for number, _, _ in find(database, "yara", by=who).owners]
    assert shown == numbers[-MOST_SHOWN:]


def test_an_owner_without_a_vehicle_is_found_too(database, shop, clock):
    who, _ = shop
    number = keep_owner(database, Contact("Xaver Only", "0-555-0199"), by=who, now=clock())
    assert find(database, "only", by=who).owners == ((number, "Xaver Only", "0-555-0199"),)
    keep_owner(database, Contact("Xaver Renamed", ""), by=who, now=clock(), owner_id=number)
    assert find(database, "only", by=who).owners == ()


def test_what_is_in_the_shop_comes_first_and_a_comeback_is_found(database, shop, clock):
    who, job = shop
    with database.of_workshop(who.workshop_id) as session, session.begin():
        old = parse_inspection('{"vehicle": {"label": "Other van"}, "visit": {"complaint": "Rubs"}}')
        clock.forward(500)
        add_document(session, old, by=who.person_id, now=clock(), state="closed")
    assert found(database, who, "rubs") == ["Crème brûlée van", "Other van"]
    take_comeback_in(database, job, "smells now", by=who, now=clock())
    assert found(database, who, "smells") == ["Crème brûlée van"]


def test_what_was_written_before_there_was_an_index_is_indexed_by_the_clock(database, shop):
    who, _ = shop
    with database.of_workshop(who.workshop_id) as session, session.begin():
        session.execute(delete(SearchWord))
        session.execute(update(Job).values(indexed=False))
        session.execute(update(Vehicle).values(indexed=False))
    assert found(database, who, "rubs") == []
    with database.of_workshop(who.workshop_id) as session, session.begin():
        assert index_what_is_left(session) == 2
        assert index_what_is_left(session) == 0
    assert found(database, who, "rubs") == ["Crème brûlée van"]


@given(st.text(max_size=40))
def test_words_are_the_same_however_they_are_written(text):
    assert words_of(text.upper()) >= words_of(text.lower()) or "ß" in text.lower() or not text.isascii()
    assert all(2 <= len(word) <= 40 for word in words_of(text))
    assert len(asked_for(text, Dates())) <= 6


@given(st.text("0123456789ABCDEFGHJKLMNPRSTUVWXYZ", min_size=3, max_size=17))
def test_any_part_of_a_number_is_the_beginning_of_an_ending(number):
    for start in range(len(number) - 2):
        part = number[start : start + 4].lower()
        assert any(ending.startswith(part) for ending in endings_of(number))

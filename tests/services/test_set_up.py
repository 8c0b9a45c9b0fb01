"""The first start: a database without any person, and the one who has the printed token."""

from __future__ import annotations

import pytest
from sqlalchemy import text

from mesotrope.errors import InvalidInput, LinkGone
from mesotrope.services.passwords import Passwords
from mesotrope.services.people import add_colleague, add_workshop, people_of
from mesotrope.services.set_up import HOURS, FirstWorkshop, nobody_here, require_token, set_up, set_up_token
from mesotrope.services.signing_in import open_session, who_is
from mesotrope.store.migrate import migrate
from mesotrope.store.session import Database
from tests.conftest import PASSWORD

WANTED = FirstWorkshop("New Brakes", "Nowhere", "Europe/Berlin", "day_first", "CHF", "us", "Ines Roth", "Ines")
HASHING = Passwords.with_cost(16, 1)


@pytest.fixture
def empty(instance):
    """A database with its tables and nobody in it."""
    name = "mesotrope_set_up"
    instance.start((name,))
    migrate(instance.url(name))
    opened = Database(instance.url(name))
    with opened.engine.begin() as connection:
        connection.execute(text("set foreign_key_checks = 0"))
        for table in ("workshops", "people", "sessions", "set_up_tokens", "workshop_rules", "known_devices"):
            connection.execute(text(f"delete from {table}"))
        connection.execute(text("set foreign_key_checks = 1"))
    yield opened
    opened.close()


def test_the_first_workshop_with_its_lead_as_they_were_written(empty, clock):
    assert nobody_here(empty)
    token = set_up_token(empty, now=clock())
    lead = set_up(empty, HASHING, token, WANTED, PASSWORD, PASSWORD, now=clock())
    who = who_is(empty, open_session(empty, lead, now=clock(), hours=1), now=clock())
    assert (who.name, who.role, who.workshop, who.dates.zone, who.units.distance) == (
        "Ines Roth", "lead", "New Brakes", "Europe/Berlin", "mi"
    )  # fmt: skip
    assert who.rules_version == 1  # its currency
    add_colleague(empty, "new", "New One", "technician", by=who, now=clock())
    assert not nobody_here(empty)
    assert [person.sign_in_name for person in people_of(empty, by=who, now=clock())] == ["ines", "new"]


def test_a_token_is_good_once_and_only_the_newest_and_only_for_a_day(empty, clock):
    first, second = set_up_token(empty, now=clock()), set_up_token(empty, now=clock())
    for token in (first, "", "guessed"):
        with pytest.raises(LinkGone, match="sets up nothing"):
            require_token(empty, token, now=clock())
    require_token(empty, second, now=clock())
    clock.forward(HOURS * 60 + 1)
    with pytest.raises(LinkGone):
        require_token(empty, second, now=clock())
    third = set_up_token(empty, now=clock())
    set_up(empty, HASHING, third, WANTED, PASSWORD, PASSWORD, now=clock())
    with pytest.raises(LinkGone):
        set_up(empty, HASHING, third, WANTED, PASSWORD, PASSWORD, now=clock())


def test_where_there_are_people_there_is_no_token(database, someone, clock):
    someone()
    assert set_up_token(database, now=clock()) == ""


@pytest.mark.parametrize(
    ("changes", "passwords", "words"),
    [
        ({"workshop": " "}, (PASSWORD, PASSWORD), "workshop: .* 1 to 120"),
        ({"name": ""}, (PASSWORD, PASSWORD), "your name"),
        ({"sign_in_name": ""}, (PASSWORD, PASSWORD), "sign-in name"),
        ({"time_zone": "Mars/Olympus"}, (PASSWORD, PASSWORD), "time zone"),
        ({"units": "cubits"}, (PASSWORD, PASSWORD), "units"),
        ({"currency": "x" * 9}, (PASSWORD, PASSWORD), "currency"),
        ({}, (PASSWORD, "another one, quite"), "the two are not the same"),
        ({}, ("short", "short"), "characters are needed"),
    ],
)
def test_what_is_missing_is_named_and_nothing_is_half_done(empty, clock, changes, passwords, words):
    token = set_up_token(empty, now=clock())
    wanted = FirstWorkshop(**{**WANTED.__dict__, **changes})
    with pytest.raises(InvalidInput, match=words):
        set_up(empty, HASHING, token, wanted, *passwords, now=clock())
    assert nobody_here(empty)
    with empty.engine.connect() as connection:
        assert connection.execute(text("select count(*) from workshops")).scalar() == 0
    require_token(empty, token, now=clock())  # the same address is still good


def test_a_name_of_another_workshop_is_no_obstacle(database, clock):
    assert add_workshop(database, "Same", "Place") == add_workshop(database, "Same", "Place")

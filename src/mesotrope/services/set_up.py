"""The first start: without any person, whoever has the token that the server printed sets up a workshop and a lead."""

from __future__ import annotations

import datetime
import secrets
from dataclasses import dataclass

from sqlalchemy import delete, select

from mesotrope.core.language.saying import at_most_characters, marked, one_of, said, verbatim
from mesotrope.errors import InvalidInput, LinkGone
from mesotrope.services.again import done_again
from mesotrope.services.audit import note
from mesotrope.services.passwords import Passwords, require_password
from mesotrope.services.people import add_person_in
from mesotrope.services.signing_in import token_digest
from mesotrope.services.workshop import STARTS
from mesotrope.store.session import Database
from mesotrope.store.tables import Person, SetUpToken, Workshop, WorkshopRule
from mesotrope.words import Dates

#: How long a printed token is good; a new start prints a new one.
HOURS = 24


@dataclass(frozen=True)
class FirstWorkshop:
    """What is asked for at a first start."""

    workshop: str = ""
    town: str = ""
    time_zone: str = "UTC"
    date_style: str = "year_first"
    currency: str = "EUR"
    units: str = "metric"
    name: str = ""
    sign_in_name: str = ""


def nobody_here(database: Database) -> bool:
    """Whether the database holds no person at all."""
    with database.at_the_door() as session:
        return session.scalar(select(Person.id).limit(1)) is None


@done_again
def set_up_token(database: Database, *, now: datetime.datetime) -> str:
    """A new token for the first start; those of before are worth nothing any more. "" where there are people."""
    if not nobody_here(database):
        return ""
    token = secrets.token_urlsafe(24)
    with database.at_the_door() as session, session.begin():
        session.execute(delete(SetUpToken))
        session.add(SetUpToken(digest=token_digest(token), expires_at=now + datetime.timedelta(hours=HOURS)))
    return token


def require_token(database: Database, token: str, *, now: datetime.datetime) -> None:
    """Require the token of a first start. Raises `LinkGone`."""
    with database.at_the_door() as session:
        good = session.get(SetUpToken, token_digest(token))
    if good is None or good.expires_at <= now or not nobody_here(database):
        raise LinkGone("This address sets up nothing (any more). Start the server again: it prints a new one.")


def set_up(
    database: Database, passwords: Passwords, token: str, wanted: FirstWorkshop, password: str, repeated: str,
    *, now: datetime.datetime,
) -> int:  # fmt: skip
    """Set up the first workshop with its lead, all or nothing; returns the lead's number.

    Raises `LinkGone`, `InvalidInput` naming what is missing.
    """
    require_token(database, token, now=now)
    for name, text, longest in (("workshop", wanted.workshop, 120), (marked("your name"), wanted.name, 120)):
        if not 1 <= len(text.strip()) <= longest:
            raise InvalidInput(name, text, said("1 to {longest} characters are needed", longest=verbatim(longest)))
    for name, text, longest in (("town", wanted.town, 120), ("currency", wanted.currency, 8)):
        if len(text.strip()) > longest:
            raise InvalidInput(name, text, at_most_characters(longest))
    Dates(wanted.time_zone, wanted.date_style)
    if wanted.units not in STARTS:
        raise InvalidInput("units", wanted.units, one_of(STARTS))
    if password != repeated:
        raise InvalidInput("password", "", "the two are not the same")
    hashed = passwords.hash(require_password(password))
    with database.at_the_door() as session, session.begin():
        token_row = session.get(SetUpToken, token_digest(token), with_for_update=True)
        if token_row is None:  # somebody else was first
            raise LinkGone("This address was used already. Sign in.")
        session.delete(token_row)
        shop = Workshop(
            name=wanted.workshop.strip(), town=wanted.town.strip(), time_zone=wanted.time_zone,
            date_style=wanted.date_style, units=STARTS[wanted.units].kept(),
        )  # fmt: skip
        session.add(shop)
        session.flush()
        lead = add_person_in(session, shop.id, wanted.sign_in_name, wanted.name, "lead", hashed)
        lead.units = STARTS[wanted.units].kept()
        lead_id, shop_id = lead.id, shop.id
    with database.of_workshop(shop_id) as session, session.begin():
        if wanted.currency.strip():
            rule = {"key": "money.currency", "value": wanted.currency.strip(), "set_by": lead_id, "set_at": now}
            session.add(WorkshopRule(**rule))
            session.get_one(Workshop, shop_id).rules_version += 1
        note(session, "set_up", wanted.workshop.strip(), by=wanted.name.strip(), role="lead", now=now)
    return lead_id

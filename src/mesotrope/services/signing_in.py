"""Who is signed in: sessions kept in the database, opened and ended."""

from __future__ import annotations

import datetime
import hashlib
import secrets
from dataclasses import dataclass, field

from sqlalchemy import bindparam, delete, select, true
from sqlalchemy.dialects.mysql import insert
from sqlalchemy.orm import joinedload

from mesotrope.core.language.units import Units
from mesotrope.errors import NotAllowed, NotSignedIn, SignInRefused
from mesotrope.services.again import done_again
from mesotrope.store.session import Database, WorkshopSession
from mesotrope.store.tables import KnownDevice, Person, SignedIn, Workshop
from mesotrope.words import Dates

#: How much of a device's digest tells it from a person's other devices.
DEVICE_LETTERS = 16


@dataclass(frozen=True)
class Who:
    """The signed-in person, as every use case takes it: with the device, and the key of the change that is asked for
    (empty where it came without one)."""

    person_id: int
    workshop_id: int
    name: str
    role: str
    workshop: str
    change_token: str
    rules_version: int = 0
    learnt_version: int = 0
    units: Units = field(default_factory=Units)
    dates: Dates = field(default_factory=Dates)
    device: str = ""
    key: str = ""


def require_lead(by: Who, what: str) -> None:
    """Require a lead for something. Raises `NotAllowed`."""
    if by.role != "lead":
        raise NotAllowed(what, "lead")


def token_digest(token: str) -> str:
    """What is kept of a token that only its holder knows: of a session, of an owner's link."""
    return hashlib.sha256(token.encode()).hexdigest()


@done_again
def open_session(
    database: Database, person_id: int, *, now: datetime.datetime, hours: int, device: str | None = None
) -> str:
    """Open a session for a person who has proved who they are (or whom the demo offers) and return its token.

    device : the token of the browser, which is known from then on. Raises `SignInRefused` for whoever is switched off.
    """
    token, on = secrets.token_urlsafe(32), token_digest(device) if device else ""
    with database.at_the_door() as session, session.begin():
        person = session.get(Person, person_id)
        if person is None or not person.active:
            raise SignInRefused
        if on:
            known = insert(KnownDevice).values(
                digest=on, person_id=person.id, workshop_id=person.workshop_id, last_seen=now
            )
            session.execute(known.on_duplicate_key_update(last_seen=now))
        session.add(
            SignedIn(
                digest=token_digest(token),
                person_id=person.id,
                workshop_id=person.workshop_id,
                change_token=secrets.token_urlsafe(32),
                expires_at=now + datetime.timedelta(hours=hours),
                device=on,
            )
        )
    return token


_WHO_HOLDS = (
    select(
        Person.id, Person.workshop_id, Person.name, Person.role, Person.units,
        Workshop.name.label("workshop"), Workshop.rules_version, Workshop.learnt_version, Workshop.time_zone,
        Workshop.date_style, SignedIn.change_token, SignedIn.device,
    )
    .join(Person, Person.id == SignedIn.person_id)
    .join(Workshop, Workshop.id == SignedIn.workshop_id)
    .where(SignedIn.digest == bindparam("digest"), SignedIn.expires_at > bindparam("now"), Person.active == true())
)  # fmt: skip


def who_is(database: Database, token: str | None, *, now: datetime.datetime) -> Who:
    """Return who is signed in with this token. Raises `NotSignedIn`."""
    if not token:
        raise NotSignedIn
    with database.at_the_door() as session:
        row = session.execute(_WHO_HOLDS, {"digest": token_digest(token), "now": now}).one_or_none()
        if row is None:
            raise NotSignedIn
        dates = Dates(row.time_zone, row.date_style)
        return Who(
            row.id, row.workshop_id, row.name, row.role, row.workshop, row.change_token, row.rules_version,
            row.learnt_version, Units.of(row.units), dates, row.device[:DEVICE_LETTERS],
        )  # fmt: skip


def nobody_of(database: Database, workshop_id: int) -> Who:
    """Whoever works something out for a workshop by itself: nobody of it."""
    with database.at_the_door() as session:
        row = session.get_one(Workshop, workshop_id)
    dates = Dates(row.time_zone, row.date_style)
    return Who(0, row.id, "", "", row.name, "", row.rules_version, row.learnt_version, dates=dates)


_STILL_HOLDS = select(SignedIn.digest).where(
    SignedIn.digest == bindparam("digest"), SignedIn.expires_at > bindparam("now")
)


def still_signed_in(database: Database, token: str | None, *, now: datetime.datetime) -> bool:
    """Whether a session still holds: one look, for whoever asks again and again."""
    with database.at_the_door() as session:
        return session.scalar(_STILL_HOLDS, {"digest": token_digest(token or ""), "now": now}) is not None


def end_sessions(session: WorkshopSession, person_id: int) -> None:
    """End every session of a person, in the caller's transaction."""
    session.execute(delete(SignedIn).where(SignedIn.person_id == person_id))


def end_session(session: WorkshopSession, token: str) -> None:
    """End a session, in the caller's transaction: its token is worth nothing from then on."""
    session.execute(delete(SignedIn).where(SignedIn.digest == token_digest(token)))


@dataclass(frozen=True)
class DemoPerson:
    id: int
    name: str
    role: str
    workshop: str


def demo_people(database: Database) -> list[DemoPerson]:
    """The made-up people that a demo offers by one click. Only a demo may show them."""
    with database.at_the_door() as session:
        made_up = select(Person).where(Person.made_up == true()).options(joinedload(Person.workshop))
        people = session.scalars(made_up.order_by(Person.id))
        return [DemoPerson(p.id, p.name, p.role, p.workshop.name) for p in people]

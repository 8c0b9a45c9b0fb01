"""Workshops and the people in them: added, switched off and on, given roles, told to set a new password."""

from __future__ import annotations

import datetime
import secrets
from collections.abc import Sequence
from dataclasses import dataclass

from sqlalchemy import false, func, select

from mesotrope.core.day.hours import Week, written
from mesotrope.core.language.saying import marked, one_of
from mesotrope.core.language.units import Units
from mesotrope.errors import InvalidInput, NotFound
from mesotrope.services.again import done_again
from mesotrope.services.audit import note_by
from mesotrope.services.once import do_once, token_for
from mesotrope.services.passwords import make_password_link
from mesotrope.services.signing_in import Who, end_session, end_sessions, require_lead
from mesotrope.services.workshop import away_of, read_away
from mesotrope.store.session import Database, WorkshopSession
from mesotrope.store.tables import Person, SignedIn, Workshop

ROLES = ("apprentice", "technician", "lead")

#: What only a lead does with people.
STAFF = marked("Changing who works here")

#: A password hash that no password fits: of whoever has still to set one by a link.
NO_PASSWORD = "-"


@done_again
def add_workshop(database: Database, name: str, town: str) -> int:
    """Make a workshop, or find it by name and town. Returns its number."""
    with database.at_the_door() as session, session.begin():
        workshop = session.scalar(select(Workshop).where(Workshop.name == name, Workshop.town == town))
        if workshop is None:
            workshop = Workshop(name=name, town=town)
            session.add(workshop)
            session.flush()
        return workshop.id


@done_again
def add_person(
    database: Database,
    workshop_id: int,
    sign_in_name: str,
    name: str,
    role: str,
    password_hash: str,
    *,
    made_up: bool = False,
) -> int:
    """Add a person to a workshop. Raises `InvalidInput` for an unknown role or a sign-in name that is taken."""
    with database.at_the_door() as session, session.begin():
        return add_person_in(session, workshop_id, sign_in_name, name, role, password_hash, made_up).id


def add_person_in(
    session: WorkshopSession, workshop_id: int, sign_in_name: str, name: str, role: str, password_hash: str,
    made_up: bool = False,
) -> Person:  # fmt: skip
    """As `add_person`, in the caller's transaction; who is new reads in the workshop's units."""
    sign_in_name, name = sign_in_name.strip().lower(), name.strip()
    _require_role(role)
    for what, text in ((marked("sign-in name"), sign_in_name), ("name", name)):
        if not 1 <= len(text) <= 120:
            raise InvalidInput(what, text, "1 to 120 characters are needed")
    names = Person.__table__.c  # a sign-in name is taken once in all workshops: past the session's own workshop
    taken = select(names.id).where(names.sign_in_name == sign_in_name)
    if session.connection().execute(taken).first():
        raise InvalidInput("sign-in name", sign_in_name, "it is taken; choose another")
    person = Person(
        workshop_id=workshop_id,
        sign_in_name=sign_in_name,
        name=name,
        role=role,
        password_hash=password_hash,
        made_up=made_up,
        units=dict(session.get_one(Workshop, workshop_id).units or {}),
    )
    session.add(person)
    session.flush()
    return person


def _require_role(role: str) -> None:
    if role not in ROLES:
        raise InvalidInput("role", role, one_of(ROLES))


@dataclass(frozen=True)
class Colleague:
    """A person of the workshop, as a lead sees them."""

    id: int
    name: str
    sign_in_name: str
    role: str
    active: bool
    sessions: int
    #: Their own hours, Monday first, as they are written; all empty: those of the workshop. Days away, one a line.
    hours: tuple[str, ...] = ("",) * 7
    away: str = ""


def people_of(database: Database, *, by: Who, now: datetime.datetime) -> list[Colleague]:
    """Everybody of the workshop, by name. Raises `NotAllowed` for anybody but a lead."""
    require_lead(by, STAFF)
    with database.of_workshop(by.workshop_id) as session:
        rows = session.execute(
            select(Person, func.count(SignedIn.digest))
            .outerjoin(SignedIn, (SignedIn.person_id == Person.id) & (SignedIn.expires_at > now))
            .group_by(Person.id)
            .order_by(Person.name)
        )
        return [
            Colleague(p.id, p.name, p.sign_in_name, p.role, p.active, sessions, _hours(p), _away(p))
            for p, sessions in rows
        ]


def everybody(database: Database, *, by: Who) -> dict[int, str]:
    """The names of all who ever worked here, by their numbers."""
    with database.of_workshop(by.workshop_id) as session:
        return dict(session.execute(select(Person.id, Person.name)).all())


def _hours(person: Person) -> tuple[str, ...]:
    return tuple(written(spans) for spans in Week.of(person.hours).days) if person.hours else ("",) * 7


def _away(person: Person) -> str:
    return "\n".join(f"{first}" if first == last else f"{first} to {last}" for first, last in away_of(person))


@done_again
def set_hours(
    database: Database, person_id: int, lines: Sequence[str], away: str, *, by: Who, now: datetime.datetime
) -> None:
    """Set when a person is there, and when away; without any hours those of the workshop are theirs.

    A lead sets everybody's. Raises `NotAllowed`, `NotFound`, `InvalidInput`.
    """
    require_lead(by, STAFF)
    week, stays = Week.read(lines).kept(), [[a.isoformat(), b.isoformat()] for a, b in read_away(away)]
    with database.of_workshop(by.workshop_id) as session, session.begin():
        person = session.scalar(select(Person).where(Person.id == person_id).with_for_update())
        if person is None:
            raise NotFound("person")
        if (person.hours or {}, person.away or []) != (week, stays):
            person.hours, person.away = week or None, stays or None
            note_by(session, "hours", person.name, by=by, now=now)


def _other(session: WorkshopSession, person_id: int, by: Who) -> Person:
    """A colleague to be changed. Raises `NotAllowed` for who is no lead, `NotFound`, `InvalidInput` for oneself."""
    require_lead(by, STAFF)
    person = session.scalar(select(Person).where(Person.id == person_id).with_for_update())
    if person is None:
        raise NotFound("person")
    if person.id == by.person_id:
        raise InvalidInput("person", person.name, "another lead changes this of you, so that one lead is always left")
    return person


def add_colleague(
    database: Database, sign_in_name: str, name: str, role: str, *, by: Who, now: datetime.datetime
) -> str:
    """Add a person to one's own workshop; returns the token of the link with which they set their password.

    The change's key again gives the same link. Raises `NotAllowed` for anybody but a lead, `InvalidInput`.
    """
    require_lead(by, STAFF)
    token = token_for(marked("person added"), by)

    def add(session: WorkshopSession) -> None:
        person = add_person_in(session, by.workshop_id, sign_in_name, name, role, NO_PASSWORD)
        make_password_link(session, person, token, now=now)
        note_by(session, "person_added", f"{person.name} ({role})", by=by, now=now)

    do_once(database, marked("person added"), add, [sign_in_name, name, role], by=by, now=now)
    return token


@done_again
def link_for(database: Database, person_id: int, *, by: Who, now: datetime.datetime) -> str:
    """Make a link with which a colleague sets a new password; returns its token. Raises as `_other`."""
    with database.of_workshop(by.workshop_id) as session, session.begin():
        person = _other(session, person_id, by)
        note_by(session, "password_link", person.name, by=by, now=now)
        token = secrets.token_urlsafe(32)
        make_password_link(session, person, token, now=now)
        return token


@done_again
def switch(database: Database, person_id: int, active: bool, *, by: Who, now: datetime.datetime) -> None:
    """Switch a colleague off, which ends their sessions, or on again. Raises as `_other`."""
    with database.of_workshop(by.workshop_id) as session, session.begin():
        person = _other(session, person_id, by)
        if person.active == active:
            return
        person.active = active
        end_sessions(session, person.id)
        note_by(session, "switched_on" if active else "switched_off", person.name, by=by, now=now)


@done_again
def give_role(database: Database, person_id: int, role: str, *, by: Who, now: datetime.datetime) -> None:
    """Give a colleague another role. Raises as `_other`, `InvalidInput` for a role that there is not."""
    _require_role(role)
    with database.of_workshop(by.workshop_id) as session, session.begin():
        person = _other(session, person_id, by)
        if person.role == role:
            return
        note_by(session, "role", f"{person.name}: {person.role} to {role}", by=by, now=now)
        person.role = role


@done_again
def leave(database: Database, token: str, *, by: Who, now: datetime.datetime) -> None:
    """End the session that one is signed in with."""
    with database.of_workshop(by.workshop_id) as session, session.begin():
        note_by(session, "signed_out", by.name, by=by, now=now)
        end_session(session, token)


@done_again
def end_all_sessions(database: Database, *, by: Who, now: datetime.datetime) -> None:
    """End every session of oneself, on every device."""
    with database.of_workshop(by.workshop_id) as session, session.begin():
        end_sessions(session, by.person_id)
        note_by(session, "sessions_ended", by.name, by=by, now=now)


@done_again
def end_their_sessions(database: Database, person_id: int, *, by: Who, now: datetime.datetime) -> None:
    """End every session of a colleague. Raises as `_other`."""
    with database.of_workshop(by.workshop_id) as session, session.begin():
        person = _other(session, person_id, by)
        end_sessions(session, person.id)
        note_by(session, "sessions_ended", person.name, by=by, now=now)


def real_people(database: Database) -> int:
    """How many people the database holds that are not the demo's."""
    with database.at_the_door() as session:
        return session.scalar(select(func.count()).select_from(Person).where(Person.made_up == false())) or 0


@done_again
def choose_units(database: Database, units: Units, *, by: Who) -> None:
    """Keep in which units a person reads and writes."""
    with database.of_workshop(by.workshop_id) as session, session.begin():
        session.get_one(Person, by.person_id).units = units.kept()

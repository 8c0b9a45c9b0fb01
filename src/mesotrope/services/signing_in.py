"""Signing in and out: passwords, sessions kept in the database, and a closed door after too many guesses."""

from __future__ import annotations

import datetime
import hashlib
import secrets
from dataclasses import dataclass, field

from argon2 import PasswordHasher
from argon2.exceptions import InvalidHashError, VerifyMismatchError
from sqlalchemy import case, delete, func, or_, select
from sqlalchemy.orm import joinedload

from mesotrope.core.language.units import Units
from mesotrope.errors import NotSignedIn, SignInRefused, TooManyAttempts
from mesotrope.store.session import Database
from mesotrope.store.tables import Person, RefusedSignIn, SignedIn, Workshop

#: Refused sign-ins within the window, for one name or from one address, that close the door.
MOST_REFUSED_BY_NAME, MOST_REFUSED_BY_ADDRESS = 5, 25
WINDOW_MINUTES = 15


@dataclass(frozen=True)
class Who:
    """The signed-in person, as every use case takes it."""

    person_id: int
    workshop_id: int
    name: str
    role: str
    workshop: str
    change_token: str
    rules_version: int = 0
    units: Units = field(default_factory=Units)


@dataclass(frozen=True)
class Passwords:
    """Argon2id with the parameters in force."""

    hasher: PasswordHasher

    @classmethod
    def with_cost(cls, memory_kib: int, rounds: int) -> Passwords:
        return cls(PasswordHasher(time_cost=rounds, memory_cost=memory_kib, parallelism=2))

    def hash(self, password: str) -> str:
        return self.hasher.hash(password)

    def fits(self, password_hash: str, password: str) -> bool:
        try:
            return self.hasher.verify(password_hash, password)
        except (VerifyMismatchError, InvalidHashError):
            return False


def token_digest(token: str) -> str:
    """What is kept of a token that only its holder knows: of a session, of an owner's link."""
    return hashlib.sha256(token.encode()).hexdigest()


def sign_in(
    database: Database,
    passwords: Passwords,
    sign_in_name: str,
    password: str,
    *,
    address: str,
    now: datetime.datetime,
    hours: int,
) -> str:
    """Check name and password and return a new session's token, which only the browser keeps.

    Raises `SignInRefused` without telling which of the two is wrong, `TooManyAttempts` while the door is closed.
    An unknown name takes as long as a wrong password.
    """
    sign_in_name = sign_in_name.strip().lower()[:120]
    with database.at_the_door() as session, session.begin():
        since = now - datetime.timedelta(minutes=WINDOW_MINUTES)
        by_name, by_address = session.execute(
            select(
                func.count(case((RefusedSignIn.sign_in_name == sign_in_name, 1))),
                func.count(case((RefusedSignIn.address == address, 1))),
            ).where(
                RefusedSignIn.at > since,
                or_(RefusedSignIn.sign_in_name == sign_in_name, RefusedSignIn.address == address),
            )
        ).one()
        if by_name >= MOST_REFUSED_BY_NAME or by_address >= MOST_REFUSED_BY_ADDRESS:
            raise TooManyAttempts(WINDOW_MINUTES)
        known = session.execute(
            select(Person.id, Person.password_hash).where(Person.sign_in_name == sign_in_name)
        ).one_or_none()
    fits = passwords.fits(known.password_hash if known else passwords.hash("nobody's"), password)
    if known is None or not fits:
        with database.at_the_door() as session, session.begin():
            session.add(RefusedSignIn(sign_in_name=sign_in_name, address=address[:64], at=now))
        raise SignInRefused
    return open_session(database, known.id, now=now, hours=hours)


def open_session(database: Database, person_id: int, *, now: datetime.datetime, hours: int) -> str:
    """Open a session for a person who has proved who they are (or whom the demo offers) and return its token."""
    token = secrets.token_urlsafe(32)
    with database.at_the_door() as session, session.begin():
        person = session.get(Person, person_id)
        if person is None:
            raise SignInRefused
        session.execute(delete(SignedIn).where(SignedIn.expires_at < now))
        session.add(
            SignedIn(
                digest=token_digest(token),
                person_id=person.id,
                workshop_id=person.workshop_id,
                change_token=secrets.token_urlsafe(32),
                expires_at=now + datetime.timedelta(hours=hours),
            )
        )
    return token


def who_is(database: Database, token: str | None, *, now: datetime.datetime) -> Who:
    """Return who is signed in with this token. Raises `NotSignedIn`."""
    if not token:
        raise NotSignedIn
    with database.at_the_door() as session:
        row = session.execute(
            select(SignedIn, Person, Workshop)
            .join(Person, Person.id == SignedIn.person_id)
            .join(Workshop, Workshop.id == SignedIn.workshop_id)
            .where(SignedIn.digest == token_digest(token), SignedIn.expires_at > now)
        ).one_or_none()
        if row is None:
            raise NotSignedIn
        signed_in, person, workshop = row
        return Who(
            person.id,
            person.workshop_id,
            person.name,
            person.role,
            workshop.name,
            signed_in.change_token,
            workshop.rules_version,
            Units.of(person.units),
        )


def sign_out(database: Database, token: str) -> None:
    """End a session; its token is worth nothing from then on."""
    with database.at_the_door() as session, session.begin():
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
        made_up = select(Person).where(Person.made_up.is_(True)).options(joinedload(Person.workshop))
        people = session.scalars(made_up.order_by(Person.id))
        return [DemoPerson(p.id, p.name, p.role, p.workshop.name) for p in people]

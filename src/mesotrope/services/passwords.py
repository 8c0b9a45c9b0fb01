"""Passwords: signing in with one, changing it, and setting a new one where it was lost."""

from __future__ import annotations

import datetime
import secrets
from dataclasses import dataclass

from argon2 import PasswordHasher
from argon2.exceptions import InvalidHashError, VerificationError
from sqlalchemy import delete, exists, select, true

from mesotrope.core.language.saying import said, verbatim
from mesotrope.errors import InvalidInput, LinkGone, NotFound, SignInRefused
from mesotrope.services.again import done_again
from mesotrope.services.audit import note, note_by
from mesotrope.services.door import count_guess, counters, was_right
from mesotrope.services.signing_in import Who, end_sessions, open_session, token_digest
from mesotrope.store.session import Database, WorkshopSession
from mesotrope.store.tables import KnownDevice, PasswordLink, Person

SHORTEST_PASSWORD, LONGEST_PASSWORD = 12, 1000

#: How long a link for a new password is good for.
LINK_HOURS = 24


@dataclass(frozen=True)
class Passwords:
    """Argon2id with the parameters in force; `nobodys` is a hash that fits no password, for names that nobody has."""

    hasher: PasswordHasher
    nobodys: str

    @classmethod
    def with_cost(cls, memory_kib: int, rounds: int) -> Passwords:
        hasher = PasswordHasher(time_cost=rounds, memory_cost=memory_kib, parallelism=2)
        return cls(hasher, hasher.hash(secrets.token_urlsafe(32)))

    def hash(self, password: str) -> str:
        return self.hasher.hash(password)

    def fits(self, password_hash: str, password: str) -> bool:
        try:
            return self.hasher.verify(password_hash, password)
        except (VerificationError, InvalidHashError):
            return False


def require_password(password: str) -> str:
    """Return a password that may be used. Raises `InvalidInput`; the password itself is never repeated."""
    if not SHORTEST_PASSWORD <= len(password) <= LONGEST_PASSWORD:
        raise InvalidInput(
            "password",
            "…",
            said(
                "{shortest} to {longest} characters are needed",
                shortest=verbatim(SHORTEST_PASSWORD),
                longest=verbatim(LONGEST_PASSWORD),
            ),
        )
    return password


def _new_password(password: str, repeated: str) -> str:
    if require_password(password) != repeated:
        raise InvalidInput("password", "…", "the two are not the same; type the new password twice")
    return password


def sign_in(
    database: Database,
    passwords: Passwords,
    sign_in_name: str,
    password: str,
    *,
    address: str,
    device: str | None = None,
    now: datetime.datetime,
    hours: int,
) -> str:
    """Check name and password and return a new session's token, which only the browser keeps.

    device : the token of the browser, kept there from its first signing in on. Raises `SignInRefused` without telling
    which of the two is wrong, `TooManyAttempts` where guesses are slowed (see `mesotrope.services.door`). An unknown
    name takes as long as a wrong password.
    """
    sign_in_name = sign_in_name.strip().lower()[:120]
    digest = token_digest(device) if device else ""
    with database.at_the_door() as session:
        on_it = exists().where(KnownDevice.digest == digest, KnownDevice.person_id == Person.id)
        found = session.execute(
            select(Person.id, Person.workshop_id, Person.password_hash, Person.active, on_it).where(
                Person.sign_in_name == sign_in_name
            )
        ).one_or_none()
    person_id, workshop_id, kept, active, known_device = found or (0, 0, passwords.nobodys, False, False)
    counted = counters(sign_in_name, address, digest if known_device else None)
    count_guess(database, counted, now=now)
    fits = passwords.fits(kept, password)
    if not (fits and active):
        raise SignInRefused
    was_right(database, counted)
    token = open_session(database, person_id, now=now, hours=hours, device=device)
    _note(database, workshop_id, "signed_in", sign_in_name, address, now)
    return token


def note_signed_in(database: Database, person_id: int, address: str, now: datetime.datetime) -> None:
    """Put the sign-in of somebody who was let in without a password on the trail."""
    with database.at_the_door() as session:
        person = session.get_one(Person, person_id)
    _note(database, person.workshop_id, "signed_in", person.sign_in_name, address, now)


def note_refusal(database: Database, sign_in_name: str, address: str, now: datetime.datetime) -> None:
    """Put a refused sign-in on the trail of whose name it was; done after the answer, which must not take longer for
    a name that somebody has."""
    sign_in_name = sign_in_name.strip().lower()[:120]
    with database.at_the_door() as session:
        workshop_id = session.scalar(select(Person.workshop_id).where(Person.sign_in_name == sign_in_name))
    if workshop_id is not None:
        _note(database, workshop_id, "refused", sign_in_name, address, now)


@done_again
def _note(
    database: Database, workshop_id: int, act: str, sign_in_name: str, address: str, now: datetime.datetime
) -> None:
    with database.of_workshop(workshop_id) as session, session.begin():
        person = session.scalars(select(Person).where(Person.sign_in_name == sign_in_name)).one()
        note(session, act, sign_in_name, by=person.name, role=person.role, now=now, address=address)


def change_password(
    database: Database, passwords: Passwords, current: str, password: str, repeated: str,
    *, address: str, by: Who, now: datetime.datetime,
) -> None:  # fmt: skip
    """Change one's own password; every session of the person ends, and no device is known any more.

    Raises `InvalidInput` where the current one does not fit or the new one cannot be, `TooManyAttempts`.
    """
    new = _new_password(password, repeated)
    with database.of_workshop(by.workshop_id) as session:
        kept = session.scalars(select(Person.password_hash).where(Person.id == by.person_id)).one()
    counted = counters(f"change/{by.person_id}", address, None)[:1]
    count_guess(database, counted, now=now)
    if not passwords.fits(kept, current):
        raise InvalidInput("current password", "…", "the current password is another one")
    was_right(database, counted)
    hashed = passwords.hash(new)

    @done_again
    def change() -> None:
        with database.of_workshop(by.workshop_id) as session, session.begin():
            _set(session, by.person_id, hashed)
            note_by(session, "password_changed", by.name, by=by, now=now)

    change()


def _set(session: WorkshopSession, person_id: int, hashed: str) -> Person:
    """Set a person's password, in the caller's transaction: what was open with the old one is closed."""
    person = session.get_one(Person, person_id)
    person.password_hash = hashed
    end_sessions(session, person_id)
    session.execute(delete(KnownDevice).where(KnownDevice.person_id == person_id))
    session.execute(delete(PasswordLink).where(PasswordLink.person_id == person_id))
    return person


def make_password_link(session: WorkshopSession, person: Person, token: str, *, now: datetime.datetime) -> None:
    """Make a link with which a person sets a new password, once; earlier ones are worth nothing then. Its token is
    kept nowhere."""
    session.execute(delete(PasswordLink).where(PasswordLink.person_id == person.id))
    expires = now + datetime.timedelta(hours=LINK_HOURS)
    session.add(
        PasswordLink(
            digest=token_digest(token), person_id=person.id, workshop_id=person.workshop_id, expires_at=expires
        )
    )


def whose_link(database: Database, token: str, *, now: datetime.datetime) -> str:
    """The sign-in name that a link is for. Raises `LinkGone` for one that was used, has expired or never was."""
    with database.at_the_door() as session:
        return _of_link(session, token, now).sign_in_name


def _of_link(session: WorkshopSession, token: str, now: datetime.datetime) -> Person:
    person = session.scalar(
        select(Person)
        .join(PasswordLink, PasswordLink.person_id == Person.id)
        .where(PasswordLink.digest == token_digest(token), PasswordLink.expires_at > now, Person.active == true())
        .with_for_update()
    )
    if person is None:
        raise LinkGone("This link was used, or it has run out. Ask a lead of your workshop for another.")
    return person


def set_password_by_link(
    database: Database, passwords: Passwords, token: str, password: str, repeated: str,
    *, address: str, now: datetime.datetime,
) -> None:  # fmt: skip
    """Set a new password by a link, which is then used up; every session of the person ends.

    Raises `LinkGone` for a link that is not good (any more), `InvalidInput` for a password that cannot be.
    """
    hashed = passwords.hash(_new_password(password, repeated))

    @done_again
    def change() -> Person:
        with database.at_the_door() as session, session.begin():
            return _set(session, _of_link(session, token, now).id, hashed)

    person = change()
    _note(database, person.workshop_id, "password_changed", person.sign_in_name, address, now)


def set_password_by_command(
    database: Database, passwords: Passwords, sign_in_name: str, password: str, *, now: datetime.datetime
) -> None:
    """Set a person's password as the operator; every session of theirs ends. Raises `InvalidInput`, `NotFound`."""
    hashed = passwords.hash(require_password(password))
    sign_in_name = sign_in_name.strip().lower()
    with database.at_the_door() as session, session.begin():
        person_id = session.scalar(select(Person.id).where(Person.sign_in_name == sign_in_name))
        if person_id is None:
            raise NotFound("sign-in name")
        person = _set(session, person_id, hashed)
    with database.of_workshop(person.workshop_id) as session, session.begin():
        note(session, "password_changed", person.sign_in_name, by="the operator", role="", now=now)

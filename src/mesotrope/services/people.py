"""Workshops and the people in them: made by the operator, not on a screen."""

from __future__ import annotations

from sqlalchemy import func, select

from mesotrope.core.language.units import Units
from mesotrope.errors import InvalidInput
from mesotrope.services.signing_in import Who
from mesotrope.store.session import Database
from mesotrope.store.tables import Person, Workshop

ROLES = ("apprentice", "technician", "lead")
SHORTEST_PASSWORD = 12


def add_workshop(database: Database, name: str, town: str) -> int:
    """Make a workshop, or find it by name and town. Returns its number."""
    with database.at_the_door() as session, session.begin():
        workshop = session.scalar(select(Workshop).where(Workshop.name == name, Workshop.town == town))
        if workshop is None:
            workshop = Workshop(name=name, town=town)
            session.add(workshop)
            session.flush()
        return workshop.id


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
    sign_in_name = sign_in_name.strip().lower()
    if role not in ROLES:
        raise InvalidInput("role", role, f"allowed: {', '.join(ROLES)}")
    if not 1 <= len(sign_in_name) <= 120 or not 1 <= len(name) <= 120:
        raise InvalidInput("name", name, "1 to 120 characters are needed")
    with database.at_the_door() as session, session.begin():
        if session.scalar(select(Person).where(Person.sign_in_name == sign_in_name)):
            raise InvalidInput("sign-in name", sign_in_name, "it is taken; choose another")
        person = Person(
            workshop_id=workshop_id,
            sign_in_name=sign_in_name,
            name=name,
            role=role,
            password_hash=password_hash,
            made_up=made_up,
        )
        session.add(person)
        session.flush()
        return person.id


def real_people(database: Database) -> int:
    """How many people the database holds that are not the demo's."""
    with database.at_the_door() as session:
        return session.scalar(select(func.count()).select_from(Person).where(Person.made_up.is_(False))) or 0


def choose_units(database: Database, units: Units, *, by: Who) -> None:
    """Keep in which units a person reads and writes."""
    with database.of_workshop(by.workshop_id) as session, session.begin():
        person = session.get(Person, by.person_id)
        assert person is not None
        person.units = units.kept()


def require_password(password: str) -> str:
    """Return a password that may be used. Raises `InvalidInput`; the password itself is never repeated."""
    if not SHORTEST_PASSWORD <= len(password) <= 1000:
        raise InvalidInput("password", "…", f"{SHORTEST_PASSWORD} to 1000 characters are needed")
    return password

"""Loads the made-up scenario into an empty database."""

from __future__ import annotations

import datetime
import json
import secrets
import tomllib
from importlib.resources import files
from typing import Any

from sqlalchemy import select

from mesotrope.core.day.hours import Week
from mesotrope.core.language.entries import check
from mesotrope.core.language.inspection import Inspection, parse_inspection
from mesotrope.core.language.knowledge import Knowledge
from mesotrope.demo.closed_year import add_closed_year
from mesotrope.demo.full_day import add_found, fill_the_day, settle
from mesotrope.demo.practised import add_practice
from mesotrope.errors import InvalidInput
from mesotrope.knowledge.reader import knowledge_key
from mesotrope.services.answers import Remembered
from mesotrope.services.day import refresh_day
from mesotrope.services.jobs import add_document
from mesotrope.services.passwords import Passwords
from mesotrope.services.people import add_person, add_workshop, real_people
from mesotrope.services.search_index import index_owner
from mesotrope.services.signing_in import demo_people
from mesotrope.services.workshop import read_places
from mesotrope.store.day_tables import Owner
from mesotrope.store.session import Database, WorkshopSession
from mesotrope.store.tables import Job, Vehicle, Workshop


def scenario() -> dict[str, Any]:
    return tomllib.loads((files(__package__) / "scenario.toml").read_text(encoding="utf-8"))


def inspections() -> list[Inspection]:
    """The inspection of every job of the scenario, as its document has it."""
    return [_inspection_of(job, job["vehicle"], None) for job in scenario()["job"] if "label" in job["vehicle"]]


def _inspection_of(job: dict[str, Any], vehicle: dict[str, Any], date: datetime.date | None) -> Inspection:
    document = {
        "format": "mesotrope-inspection",
        "version": 1,
        "vehicle": vehicle,
        "visit": {**({"date": date.isoformat()} if date else {}), **job["visit"]},
        "findings": {"system": job.get("system", {}), "corners": job.get("corners", {})},
    }
    return parse_inspection(json.dumps(document))


def load_demo(
    database: Database, knowledge: Knowledge, passwords: Passwords, *, now: datetime.datetime, closed: int = 0,
    whole_day: bool = False,
) -> bool:  # fmt: skip
    """Load the scenario unless it is there already; the made-up people can only be clicked, not guessed.

    closed : so many closed jobs of the year before, in the first workshop, and learning asked for. whole_day : with the
    jobs that make the day a full one, in every state; then a lead asks for learning. Raises `InvalidInput` where the
    database holds people who are not made up: a demo lets anybody become anybody.
    """
    if real := real_people(database):
        words = f"it holds {real} people who are not the demo's; a demo needs a database of its own"
        raise InvalidInput("--demo", "this database", words)
    if demo_people(database):
        return False
    made_up = scenario()
    workshops: dict[str, int] = {}
    people: dict[str, int] = {}
    unguessable = passwords.hash(secrets.token_urlsafe(32))
    for workshop in made_up["workshop"]:
        number = workshops[workshop["name"]] = add_workshop(database, workshop["name"], workshop["town"])
        with database.at_the_door() as session, session.begin():
            shop = session.get_one(Workshop, number)
            shop.address, shop.telephone = workshop.get("address", ""), workshop.get("telephone", "")
            shop.opening = Week.read(workshop["opening"]).kept() if "opening" in workshop else {}
            places = read_places(workshop.get("places", ""))
            shop.places = [{"name": one.name, "lift": one.lift} for one in places] or None
        for person in workshop["people"]:
            people[person["sign_in_name"]] = add_person(
                database,
                number,
                person["sign_in_name"],
                person["name"],
                person["role"],
                unguessable,
                made_up=True,
            )
    first = workshops[made_up["workshop"][0]["name"]]
    owners = _add_owners(database, first, made_up["owner"])
    for job in sorted(made_up["job"], key=lambda job: "label" not in job["vehicle"]):
        with database.of_workshop(workshops[job["workshop"]]) as session, session.begin():
            _add_job(session, job, people, owners, knowledge, now)
    remember = Remembered(knowledge)
    if whole_day:
        fill_the_day(database, knowledge, made_up["day"], first, people, owners, remember, now=now)
        add_practice(database, knowledge, first, now)
    if closed:
        # what is learnt changes the plans of the day: there a lead asks for it
        add_closed_year(database, first, people, owners, closed, now, ask=not whole_day)
    for number in workshops.values():
        refresh_day(database, knowledge, number, knowledge_key(), remember)
    return True


def _add_owners(database: Database, workshop_id: int, owners: list[dict[str, Any]]) -> list[int]:
    """The made-up owners; returns their numbers."""
    with database.of_workshop(workshop_id) as session, session.begin():
        rows = [
            Owner(
                name=one["name"], telephone=one["telephone"], email=one.get("email", ""), allowed=one.get("allowed"),
            )
            for one in owners
        ]  # fmt: skip
        session.add_all(rows)
        session.flush()
        for row in rows:
            index_owner(session, row)
        return [row.id for row in rows]


def _add_job(
    session: WorkshopSession, job: dict[str, Any], people: dict[str, int], owners: list[int], knowledge: Knowledge,
    now: datetime.datetime,
) -> None:  # fmt: skip
    opened = now - datetime.timedelta(hours=job["hours_ago"])
    vehicle = job["vehicle"]
    if "label" not in vehicle:  # an earlier visit of a vehicle that is here already
        known = session.scalar(select(Vehicle).where(Vehicle.registration == vehicle["registration"]))
        assert known is not None, vehicle
        vehicle = known.specification
    inspection = _inspection_of(job, vehicle, opened.date())
    check(inspection, knowledge)
    by = people[job["by"]]
    row = add_document(session, inspection, by=by, now=opened, state=job.get("state", "open"))
    settle(session, row, job, people, owners, by, opened, now)
    for found in job.get("found", []):
        value = {"faults": found["faults"], "how": found["how"]}
        add_found(session, row, found["place"], value, found.get("note", ""), by, opened)
    if job.get("came_back"):  # as the visit of this vehicle that is in the shop
        later = session.scalar(select(Job).where(Job.vehicle_id == row.vehicle_id, Job.state == "open"))
        assert later is not None, vehicle
        later.comes_from = row.id

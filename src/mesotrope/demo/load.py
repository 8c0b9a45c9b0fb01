"""Loads the made-up scenario into an empty database."""

from __future__ import annotations

import datetime
import json
import secrets
import tomllib
from importlib.resources import files
from typing import Any

from sqlalchemy import select

from mesotrope.core.language.corner import VEHICLE
from mesotrope.core.language.entries import check
from mesotrope.core.language.inspection import Inspection, parse_inspection
from mesotrope.core.language.knowledge import Knowledge
from mesotrope.demo.closed_year import closed_case
from mesotrope.errors import InvalidInput
from mesotrope.knowledge.reader import knowledge_key
from mesotrope.services.bays import refresh_bays
from mesotrope.services.jobs import add_document
from mesotrope.services.outcomes import FOUND
from mesotrope.services.passwords import Passwords
from mesotrope.services.people import add_person, add_workshop, real_people
from mesotrope.services.signing_in import demo_people
from mesotrope.store.session import Database, WorkshopSession
from mesotrope.store.tables import Job, JobRecord, Vehicle, Workshop


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
    database: Database, knowledge: Knowledge, passwords: Passwords, *, now: datetime.datetime, closed: int = 0
) -> bool:
    """Load the scenario unless it is there already; the made-up people can only be clicked, not guessed.

    closed : so many closed jobs of the year before, in the first workshop, and learning asked for.
    Raises `InvalidInput` where the database holds people who are not made up: a demo lets anybody become anybody.
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
    for job in sorted(made_up["job"], key=lambda job: "label" not in job["vehicle"]):
        with database.of_workshop(workshops[job["workshop"]]) as session, session.begin():
            _add_job(session, job, people, knowledge, now)
    if closed:
        first = made_up["workshop"][0]
        by = people[first["people"][0]["sign_in_name"]]
        _add_closed_year(database, workshops[first["name"]], by, closed, now)
    for number in workshops.values():
        refresh_bays(database, knowledge, number, knowledge_key())
    return True


#: What the vehicles of the closed year are called.
COLOURS = ("White", "Silver", "Black", "Red", "Green", "Yellow", "Brown")


def _add_closed_year(database: Database, workshop_id: int, by: int, count: int, now: datetime.datetime) -> None:
    """Closed jobs of the year before, with what was found in each, and a wish to learn from them."""
    with database.of_workshop(workshop_id) as session, session.begin():
        for number in range(count):
            case = closed_case(number)
            opened = now - datetime.timedelta(days=10 + 350 * (count - number) / count)
            document = case["inspection"]
            kind = document["vehicle"].get("kind", "car").replace("_", " ")
            document["vehicle"] |= {
                "label": f"{COLOURS[number % 7]} {kind} {number}",
                "registration": f"0-QLY-{number:03}",
            }
            document["visit"] |= {"date": opened.date().isoformat(), "complaint": "Came in last year."}
            job = add_document(session, parse_inspection(json.dumps(document)), by=by, now=opened, state="closed")
            found: dict[str, list[str]] = {place: [] for place in (VEHICLE, *document["findings"]["corners"])}
            for one in case["found"]:
                found.setdefault(one["corner"] or VEHICLE, []).append(one["fault"])
            for place, faults in found.items():
                _add_found(session, job.id, place, {"faults": faults, "how": "seen"}, "", by, opened)
        session.get_one(Workshop, workshop_id).learning_asked_at = now


def _add_job(
    session: WorkshopSession, job: dict[str, Any], people: dict[str, int], knowledge: Knowledge, now: datetime.datetime
) -> None:
    opened = now - datetime.timedelta(hours=job["hours_ago"])
    vehicle = job["vehicle"]
    if "label" not in vehicle:  # an earlier visit of a vehicle that is here already
        known = session.scalar(select(Vehicle).where(Vehicle.registration == vehicle["registration"]))
        assert known is not None, vehicle
        vehicle = known.specification
    inspection = _inspection_of(job, vehicle, opened.date())
    check(inspection, knowledge)
    by = people[job["by"]]
    row = add_document(
        session, inspection, by=by, now=opened, state=job.get("state", "open"), waits_for=job.get("waits_for")
    )
    for found in job.get("found", []):
        value = {"faults": found["faults"], "how": found["how"]}
        _add_found(session, row.id, found["place"], value, found.get("note", ""), by, opened)
    if job.get("came_back"):  # as the visit of this vehicle that is in the bays
        later = session.scalar(select(Job).where(Job.vehicle_id == row.vehicle_id, Job.state == "open"))
        assert later is not None, vehicle
        later.comes_from = row.id


def _add_found(
    session: WorkshopSession, job_id: int, place: str, value: dict[str, Any], note: str, by: int, at: datetime.datetime
) -> None:
    """What was found at a place, as the outcome page keeps it."""
    record = {
        "kind": FOUND,
        "subject": place,
        "value": value,
        "note": note,
        "role": "lead",
        "made_by": by,
        "made_at": at,
    }
    session.add(JobRecord(job_id=job_id, **record))

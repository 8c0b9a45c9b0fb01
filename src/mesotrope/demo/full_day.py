"""The rest of a full day: more vehicles in the shop, in every state that a job can be in, brought there by the
product's own services."""

from __future__ import annotations

import datetime
import json
import math
from typing import Any

from mesotrope.core.day.hours import Week
from mesotrope.core.language.inspection import parse_inspection
from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.plan.came_since import written
from mesotrope.demo.closed_year import closed_case
from mesotrope.demo.writing import write_record
from mesotrope.services.answers import Remembered
from mesotrope.services.day_changes import owner_said, say_it_waits
from mesotrope.services.jobs import add_document
from mesotrope.services.orders import HERE, ORDERED, mark_parts
from mesotrope.services.outcomes import FOUND
from mesotrope.services.planned_jobs import planned_job
from mesotrope.services.plans import sign_verdict
from mesotrope.services.proving import asked_after, keep_after, tick_step
from mesotrope.services.records import keep_record
from mesotrope.services.search_index import index_job, index_vehicle
from mesotrope.services.signing_in import Who, nobody_of
from mesotrope.store.session import Database, WorkshopSession
from mesotrope.store.tables import Job, Person, Vehicle, Workshop

#: The world that these vehicles come from.
SEED = 5


#: What is measured after work that went well.
PROVED = {
    "spin.turns": "5", "spin.seconds": "6", "hub_temperature_c": "41", "leak": "none", "pedal_hold": "holds",
    "pedal_feel": "firm", "visible_leak": "none", "fluid_level": "MAX", "parking_brake_holds": "yes",
    "pad_mm.inner.lead_rim": "10", "pad_mm.outer.lead_rim": "10", "rotor_mm.1": "22",
}  # fmt: skip


def settle(
    session: WorkshopSession, row: Job, job: dict[str, Any], people: dict[str, int], owners: list[int], by: int,
    at: datetime.datetime, now: datetime.datetime,
) -> None:  # fmt: skip
    """Say of a job who has it, where it stands, for when it was promised, and whose the vehicle is."""
    vehicle = session.get_one(Vehicle, row.vehicle_id)
    if "owner" in job:
        vehicle.owner_id = owners[job["owner"]]
        session.flush()
        index_vehicle(session, vehicle)
    kept: dict[str, Any] = {}
    if "has_it" in job:
        kept["has_it"] = people[job["has_it"]]
    if "place" in job:
        kept["place"] = job["place"]
    if "promised_in" in job:
        kept["promised"] = working_moment(session, job["promised_in"], now).isoformat()
    for kind, value in kept.items():
        write_record(session, row, kind, "", value, by, at, role="lead")


def working_moment(session: WorkshopSession, hours: float, now: datetime.datetime) -> datetime.datetime:
    """The moment so many hours of work from now on (or before now), by the workshop's hours, to the half hour."""
    if hours < 0:
        return (now + datetime.timedelta(hours=hours)).replace(second=0, microsecond=0)
    shop = session.get_one(Workshop, session.info["workshop_id"])
    midnight = now.replace(hour=0, minute=0, second=0, microsecond=0)
    minute, left = (now - midnight).total_seconds() / 60, hours * 60
    for start, end in Week.of(shop.opening).minutes_from(midnight.date(), 14):
        here = max(0.0, end - max(start, minute))
        if here >= left:
            wanted = math.ceil((max(start, minute) + left) / 30) * 30
            return midnight + datetime.timedelta(minutes=min(wanted, end))
        left -= here
    return now + datetime.timedelta(hours=hours)


def add_found(
    session: WorkshopSession, job: Job, place: str, value: dict[str, Any], note: str, by: int, at: datetime.datetime
) -> None:
    """What was found at a place, as the outcome page keeps it."""
    write_record(session, job, FOUND, place, value, by, at, note=note, role="lead")
    session.flush()
    index_job(session, job)


def fill_the_day(
    database: Database, knowledge: Knowledge, jobs: list[dict[str, Any]], workshop_id: int, people: dict[str, int],
    owners: list[int], remember: Remembered, *, now: datetime.datetime,
) -> None:  # fmt: skip
    """Take the vehicles in and bring each job as far as it is said to be."""
    for job in jobs:
        opened = now - datetime.timedelta(hours=job["hours_ago"])
        with database.of_workshop(workshop_id) as session, session.begin():
            by = people[job["by"]]
            inspection = parse_inspection(json.dumps(_document(job, opened)))
            row = add_document(session, inspection, by=by, now=opened, state="open")
            settle(session, row, job, people, owners, by, opened, now)
            job_id = row.id
        if "signed" in job:
            who = _who(database, workshop_id, people[job["signed"]])
            _bring_on(database, knowledge, remember, job_id, job, who, opened, now)


def _document(job: dict[str, Any], opened: datetime.datetime) -> dict[str, Any]:
    names = {"label": job["label"], "registration": job["registration"]}
    visit = {"date": opened.date().isoformat(), "complaint": job["complaint"]}
    if not job["simulated"]:
        return {"vehicle": {**names, "kind": "car"}, "visit": visit}
    made: dict[str, Any] = closed_case(job["simulated"], seed=SEED)["inspection"]
    return {**made, "vehicle": {**made["vehicle"], **names}, "visit": {**made["visit"], **visit}}


def _who(database: Database, workshop_id: int, person_id: int) -> Who:
    nobody = nobody_of(database, workshop_id)
    with database.of_workshop(workshop_id) as session:
        person = session.get_one(Person, person_id)
        return Who(person.id, workshop_id, person.name, person.role, nobody.workshop, "", nobody.rules_version)


def _bring_on(
    database: Database, knowledge: Knowledge, remember: Remembered, job_id: int, job: dict[str, Any], who: Who,
    opened: datetime.datetime, now: datetime.datetime,
) -> None:  # fmt: skip
    """Sign the verdict and go on from there, at moments between taking in and now."""

    def at(share: float) -> datetime.datetime:
        return opened + share * (now - opened)

    here = planned_job(database, knowledge, lambda job: remember.answer(job.inspection, ()), job_id, by=who)
    sign_verdict(database, here.plan, job_id, by=who, now=at(0.2), reason="looked at, and left for the next visit")
    if "agreed" in job:
        owner_said(database, job_id, job["agreed"], job.get("agreed_words", ""), here.work, by=who, now=at(0.3))
    if job.get("ordered"):
        mark_parts(database, job_id, ORDERED, here.card.parts, by=who, now=at(0.35))
    if job.get("here"):
        mark_parts(database, job_id, HERE, here.card.parts, by=who, now=at(0.5))
    if "waits" in job:
        day = (now + datetime.timedelta(days=job["waits_days"])).date().isoformat()
        say_it_waits(database, job_id, job["waits"], job["waits_words"], day, by=who, now=at(0.4))
    steps = {step.id: step.done_for for step in here.card.steps}
    for number, step in enumerate(list(steps)[: round(len(steps) * job.get("steps", 0.0))]):
        tick_step(database, job_id, step, steps, True, by=who, now=at(0.5 + 0.4 * number / len(steps)))
    if job.get("proved"):
        for place, paths in asked_after(here.work, here.answer.specification, knowledge).items():
            for path in paths:
                keep_after(database, knowledge, job_id, str(place), path, PROVED[path], here.work, by=who, now=at(0.92))
    if "released" in job:
        until = (now + datetime.timedelta(days=job.get("until_days", 0))).date().isoformat()
        done = [[str(place), action] for place, action in here.work] if job.get("steps") else []
        value = {
            "as": job["released"], "open": [], "until": until if "until_days" in job else "", "done": done,
            "planned": sorted(written(here.work)), "entry": here.job.standing.last_entry,
        }  # fmt: skip
        keep_record(
            database, job_id, "release", "", value, by=who, now=at(0.95), note=job.get("restriction", "")
        )  # fmt: skip

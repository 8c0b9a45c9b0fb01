"""Closed jobs of a made-up workshop whose world differs from the expert's: other odds, other habits of saying things.

The vehicles are the simulator's; what differs is how often each fault comes, and how this workshop's people say what
they feel: a pin that is stiff is "free" to them, a boot is seldom called torn.
"""

from __future__ import annotations

import datetime
import json
from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any

import numpy as np

from mesotrope.core.language.corner import VEHICLE
from mesotrope.core.language.inspection import STAGES, parse_inspection
from mesotrope.core.simulator import drawn as world
from mesotrope.core.simulator import inspect_vehicle, simulate_vehicle
from mesotrope.demo.writing import write_record
from mesotrope.knowledge import knowledge
from mesotrope.services.findings import add_entries, field_at, places_of
from mesotrope.services.job_rows import FindingKey
from mesotrope.services.jobs import add_document
from mesotrope.services.outcomes import FOUND
from mesotrope.services.search_index import index_job, index_vehicle
from mesotrope.store.session import Database, WorkshopSession
from mesotrope.store.tables import FindingEntry, Job, Vehicle, Workshop

#: How many times as often each fault comes here.
TIMES = {
    "hose_restricted": 5.0, "pad_bound_inner": 0.25, "pad_bound_outer": 0.25, "slide_pins_seized": 0.3,
    "parking_brake_holding": 2.5, "shield_contact": 3.0, "piston_not_releasing": 0.6,
}  # fmt: skip

#: For a finding, what one word becomes here, and how often.
SAID: dict[str, tuple[tuple[str, str, float], ...]] = {
    "pin": (("stiff", "free", 0.7), ("seized", "stiff", 0.6)),
    "pad_fit": (("tight", "free", 0.6), ("bound", "tight", 0.5)),
    "piston_boot": (("torn", "sound", 0.7),),
    "piston_pushback": (("firm", "easy", 0.6), ("immovable", "firm", 0.4)),
    "bleeder_opened": (("frees", "no_change", 0.35),),
}


@contextmanager
def _other_odds() -> Iterator[None]:
    usual = dict(world.CORNER_FAULTS)
    for fault, times in TIMES.items():
        often, rusts = usual[fault]
        world.CORNER_FAULTS[fault] = (often * times, rusts)
    try:
        yield
    finally:
        world.CORNER_FAULTS.update(usual)


def _say(found: Any, habits: tuple[tuple[str, str, float], ...], random: np.random.Generator) -> Any:
    if isinstance(found, dict):
        return {name: _say(part, habits, random) for name, part in found.items()}
    if isinstance(found, list):
        return [_say(part, habits, random) for part in found]
    for word, becomes, often in habits:
        if found == word and random.random() < often:
            return becomes
    return found


def closed_case(number: int, seed: int = 77) -> dict[str, Any]:
    """The closed case of this number: the same whoever asks."""
    random = np.random.default_rng([seed, number])
    with _other_odds():
        vehicle = simulate_vehicle(random)
        document = inspect_vehicle(random, vehicle, "measure", 1.0)
    for findings in document["findings"]["corners"].values():
        for name, habits in SAID.items():
            if name in findings:
                findings[name] = _say(findings[name], habits, random)
    found = [
        {"corner": None if place is VEHICLE else str(place), "fault": fault}
        for place, fault in sorted(vehicle.truth, key=str)
    ]
    return {"inspection": document, "found": found, "certain": "seen"}


#: What the vehicles of the closed year are called.
COLOURS = ("White", "Silver", "Black", "Red", "Green", "Yellow", "Brown")

#: What their drivers said, one after the other.
COMPLAINTS = (
    "One wheel is hotter than the others.", "Pulls when braking.", "Scrapes when it rolls.", "Pads wear out too fast.",
    "Pedal is lower than it was.", "Smells after a hill.", "Parking brake hardly holds.", "Looked at before a journey.",
)  # fmt: skip

#: So many of the vehicles were here in the spring before, too, and of so many one came back.
SEEN_BEFORE, CAME_BACK = 3, 17


def add_closed_year(
    database: Database, workshop_id: int, people: dict[str, int], owners: list[int], count: int, now: datetime.datetime,
    *, ask: bool,
) -> None:  # fmt: skip
    """Closed jobs of the year before, with what was found in each and what became of it; ask : and a wish to learn from
    them."""
    by = people["ilse"]
    technicians = [people[name] for name in ("ilse", "bram", "mads", "tove")]
    with database.of_workshop(workshop_id) as session, session.begin():
        last: Job | None = None
        for number in range(count):
            case = closed_case(number)
            opened = now - datetime.timedelta(days=10 + 350 * (count - number) / count)
            document, visit = case["inspection"], case["inspection"]["visit"]
            kind = document["vehicle"].get("kind", "car").replace("_", " ")
            document["vehicle"] |= {
                "label": f"{COLOURS[number % 7]} {kind} {number}",
                "registration": f"0-QLY-{number:03}",
            }
            if number % SEEN_BEFORE == 0:
                _seen_before(session, document, by, opened)
            visit |= {"date": opened.date().isoformat(), "complaint": COMPLAINTS[number % len(COMPLAINTS)]}
            typed = _in_order(document)
            bare = parse_inspection(json.dumps({**document, "findings": {}}))
            job = add_document(session, bare, by=by, now=opened, state="closed")
            who = technicians[number % len(technicians)]
            add_entries(
                session,
                job,
                [
                    FindingEntry(
                        job_id=job.id, corner=corner, path=path, value=value, entered_by=who,
                        entered_at=opened + datetime.timedelta(minutes=8 + 0.5 * step),
                        idempotency_key=f"year{number:04}-{step:03}",
                    )
                    for step, ((corner, path), value) in enumerate(typed)
                ],
            )  # fmt: skip
            minutes = 14 + 0.6 * len(typed) + 7 * (number % 5)
            signed = opened + datetime.timedelta(minutes=minutes)
            job.closed_at = opened + datetime.timedelta(hours=7)
            write_record(session, job, "signed", "", "by hand", who, signed)
            found: dict[str, list[str]] = {place: [] for place in (VEHICLE, *document["findings"]["corners"])}
            for one in case["found"]:
                found.setdefault(one["corner"] or VEHICLE, []).append(one["fault"])
            for place, faults in found.items():
                write_record(session, job, FOUND, place, {"faults": faults, "how": "seen"}, who, job.closed_at)
            done = [
                [place, action]
                for place, faults in found.items()
                for fault in faults
                for action in KNOWN.cure[fault].actions
            ]
            release = {"as": "released", "open": [], "until": "", "done": done}
            write_record(session, job, "release", "", release, who, job.closed_at)
            if number % 4:
                vehicle = session.get_one(Vehicle, job.vehicle_id)
                vehicle.owner_id = owners[number % len(owners)]
                session.flush()
                index_vehicle(session, vehicle)
            if number % CAME_BACK == CAME_BACK - 1 and last is not None:
                job.vehicle_id, job.comes_from = last.vehicle_id, last.id
            index_job(session, job)
            last = job
        session.get_one(Workshop, workshop_id).learning_asked_at = now if ask else None


#: The knowledge that ships: what was done about each fault is what it says.
KNOWN = knowledge()


def _in_order(document: dict[str, Any]) -> list[tuple[FindingKey, Any]]:
    """The findings of a document one by one, in the order in which a hand goes round the vehicle."""
    places = places_of(parse_inspection(json.dumps(document)))

    def stage(place: FindingKey) -> tuple[int, str, str]:
        field = field_at(place, KNOWN)
        return (STAGES.index(field.stage) if field else 0, *place)

    return [(place, places[place]) for place in sorted(places, key=stage)]


def _seen_before(session: WorkshopSession, document: dict[str, Any], by: int, later: datetime.datetime) -> None:
    """An earlier visit of a vehicle, in which its pads were thicker and it had gone less far."""
    opened = later - datetime.timedelta(days=240)
    km = 8_000 + 40 * (document["visit"]["odometer_km"] % 200)
    corners = {}
    for corner, findings in document["findings"]["corners"].items():
        axle = document["vehicle"].get("axles", {}).get(corner.split("_")[0], {})
        new = axle.get("pad_new_mm", 10.0)
        pads = {
            side: {place: round(min(new, mm + 0.16 * km / 1000), 1) for place, mm in points.items()}
            for side, points in (findings.get("pad_mm") or {}).items()
        }
        if pads:
            corners[corner] = {"pad_mm": pads}
    earlier = {
        **document,
        "visit": {
            "date": opened.date().isoformat(), "complaint": "Yearly look.", "usage": document["visit"].get("usage"),
            "odometer_km": document["visit"]["odometer_km"] - km,
        },
        "findings": {"system": {"fluid_age_months": 12}, "corners": corners},
    }  # fmt: skip
    job = add_document(session, parse_inspection(json.dumps(earlier)), by=by, now=opened, state="closed")
    job.closed_at = opened

"""A made-up workshop of any size, written past the services: for measuring, never for a workshop's own database."""

from __future__ import annotations

import datetime
import random
from collections.abc import Iterator
from typing import Any

from sqlalchemy import Engine, insert, text

from mesotrope.core.evidence.readings import measured_of
from mesotrope.services.search_index import endings_of, words_of
from mesotrope.store.day_tables import DueItem, FigureMonth, Owner, SearchWord
from mesotrope.store.tables import FindingEntry, Job, Vehicle

COLOURS = ("Amber", "Blue", "Copper", "Dun", "Ebony", "Fawn", "Grey", "Hazel", "Ivory", "Jade", "Khaki", "Lime")
BODIES = ("hatchback", "estate", "saloon", "van", "pickup", "coupe", "minibus", "camper")
FIRST = ("Ada", "Bo", "Cyn", "Dag", "Eda", "Finn", "Gro", "Hal", "Ines", "Jon", "Kai", "Lio", "Mona", "Nils", "Oda")
LAST = ("Arden", "Brook", "Crane", "Dale", "Elm", "Frost", "Glen", "Heath", "Inglis", "Jarr", "Kell", "Lund", "Moor")
SAID = (
    "pulls to the left when braking", "one wheel is hot", "scrapes at the rear", "pedal is low",
    "squeals in the rain", "smells after the hill", "parking brake does not hold", "pads wear out too fast",
    "yearly look",
)  # fmt: skip

#: Rows written at once.
BATCH = 5000

#: Where a visit measures: four pads, how a wheel turns and the age of the fluid; seven entries.
PADS = tuple((f"rear_{side}", f"pad_mm.{pad}.lead_rim") for side in ("left", "right") for pad in ("inner", "outer"))

#: What a closed visit counts for, as it would be worked out.
COUNTED = {
    "minutes": 65.0, "spared": 0, "spared_money": 0.0, "first": 0.7, "needless": 1, "tests": 6,
    "suspect": ["rear_left", "slide_pins_seized"],
}  # fmt: skip


def fill(
    engine: Engine, workshop_id: int, person_id: int, vehicles: int, visits: int, seed: int = 1, *,
    due_key: str | None = None,
) -> None:  # fmt: skip
    """Write so many closed visits of so many vehicles, each visit with seven entries, each vehicle with an owner and
    something that falls due; the same whoever asks. due_key : what the dates are said to be worked out with."""
    chance = random.Random(seed)
    with engine.begin() as connection:
        first = {name: (connection.scalar(text(f"select coalesce(max(id), 0) from {name}")) or 0) + 1
                 for name in ("owners", "vehicles", "jobs", "finding_entries")}  # fmt: skip
        people = [_owner(first["owners"] + n, workshop_id, chance) for n in range(vehicles)]
        cars = [_vehicle(first["vehicles"] + n, people[n], workshop_id, chance) for n in range(vehicles)]
        jobs = [
            _job(first["jobs"] + n, cars[n % vehicles]["id"], workshop_id, person_id, chance) for n in range(visits)
        ]
        entries = [
            entry for job in jobs for entry in _entries(first["finding_entries"], job, first["jobs"], person_id, chance)
        ]
        dates = [_due(car, jobs[n], chance) for n, car in enumerate(cars[: len(jobs)])]
        closed = {job["closed_at"].strftime("%Y-%m") for job in jobs}
        known = set(connection.scalars(text(f"select month from figure_months where workshop_id = {workshop_id}")))
        months = [
            {"workshop_id": workshop_id, "month": month, "changed": 1, "counted": 0} for month in sorted(closed - known)
        ]
        for car in cars:
            car["due_key"] = due_key
        words = list(_words(workshop_id, people, cars, jobs))
        written: tuple[tuple[type[Any], list[dict[str, Any]]], ...] = (
            (Owner, people), (Vehicle, cars), (Job, jobs), (FindingEntry, entries), (DueItem, dates),
            (SearchWord, words), (FigureMonth, months),
        )  # fmt: skip
        for table, rows in written:
            for start in range(0, len(rows), BATCH):
                connection.execute(insert(table.__table__), rows[start : start + BATCH])
        connection.execute(text("analyze table search_words, jobs, vehicles, owners, finding_entries"))


def _owner(number: int, workshop_id: int, chance: random.Random) -> dict[str, Any]:
    name = f"{chance.choice(FIRST)} {chance.choice(LAST)}"
    return {"id": number, "workshop_id": workshop_id, "name": name, "telephone": f"0-555-{number:06}", "email": ""}


def _vehicle(number: int, owner: dict[str, Any], workshop_id: int, chance: random.Random) -> dict[str, Any]:
    label, plate = f"{chance.choice(COLOURS)} {chance.choice(BODIES)}", f"0-BIG-{number}"
    return {
        "id": number, "workshop_id": workshop_id, "label": label, "registration": plate,
        "plate_key": plate.replace("-", ""), "specification": {"kind": "car", "label": label, "registration": plate},
        "owner_id": owner["id"], "indexed": True,
    }  # fmt: skip


def _job(number: int, vehicle: int, workshop_id: int, person: int, chance: random.Random) -> dict[str, Any]:
    opened = datetime.datetime(2016, 1, 4, 9) + datetime.timedelta(minutes=chance.randrange(10 * 365 * 1440))
    visit = {"date": opened.date().isoformat(), "complaint": chance.choice(SAID)}
    return {
        "id": number, "workshop_id": workshop_id, "vehicle_id": vehicle, "opened_by": person, "opened_at": opened,
        "closed_at": opened, "state": "closed", "visit": visit, "indexed": True, "figures": COUNTED,
    }  # fmt: skip


def _entries(
    first: int, job: dict[str, Any], first_job: int, person: int, chance: random.Random
) -> Iterator[dict[str, Any]]:
    """The entries of a job, and with it what it keeps of them."""
    found: dict[tuple[str, str], Any] = {place: round(chance.uniform(3, 11), 1) for place in PADS}
    found[("rear_left", "spin.turns")] = 2.0
    found[("rear_left", "spin.seconds")] = 2.4
    found[("system", "fluid_age_months")] = chance.randrange(6, 60)
    number = first + len(found) * (job["id"] - first_job)
    job |= {"measured": measured_of(found), "last_entry": number + len(found) - 1}
    job["measured_at"] = job["last_entry"]
    for (corner, path), value in found.items():
        yield {
            "id": number, "workshop_id": job["workshop_id"], "job_id": job["id"], "corner": corner, "path": path,
            "value": value, "entered_by": person, "entered_at": job["opened_at"], "idempotency_key": f"made-{number}",
            "device": "", "simulated": False,
        }  # fmt: skip
        number += 1


def _due(car: dict[str, Any], job: dict[str, Any], chance: random.Random) -> dict[str, Any]:
    day = datetime.date(2026, 1, 1) + datetime.timedelta(days=chance.randrange(1500))
    return {
        "workshop_id": car["workshop_id"], "vehicle_id": car["id"], "job_id": job["id"], "key": "fluid",
        "kind": "fluid", "day": day, "told": {"months": 24},
    }  # fmt: skip


def _words(
    workshop_id: int, people: list[dict[str, Any]], cars: list[dict[str, Any]], jobs: list[dict[str, Any]]
) -> Iterator[dict[str, Any]]:
    """As the product keeps them: vehicles by their own words and their owner's, jobs by theirs."""
    by_number = {owner["id"]: owner for owner in people}

    def rows(kind: str, thing: int, vehicle: int, words: set[str]) -> Iterator[dict[str, Any]]:
        for word in sorted(words):
            yield {"workshop_id": workshop_id, "word": word, "vehicle": vehicle, "kind": kind, "thing": thing}

    for owner in people:
        yield from rows("o", owner["id"], 0, words_of(owner["name"]) | endings_of(owner["telephone"]))
    for car in cars:
        owner = by_number[car["owner_id"]]
        own = words_of(car["label"]) | words_of(car["registration"]) | endings_of(car["registration"])
        yield from rows("v", car["id"], car["id"], own | words_of(owner["name"]) | endings_of(owner["telephone"]))
    for job in jobs:
        day = job["visit"]["date"]
        yield from rows("j", job["id"], job["vehicle_id"], words_of(job["visit"]["complaint"]) | {day, day[:7]})

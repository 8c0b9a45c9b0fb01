"""A made-up workshop of any size, written past the services: for measuring, never for a workshop's own database."""

from __future__ import annotations

import datetime
import random
from collections.abc import Iterator
from typing import Any

from sqlalchemy import insert, text

from mesotrope.services.finding import endings_of, words_of
from mesotrope.store.day_tables import Owner, SearchWord
from mesotrope.store.session import Database
from mesotrope.store.tables import Job, Vehicle

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


def fill(database: Database, workshop_id: int, person_id: int, vehicles: int, visits: int, seed: int = 1) -> None:
    """Write so many closed visits of so many vehicles, each vehicle with an owner; the same whoever asks."""
    chance = random.Random(seed)
    with database.engine.begin() as connection:
        first = {name: (connection.scalar(text(f"select coalesce(max(id), 0) from {name}")) or 0) + 1
                 for name in ("owners", "vehicles", "jobs")}  # fmt: skip
        people = [_owner(first["owners"] + n, workshop_id, chance) for n in range(vehicles)]
        cars = [_vehicle(first["vehicles"] + n, people[n], workshop_id, chance) for n in range(vehicles)]
        jobs = [
            _job(first["jobs"] + n, cars[n % vehicles]["id"], workshop_id, person_id, chance) for n in range(visits)
        ]
        for table, rows in ((Owner, people), (Vehicle, cars), (Job, jobs)):
            for start in range(0, len(rows), BATCH):
                connection.execute(insert(table.__table__), rows[start : start + BATCH])
        words = list(_words(workshop_id, people, cars, jobs))
        for start in range(0, len(words), BATCH):
            connection.execute(insert(SearchWord.__table__), words[start : start + BATCH])
        connection.execute(text("analyze table search_words, jobs, vehicles, owners"))


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
        "closed_at": opened, "state": "closed", "visit": visit, "last_entry": 0, "measured_at": 0, "indexed": True,
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

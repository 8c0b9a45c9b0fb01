"""The application inside this process, on a throw-away database with two workshops that know nothing of each other."""

from __future__ import annotations

import contextlib
import datetime
import json
import re
import tempfile
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

from fastapi import FastAPI
from starlette.testclient import TestClient

from mesotrope.app import create_app
from mesotrope.core.language.inspection import parse_inspection
from mesotrope.knowledge import knowledge
from mesotrope.services.due import new_feed
from mesotrope.services.exchange import import_documents
from mesotrope.services.owner_links import make_link
from mesotrope.services.owners import Contact, keep_owner
from mesotrope.services.people import add_person, add_workshop
from mesotrope.services.photographs import add_photograph
from mesotrope.services.practice import start_run
from mesotrope.services.practice_progress import set_vehicle
from mesotrope.services.signing_in import Who, open_session, who_is
from mesotrope.settings import Settings
from mesotrope.store.instance import Instance
from mesotrope.store.migrate import migrate
from mesotrope.store.session import Database
from mesotrope.web.cookies import SESSION
from tests.conftest import free_port

ROLES = ("apprentice", "technician", "lead")
NOW = datetime.datetime(2026, 5, 4, 9, 30)


@dataclass(frozen=True)
class Workshop:
    """A workshop of the campaign: its people by role, a job with everything in it, and words that only it knows."""

    marker: str
    people: dict[str, Who]
    job: int
    vehicle: int
    photograph: int
    link: str
    owner: int
    feed: str
    run: int


@dataclass(frozen=True)
class Surroundings:
    app: FastAPI
    database: Database
    workshops: tuple[Workshop, Workshop]

    def client(self, who: Who | None) -> TestClient:
        """A client of a person, with the token that changes need; of nobody without one."""
        client = TestClient(
            self.app, base_url="http://testserver", follow_redirects=False, raise_server_exceptions=False
        )
        if who is not None:
            client.cookies.set(SESSION, open_session(self.database, who.person_id, now=NOW, hours=10))
            token = re.search(r'name="change_token" value="([^"]+)"', client.get("/me").text)[1]
            client.headers["X-Change-Token"] = token
        return client


@contextlib.contextmanager
def surroundings() -> Iterator[Surroundings]:
    """Two workshops on a database of their own."""
    with tempfile.TemporaryDirectory() as folder:
        instance = Instance(Path(folder), free_port(), buffer_mib=64)
        instance.start()
        migrate(instance.url())
        database = Database(instance.url())
        chosen = Settings(password_memory_kib=16, password_rounds=1, hosts="testserver")
        app = create_app(chosen, database, lambda: NOW)
        try:
            yield Surroundings(app, database, (_workshop(database, "HERON"), _workshop(database, "OSPREY")))
        finally:
            database.close()
            instance.stop()


def _workshop(database: Database, marker: str) -> Workshop:
    workshop = add_workshop(database, f"Workshop {marker}", "Testing")
    people = {}
    for role in ROLES:
        name = f"{role}-{marker}".lower()
        number = add_person(database, workshop, name, f"{role} {marker}", role, "-", made_up=True)
        people[role] = who_is(database, open_session(database, number, now=NOW, hours=1), now=NOW)
    lead = people["lead"]
    pads = dict.fromkeys(("lead_rim", "lead_hub", "trail_rim", "trail_hub"), 5.0)
    document = {
        "vehicle": {"kind": "car", "label": f"Van {marker}", "registration": f"{marker} 1"},
        "visit": {"complaint": f"{marker} drags", "date": "2026-05-04", "odometer_km": 84_000},
        "findings": {
            "system": {"pedal_feel": "firm"},
            "corners": {
                "rear_left": {
                    "spin": {"turns": 0.5, "seconds": 1},
                    "pad_mm": {"inner": {**pads, "lead_rim": 2.0}, "outer": pads},
                    "pin": {"upper": "seized", "lower": "free"},
                }
            },
        },
    }
    job = import_documents(database, [parse_inspection(json.dumps(document))], by=lead, now=NOW)[0]
    photograph = add_photograph(database, job, "rear_left", "look", picture(), by=lead, now=NOW)
    link = make_link(database, job, by=lead, now=NOW)
    with database.of_workshop(lead.workshop_id) as session:
        from mesotrope.store.tables import Job

        vehicle = session.get_one(Job, job).vehicle_id
    owner = keep_owner(database, Contact(f"Owner {marker}", "0-555-01"), by=lead, now=NOW, vehicle_id=vehicle)
    feed = new_feed(database, by=lead, now=NOW)
    technician = people["technician"]
    run = start_run(database, knowledge(), 2, False, by=technician, now=NOW)
    set_vehicle(database, knowledge(), technician.person_id, 2, f"for {marker}", by=lead, now=NOW)
    return Workshop(marker, people, job, vehicle, photograph, link, owner, feed, run)


def picture(size: tuple[int, int] = (64, 48), form: str = "JPEG") -> bytes:
    """A picture of nothing."""
    import io

    from PIL import Image

    out = io.BytesIO()
    Image.effect_mandelbrot(size, (-2, -1.2, 1, 1.2), 20).convert("RGB").save(out, form)
    return out.getvalue()


knowledge()  # read before the first request is timed

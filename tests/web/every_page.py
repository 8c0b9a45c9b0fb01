"""Every page that the product shows, on a small demo with something in each list."""

from __future__ import annotations

import dataclasses
import datetime
from collections.abc import Iterator
from contextlib import contextmanager
from gettext import NullTranslations

from starlette.testclient import TestClient

from mesotrope.app import create_app
from mesotrope.core.workings.catalogue import WORKINGS
from mesotrope.demo.load import load_demo
from mesotrope.demo.practised import add_practice
from mesotrope.knowledge import knowledge
from mesotrope.services.passwords import Passwords
from mesotrope.services.signing_in import demo_people, open_session
from mesotrope.settings import Settings
from mesotrope.store.instance import Instance
from mesotrope.store.migrate import migrate
from mesotrope.store.session import Database
from mesotrope.web.cookies import SESSION
from tests.conftest import CHEAP

NOW = datetime.datetime(2026, 5, 4, 12, 0)
STAGES = ("take-in", "pedal", "lift", "look", "isolate", "strip")
AFTER = ("verdict", "card", "prove", "owner", "outcome", "board", "history", "vehicle", "measurements")
JOBS = (1, 4, 9)
PAGES = (
    "/", "/plan", "/orders", "/take-in", "/vehicles?q=a", "/vehicles/1", "/vehicles/8", "/vehicles/8/wear", "/due",
    "/due?weeks=104", "/due?as=month", "/owners", "/owners/1", "/owners/1/letter", "/figures", "/learnt",
    "/learnt/better", "/learnt/versions", "/practice", "/practice/people", "/practice/people/1", "/practice/make",
    "/practice/runs/1/take-in", "/practice/runs/1/strip?axle=front", "/practice/runs/1/commit", "/rules", "/import",
    "/bring-in", "/workshop", "/people", "/trail", "/system", "/find?q=a", "/me", "/sources", "/bench", "/bedding",
    "/workings", *(f"/workings/{working.name}" for working in WORKINGS),
    *(f"/jobs/{job}/{page}" for job in JOBS for page in STAGES + AFTER),
    *(f"/jobs/{job}/strip?axle=rear" for job in JOBS), "/no-such-page", "/jobs/99999/verdict",
)  # fmt: skip


@contextmanager
def reader(
    instance: Instance, name: str, language: NullTranslations, *, closed: int = 2, practised: bool = True
) -> Iterator[TestClient]:
    """A lead of the demo's first workshop who reads another language; its database is of its own.

    closed : so many closed jobs; practised : whether the demo's apprentice has practised.
    """
    instance.start((name,))
    url = instance.url(name)
    migrate(url)
    database = Database(url)
    load_demo(database, knowledge(), Passwords.with_cost(16, 1), now=NOW, closed=closed)
    lead = next(person for person in demo_people(database) if person.role == "lead")
    if practised:
        add_practice(database, knowledge(), 1, NOW)
    app = create_app(Settings(demo=True, development=True, **CHEAP), database, now=lambda: NOW)
    app.state.shop = dataclasses.replace(app.state.shop, language=language)
    client = TestClient(app, base_url="http://testserver", follow_redirects=True)
    client.cookies.set(SESSION, open_session(database, lead.id, now=NOW, hours=1))
    yield client
    database.close()

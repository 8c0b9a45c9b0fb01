"""What every test may ask for: a throw-away database of this run's own, and the application on it."""

from __future__ import annotations

import datetime
import itertools
import os
import socket
from collections.abc import Iterator
from dataclasses import dataclass, field
from pathlib import Path

import pytest
from hypothesis import HealthCheck, Phase, settings

from mesotrope.app import create_app
from mesotrope.knowledge import knowledge
from mesotrope.services.answers import Remembered
from mesotrope.services.day import list_day
from mesotrope.services.passwords import Passwords
from mesotrope.services.people import add_person, add_workshop
from mesotrope.services.planned_jobs import planned_job
from mesotrope.services.signing_in import Who, open_session, who_is
from mesotrope.settings import Settings
from mesotrope.store.instance import Instance
from mesotrope.store.migrate import migrate
from mesotrope.store.session import Database
from tests.made import copy_made

#: Failing cases are not shrunk: whole vehicles shrink for minutes, and the cases are small as they are.
settings.register_profile(
    "mesotrope",
    deadline=None,
    max_examples=40,
    derandomize=True,
    phases=[Phase.explicit, Phase.generate],
    suppress_health_check=list(HealthCheck),
)
settings.load_profile("mesotrope")

#: Argon2id as cheap as it goes: tests check what it is used for, not how slow it is.
CHEAP = {"password_memory_kib": 16, "password_rounds": 1, "hosts": "testserver,127.0.0.1,localhost"}
PASSWORD = "a long enough password"


def free_port() -> int:
    """A port that nobody listens on, of those beside which a private database's has room."""
    while True:
        with socket.socket() as probe:
            probe.bind(("127.0.0.1", 0))
            port = probe.getsockname()[1]
        if 1024 < port < 55_000:
            return port


@pytest.fixture(scope="session", autouse=True)
def _made_once(tmp_path_factory: pytest.TempPathFactory) -> Iterator[None]:
    """Every private database of the tests is a copy of one: making each anew takes a quarter of a minute."""
    base = tmp_path_factory.getbasetemp()
    base = base.parent if "PYTEST_XDIST_WORKER" in os.environ else base
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(Instance, "_install", lambda instance: copy_made(base, instance, free_port()))
        yield


@pytest.fixture(autouse=True)
def _no_hurry(monkeypatch: pytest.MonkeyPatch) -> None:
    """What a page works out for a while it works out whole, on a slow machine too: no test depends on the speed."""
    monkeypatch.setattr("mesotrope.services.for_a_while.monotonic", lambda: 0.0)


@pytest.fixture(scope="session")
def instance(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Instance]:
    """A MariaDB that lives as long as this test process."""
    running = Instance(tmp_path_factory.mktemp("mariadb"), free_port(), buffer_mib=32)
    running.start()
    yield running
    running.stop()


@pytest.fixture(scope="session")
def database(instance: Instance) -> Iterator[Database]:
    migrate(instance.url())
    opened = Database(instance.url())
    yield opened
    opened.close()


@dataclass
class Clock:
    """A clock that stands until it is moved."""

    at: datetime.datetime = field(default_factory=lambda: datetime.datetime(2026, 5, 4, 9, 30))

    def __call__(self) -> datetime.datetime:
        return self.at

    def forward(self, minutes: float) -> None:
        self.at += datetime.timedelta(minutes=minutes)


@pytest.fixture
def clock() -> Clock:
    return Clock()


_numbers = itertools.count(1)


@pytest.fixture
def someone(database: Database, clock: Clock):
    """Return a maker of people, each in a workshop of their own unless one is named."""

    def make(role: str = "technician", workshop: str | None = None) -> Who:
        number = next(_numbers)
        name = f"person-{number}"
        workshop_id = add_workshop(database, workshop or f"Workshop {number}", "Testing")
        hashed = Passwords.with_cost(16, 1).hash(PASSWORD)
        person_id = add_person(database, workshop_id, name, name.title(), role, hashed)
        return who_is(database, open_session(database, person_id, now=clock(), hours=1), now=clock())

    return make


@pytest.fixture
def day_of(database):
    """Return a maker of Today: every open job of a person's workshop, worked out."""

    def day(who: Who, in_database: Database = database):
        remember = Remembered(knowledge())

        def planned(job_id: int):
            return planned_job(
                in_database, knowledge(), lambda job: remember.answer(job.inspection, ()), job_id, by=who
            )

        return list_day(in_database, knowledge(), planned, by=who, knowledge_key="tests", makes_for_s=None)

    return day


@pytest.fixture
def app(database: Database, clock: Clock, tmp_path: Path):
    return create_app(Settings(archive_folder=tmp_path / "archive", **CHEAP), database, clock)

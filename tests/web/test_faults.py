"""Faults: a database that is away, frozen or full, a program that fails, too much at once. Each has its words."""

from __future__ import annotations

import asyncio
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace

import anyio
import pymysql
import pytest
from sqlalchemy.exc import IntegrityError, InternalError, OperationalError
from sqlalchemy.exc import TimeoutError as PoolTimeout
from starlette.testclient import TestClient

import mesotrope.web.day.routes as day_routes
import mesotrope.web.security as security
from mesotrope.app import create_app, not_ready
from mesotrope.errors import Busy
from mesotrope.settings import Settings
from mesotrope.store.session import Database
from mesotrope.web import errors
from mesotrope.web.lanes import HEAVY_AT_ONCE, Lanes, in_turn
from tests.conftest import CHEAP, free_port
from tests.web.by_hand import answers


def _failing(monkeypatch, error):
    def fails(*_, **__):
        raise error

    monkeypatch.setattr(day_routes, "list_day", fails)


def _driver(kind, code):
    return kind("select", {}, getattr(pymysql, kind.__name__)(code, "words of the server"))


@pytest.mark.parametrize(
    ("error", "status", "words"),
    [
        (_driver(OperationalError, 2003), 503, "The database does not answer"),
        (_driver(OperationalError, 2013), 503, "The database does not answer"),
        (_driver(OperationalError, 1040), 503, "The database does not answer"),
        (_driver(InternalError, 1114), 503, "disk is full"),
        (_driver(OperationalError, 1021), 503, "disk is full"),
        (_driver(OperationalError, 1969), 503, "took too long"),
        (_driver(OperationalError, 1205), 503, "took too long"),
        (PoolTimeout("no connection"), 503, "Too much is going on at once"),
        (_driver(IntegrityError, 1062), 409, "at the same moment"),
        (_driver(OperationalError, 1054), 500, "Something went wrong in the program"),
        (ZeroDivisionError("oops"), 500, "Something went wrong in the program"),
    ],
)
@pytest.mark.parametrize("htmx", [False, True])
def test_a_fault_is_a_page_in_words_with_the_headers(someone, client_of, monkeypatch, error, status, words, htmx):
    client = client_of(someone())
    _failing(monkeypatch, error)
    answer = client.get("/", headers={"HX-Request": "true"} if htmx else {})
    assert answer.status_code == status
    assert words in answer.text
    assert "words of the server" not in answer.text
    assert ("<html" in answer.text) != htmx
    for header in ("content-security-policy", "x-content-type-options", "x-request-id"):
        assert header in answer.headers
    assert (status == 503) == ("retry-after" in answer.headers)
    if status == 500:
        assert answer.headers["x-request-id"] in answer.text


def test_on_a_full_disk_a_database_that_is_away_is_said_to_be_full(someone, client_of, monkeypatch, tmp_path):
    client = client_of(someone())
    _failing(monkeypatch, _driver(OperationalError, 2013))
    monkeypatch.setattr(errors, "NO_ROOM_BYTES", 10**18)
    full = replace(client.app.state.shop, settings=Settings(run_folder=tmp_path, **CHEAP))
    monkeypatch.setattr(client.app.state, "shop", full)
    assert "disk is full" in client.get("/").text


@pytest.fixture
def nowhere(clock):
    """An application whose database does not answer."""
    database = Database(f"mysql+pymysql://nobody:x@127.0.0.1:{free_port()}/none")
    with TestClient(create_app(Settings(**CHEAP), database, clock), raise_server_exceptions=False) as client:
        yield client
    database.close()


def test_health_and_ready_tell_the_truth(app, nowhere):
    alive = TestClient(app)
    assert (alive.get("/health").status_code, alive.get("/ready").json()) == (200, {"status": "ready"})
    assert nowhere.get("/health").status_code == 200
    answer = nowhere.get("/ready")
    assert (answer.status_code, answer.json()["because"]) == (503, "the database does not answer")
    page = nowhere.get("/sign-in/", follow_redirects=True)
    assert page.status_code == 200  # the door itself needs no database
    assert nowhere.post("/sign-in", data={"name": "x", "password": "y"}).status_code == 503


def test_ready_says_so_where_migrations_are_missing(database, monkeypatch):
    assert not_ready(database) == ""
    monkeypatch.setattr("mesotrope.store.migrate.newest", lambda: "9999")
    assert not_ready(database) == "the database has not the tables of this version"


def test_a_statement_and_a_lock_are_given_up_in_time(database):
    with database.engine.connect() as connection:
        limits = connection.exec_driver_sql("select @@max_statement_time, @@innodb_lock_wait_timeout").one()
    assert tuple(map(int, limits)) == (4, 3)


def test_heavy_work_waits_for_its_turn_and_too_much_of_it_is_refused():
    async def crowd():
        lane, most_at_once, now = Lanes().heavy, 0, 0

        async def work():
            nonlocal most_at_once, now
            async with in_turn(lane, "pages", 5, most_waiting=3):
                now += 1
                most_at_once = max(most_at_once, now)
                await anyio.sleep(0.01)
                now -= 1

        tasks = [asyncio.create_task(work()) for _ in range(HEAVY_AT_ONCE + 5)]
        done = await asyncio.gather(*tasks, return_exceptions=True)
        return most_at_once, sum(isinstance(one, Busy) for one in done)

    assert asyncio.run(crowd()) == (HEAVY_AT_ONCE, 2)


def test_a_crowd_at_the_door_leaves_the_pages_alone(app, someone, client_of):
    client = client_of(someone())

    async def held():
        lane = app.state.lanes.passwords
        holders = [object() for _ in range(int(lane.total_tokens))]
        for holder in holders:
            lane.acquire_on_behalf_of_nowait(holder)
        try:
            with ThreadPoolExecutor(1) as other:
                return await asyncio.get_running_loop().run_in_executor(other, lambda: client.get("/").status_code)
        finally:
            for holder in holders:
                lane.release_on_behalf_of(holder)

    assert asyncio.run(held()) == 200


def test_a_page_that_waits_too_long_for_its_turn_is_told_so():
    async def waits():
        lane = anyio.CapacityLimiter(1)
        async with in_turn(lane, "pages", 1):

            async def other():
                async with in_turn(lane, "pages", 0.01):
                    pass

            await asyncio.create_task(other())

    with pytest.raises(Busy, match="Too much is going on at once"):
        asyncio.run(waits())


def test_a_request_that_does_not_arrive_in_time_is_answered_and_forgotten(app, monkeypatch):
    monkeypatch.setattr(security, "ARRIVES_S", 0.05)

    async def receive():
        await anyio.sleep_forever()

    headers = [(b"content-length", b"100"), (b"content-type", b"application/x-www-form-urlencoded")]
    answered = answers(app, headers, receive)
    assert answered[0]["status"] == 408


def test_pages_are_still_served_while_every_heavy_place_is_taken(app, someone, client_of):
    client = client_of(someone())

    async def held():
        async with app.state.lanes.heavy:
            with ThreadPoolExecutor(1) as other:
                return await asyncio.get_running_loop().run_in_executor(other, lambda: client.get("/").status_code)

    assert asyncio.run(held()) == 200

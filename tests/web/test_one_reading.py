"""The way of one figure: what an entry and the pages cost in queries, connections and parsed documents."""

from __future__ import annotations

import re
from contextlib import contextmanager

import pytest
from sqlalchemy import event

from mesotrope.knowledge import knowledge
from mesotrope.services import day, job_rows
from mesotrope.services.findings import record_finding
from mesotrope.services.jobs import open_job, take_in
from mesotrope.services.rule_changes import set_rules

#: Forms carry a key that is new on every page.
KEY = re.compile(r'name="idempotency_key" value="[^"]+"')

HTMX = {"HX-Request": "true"}


@pytest.fixture
def vehicle_with_history(database, clock):
    """A maker of the latest of some visits of one vehicle, each with pads measured."""

    def make(who, visits=3):
        for number in range(visits):
            job = take_in(
                database, knowledge(), label="Red van", kind="car", registration="0-way-1",
                odometer_km=10000.0 * (number + 1), usage="", complaint="", confirmed=True, by=who, now=clock(),
            )  # fmt: skip
            for side in ("inner", "outer"):
                record_finding(
                    database, knowledge(), job, "front_left", f"pad_mm.{side}.lead_rim", f"{9 - number}", by=who,
                    now=clock(), idempotency_key=f"first-key-{number}-{side}",
                )  # fmt: skip
        return job

    return make


@contextmanager
def counted(database, monkeypatch):
    """Counts queries, connections taken from the pool, documents parsed and jobs looked at."""
    counts = {"queries": 0, "connections": 0, "parsed": 0, "looked at": 0}

    def count(name):
        def one_more(*_arguments, **_named):
            counts[name] += 1

        return one_more

    parse, look = job_rows.parse_inspection, day.stand_of

    def parsed(text):
        counts["parsed"] += 1
        return parse(text)

    def looked(*given):
        counts["looked at"] += 1
        return look(*given)

    monkeypatch.setattr(job_rows, "parse_inspection", parsed)
    monkeypatch.setattr(day, "stand_of", looked)
    listeners = [(database.engine, "before_cursor_execute", count("queries")),
                 (database.engine, "checkout", count("connections"))]  # fmt: skip
    for listener in listeners:
        event.listen(*listener)
    try:
        yield counts
    finally:
        for listener in listeners:
            event.remove(*listener)


def enter(client, job, value, key):
    form = {"corner": "front_left", "path": "pad_mm.inner.trail_rim", "value": value, "stage": "strip", "seen_entry": 0}
    return client.post(f"/jobs/{job}/findings", data=form, headers={**HTMX, "Idempotency-Key": key})


def test_an_entry_costs_five_queries_on_one_connection_and_one_parsed_document(
    client_of, someone, database, vehicle_with_history, monkeypatch
):
    who = someone()
    client, job = client_of(who), vehicle_with_history(who)
    assert enter(client, job, "6.8", "warm-key-0001").status_code == 200  # earlier visits keep what they measured
    with counted(database, monkeypatch) as counts:
        answer = enter(client, job, "6.9", "second-key-02")
    assert answer.status_code == 200
    assert 'id="suspect-list"' in answer.text
    assert counts["queries"] <= 5, counts
    assert (counts["connections"], counts["parsed"]) == (1, 1)
    with counted(database, monkeypatch) as counts:
        follows = client.get(f"/jobs/{job}/strip/refresh")
    assert "Distance left" in follows.text
    assert counts["queries"] <= 3, counts
    assert (counts["connections"], counts["parsed"]) == (1, 1)


def test_a_stage_is_read_in_five_queries(client_of, someone, database, vehicle_with_history, monkeypatch):
    who = someone()
    client, job = client_of(who), vehicle_with_history(who)
    client.get(f"/jobs/{job}/strip")
    with counted(database, monkeypatch) as counts:
        assert client.get(f"/jobs/{job}/strip").status_code == 200
    assert counts["queries"] <= 5, counts
    assert (counts["connections"], counts["parsed"]) == (1, 1)


def until_worked_out(client):
    """Look at Today until no job is shown as it was before."""
    while "being worked out again" in client.get("/").text:
        pass


def _change_an_earlier_visit(database, who, job, clock, path="rotor_lip_mm", value="0.4"):
    with database.of_workshop(who.workshop_id) as session:
        here = session.get(job_rows.Job, job)
        visits = session.query(job_rows.Job).filter_by(vehicle_id=here.vehicle_id).all()
        earlier = min(visits, key=lambda visit: visit.opened_at).id
    assert earlier != job
    record_finding(
        database, knowledge(), earlier, "front_left", path, value, by=who, now=clock(),
        idempotency_key="earlier-key-1",
    )  # fmt: skip


def test_today_looks_again_only_at_what_has_changed(
    client_of, someone, database, vehicle_with_history, clock, monkeypatch
):
    lead = someone(role="lead")
    client, job = client_of(lead), vehicle_with_history(lead)
    until_worked_out(client)
    first = KEY.sub("", client.get("/").text)
    with counted(database, monkeypatch) as counts:
        assert KEY.sub("", client.get("/").text) == first
    assert (counts["looked at"], counts["parsed"]) == (0, 0)
    assert counts["queries"] <= 6, counts
    enter(client, job, "1.0", "changed-key-1")
    with counted(database, monkeypatch) as counts:
        assert client.get("/").text != first
    assert counts["looked at"] == 1
    _change_an_earlier_visit(database, lead, job, clock)
    with counted(database, monkeypatch) as counts:
        until_worked_out(client)
    assert counts["looked at"] >= 2  # the earlier visit, and what is judged by what was measured then
    set_rules(database, knowledge(), {"limit.drag_fault_nm": "6"}, by=lead, now=clock())
    with counted(database, monkeypatch) as counts:
        until_worked_out(client)
    assert counts["looked at"] == 3


def test_a_job_that_cannot_be_read_takes_no_other_with_it(client_of, someone, database, vehicle_with_history):
    who = someone()
    client, job = client_of(who), vehicle_with_history(who, visits=2)
    with database.of_workshop(who.workshop_id) as session, session.begin():
        row = session.get(job_rows.Job, job)
        row.visit = {**row.visit, "usage": "flying"}
    until_worked_out(client)
    today_page = client.get("/")
    assert today_page.status_code == 200
    assert "This job cannot be read" in today_page.text
    assert today_page.text.count("Red van") == 2


def test_a_changed_rule_holds_at_the_next_request(client_of, someone, database, vehicle_with_history, clock):
    lead = someone(role="lead")
    client, job = client_of(lead), vehicle_with_history(lead)
    set_rules(database, knowledge(), {"limit.drag_unsafe_nm": "11"}, by=lead, now=clock())
    form = {"corner": "rear_left", "value": "40", "path": "pull_n", "stage": "lift", "axle": "rear"}
    client.post(f"/jobs/{job}/findings", data=form, headers={**HTMX, "Idempotency-Key": "pull-key-0001"})
    form |= {"value": "300", "path": "pull_radius_mm"}
    client.post(f"/jobs/{job}/findings", data=form, headers={**HTMX, "Idempotency-Key": "pull-key-0002"})
    answer = client.get(f"/jobs/{job}/lift/refresh?axle=rear")
    assert "over 11\u00a0N·m" in answer.text


def test_what_is_remembered_of_a_job_never_outlives_a_change(client_of, someone, database, vehicle_with_history, clock):
    """Entries of somebody else, of an earlier visit, and what is said of that visit: each is seen by the next look."""
    who = someone()
    client, job = client_of(who), vehicle_with_history(who)

    def looked():
        here = open_job(database, job, by=who, knowledge=knowledge())
        return here.standing.last_entry, here.visits, here.earlier

    assert enter(client, job, "6.8", "warm-key-0001").status_code == 200
    before = looked()
    assert looked() == before
    record_finding(
        database, knowledge(), job, "front_left", "rotor_lip_mm", "0.4", by=who, now=clock(),
        idempotency_key="elsewhere-1",
    )  # fmt: skip
    entered = looked()
    assert entered[0] > before[0]
    _change_an_earlier_visit(database, who, job, clock, "rotor_mm.1", "21.5")
    measured = looked()
    assert measured[1] != entered[1]
    with database.of_workshop(who.workshop_id) as session, session.begin():
        earlier = session.get(job_rows.Job, measured[2][-1].id)
        earlier.visit = {**earlier.visit, "odometer_km": (earlier.visit["odometer_km"] or 0) + 7}
    assert looked()[2] != measured[2]
    assert looked()[1] != measured[1]

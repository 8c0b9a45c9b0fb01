"""What an operator counts: requests by route, entries, diagnoses, errors, and where a slow request's time went."""

from __future__ import annotations

import json
import logging

import httpx2
import pytest
from prometheus_client import REGISTRY
from prometheus_client.parser import text_string_to_metric_families
from sqlalchemy.exc import OperationalError

from mesotrope import metrics
from mesotrope.metrics import serve_metrics
from mesotrope.services.again import again
from mesotrope.web import logs
from tests.conftest import free_port
from tests.web.test_pages import enter, signed_in  # noqa: F401  (a fixture)


def counted(name, **labels):
    return REGISTRY.get_sample_value(name, labels) or 0.0


def test_requests_are_counted_by_route_and_never_by_address(signed_in):  # noqa: F811
    client, _, job = signed_in
    labels = {"method": "GET", "route": "/jobs/{job_id}/{stage}", "status": "200"}
    before, took = (
        counted("mesotrope_requests_total", **labels),
        counted("mesotrope_request_seconds_count", route=labels["route"]),
    )
    client.get(f"/jobs/{job}/lift?axle=rear")
    assert counted("mesotrope_requests_total", **labels) == before + 1
    assert counted("mesotrope_request_seconds_count", route=labels["route"]) == took + 1
    client.get("/owners/link/secret-of-a-link")
    client.request("SECRET-METHOD", "/")
    routes = {one.labels.get("route", "") for family in REGISTRY.collect() for one in family.samples}
    assert not any("secret" in route or f"/{job}" in route for route in routes)
    methods = {one.labels["method"] for f in REGISTRY.collect() for one in f.samples if "method" in one.labels}
    assert "SECRET-METHOD" not in methods
    assert "other" in methods


def test_an_entry_is_counted_once_and_its_repetition_not(signed_in):  # noqa: F811
    client, _, job = signed_in
    before = counted("mesotrope_entries_total")
    short = counted("mesotrope_diagnosis_seconds_count", part="short")
    for _ in range(2):
        assert enter(client, job, "spin.turns", "3.25", "key-of-an-entry").status_code == 200
    assert counted("mesotrope_entries_total") == before + 1
    assert counted("mesotrope_diagnosis_seconds_count", part="short") == short + 1  # the same answer is remembered


def test_what_is_done_again_is_counted_by_the_servers_number():
    before, tries = counted("mesotrope_done_again_total", number="1213"), iter([True, False])

    def work():
        if next(tries):
            raise OperationalError("commit", {}, Exception(1213, "deadlock"))
        return "done"

    assert again(work) == "done"
    assert counted("mesotrope_done_again_total", number="1213") == before + 1


def test_a_slow_request_says_where_its_time_went(signed_in, monkeypatch, caplog):  # noqa: F811
    client, _, job = signed_in
    monkeypatch.setattr(logs, "SLOW_MS", 0.0)
    monkeypatch.setattr(logging.getLogger("mesotrope"), "propagate", True)
    with caplog.at_level(logging.WARNING, logger="mesotrope"):
        enter(client, job, "spin.turns", "2.5", "key-of-a-slow-one")
    line = next(record for record in caplog.records if "/findings" in record.getMessage())
    assert set(line.spent_ms) == {"database", "diagnosis", "page"}
    assert 0 < sum(line.spent_ms.values()) <= line.ms
    for part in line.spent_ms:
        assert f"{part} " in line.getMessage()
    assert json.loads(logs.JsonLines().format(line))["spent_ms"] == line.spent_ms


def test_time_outside_of_a_request_is_nobodys():
    metrics._spent_ms.set(None)
    with metrics.spending("page"):
        pass
    spent = metrics.begin_request()
    with pytest.raises(KeyError), metrics.spending("database"):
        raise KeyError("it failed, and took time all the same")
    assert set(spent) == {"database"}


def test_prometheus_reads_it_at_a_port_of_its_own():
    port = free_port()
    serve_metrics("127.0.0.1", port, "1.2.3")
    families = {f.name: f for f in text_string_to_metric_families(httpx2.get(f"http://127.0.0.1:{port}/metrics").text)}
    assert families["mesotrope_info"].samples[0].labels == {"version": "1.2.3"}
    assert {"mesotrope_requests", "mesotrope_waiting", "mesotrope_open_streams"} <= set(families)

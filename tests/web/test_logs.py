"""The log: one line a request with an id that the answer carries, and nothing secret in it."""

from __future__ import annotations

import asyncio
import json
import logging

import pytest

from mesotrope.web import logs
from mesotrope.web.logs import FIELDS, JsonLines, RequestLog


@pytest.fixture
def lines(caplog):
    caplog.set_level(logging.INFO, logger="mesotrope")
    logging.getLogger("mesotrope").propagate = True
    return caplog


def test_an_answer_and_its_line_carry_the_same_id(client_of, someone, lines):
    client = client_of(someone())
    lines.clear()
    answer = client.get("/")
    (record,) = [r for r in lines.records if r.name == "mesotrope.requests"]
    assert record.request == answer.headers["x-request-id"]
    assert (record.method, record.route, record.status) == ("GET", "/", 200)


def test_nothing_secret_is_written(client_of, someone, lines):
    client = client_of(someone())
    token = client.headers["X-Change-Token"]
    client.get("/sheets/an-owners-secret-token?page=hidden")
    client.post("/sign-in", data={"sign_in_name": "bram", "password": "a-secret-password", "change_token": token})
    written = " ".join(JsonLines().format(record) for record in lines.records)
    for secret in ("an-owners-secret-token", "a-secret-password", "hidden", token):
        assert secret not in written


def test_a_json_line_is_an_object_with_the_requests_parts(lines, client_of, someone, monkeypatch):
    monkeypatch.setattr(logs, "SLOW_MS", 60_000.0)  # a machine that does other work beside is no fault of the request
    client = client_of(someone())
    client.get("/nowhere")
    line = json.loads(JsonLines().format(lines.records[-1]))
    assert set(FIELDS) <= line.keys()
    assert (line["status"], line["route"], line["level"]) == (404, "(no route)", "info")


def test_what_nobody_waited_for_is_no_fault_and_what_broke_is(lines):
    async def goes_away(scope, receive, send):
        pass  # as what sends a file does when its client has gone

    async def breaks(scope, receive, send):
        raise ValueError("broken")

    scope = {"type": "http", "method": "GET", "path": "/static/x.js", "headers": []}
    lines.clear()
    asyncio.run(RequestLog(goes_away)(dict(scope), None, None))
    with pytest.raises(ValueError, match="broken"):
        asyncio.run(RequestLog(breaks)(dict(scope), None, None))
    told = [(r.status, r.levelname) for r in lines.records if hasattr(r, "status")]
    assert told == [(499, "INFO"), (500, "WARNING")]

"""What is written down of requests: one line each, with an id that the answer carries too, and nothing secret.

An address is written as its route (`/jobs/{job_id}/lift`), never as it was called: it may hold a link's token. Bodies,
cookies and query strings are not written.
"""

from __future__ import annotations

import datetime
import json
import logging
import secrets
import time
from typing import Literal

from starlette.datastructures import MutableHeaders
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from mesotrope.metrics import LAST_HOUR, REQUEST_SECONDS, REQUESTS, begin_request

LOG = logging.getLogger("mesotrope.requests")

#: Requests that take longer are written as warnings.
SLOW_MS = 1000.0

#: Methods that are counted by their name: anybody can make up more of them.
METHODS = frozenset({"GET", "HEAD", "POST", "PUT", "PATCH", "DELETE", "OPTIONS"})

#: What a line may hold beside its message.
FIELDS = ("request", "method", "route", "status", "ms", "spent_ms")


class JsonLines(logging.Formatter):
    """One JSON object a line."""

    def format(self, record: logging.LogRecord) -> str:
        line: dict[str, object] = {
            "at": datetime.datetime.fromtimestamp(record.created, datetime.UTC).isoformat(timespec="milliseconds"),
            "level": record.levelname.lower(),
            "logger": record.name,
            "message": record.getMessage(),
        }
        line |= {name: getattr(record, name) for name in FIELDS if hasattr(record, name)}
        if record.exc_info:
            line["exception"] = self.formatException(record.exc_info)
        return json.dumps(line, ensure_ascii=False)


def set_up_logging(style: Literal["text", "json"], level: str) -> None:
    """Write the product's log to standard error, as text or as JSON lines."""
    handler = logging.StreamHandler()
    plain = logging.Formatter("%(asctime)s %(levelname)s %(name)s: %(message)s")
    handler.setFormatter(JsonLines() if style == "json" else plain)
    root = logging.getLogger("mesotrope")
    root.handlers[:] = [handler]
    root.setLevel(level.upper())
    root.propagate = False


#: What is written of a request whose client went away before there was an answer: no fault of anybody. Common practice.
NOBODY_WAITS = 499


class RequestLog:
    """Gives every request an id, and writes down how it was answered."""

    def __init__(self, app: ASGIApp) -> None:
        self.app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            await self.app(scope, receive, send)
            return
        request_id, started, status = secrets.token_hex(6), time.perf_counter(), NOBODY_WAITS
        scope["request_id"] = request_id
        spent = begin_request()

        async def send_with_id(message: Message) -> None:
            nonlocal status
            if message["type"] == "http.response.start":
                status = message["status"]
                MutableHeaders(scope=message)["x-request-id"] = request_id
            await send(message)

        try:
            await self.app(scope, receive, send_with_id)
        except Exception:
            status = 500
            LOG.exception("%s %s failed", scope["method"], route_of(scope), extra={"request": request_id})
            raise
        finally:
            ms = round(1000 * (time.perf_counter() - started), 1)
            route = route_of(scope)
            stream = route.endswith("/events")  # is meant to stay open
            REQUESTS.labels(scope["method"] if scope["method"] in METHODS else "other", route, status).inc()
            if not stream:
                REQUEST_SECONDS.labels(route).observe(ms / 1000)
                LAST_HOUR.request(status, ms)
            slow = ms > SLOW_MS and not stream
            went = "".join(f", {part} {time_ms:.0f} ms" for part, time_ms in spent.items()) if slow else ""
            into = {part: round(time_ms, 1) for part, time_ms in spent.items()}
            LOG.log(
                logging.WARNING if status >= 500 or slow else logging.INFO,
                "%s %s %d in %.1f ms%s [%s]", scope["method"], route, status, ms, went, request_id,
                extra=dict(zip(FIELDS, (request_id, scope["method"], route, status, ms, into), strict=True)),
            )  # fmt: skip


def route_of(scope: Scope) -> str:
    """The route that answered, without what stood in its gaps; of an address that has none, nothing of it."""
    route = scope.get("route")
    return str(getattr(route, "path", "") or ("/static" if scope["path"].startswith("/static/") else "(no route)"))

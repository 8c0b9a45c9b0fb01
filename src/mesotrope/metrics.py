"""What an operator sees of a running process, for Prometheus, and where the time of a request went.

Nothing here names a person, a vehicle or a workshop: routes, statuses, counts and seconds only.
"""

from __future__ import annotations

import time
from collections.abc import Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from typing import Literal

from prometheus_client import Counter, Gauge, Histogram, Info, start_http_server

SECONDS = (0.01, 0.025, 0.05, 0.1, 0.25, 0.5, 1.0, 2.5, 5.0, 10.0)

VERSION = Info("mesotrope", "The version that runs.")
REQUESTS = Counter("mesotrope_requests", "Requests answered.", ["method", "route", "status"])
REQUEST_SECONDS = Histogram("mesotrope_request_seconds", "How long requests took, streams aside.", ["route"],
                            buckets=SECONDS)  # fmt: skip
ENTRIES = Counter("mesotrope_entries", "Findings entered, repetitions aside.")
DIAGNOSES = Histogram("mesotrope_diagnosis_seconds", "How long a job took to be diagnosed: shortly, or the rest of it.",
                      ["part"], buckets=SECONDS)  # fmt: skip
WAITING = Gauge("mesotrope_waiting", "Requests that wait for their turn, by lane.", ["lane"])
STREAMS = Gauge("mesotrope_open_streams", "Streams that tell of others' entries.")
DATABASE_ERRORS = Counter("mesotrope_database_errors", "Errors of the database that reached a request.", ["number"])
DONE_AGAIN = Counter("mesotrope_done_again", "Transactions done again, by the server's number.", ["number"])

#: What the time of a request goes into.
Part = Literal["database", "diagnosis", "page"]

_spent_ms: ContextVar[dict[str, float] | None] = ContextVar("spent_ms", default=None)


def begin_request() -> dict[str, float]:
    """Begin to count where a request's time goes; returns what fills up meanwhile: ms by part."""
    spent: dict[str, float] = {}
    _spent_ms.set(spent)
    return spent


def spend(part: Part, seconds: float) -> None:
    """Count some time of the request at hand."""
    spent = _spent_ms.get()
    if spent is not None:
        spent[part] = spent.get(part, 0.0) + 1000 * seconds


@contextmanager
def spending(part: Part) -> Iterator[None]:
    """Count the time that something takes."""
    began = time.perf_counter()
    try:
        yield
    finally:
        spend(part, time.perf_counter() - began)


@contextmanager
def diagnosing(part: Literal["short", "whole"]) -> Iterator[None]:
    """Count and time a diagnosis."""
    with DIAGNOSES.labels(part).time(), spending("diagnosis"):
        yield


def serve_metrics(host: str, port: int, version: str) -> None:
    """Serve what was counted at `/metrics` of a port of its own, for as long as the process runs."""
    VERSION.info({"version": version})
    start_http_server(port, addr=host)

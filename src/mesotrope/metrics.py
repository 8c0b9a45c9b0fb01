"""What an operator sees of a running process, for Prometheus, and where the time of a request went.

Nothing here names a person, a vehicle or a workshop: routes, statuses, counts and seconds only.
"""

from __future__ import annotations

import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from dataclasses import dataclass, field
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

#: So many minutes are remembered, and of each so many requests' times at most.
MINUTES, TIMES = 60, 400


@dataclass
class Minute:
    """What a process did in a minute."""

    requests: int = 0
    failed: int = 0
    waiting: int = 0
    times_ms: list[float] = field(default_factory=list)

    def told(self) -> list[float]:
        """Requests, those that failed, the most that waited at once, the middle time and that of 95 in 100, ms."""
        ordered = sorted(self.times_ms) or [0.0]
        middle, most = ordered[len(ordered) // 2], ordered[min(len(ordered) - 1, int(0.95 * len(ordered)))]
        return [self.requests, self.failed, self.waiting, round(middle, 1), round(most, 1)]


class LastHour:
    """What this process did in the last hour, minute by minute (since 1970)."""

    def __init__(self, clock: Callable[[], float] = time.time) -> None:
        self._clock = clock
        self._minutes: dict[int, Minute] = {}
        self._waiting = 0

    def _now(self) -> Minute:
        number = int(self._clock() // 60)
        if number not in self._minutes:
            self._minutes = {old: it for old, it in self._minutes.items() if old > number - MINUTES}
            self._minutes[number] = Minute(waiting=self._waiting)
        return self._minutes[number]

    def request(self, status: int, ms: float) -> None:
        """A request was answered."""
        minute = self._now()
        minute.requests += 1
        minute.failed += status >= 500
        if len(minute.times_ms) < TIMES:
            minute.times_ms.append(ms)

    def waits(self, more: int) -> None:
        """One more waits for its turn, or one less."""
        self._waiting += more
        minute = self._now()
        minute.waiting = max(minute.waiting, self._waiting)

    def told(self) -> dict[int, list[float]]:
        """By minute, what `Minute.told` says of it."""
        return {number: minute.told() for number, minute in list(self._minutes.items())}


LAST_HOUR = LastHour()


@contextmanager
def waiting_for(lane: str) -> Iterator[None]:
    """Count one that waits for its turn in a lane."""
    LAST_HOUR.waits(1)
    try:
        with WAITING.labels(lane).track_inprogress():
            yield
    finally:
        LAST_HOUR.waits(-1)


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

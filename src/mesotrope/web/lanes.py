"""How much is done at once: pages in one lane, and what takes long (documents, imports, pictures) in one of its own, so
that it does not hold up the others.
"""

from __future__ import annotations

from collections.abc import AsyncIterator
from contextlib import asynccontextmanager
from dataclasses import dataclass, field

import anyio
from anyio import CapacityLimiter
from fastapi import Depends, Request

from mesotrope.errors import Busy
from mesotrope.metrics import waiting_for
from mesotrope.store.session import AT_ONCE

#: How many pages and entries are worked on at once: one computes while the others wait for the database. They share
#: one core: more of them only take turns by the millisecond, and all of them take longer (measured with 16 clients; see
#: docs/performance.md). Never more than `AT_ONCE`, for each holds a connection.
PAGES_AT_ONCE = 3
assert PAGES_AT_ONCE <= AT_ONCE

#: How much of what takes long is done at once, and how many more may wait for it.
HEAVY_AT_ONCE, HEAVY_WAITING = 1, 200

#: How many passwords are checked at once (each takes a core and 64 MB for a moment), and how many more may wait.
PASSWORDS_AT_ONCE, PASSWORDS_WAITING = 3, 60

#: How long a page waits for its turn, and a document, seconds.
PAGE_WAITS_S, HEAVY_WAITS_S = 6.0, 240.0


@dataclass(frozen=True)
class Lanes:
    """The lanes of one application process."""

    pages: CapacityLimiter = field(default_factory=lambda: CapacityLimiter(PAGES_AT_ONCE))
    heavy: CapacityLimiter = field(default_factory=lambda: CapacityLimiter(HEAVY_AT_ONCE))
    passwords: CapacityLimiter = field(default_factory=lambda: CapacityLimiter(PASSWORDS_AT_ONCE))


@asynccontextmanager
async def in_turn(
    lane: CapacityLimiter, name: str, wait_s: float, most_waiting: int | None = None
) -> AsyncIterator[None]:
    """Hold a place in a lane. Raises `Busy` where none is free in time, or too many wait already."""
    if most_waiting is not None and lane.statistics().tasks_waiting >= most_waiting:
        raise Busy("Too many wait for this already")
    try:
        lane.acquire_nowait()
    except anyio.WouldBlock:
        try:
            with waiting_for(name), anyio.fail_after(wait_s):
                await lane.acquire()
        except TimeoutError:
            raise Busy("Too much is going on at once") from None
    try:
        yield
    finally:
        lane.release()


async def _heavy(request: Request) -> AsyncIterator[None]:
    async with in_turn(request.app.state.lanes.heavy, "heavy", HEAVY_WAITS_S, HEAVY_WAITING):
        yield


async def _password(request: Request) -> AsyncIterator[None]:
    async with in_turn(request.app.state.lanes.passwords, "passwords", PAGE_WAITS_S, PASSWORDS_WAITING):
        yield


#: For a route that checks or sets a password: a crowd at the door leaves the pages alone.
PASSWORD = Depends(_password, scope="function")

#: For a route that takes long: it waits its turn before it takes a place among the pages.
HEAVY = Depends(_heavy, scope="function")

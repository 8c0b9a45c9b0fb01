"""Slowing guesses at passwords, without locking anybody out.

Guesses are counted before the password is looked at, in one transaction that holds the counts, so that sixty at once
are not answered sixty times. Where there were more than a few, the next is answered only after a while that doubles
up to a quarter of an hour. What is counted is a name with an address, an address, and a name from everywhere; a browser
on which that person has signed in before is counted by itself, so that guesses made elsewhere do not slow it.
"""

from __future__ import annotations

import datetime
import hashlib
from collections.abc import Sequence
from dataclasses import dataclass

from sqlalchemy import delete, select, update
from sqlalchemy.dialects.mysql import insert

from mesotrope.errors import TooManyAttempts
from mesotrope.services.again import again
from mesotrope.store.session import Database, WorkshopSession
from mesotrope.store.tables import DoorCount

#: Guesses that are free before they are slowed: at a name from an address or a known device, from an address, and at a
#: name from anywhere.
FREE_BY_NAME, FREE_BY_ADDRESS, FREE_EVERYWHERE = 5, 25, 50

#: The first wait and the longest, and after how long without a guess all is forgotten, seconds.
FIRST_WAIT_S, LONGEST_WAIT_S, FORGOTTEN_S = 15, 900, 3600


@dataclass(frozen=True)
class Counter:
    """One count at the door: whose it is, how many guesses are free, and whether others share it."""

    key: str
    free: int
    shared: bool


def counters(name: str, address: str, device: str | None) -> tuple[Counter, ...]:
    """What a guess at a name counts for; `device` is the digest of a device that the person is known on."""
    if device is not None:
        return (Counter(_key("device", device, name), FREE_BY_NAME, shared=False),)
    return (
        Counter(_key("here", name, address), FREE_BY_NAME, shared=False),
        Counter(_key("address", address), FREE_BY_ADDRESS, shared=True),
        Counter(_key("name", name), FREE_EVERYWHERE, shared=True),
    )


def _key(*parts: str) -> str:
    return hashlib.sha256("\0".join(parts).encode()).hexdigest()


def wait_after(guesses: int, free: int) -> int:
    """How long the next guess has to wait after so many, seconds.

    >>> [wait_after(guesses, free=5) for guesses in (0, 4, 5, 6, 7, 50)]
    [0, 0, 15, 30, 60, 900]
    """
    return 0 if guesses < free else min(LONGEST_WAIT_S, FIRST_WAIT_S * 2 ** min(guesses - free, 20))


def count_guess(database: Database, counted: Sequence[Counter], *, now: datetime.datetime) -> None:
    """Count one guess everywhere it counts. Raises `TooManyAttempts` where one of them has to wait; then none does."""

    def count() -> None:
        with database.at_the_door() as session, session.begin():
            found = [_held(session, counter, now) for counter in sorted(counted, key=lambda one: one.key)]
            waits = [_left(row, counter, now) for row, counter in found]
            if any(waits):
                raise TooManyAttempts(max(waits))
            for row, _ in found:
                forgotten = (now - row.last_at).total_seconds() > FORGOTTEN_S
                row.guesses = 1 if forgotten else row.guesses + 1
                row.last_at = now

    again(count)


def _held(session: WorkshopSession, counter: Counter, now: datetime.datetime) -> tuple[DoorCount, Counter]:
    """The row of a counter, made where there is none, and held until the transaction ends."""
    made = insert(DoorCount).values(key=counter.key, guesses=0, last_at=now)
    session.execute(made.on_duplicate_key_update(key=counter.key))
    row = session.scalars(select(DoorCount).where(DoorCount.key == counter.key).with_for_update()).one()
    return row, counter


def _left(row: DoorCount, counter: Counter, now: datetime.datetime) -> int:
    since = (now - row.last_at).total_seconds()
    return 0 if since > FORGOTTEN_S else max(0, round(wait_after(row.guesses, counter.free) - since))


def was_right(database: Database, counted: Sequence[Counter]) -> None:
    """The guess was none: what only this person shares is forgotten, what others share goes back by one."""
    own = [counter.key for counter in counted if not counter.shared]
    shared = [counter.key for counter in counted if counter.shared]

    def forget() -> None:
        with database.at_the_door() as session, session.begin():
            session.execute(delete(DoorCount).where(DoorCount.key.in_(own)))
            back = update(DoorCount).where(DoorCount.key.in_(shared), DoorCount.guesses > 0)
            session.execute(back.values(guesses=DoorCount.guesses - 1))

    again(forget)

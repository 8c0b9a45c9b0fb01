"""What was read of a database before and cannot have changed since: remembered by a process, named by what it is of."""

from __future__ import annotations

from collections.abc import Callable, Hashable
from threading import Lock
from typing import Generic, TypeVar
from weakref import WeakKeyDictionary

from sqlalchemy import Engine, event
from sqlalchemy.orm import Session

from mesotrope.core.language.remembering import Latest
from mesotrope.store.session import WorkshopSession, has_written

Kept = TypeVar("Kept")


class ReadBefore(Generic[Kept]):
    """The latest of something that was read, of each database and workshop by a key that changes when it does.

    What a transaction wrote itself is remembered once it has committed, and never where it did not: the server may give
    the number of an entry that was lost to another.
    """

    def __init__(self, most: int) -> None:
        self._most = most
        self._latest: WeakKeyDictionary[Engine, Latest[Kept]] = WeakKeyDictionary()
        self._lock = Lock()

    def of(self, session: WorkshopSession, key: Hashable, read: Callable[[], Kept]) -> Kept:
        """What was read under a key; where it was not yet, it is read now."""
        engine = session.get_bind().engine
        with self._lock:
            latest = self._latest.setdefault(engine, Latest(self._most))
        named = (session.info["workshop_id"], key)
        if not has_written(session):
            return latest.of(named, read)
        told, transaction = read(), session.get_transaction()

        def keep(committed: Session) -> None:
            if committed.get_transaction() is transaction:
                latest.of(named, lambda: told)

        event.listen(session, "after_commit", keep, once=True)
        return told

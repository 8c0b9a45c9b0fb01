"""Database sessions that cannot leave their workshop.

A `Database` opens two kinds of session. `of_workshop(id)` adds the workshop to every query on a table of
`WorkshopOwned` rows, stamps it on every new row, and refuses rows of another. `at_the_door()` is for signing in,
before a workshop is known: it refuses every table of a workshop but the few that are named there.
"""

from __future__ import annotations

import time
from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from functools import lru_cache
from typing import Any
from weakref import WeakKeyDictionary, WeakSet

from sqlalchemy import Connection, Engine, Executable, bindparam, create_engine, event
from sqlalchemy.orm import LoaderCriteriaOption, ORMExecuteState, Session, UOWTransaction, with_loader_criteria

from mesotrope.errors import OutsideWorkshop, Unchangeable
from mesotrope.metrics import spend

# Every table is known to whoever opens a session.
from mesotrope.store import day_tables, learning_tables, practice_tables, system_tables  # noqa: F401
from mesotrope.store.tables import (
    AppendOnly,
    KnownDevice,
    OwnerLink,
    PasswordLink,
    Person,
    SignedIn,
    WorkshopOwned,
)

#: What signing in, and opening a link, may read before a workshop is known.
AT_THE_DOOR = (KnownDevice, OwnerLink, PasswordLink, Person, SignedIn)

#: As many requests hold a connection at once; the pool has as many more for whoever only looks something up.
AT_ONCE = 16


#: How long a connection is waited for, and an answer on it, seconds; the server gives a statement or a lock up before.
CONNECT_S, ANSWER_S, STATEMENT_S, LOCK_S = 4, 5, 4, 3

LIMITS = {"connect_timeout": CONNECT_S, "read_timeout": ANSWER_S, "write_timeout": ANSWER_S}
TOLD_FIRST = f"set session max_statement_time={STATEMENT_S}, innodb_lock_wait_timeout={LOCK_S}"

#: What a node of a cluster is told besides: reads and changes wait until it is in step with what was acknowledged.
IN_STEP = ", wsrep_sync_wait=7"


#: What holds a question to the workshop that it is told as a parameter: one for all workshops, so that what was made of
#: a question serves all of them. One that is not told does not get as far as the database.
_of_told_workshop = with_loader_criteria(
    WorkshopOwned, lambda cls: cls.workshop_id == bindparam("of_workshop_id"), include_aliases=True
)

#: Questions as they are held, and those that may be asked at the door: one that stands in a module, for all requests,
#: is looked at once.
_held: WeakKeyDictionary[Executable, Executable] = WeakKeyDictionary()
_asked_at_the_door: WeakSet[Executable] = WeakSet()


class WorkshopSession(Session):
    """A session held to one workshop (`info["workshop_id"]`), or at the door (None)."""


@event.listens_for(WorkshopSession, "do_orm_execute")
def _hold_queries(state: ORMExecuteState) -> None:
    changes = state.is_update or state.is_delete
    if changes or state.is_insert:
        _note_writing(state.session)
    erasing = state.session.info.get("erasing", False)
    if changes and not erasing and any(issubclass(m.class_, AppendOnly) for m in state.all_mappers):
        raise Unchangeable
    workshop_id = state.session.info["workshop_id"]
    if workshop_id is not None:
        told = state.parameters or {}
        if not (state.is_orm_statement or state.is_column_load or state.is_relationship_load):
            raise OutsideWorkshop  # plain SQL cannot be held to a workshop
        if state.is_insert:
            return
        if not isinstance(told, Mapping):
            raise OutsideWorkshop  # nor can many statements at once
        if changes:  # what the session holds follows them, by what stands in the statement itself
            state.statement = state.statement.options(_of_workshop(workshop_id))
        else:
            state.statement, state.parameters = _as_held(state.statement), {**told, "of_workshop_id": workshop_id}
        return
    if state.statement not in _asked_at_the_door:
        for mapper in state.all_mappers:
            if issubclass(mapper.class_, WorkshopOwned) and mapper.class_ not in AT_THE_DOOR:
                raise OutsideWorkshop
        _asked_at_the_door.add(state.statement)


@lru_cache(maxsize=256)
def _of_workshop(number: int) -> LoaderCriteriaOption:
    return with_loader_criteria(WorkshopOwned, lambda cls: cls.workshop_id == number, include_aliases=True)


def _as_held(statement: Executable) -> Executable:
    held = _held.get(statement)
    if held is None:
        held = _held[statement] = statement.options(_of_told_workshop)
    return held


@event.listens_for(WorkshopSession, "before_flush")
def _hold_rows(session: Session, context: UOWTransaction, instances: Any) -> None:
    workshop_id = session.info["workshop_id"]
    changed = [*(row for row in session.dirty if session.is_modified(row)), *session.deleted]
    if any(isinstance(row, AppendOnly) for row in changed):
        raise Unchangeable
    for row in [*session.new, *session.dirty, *session.deleted]:
        if isinstance(row, WorkshopOwned):
            if workshop_id is None and not isinstance(row, AT_THE_DOOR):
                raise OutsideWorkshop
            if row.workshop_id is None:
                row.workshop_id = workshop_id
            elif workshop_id is not None and row.workshop_id != workshop_id:
                raise OutsideWorkshop


@event.listens_for(WorkshopSession, "after_flush")
def _note_writing(session: Session, context: UOWTransaction | None = None) -> None:
    session.info["wrote_in"] = session.get_transaction()


def has_written(session: WorkshopSession) -> bool:
    """Whether the session's transaction has changed rows that are not committed yet."""
    wrote_in = session.info.get("wrote_in")
    return wrote_in is not None and wrote_in is session.get_transaction()


def _begins(connection: Connection, _cursor: Any, _said: str, _with: Any, context: Any, _many: bool) -> None:
    connection.info["began"] = time.perf_counter()


def _ends(connection: Connection, _cursor: Any, _said: str, _with: Any, context: Any, _many: bool) -> None:
    spend("database", time.perf_counter() - connection.info["began"])


class Database:
    """The application's connection to its database: a pool, and sessions on it."""

    def __init__(self, url: str, *, cluster: bool = False) -> None:
        """cluster : several servers replicate each other; each reads only once it has what the others had written."""
        first = TOLD_FIRST + (IN_STEP if cluster else "")
        self.engine: Engine = create_engine(
            url, pool_pre_ping=True, pool_recycle=1800, pool_size=AT_ONCE, max_overflow=AT_ONCE,
            pool_timeout=CONNECT_S, connect_args={**LIMITS, "init_command": first},
            pool_reset_on_return=None,  # every session ends its own transaction
        )  # fmt: skip

        event.listen(self.engine, "before_cursor_execute", _begins)
        event.listen(self.engine, "after_cursor_execute", _ends)

    def of_workshop(self, workshop_id: int) -> WorkshopSession:
        """Open a session that sees and writes only rows of this workshop."""
        return WorkshopSession(self._bind(), info={"workshop_id": workshop_id}, expire_on_commit=False)

    @contextmanager
    def erasing(self, workshop_id: int) -> Iterator[WorkshopSession]:
        """A transaction as of `of_workshop`, for taking a person's data away where the law asks for it, and for what
        goes into a file: the two cases in which what is only ever written is changed. The database, which has guards
        of its own, is told so too."""
        info = {"workshop_id": workshop_id, "erasing": True}
        with WorkshopSession(self._bind(), info=info, expire_on_commit=False) as session, session.begin():
            connection = session.connection()
            connection.exec_driver_sql("set @mesotrope_erasing = 1")
            try:
                yield session
                session.flush()
            finally:
                connection.exec_driver_sql("set @mesotrope_erasing = null")

    def at_the_door(self) -> WorkshopSession:
        """Open a session for signing in, before a workshop is known."""
        return WorkshopSession(self._bind(), info={"workshop_id": None}, expire_on_commit=False)

    def on_one_connection(self) -> OneConnection:
        """The database as one request sees it: its sessions follow one another on one connection."""
        return OneConnection(self.engine)

    def _bind(self) -> Engine | Connection:
        return self.engine

    def close(self) -> None:
        self.engine.dispose()


class OneConnection(Database):
    """A database whose sessions share one connection, taken from the pool at the first and given back at the end.

    At most `AT_ONCE` requests may hold one at a time, or they would wait for each other's threads; who opens it sees
    to that.
    """

    def __init__(self, engine: Engine) -> None:
        self.engine = engine
        self._taken: Connection | None = None

    def _bind(self) -> Connection:
        if self._taken is None:
            self._taken = self.engine.connect()
        return self._taken

    @property
    def busy(self) -> bool:
        """Whether a transaction is still open on it, which is undone when it is given back."""
        return self._taken is not None and self._taken.in_transaction()

    def give_back(self) -> None:
        """Give the connection back to the pool."""
        if self._taken is not None:
            self._taken.close()
            self._taken = None

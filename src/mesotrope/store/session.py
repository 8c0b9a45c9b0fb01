"""Database sessions that cannot leave their workshop.

A `Database` opens two kinds of session. `of_workshop(id)` adds the workshop to every query on a table of
`WorkshopOwned` rows, stamps it on every new row, and refuses rows of another. `at_the_door()` is for signing in,
before a workshop is known: it refuses every table of a workshop but the few that are named there.
"""

from __future__ import annotations

from typing import Any

from sqlalchemy import Engine, create_engine, event
from sqlalchemy.orm import ORMExecuteState, Session, UOWTransaction, with_loader_criteria

from mesotrope.errors import OutsideWorkshop
from mesotrope.store.tables import OwnerLink, Person, SignedIn, WorkshopOwned

#: What signing in, and opening an owner's link, may read before a workshop is known.
AT_THE_DOOR = (OwnerLink, Person, SignedIn)


class WorkshopSession(Session):
    """A session held to one workshop (`info["workshop_id"]`), or at the door (None)."""


@event.listens_for(WorkshopSession, "do_orm_execute")
def _hold_queries(state: ORMExecuteState) -> None:
    workshop_id = state.session.info["workshop_id"]
    if workshop_id is not None:
        if not (state.is_orm_statement or state.is_column_load or state.is_relationship_load):
            raise OutsideWorkshop  # plain SQL cannot be held to a workshop
        state.statement = state.statement.options(
            with_loader_criteria(WorkshopOwned, lambda cls: cls.workshop_id == workshop_id, include_aliases=True)
        )
        return
    for mapper in state.all_mappers:
        if issubclass(mapper.class_, WorkshopOwned) and mapper.class_ not in AT_THE_DOOR:
            raise OutsideWorkshop


@event.listens_for(WorkshopSession, "before_flush")
def _hold_rows(session: Session, context: UOWTransaction, instances: Any) -> None:
    workshop_id = session.info["workshop_id"]
    for row in [*session.new, *session.dirty, *session.deleted]:
        if isinstance(row, WorkshopOwned):
            if workshop_id is None and not isinstance(row, AT_THE_DOOR):
                raise OutsideWorkshop
            if row.workshop_id is None:
                row.workshop_id = workshop_id
            elif workshop_id is not None and row.workshop_id != workshop_id:
                raise OutsideWorkshop


class Database:
    """The application's connection to its database: a pool, and sessions on it."""

    def __init__(self, url: str) -> None:
        self.engine: Engine = create_engine(url, pool_pre_ping=True, pool_recycle=1800, pool_size=10, max_overflow=10)

    def of_workshop(self, workshop_id: int) -> WorkshopSession:
        """Open a session that sees and writes only rows of this workshop."""
        return WorkshopSession(self.engine, info={"workshop_id": workshop_id})

    def at_the_door(self) -> WorkshopSession:
        """Open a session for signing in, before a workshop is known."""
        return WorkshopSession(self.engine, info={"workshop_id": None})

    def close(self) -> None:
        self.engine.dispose()

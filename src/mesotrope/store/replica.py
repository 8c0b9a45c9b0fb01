"""A replica that is read from, for what goes through much: never before it has everything that was written so far."""

from __future__ import annotations

import logging

from sqlalchemy import text
from sqlalchemy.exc import SQLAlchemyError

from mesotrope.store.session import Database

LOG = logging.getLogger("mesotrope.replica")

#: So long a replica may take to come up to what has been written, seconds; then the first server is read from.
CATCHES_UP_S = 0.15


class Replica:
    """A server that repeats what another one does; both keep its place by global transaction ids."""

    def __init__(self, url: str) -> None:
        self._database = Database(url)

    def in_step_with(self, first: Database) -> Database:
        """The replica, where it has everything that `first` has committed by now; else `first` itself."""
        try:
            with first.engine.connect() as connection:
                position = connection.scalar(text("select @@global.gtid_binlog_pos"))
            if not position:  # nothing tells what has been written
                return first
            with self._database.engine.connect() as connection:
                waited = connection.scalar(
                    text("select master_gtid_wait(:position, :seconds)"),
                    {"position": position, "seconds": CATCHES_UP_S},
                )
        except SQLAlchemyError:
            LOG.warning("the replica does not answer: the first server is read from")
            return first
        return self._database if waited == 0 else first

    def close(self) -> None:
        self._database.close()

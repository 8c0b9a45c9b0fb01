"""Learning beside the work: in a process of its own, for the workshops that asked for it, or by the clock for all."""

from __future__ import annotations

import datetime
import logging
import os
from concurrent.futures import Future, ProcessPoolExecutor
from multiprocessing import get_context

from sqlalchemy.exc import SQLAlchemyError
from threadpoolctl import threadpool_limits

from mesotrope.knowledge import knowledge
from mesotrope.knowledge.reader import knowledge_key
from mesotrope.services.bays import refresh_bays
from mesotrope.services.learnt_versions import Version, all_workshops, asked_workshops, give_up, learn_in
from mesotrope.store.session import Database

LOG = logging.getLogger("mesotrope.learning")

#: How often an application looks whether anybody asked.
LOOKS_EVERY_S = 3.0


def learn_all(database: Database, *, now: datetime.datetime, only_asked: bool = False) -> dict[int, Version | None]:
    """Learn for every workshop, or those that asked for it; one that cannot be learnt from takes no other along."""
    out: dict[int, Version | None] = {}
    for workshop_id in asked_workshops(database) if only_asked else all_workshops(database):
        try:
            out[workshop_id] = version = learn_in(database, knowledge(), knowledge_key(), workshop_id, now=now)
            if version is not None:
                refresh_bays(database, knowledge(), workshop_id, knowledge_key())
        except SQLAlchemyError:
            raise  # the database is away: it is tried again later
        except Exception:
            LOG.exception("nothing was learnt for workshop %d", workshop_id)
            give_up(database, workshop_id)
            out[workshop_id] = None
    return out


#: How far learning stands back behind the pages that people wait for, for the scheduler.
STANDS_BACK = 10


def _learn_asked(url: str, now: datetime.datetime) -> int:
    os.nice(STANDS_BACK)  # and so do the processes that it starts
    threadpool_limits(1)
    database = Database(url)
    try:
        return len(learn_all(database, now=now, only_asked=True))
    finally:
        database.close()


class Learner:
    """The process that learns; started when it is first needed, and gone with the application."""

    def __init__(self) -> None:
        self._pool: ProcessPoolExecutor | None = None

    def learn_asked(self, database: Database, now: datetime.datetime) -> Future[int]:
        """Learn for the workshops that asked; returns how many they were."""
        self.stop()  # one process for each run: it gives its memory back
        self._pool = ProcessPoolExecutor(1, mp_context=get_context("forkserver"))
        return self._pool.submit(_learn_asked, database.engine.url.render_as_string(hide_password=False), now)

    def stop(self) -> None:
        if self._pool is not None:
            self._pool.shutdown(wait=False, cancel_futures=True)
            self._pool = None

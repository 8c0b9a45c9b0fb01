"""Learning beside the work: in a process of its own, for the workshops that asked for it, or by the clock for all."""

from __future__ import annotations

import datetime
import logging
import os
import subprocess
import sys

from sqlalchemy.exc import SQLAlchemyError

from mesotrope.knowledge import knowledge
from mesotrope.knowledge.reader import knowledge_key
from mesotrope.services.answers import Remembered
from mesotrope.services.day import refresh_day
from mesotrope.services.due import refresh_due
from mesotrope.services.figures import figures_by_month, figures_wait, work_out_figures
from mesotrope.services.learnt_versions import Version, all_workshops, asked_workshops, give_up, learn_in
from mesotrope.services.signing_in import nobody_of
from mesotrope.store.session import Database

LOG = logging.getLogger("mesotrope.learning")

#: How often an application looks whether anybody asked.
LOOKS_EVERY_S = 3.0


def learn_all(database: Database, *, now: datetime.datetime, only_asked: bool = False) -> dict[int, Version | None]:
    """Learn for every workshop, or those that asked for it; one that cannot be learnt from takes no other along."""
    out: dict[int, Version | None] = {}
    for workshop_id in figures_wait(database) if only_asked else ():
        work_out_all(database, workshop_id)
    for workshop_id in asked_workshops(database) if only_asked else all_workshops(database):
        try:
            out[workshop_id] = version = learn_in(database, knowledge(), knowledge_key(), workshop_id, now=now)
            work_out_all(database, workshop_id)
            if version is not None:
                refresh_day(database, knowledge(), workshop_id, knowledge_key())
        except SQLAlchemyError:
            raise  # the database is away: it is tried again later
        except Exception:
            LOG.exception("nothing was learnt for workshop %d", workshop_id)
            give_up(database, workshop_id)
            out[workshop_id] = None
    return out


def work_out_all(database: Database, workshop_id: int) -> None:
    """Work out what falls due in a workshop, and what its closed jobs count for, as far as that is not known yet."""
    nobody = nobody_of(database, workshop_id)
    remember = Remembered(knowledge(), most=8)
    figures = remember.figures(database, nobody)
    known = remember.known(figures)
    refresh_due(database, known, by=nobody, knowledge_key=knowledge_key(), works_for_s=None)
    work_out_figures(database, known, lambda seen: remember.answer(seen, figures), by=nobody, works_for_s=None)
    figures_by_month(database, by=nobody, works_for_s=None)


class Learner:
    """The process that learns for those who asked: started when it is needed, with an end of its own, or ended with the
    application. It holds nothing of the application's open."""

    def __init__(self) -> None:
        self._process: subprocess.Popen[bytes] | None = None

    def learn_asked(self, database: Database) -> bool:
        """Learn for the workshops that asked, and wait for the end. Returns whether it went well."""
        url = database.engine.url.render_as_string(hide_password=False)
        self._process = subprocess.Popen(
            [sys.executable, "-m", "mesotrope.cli", "learn-here", "--asked"],
            env={**os.environ, "MESOTROPE_DATABASE_URL": url}, stdin=subprocess.DEVNULL,
            stdout=subprocess.DEVNULL, stderr=subprocess.PIPE, start_new_session=True,
        )  # fmt: skip
        _, said = self._process.communicate()
        if self._process.returncode:
            LOG.warning("learning ended with %d: %s", self._process.returncode, said.decode(errors="replace")[-2000:])
        return self._process.returncode == 0

    def stop(self) -> None:
        """End it, if it goes on."""
        if self._process is not None and self._process.poll() is None:
            self._process.terminate()

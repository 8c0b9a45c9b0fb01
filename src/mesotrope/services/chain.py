"""A chain of workshops: counts that are shared through a file, and nothing else."""

from __future__ import annotations

import datetime
import secrets
from dataclasses import dataclass

from sqlalchemy import false, select

from mesotrope.core.language.saying import marked
from mesotrope.core.learning.counts import Counts, counts_from, total
from mesotrope.errors import InvalidInput, NotFound
from mesotrope.services.again import done_again
from mesotrope.services.audit import note_by
from mesotrope.services.learnt_versions import require_lead
from mesotrope.services.signing_in import Who
from mesotrope.store.learning_tables import ChainCounts, TaughtCase
from mesotrope.store.session import Database
from mesotrope.store.tables import Workshop


@dataclass(frozen=True)
class ChainLine:
    """Counts of another workshop of the chain: where from (a number, no name), of how many cases, since when."""

    origin: str
    cases: float
    imported_at: datetime.datetime


def chain_of(database: Database, *, by: Who) -> list[ChainLine]:
    """The counts that other workshops shared with this one."""
    with database.of_workshop(by.workshop_id) as session:
        rows = session.scalars(select(ChainCounts).order_by(ChainCounts.imported_at))
        return [ChainLine(row.origin, row.counts["cases"], row.imported_at) for row in rows]


def own_counts(database: Database, *, by: Who, now: datetime.datetime) -> tuple[str, Counts]:
    """What this workshop shares: the counts of its own cases, and the number that says where they are from.

    Raises `NotAllowed` for anybody but a lead.
    """
    require_lead(by, marked("Sharing counts"))
    with database.of_workshop(by.workshop_id) as session, session.begin():
        workshop = session.get_one(Workshop, by.workshop_id, with_for_update=True)
        workshop.origin = workshop.origin or secrets.token_hex(16)
        rows = session.scalars(select(TaughtCase.counts).where(TaughtCase.held == false()))
        counts = total(map(counts_from, rows))
        note_by(session, "exported", f"counts of {counts.cases:g} closed jobs, for a chain", by=by, now=now)
        return workshop.origin, counts


@done_again
def take_chain_in(database: Database, origin: str, counts: Counts, *, by: Who, now: datetime.datetime) -> None:
    """Take another workshop's counts as part of the chain's, in place of older ones of the same origin, and ask for a
    run. Raises `InvalidInput` for this workshop's own or those without an origin, `NotAllowed` for all but a lead."""
    require_lead(by, marked("Taking a chain's counts in"))
    if not origin:
        raise InvalidInput(
            "counts of a chain", "this file", "it does not say where it is from; share it from there anew"
        )
    with database.of_workshop(by.workshop_id) as session, session.begin():
        workshop = session.get_one(Workshop, by.workshop_id, with_for_update=True)
        if workshop.origin == origin:
            raise InvalidInput("counts of a chain", "this file", "they are this workshop's own, which count already")
        row = ChainCounts(
            workshop_id=by.workshop_id, origin=origin, counts=counts.document(), imported_by=by.person_id,
            imported_at=now,
        )  # fmt: skip
        session.merge(row)
        workshop.learning_asked_at = now
        note_by(session, "imported", f"a chain's counts of {counts.cases:g} closed jobs", by=by, now=now)


@done_again
def leave_chain_out(database: Database, origin: str, *, by: Who, now: datetime.datetime) -> None:
    """Take another workshop's counts away again, and ask for a run. Raises `NotAllowed`, `NotFound`."""
    require_lead(by, marked("Leaving a chain's counts out"))
    with database.of_workshop(by.workshop_id) as session, session.begin():
        row = session.get(ChainCounts, (by.workshop_id, origin))
        if row is None:
            raise NotFound("file")
        session.delete(row)
        session.get_one(Workshop, by.workshop_id, with_for_update=True).learning_asked_at = now
        note_by(session, "rules", f"a chain's counts of {row.counts['cases']:g} closed jobs left out", by=by, now=now)

"""Links to an owner's sheet: unguessable, good for a while, and showing nothing else."""

from __future__ import annotations

import datetime
from dataclasses import dataclass

from sqlalchemy import select

from mesotrope.errors import LinkGone
from mesotrope.services.again import done_again
from mesotrope.services.audit import note_by
from mesotrope.services.findings import job_of
from mesotrope.services.once import do_once, token_for
from mesotrope.services.signing_in import Who, token_digest
from mesotrope.store.session import Database, WorkshopSession
from mesotrope.store.tables import OwnerLink, Person, Workshop
from mesotrope.words import Dates

#: How long a link is good for.
LINK_DAYS = 60


@dataclass(frozen=True)
class Shared:
    """What a link opens: one job, seen with the eyes of who made the link, but without any right to change it."""

    job_id: int
    who: Who
    expires_at: datetime.datetime


def make_link(database: Database, job_id: int, *, by: Who, now: datetime.datetime) -> str:
    """Make a link for a job; returns its token, which is kept nowhere. The change's key again gives the same link.

    Raises `NotFound`.
    """
    token = token_for(f"owner link of job {job_id}", by)

    def make(session: WorkshopSession) -> None:
        job_of(session, job_id)
        note_by(session, "owner_link", f"job {job_id}", by=by, now=now)
        expires = now + datetime.timedelta(days=LINK_DAYS)
        session.add(
            OwnerLink(digest=token_digest(token), job_id=job_id, made_by=by.person_id, made_at=now, expires_at=expires)
        )

    do_once(database, f"owner link of job {job_id}", make, by=by, now=now)
    return token


def open_link(database: Database, token: str, *, now: datetime.datetime) -> Shared:
    """Open a link. Raises `LinkGone` for one that was never made or has expired; which of the two is not told."""
    with database.at_the_door() as session:
        row = session.execute(
            select(OwnerLink, Person, Workshop)
            .join(Person, Person.id == OwnerLink.made_by)
            .join(Workshop, Workshop.id == OwnerLink.workshop_id)
            .where(OwnerLink.digest == token_digest(token), OwnerLink.expires_at > now)
        ).one_or_none()
        if row is None:
            raise LinkGone("This link to a sheet was closed, or it has run out. The workshop can make another.")
        link, person, workshop = row
        who = Who(
            person.id,
            link.workshop_id,
            person.name,
            person.role,
            workshop.name,
            change_token="",
            rules_version=workshop.rules_version,
            dates=Dates(workshop.time_zone, workshop.date_style),
        )
        return Shared(link.job_id, who, link.expires_at)


def links_of(database: Database, job_id: int, *, by: Who, now: datetime.datetime) -> list[datetime.datetime]:
    """When each link of a job that is still good expires."""
    with database.of_workshop(by.workshop_id) as session:
        job_of(session, job_id)
        rows = session.scalars(
            select(OwnerLink.expires_at)
            .where(OwnerLink.job_id == job_id, OwnerLink.expires_at > now)
            .order_by(OwnerLink.expires_at)
        )
        return list(rows)


@done_again
def withdraw_links(database: Database, job_id: int, *, by: Who, now: datetime.datetime) -> int:
    """Close every link of a job; returns how many there were."""
    with database.of_workshop(by.workshop_id) as session, session.begin():
        job_of(session, job_id)
        links = session.scalars(select(OwnerLink).where(OwnerLink.job_id == job_id)).all()
        for link in links:
            session.delete(link)
        if links:
            note_by(session, "owner_link_closed", f"job {job_id}", by=by, now=now)
        return len(links)

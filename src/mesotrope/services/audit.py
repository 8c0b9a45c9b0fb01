"""The trail: who signed in, was refused, changed roles, approved, released and took data out. A lead reads it; nobody
changes it.
"""

from __future__ import annotations

import datetime
from dataclasses import dataclass

from sqlalchemy import select

from mesotrope.core.language.saying import marked
from mesotrope.errors import NotAllowed
from mesotrope.services.again import done_again
from mesotrope.services.signing_in import Who
from mesotrope.store.session import Database, WorkshopSession
from mesotrope.store.tables import AuditEntry

#: What is written down, in words.
ACTS = {
    "signed_in": marked("signed in"),
    "refused": marked("sign-in refused"),
    "signed_out": marked("signed out"),
    "archived": marked("old visit put into a file"),
    "sessions_ended": marked("all sessions ended"),
    "password_changed": marked("password changed"),
    "password_link": marked("link for a new password made"),
    "person_added": marked("person added"),
    "switched_off": marked("switched off"),
    "switched_on": marked("switched on"),
    "role": marked("role changed"),
    "hours": marked("hours set"),
    "owner": marked("owner kept"),
    "owner_erased": marked("owner erased"),
    "set_up": marked("workshop set up"),
    "due_feed": marked("calendar of what is due"),
    "rules": marked("workshop rules changed"),
    "workshop": marked("workshop described"),
    "learnt": marked("learnt from closed jobs"),
    "overruled": marked("verdict overruled"),
    "approved": marked("verdict approved"),
    "release": marked("vehicle released"),
    "closed": marked("job closed"),
    "opened_again": marked("job opened again"),
    "exported": marked("data taken out"),
    "imported": marked("data brought in"),
    "owner_link": marked("owner's link made"),
    "owner_link_closed": marked("owner's links closed"),
}

#: How many lines a page of the trail has.
PAGE = 100


@dataclass(frozen=True)
class TrailLine:
    """One line of the trail."""

    id: int
    at: datetime.datetime
    by: str
    role: str
    act: str
    subject: str
    address: str


def note(
    session: WorkshopSession, act: str, subject: str, *, by: str, role: str, now: datetime.datetime, address: str = ""
) -> None:
    """Write one line, in the caller's transaction."""
    assert act in ACTS, act
    session.add(AuditEntry(act=act, subject=subject[:200], by=by[:120], role=role, at=now, address=address[:64]))


def note_by(session: WorkshopSession, act: str, subject: str, *, by: Who, now: datetime.datetime) -> None:
    """Write one line of what a signed-in person did, in the caller's transaction."""
    note(session, act, subject, by=by.name, role=by.role, now=now)


@done_again
def note_export(database: Database, subject: str, *, by: Who, now: datetime.datetime) -> None:
    """Write down that somebody took data out."""
    with database.of_workshop(by.workshop_id) as session, session.begin():
        note_by(session, "exported", subject, by=by, now=now)


def trail_of(database: Database, *, by: Who, before: int | None = None, act: str = "") -> list[TrailLine]:
    """The trail of the workshop, the latest first, a page at a time. Raises `NotAllowed` for anybody but a lead."""
    if by.role != "lead":
        raise NotAllowed("Reading the trail", "lead")
    query = select(AuditEntry).order_by(AuditEntry.id.desc()).limit(PAGE)
    if before is not None:
        query = query.where(AuditEntry.id < before)
    if act:
        query = query.where(AuditEntry.act == act)
    with database.of_workshop(by.workshop_id) as session:
        return [TrailLine(r.id, r.at, r.by, r.role, r.act, r.subject, r.address) for r in session.scalars(query)]

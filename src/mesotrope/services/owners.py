"""Owners: a name, how they can be reached, what they allowed; their vehicles; what was sent to them; and taking out, or
away, all that is known of one."""

from __future__ import annotations

import datetime
import json
import re
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from sqlalchemy import Select, delete, func, select, update

from mesotrope.core.language.saying import marked, one_of
from mesotrope.errors import InvalidInput, NotFound
from mesotrope.services.again import done_again
from mesotrope.services.archiving import ArchiveFolder, erase_archived
from mesotrope.services.audit import note_by
from mesotrope.services.findings import vehicle_of
from mesotrope.services.meanwhile import with_theirs
from mesotrope.services.once import do_once
from mesotrope.services.search_index import index_owner, index_vehicle
from mesotrope.services.signing_in import Who, require_lead
from mesotrope.store.day_tables import DueItem, Message, Owner, SearchWord
from mesotrope.store.session import Database, WorkshopSession
from mesotrope.store.tables import FindingEntry, FrozenSheet, Job, JobRecord, OwnerLink, Vehicle

#: The ways in which an owner may allow to be reminded.
WAYS: Mapping[str, str] = {
    "letter": marked("by letter"),
    "message": marked("by text message"),
    "email": marked("by e-mail"),
}

#: What some rows tell, by job.
Told = dict[int, list[Any]]

#: As many owners stand on a page.
PAGE = 50

_EMAIL = re.compile(r"[^@\s]+@[^@\s]+\.[^@\s]+")
_TELEPHONE = re.compile(r"[\d\s+()/.\-–]{3,60}")


@dataclass(frozen=True)
class Contact:
    """What is kept of an owner."""

    name: str
    telephone: str = ""
    email: str = ""
    allowed: tuple[str, ...] = ()


def lines_of(contact: Contact) -> dict[str, str]:
    """A contact as the lines of a form."""
    allowed = {f"allowed.{way}": "yes" if way in contact.allowed else "" for way in WAYS}
    return {"name": contact.name, "telephone": contact.telephone, "email": contact.email} | allowed


def contact_in(lines: Mapping[str, str]) -> Contact:
    """The contact that stands in the lines of a form."""
    allowed = tuple(way for way in WAYS if lines[f"allowed.{way}"])
    return Contact(lines["name"], lines["telephone"], lines["email"], allowed)


@dataclass(frozen=True)
class OwnerRow:
    id: int
    contact: Contact
    vehicles: int


@dataclass(frozen=True)
class OwnedVehicle:
    id: int
    label: str
    registration: str | None
    last_seen: datetime.datetime | None


@dataclass(frozen=True)
class Sent:
    way: str
    words: str
    at: datetime.datetime


@dataclass(frozen=True)
class OwnerPage:
    id: int
    contact: Contact
    vehicles: tuple[OwnedVehicle, ...]
    sent: tuple[Sent, ...]


def checked(contact: Contact) -> Contact:
    """A contact as it is kept. Raises `InvalidInput` for a name, number, address or way that cannot be.

    >>> checked(Contact(" A. Sample ", "0-555 01", "", ("letter",))).name
    'A. Sample'
    >>> checked(Contact("A. Sample", email="nowhere"))
    Traceback (most recent call last):
        ...
    mesotrope.errors.InvalidInput: e-mail: 'nowhere' cannot be used; write it as name@place.example, or leave it empty
    """
    name, telephone, email = contact.name.strip(), contact.telephone.strip(), contact.email.strip()
    if not 1 <= len(name) <= 120:
        raise InvalidInput("owner's name", name, "1 to 120 characters are needed")
    if telephone and not _TELEPHONE.fullmatch(telephone):
        raise InvalidInput("telephone", telephone, "digits with spaces, +, - or brackets are needed, at most 60")
    if email and (len(email) > 200 or not _EMAIL.fullmatch(email)):
        raise InvalidInput("e-mail", email, "write it as name@place.example, or leave it empty")
    for way in contact.allowed:
        if way not in WAYS:
            raise InvalidInput("may be reminded", way, one_of(WAYS))
    return Contact(name, telephone, email, tuple(way for way in WAYS if way in contact.allowed))


def contact_of(owner: Owner) -> Contact:
    return Contact(owner.name, owner.telephone, owner.email, tuple(owner.allowed or ()))


def write_contact(owner: Owner, contact: Contact) -> None:
    """Keep a contact that was checked with its owner; in the caller's transaction."""
    owner.name, owner.telephone, owner.email = contact.name, contact.telephone, contact.email
    owner.allowed = list(contact.allowed) or None


def new_owner(session: WorkshopSession, contact: Contact) -> Owner:
    """A new owner with a contact that was checked; in the caller's transaction."""
    owner = Owner()
    write_contact(owner, contact)
    session.add(owner)
    session.flush()
    return owner


def owner_of(session: WorkshopSession, owner_id: int, *, for_writing: bool = False) -> Owner:
    """An owner of this workshop. Raises `NotFound`."""
    query = select(Owner).where(Owner.id == owner_id)
    owner = session.scalar(query.with_for_update() if for_writing else query)
    if owner is None:
        raise NotFound("owner")
    return owner


def owners_of(database: Database, *, by: Who, begins: str = "", after: str = "") -> list[OwnerRow]:
    """Owners by name, a page at a time; `begins`: those whose name begins so."""
    query = select(Owner).order_by(Owner.name, Owner.id).limit(PAGE)
    if begins.strip():
        query = query.where(Owner.name.startswith(begins.strip(), autoescape=True))
    if after:
        query = query.where(Owner.name > after)
    with database.of_workshop(by.workshop_id) as session:
        owners = session.scalars(query).all()
        theirs = (
            select(Vehicle.owner_id, func.count(Vehicle.id))
            .where(Vehicle.owner_id.in_([owner.id for owner in owners]))
            .group_by(Vehicle.owner_id)
        )
        counts: dict[int | None, int] = dict(session.execute(theirs).all())
        return [OwnerRow(owner.id, contact_of(owner), counts.get(owner.id, 0)) for owner in owners]


def owner_page(database: Database, owner_id: int, *, by: Who) -> OwnerPage:
    """One owner with their vehicles and what was sent to them. Raises `NotFound`."""
    with database.of_workshop(by.workshop_id) as session:
        owner = owner_of(session, owner_id)
        rows = session.execute(
            select(Vehicle, func.max(Job.opened_at))
            .outerjoin(Job, Job.vehicle_id == Vehicle.id)
            .where(Vehicle.owner_id == owner_id)
            .group_by(Vehicle.id)
            .order_by(Vehicle.label)
        )
        vehicles = tuple(OwnedVehicle(v.id, v.label, v.registration, seen) for v, seen in rows)
        sent = session.scalars(
            select(Message).where(Message.owner_id == owner_id).order_by(Message.id.desc()).limit(40)
        )
        return OwnerPage(owner.id, contact_of(owner), vehicles, tuple(Sent(m.way, m.words, m.made_at) for m in sent))


def keep_owner(
    database: Database, contact: Contact, *, by: Who, now: datetime.datetime, owner_id: int | None = None,
    vehicle_id: int | None = None, seen: Mapping[str, str] | None = None,
) -> int:  # fmt: skip
    """Keep an owner, new or known, and give them a vehicle where one is named; returns their number.

    seen : a known owner's lines as the page showed them (`lines_of`). Raises `InvalidInput`, `NotFound`, `Overtaken`.
    """
    kept = checked(contact)

    def keep(session: WorkshopSession) -> int:
        if owner_id is None:
            owner = new_owner(session, kept)
        else:
            owner = owner_of(session, owner_id, for_writing=True)
            stands = with_theirs(lines_of(kept), seen, lines_of(contact_of(owner)))
            write_contact(owner, contact_in(stands))
        if vehicle_id is not None:
            vehicle_of(session, vehicle_id, for_writing=True).owner_id = owner.id
        index_owner(session, owner, new=owner_id is None)
        note_by(session, "owner", f"owner {owner.id}", by=by, now=now)
        return owner.id

    return do_once(database, marked("owner kept"), keep, [kept.__dict__, owner_id, vehicle_id], by=by, now=now)


def belongs_to(session: WorkshopSession, vehicle: Vehicle, contact: Contact) -> None:
    """Give a vehicle to an owner who is known by name and telephone, else to a new one; in the caller's transaction,
    who indexes the vehicle."""
    same = select(Owner).where(Owner.name == contact.name, Owner.telephone == contact.telephone).limit(1)
    owner = session.scalar(same)
    if owner is None:
        owner = new_owner(session, contact)
        index_owner(session, owner, new=True)
    vehicle.owner_id = owner.id


@done_again
def give_vehicle(database: Database, vehicle_id: int, owner_id: int | None, *, by: Who, now: datetime.datetime) -> None:
    """Say whose a vehicle is; None: nobody's that is known. Raises `NotFound`."""
    with database.of_workshop(by.workshop_id) as session, session.begin():
        vehicle = vehicle_of(session, vehicle_id, for_writing=True)
        if owner_id is not None:
            owner_of(session, owner_id)
        vehicle.owner_id = owner_id
        session.flush()
        index_vehicle(session, vehicle)
        note_by(session, "owner", f"vehicle {vehicle_id}: owner {owner_id or 'none'}", by=by, now=now)


@done_again
def everything_of(database: Database, owner_id: int, *, by: Who, now: datetime.datetime) -> dict[str, Any]:
    """Everything that is kept of one owner, as plain values, for whoever it is about. Raises `NotAllowed`, `NotFound`.

    Their contact, their vehicles with every visit (complaint, what was found, what was told them), and what was sent.
    """
    require_lead(by, marked("Taking out what is known of an owner"))
    with database.of_workshop(by.workshop_id) as session, session.begin():
        owner = owner_of(session, owner_id)
        vehicles = session.scalars(select(Vehicle).where(Vehicle.owner_id == owner_id).order_by(Vehicle.id)).all()
        visits: dict[int, list[dict[str, Any]]] = {vehicle.id: [] for vehicle in vehicles}
        jobs = session.scalars(select(Job).where(Job.vehicle_id.in_(list(visits))).order_by(Job.opened_at)).all()
        ids = [job.id for job in jobs]
        sheets = _by_job(session, ids, select(FrozenSheet), lambda row: row.sheet)
        findings = _by_job(session, ids, select(FindingEntry), _entry_told)
        words = select(JobRecord).where(JobRecord.kind == "acknowledged")
        acknowledged = _by_job(session, ids, words, lambda row: row.value)
        for job in jobs:
            visits[job.vehicle_id].append(
                {
                    "job": job.id,
                    "opened_at": job.opened_at.isoformat(),
                    "visit": job.visit,
                    "findings": findings.get(job.id, []),
                    "owner_sheets": sheets.get(job.id, []),
                    "acknowledged": acknowledged.get(job.id, []),
                    "archived_in": f"job-{job.id}.zip" if job.archive_sha256 else None,
                }
            )
        sent = session.scalars(select(Message).where(Message.owner_id == owner_id).order_by(Message.id))
        note_by(session, "exported", f"owner {owner_id}", by=by, now=now)
        return {
            "format": "mesotrope-owner",
            "version": 1,
            "made_at": now.isoformat(),
            "owner": {**contact_of(owner).__dict__, "allowed": list(owner.allowed or ())},
            "vehicles": [
                {"specification": vehicle.specification, "visits": visits[vehicle.id]} for vehicle in vehicles
            ],
            "sent": [{"way": m.way, "at": m.made_at.isoformat(), "words": m.words} for m in sent],
        }


def _by_job(session: WorkshopSession, job_ids: Sequence[int], query: Select[Any], told: Callable[[Any], Any]) -> Told:
    """What rows of some jobs tell, by their job, in the order in which they were written."""
    out: Told = {}
    table = query.column_descriptions[0]["entity"]
    for row in session.scalars(query.where(table.job_id.in_(job_ids)).order_by(table.id)):
        out.setdefault(row.job_id, []).append(told(row))
    return out


def _entry_told(entry: FindingEntry) -> dict[str, Any]:
    return {"where": entry.corner, "what": entry.path, "value": entry.value, "at": entry.entered_at.isoformat()}


def erase_owner(database: Database, archives: ArchiveFolder, owner_id: int, *, by: Who, now: datetime.datetime) -> int:
    """Take away everything that tells who an owner is; what was found and done stays, of vehicles without a name.

    Gone are: the owner; name, plate and VIN of their vehicles; names and signatures under a stop-gap; owner's sheets
    and links to them; what was sent; the files of archived visits, with what was found then. Of a complaint or note
    nobody can say whether it names somebody: those of the vehicles are cleared too. Returns how many vehicles there
    were. Raises `NotAllowed` for anybody but a lead, `NotFound`.
    """
    require_lead(by, marked("Erasing an owner"))
    with database.erasing(by.workshop_id) as session:
        owner = owner_of(session, owner_id, for_writing=True)
        vehicles = session.scalars(select(Vehicle).where(Vehicle.owner_id == owner_id).with_for_update()).all()
        for vehicle in vehicles:
            kept = {k: v for k, v in vehicle.specification.items() if k not in ("label", "registration", "vin")}
            vehicle.label = f"Vehicle {vehicle.id}"
            vehicle.registration = vehicle.vin = vehicle.owner_id = None
            vehicle.specification = {**kept, "label": vehicle.label}
        jobs = session.scalars(select(Job).where(Job.vehicle_id.in_([v.id for v in vehicles])).with_for_update()).all()
        for job in jobs:
            job.visit = {name: value for name, value in job.visit.items() if name != "complaint"}
            job.shown = job.shown_key = None
        ids = [job.id for job in jobs]
        session.execute(delete(OwnerLink).where(OwnerLink.job_id.in_(ids)))
        session.execute(delete(FrozenSheet).where(FrozenSheet.job_id.in_(ids)))
        session.execute(delete(Message).where(Message.owner_id == owner_id))
        session.execute(update(JobRecord).where(JobRecord.job_id.in_(ids)).values(note=""))
        words = ("acknowledged", "stop_gap", "agreed")
        session.execute(delete(JobRecord).where(JobRecord.job_id.in_(ids), JobRecord.kind.in_(words)))
        session.execute(delete(SearchWord).where(SearchWord.kind == "o", SearchWord.thing == owner_id))
        session.execute(delete(SearchWord).where(SearchWord.vehicle.in_([v.id for v in vehicles])))
        session.execute(delete(DueItem).where(DueItem.vehicle_id.in_([v.id for v in vehicles])))
        for vehicle in vehicles:
            vehicle.indexed, vehicle.due_key = False, None
        for job in jobs:
            job.indexed = False
        session.flush()
        session.delete(owner)
        erase_archived(session, archives, list(jobs))
        note_by(session, "owner_erased", f"owner {owner_id}, {len(vehicles)} vehicles", by=by, now=now)
        return len(vehicles)


def as_document(found: Mapping[str, Any]) -> str:
    """What `everything_of` found, as a document."""
    return json.dumps(found, ensure_ascii=False, indent=2)

"""Under which words every vehicle, job and owner is kept, so that it is found: in the transaction that writes it.

Plates, VINs and telephones are kept under each of their endings too, so that any part of them finds.
"""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Iterable

from sqlalchemy import delete, false, select
from sqlalchemy.dialects.mysql import insert

from mesotrope.knowledge import knowledge
from mesotrope.store.day_tables import Owner, SearchWord
from mesotrope.store.session import WorkshopSession
from mesotrope.store.tables import Job, JobRecord, Vehicle

#: The shortest and longest words that are kept, and the shortest ending of a plate, VIN or telephone.
SHORTEST, LONGEST, ENDING = 2, 40, 3

_WORDS = re.compile(r"[^\W_]+")


def words_of(text: str | None) -> set[str]:
    """The words of a text as they are kept: small, without accents.

    >>> sorted(words_of("Hot smell, rear-left; Café"))
    ['cafe', 'hot', 'left', 'rear', 'smell']
    """
    plain = unicodedata.normalize("NFKD", text or "")
    plain = "".join(letter for letter in plain if not unicodedata.combining(letter)).lower()
    return {word[:LONGEST] for word in _WORDS.findall(plain) if len(word) >= SHORTEST}


def in_one_word(text: str | None) -> str:
    """A plate, VIN or telephone number without what stands between its letters and digits.

    >>> in_one_word("0-QLB-01")
    '0qlb01'
    """
    return "".join(_WORDS.findall(text or "")).lower()[:LONGEST]


def endings_of(text: str | None) -> set[str]:
    """A plate, VIN or telephone number under each of its endings.

    >>> sorted(endings_of("0-QLB"))
    ['0qlb', 'qlb']
    """
    plain = in_one_word(text)
    return {plain[start:] for start in range(max(0, len(plain) - ENDING + 1))}


def index_vehicle(session: WorkshopSession, vehicle: Vehicle) -> None:
    """Keep a vehicle under the words it has now, its owner's among them; in the caller's transaction."""
    owner = session.get(Owner, vehicle.owner_id) if vehicle.owner_id else None
    words = words_of(vehicle.label) | words_of(vehicle.registration)
    words |= endings_of(vehicle.registration) | endings_of(vehicle.vin)
    if owner is not None:
        words |= _of_owner(owner)
    _keep(session, "v", vehicle.id, vehicle.id, words, has_some=vehicle.indexed)
    vehicle.indexed = True


def index_owner(session: WorkshopSession, owner: Owner, *, new: bool = False) -> None:
    """Keep an owner, and each of their vehicles, under their words; in the caller's transaction.

    new : they were written in this transaction, so they have no words yet.
    """
    session.flush()
    _keep(session, "o", owner.id, 0, _of_owner(owner), has_some=not new)
    for vehicle in session.scalars(select(Vehicle).where(Vehicle.owner_id == owner.id)):
        index_vehicle(session, vehicle)


def _of_owner(owner: Owner) -> set[str]:
    return words_of(owner.name) | endings_of(owner.telephone) | words_of(owner.email)


def index_job(session: WorkshopSession, job: Job) -> None:
    """Keep a job under the words of its complaint, its day, its number, what was found, and, while it is open, what is
    suspected first; in the caller's transaction."""
    words = words_of(job.visit.get("complaint")) | {f"job{job.id}"}
    if day := job.visit.get("date"):
        words |= {str(day), str(day)[:7]}
    known = knowledge()  # the names of faults are the product's: no workshop has others
    found = session.scalars(select(JobRecord).where(JobRecord.job_id == job.id, JobRecord.kind == "found"))
    for record in found:
        for fault in (record.value or {}).get("faults") or ():
            words |= words_of(known.words(fault))
    if job.state == "open" and (suspected := leading_fault(job)):
        words |= words_of(known.words(suspected))
    _keep(session, "j", job.id, job.vehicle_id, words, has_some=job.indexed)
    job.indexed = True


def leading_fault(job: Job) -> str:
    """The fault that a job's kept glance suspects first; nothing where none leads."""
    leading = ((job.shown or {}).get("glance") or {}).get("leading")
    return str(leading[1]) if leading else ""


def _keep(
    session: WorkshopSession, kind: str, thing: int, vehicle: int, words: Iterable[str], *, has_some: bool
) -> None:
    if has_some:  # where there is nothing to delete, the server locks the gap that the next new thing is written to
        session.execute(delete(SearchWord).where(SearchWord.kind == kind, SearchWord.thing == thing))
    here = session.info["workshop_id"]
    rows = [
        {"workshop_id": here, "word": word, "kind": kind, "thing": thing, "vehicle": vehicle} for word in sorted(words)
    ]
    if rows:
        session.execute(insert(SearchWord).prefix_with("ignore"), rows)


def index_what_is_left(session: WorkshopSession, most: int = 500) -> int:
    """Index vehicles and jobs that were written before there was an index; returns how many those were."""
    vehicles = session.scalars(select(Vehicle).where(Vehicle.indexed == false()).limit(most)).all()
    for vehicle in vehicles:
        index_vehicle(session, vehicle)
    jobs = session.scalars(select(Job).where(Job.indexed == false()).limit(most)).all()
    for job in jobs:
        index_job(session, job)
    return len(vehicles) + len(jobs)

"""Finding anything by a few words: plate, VIN, name, owner, telephone, complaint, fault, date; open and closed.

Every vehicle, job and owner is kept under its words, in the transaction that writes it; what is asked for is looked up
as the beginning of such words. Plates, VINs and telephones are kept under each of their endings too, so that any part
of them finds. All words together must lead to one vehicle: by itself, by its owner, or by any of its visits.
"""

from __future__ import annotations

import datetime
import re
import unicodedata
from collections.abc import Collection, Iterable, Sequence
from dataclasses import dataclass, field

from sqlalchemy import Select, delete, exists, false, func, or_, select, true
from sqlalchemy.dialects.mysql import insert
from sqlalchemy.orm import aliased

from mesotrope.core.language.plate import plate_key
from mesotrope.knowledge import knowledge
from mesotrope.services.signing_in import Who
from mesotrope.store.day_tables import Owner, SearchWord
from mesotrope.store.session import Database, WorkshopSession
from mesotrope.store.tables import Job, JobRecord, Vehicle
from mesotrope.words.dates import STYLES, Dates

#: The shortest and longest words that are kept, and the shortest ending of a plate, VIN or telephone.
SHORTEST, LONGEST, ENDING = 2, 40, 3

#: As many words are asked for at most, as many vehicles are looked at, and as many are shown.
MOST_WORDS, MOST_LOOKED_AT, MOST_SHOWN = 6, 60, 12

#: As many rows that the first word leads to are asked for the others: the latest few, then more, then all.
TRIED_FIRST, MOST_TRIED = 100, 1500

_WORDS = re.compile(r"[^\W_]+")


def words_of(text: str | None) -> set[str]:
    """The words of a text as they are kept: small, without accents.

    >>> sorted(words_of("Hot smell, rear-left; Café"))
    ['cafe', 'hot', 'left', 'rear', 'smell']
    """
    plain = unicodedata.normalize("NFKD", text or "")
    plain = "".join(letter for letter in plain if not unicodedata.combining(letter)).lower()
    return {word[:LONGEST] for word in _WORDS.findall(plain) if len(word) >= SHORTEST}


def endings_of(text: str | None) -> set[str]:
    """A plate, VIN or telephone number under each of its endings.

    >>> sorted(endings_of("0-QLB"))
    ['0qlb', 'qlb']
    """
    plain = "".join(_WORDS.findall(text or "")).lower()[:LONGEST]
    return {plain[start:] for start in range(max(0, len(plain) - ENDING + 1))}


def index_vehicle(session: WorkshopSession, vehicle: Vehicle) -> None:
    """Keep a vehicle under the words it has now, its owner's among them; in the caller's transaction."""
    owner = session.get(Owner, vehicle.owner_id) if vehicle.owner_id else None
    words = words_of(vehicle.label) | words_of(vehicle.registration)
    words |= endings_of(vehicle.registration) | endings_of(vehicle.vin)
    if owner is not None:
        words |= _of_owner(owner)
    _keep(session, "v", vehicle.id, vehicle.id, words)
    vehicle.indexed = True


def index_owner(session: WorkshopSession, owner: Owner) -> None:
    """Keep an owner, and each of their vehicles, under their words; in the caller's transaction."""
    session.flush()
    _keep(session, "o", owner.id, 0, _of_owner(owner))
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
    _keep(session, "j", job.id, job.vehicle_id, words)
    job.indexed = True


def leading_fault(job: Job) -> str:
    """The fault that a job's kept glance suspects first; nothing where none leads."""
    leading = ((job.shown or {}).get("glance") or {}).get("leading")
    return str(leading[1]) if leading else ""


def _keep(session: WorkshopSession, kind: str, thing: int, vehicle: int, words: Iterable[str]) -> None:
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


def asked_for(text: str, dates: Dates) -> list[str]:
    """The words that are asked for, as they are kept; a day in the workshop's style is a day.

    >>> asked_for("Slide pins 01.07.2026", Dates(style="day_first"))
    ['slide', 'pins', '2026-07-01']
    >>> asked_for("0-qlb-01", Dates())
    ['0qlb01']
    """
    out: list[str] = []
    for part in text.split()[:MOST_WORDS]:
        if day := _day(part, dates):
            out.append(day)
        elif any(letter.isdigit() for letter in part) and (key := plate_key(part)):
            out.append("".join(_WORDS.findall(key)).lower()[:LONGEST])
        else:
            out += sorted(words_of(part))
    return [word for word in dict.fromkeys(out) if len(word) >= SHORTEST][:MOST_WORDS]


def _day(text: str, dates: Dates) -> str:
    """A day, or a month, as jobs are kept under it; nothing where the text is neither."""
    if re.fullmatch(r"\d{4}-\d{2}", text):
        return text
    for style in (STYLES["year_first"], STYLES[dates.style]):
        try:
            return datetime.datetime.strptime(text, style.replace("%-d", "%d")).date().isoformat()
        except ValueError:
            continue
    return ""


@dataclass(frozen=True)
class FoundJob:
    """A visit of a vehicle that was found; `matched`: by its own words."""

    id: int
    opened_at: datetime.datetime
    state: str
    complaint: str
    matched: bool
    archived: bool = False


@dataclass(frozen=True)
class FoundThing:
    """A vehicle that was found, with its owner and its visits, the latest first."""

    id: int
    label: str
    registration: str | None
    owner: str
    owner_id: int | None
    jobs: tuple[FoundJob, ...]

    @property
    def here(self) -> bool:
        return any(job.state == "open" for job in self.jobs)


@dataclass(frozen=True)
class Found:
    """What was found; `more`: there are others, so that another word is worth writing."""

    vehicles: tuple[FoundThing, ...] = ()
    owners: tuple[tuple[int, str, str], ...] = ()
    more: bool = False
    words: Sequence[str] = field(default=())


def find(database: Database, text: str, *, by: Who) -> Found:
    """Find by a few words, whatever they are of. What is in the shop now comes first, then what was there last."""
    words = asked_for(text, by.dates)
    if not words:
        return Found()
    with database.of_workshop(by.workshop_id) as session:
        here = list(session.scalars(select(Job.vehicle_id).where(Job.state == "open").distinct()))
        now = _among(session, here, words)
        others = set(_all_lead_to(session, words, owners=False, most=MOST_LOOKED_AT))
        ids = [*now, *sorted(others - now, reverse=True)[:MOST_LOOKED_AT]]
        return Found(
            _told(session, _latest(session, ids, now), words),
            _owners(session, words),
            len(ids) > MOST_SHOWN or len(others) >= MOST_LOOKED_AT,
            words,
        )


def _latest(session: WorkshopSession, ids: Sequence[int], here: Collection[int]) -> list[int]:
    """The vehicles that are shown of those found: what is here, then what was here last, what never was at the end."""
    seen = select(Job.vehicle_id).where(Job.vehicle_id.in_(ids)).group_by(Job.vehicle_id)
    first = [Job.vehicle_id.in_(here).desc()] if here else []
    seen = seen.order_by(*first, func.max(Job.opened_at).desc(), Job.vehicle_id.desc()).limit(MOST_SHOWN)
    shown = list(session.scalars(seen))
    return (shown + [number for number in ids if number not in shown])[:MOST_SHOWN]


def _among(session: WorkshopSession, numbers: Sequence[int], words: Sequence[str], *, owners: bool = False) -> set[int]:
    """Those of some vehicles, or owners, that all of the words lead to."""
    ids = set(numbers)
    for word in words:
        if ids:
            thing, of = (SearchWord.thing, SearchWord.vehicle == 0) if owners else (SearchWord.vehicle, true())
            ids = set(session.scalars(select(thing).where(thing.in_(ids), of, _begins(SearchWord, word)).distinct()))
    return ids


def _all_lead_to(session: WorkshopSession, words: Sequence[str], *, owners: bool, most: int) -> list[int]:
    """Vehicles, or owners, that all of the words lead to, so many at most.

    Words that lead to much mostly lead there together: so the latest few that one of them leads to are asked for the
    others. Where that finds too little each word, a span of the index, is read once, and the spans are joined.
    """
    thing = SearchWord.thing if owners else SearchWord.vehicle
    of = SearchWord.vehicle == 0 if owners else SearchWord.vehicle != 0
    first, *rest = sorted(words, key=len, reverse=True)  # the longest leads to the fewest
    span = select(thing.label("it")).where(_begins(SearchWord, first), of)
    latest_first = span.order_by(SearchWord.word.desc(), SearchWord.vehicle.desc())  # the index, from its end
    latest = list(session.scalars(latest_first.limit(TRIED_FIRST)))
    among = _among(session, latest, rest, owners=owners)
    found = [number for number in dict.fromkeys(latest) if number in among]
    if len(found) > MOST_SHOWN or len(latest) < TRIED_FIRST:
        return found[:most]
    if not rest:
        return list(session.scalars(span.distinct().limit(most)))
    few = latest_first.limit(MOST_TRIED + 1).subquery()
    other = aliased(SearchWord)
    same = (other.vehicle == 0) & (other.thing == few.c.it) if owners else other.vehicle == few.c.it
    tried = select(few.c.it).where(*(exists().where(same, _begins(other, word)) for word in rest)).distinct()
    found = list(session.scalars(tried.limit(most)))
    if len(found) >= most or session.execute(select(func.count()).select_from(few)).scalar_one() <= MOST_TRIED:
        return found
    spans = [select(thing.label("it")).where(_begins(SearchWord, word), of).distinct().subquery() for word in words]
    query = select(spans[0].c.it)
    for other_span in spans[1:]:
        query = query.join(other_span, other_span.c.it == spans[0].c.it)
    return list(session.scalars(query.limit(most)))


def words_beginning(letters: str) -> Select[int]:
    """Numbers of vehicles that have a word of their own that begins so: for whoever finds by more than words."""
    own = (SearchWord.kind == "v") & (SearchWord.vehicle != 0)
    return select(SearchWord.vehicle).where(_begins(SearchWord, letters[:LONGEST]), own).distinct()


def _begins(table: type[SearchWord], word: str):  # type: ignore[no-untyped-def]  # an expression of the library's
    """That a row is of this workshop and its word begins so: a span of the index."""
    return (table.word >= word) & (table.word < f"{word}\U0010ffff")


def _told(session: WorkshopSession, ids: Sequence[int], words: Sequence[str]) -> tuple[FoundThing, ...]:
    rows = session.execute(
        select(Vehicle.id, Vehicle.label, Vehicle.registration, Vehicle.owner_id, Owner.name)
        .outerjoin(Owner, Owner.id == Vehicle.owner_id)
        .where(Vehicle.id.in_(list(ids)))
    )
    vehicles = {row.id: row for row in rows}
    of_jobs = select(SearchWord.thing).where(
        SearchWord.vehicle.in_(list(ids)), SearchWord.kind == "j", or_(*(_begins(SearchWord, word) for word in words))
    )
    matching = set(session.scalars(of_jobs))
    jobs: dict[int, list[FoundJob]] = {number: [] for number in ids}
    visits = session.execute(
        select(Job.vehicle_id, Job.id, Job.opened_at, Job.state, Job.visit, Job.archived_at)
        .where(Job.vehicle_id.in_(list(ids)))
        .order_by(Job.opened_at.desc(), Job.id.desc())
    )
    for vehicle_id, job_id, opened_at, state, visit, archived_at in visits:
        complaint, matched = visit.get("complaint") or "", job_id in matching
        jobs[vehicle_id].append(FoundJob(job_id, opened_at, state, complaint, matched, archived_at is not None))
    out = []
    for number in ids:
        row = vehicles[number]
        out.append(FoundThing(number, row.label, row.registration, row.name or "", row.owner_id, tuple(jobs[number])))
    return tuple(out)


def _owners(session: WorkshopSession, words: Sequence[str]) -> tuple[tuple[int, str, str], ...]:
    """The owners that all of the words lead to."""
    ids = _all_lead_to(session, words, owners=True, most=MOST_SHOWN)
    if not ids:
        return ()
    owners = session.scalars(select(Owner).where(Owner.id.in_(ids)).order_by(Owner.name))
    return tuple((owner.id, owner.name, owner.telephone) for owner in owners)

"""Finding anything by a few words: plate, VIN, name, owner, telephone, complaint, fault, date; open and closed.

Every vehicle, job and owner is kept under its words (`search_index`); what is asked for is looked up as the beginning
of such words. All of them together must lead to one vehicle: by itself, by its owner, or by any of its visits. The
questions stand, by how many words are asked for: putting one together takes longer than asking it.
"""

from __future__ import annotations

import datetime
import re
from collections.abc import Collection, Iterable, Sequence
from dataclasses import dataclass, field
from functools import cache
from typing import Any

from sqlalchemy import ColumnElement, Exists, Integer, Select, bindparam, exists, func, or_, select, true
from sqlalchemy.orm import aliased

from mesotrope.core.language.plate import plate_key
from mesotrope.services.search_index import LONGEST, SHORTEST, in_one_word, words_of
from mesotrope.services.signing_in import Who
from mesotrope.store.day_tables import Owner, SearchWord
from mesotrope.store.session import Database, WorkshopSession
from mesotrope.store.tables import Job, Vehicle
from mesotrope.words.dates import STYLES, Dates

#: As many words are asked for at most, as many vehicles are looked at, and as many are shown.
MOST_WORDS, MOST_LOOKED_AT, MOST_SHOWN = 6, 60, 12

#: As many rows that the first word leads to are asked for the others: the latest few, then more, then all.
TRIED_FIRST, MOST_TRIED = 100, 1500


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
            out.append(in_one_word(key))
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
        now = set(session.scalars(_here(len(words)), _told_words(words)))
        others = set(_all_lead_to(session, words, owners=False, most=MOST_LOOKED_AT))
        ids = [*now, *sorted(others - now, reverse=True)[:MOST_LOOKED_AT]]
        return Found(
            _told(session, ids, now, words),
            _owners(session, words),
            len(ids) > MOST_SHOWN or len(others) >= MOST_LOOKED_AT,
            words,
        )


def _told_words(words: Iterable[str]) -> dict[str, str]:
    """The words that are asked for as parameters: a word begins so from itself to the last that does."""
    told: dict[str, str] = {}
    for number, word in enumerate(words):
        told |= {f"word_{number}": word, f"last_{number}": f"{word}\U0010ffff"}
    return told


def _begins(table: type[SearchWord], number: int = 0) -> ColumnElement[bool]:
    """That a row's word begins as a word that is asked for: a span of the index."""
    return (table.word >= bindparam(f"word_{number}")) & (table.word < bindparam(f"last_{number}"))


def _leads_to(it: Any, number: int, owners: bool = False) -> Exists:
    """That a word that is asked for leads to a vehicle, or an owner. it : a column that holds which."""
    kept = aliased(SearchWord)
    thing = (kept.vehicle == 0) & (kept.thing == it) if owners else kept.vehicle == it
    return exists().where(thing, _begins(kept, number))


@cache
def _here(words: int) -> Select[int]:
    """Vehicles that are in the shop now and that all of so many words lead to."""
    all_do = (_leads_to(Job.vehicle_id, number) for number in range(words))
    return select(Job.vehicle_id).where(Job.state == "open", *all_do).distinct()


def _all_lead_to(session: WorkshopSession, words: Sequence[str], *, owners: bool, most: int) -> list[int]:
    """Vehicles, or owners, that all of the words lead to, so many at most.

    Words that lead to much mostly lead there together: so the latest few that one of them leads to are asked for the
    others, by their numbers. Where that finds too little more are asked, in one question; at the end each word, a span
    of the index, is read once, and the spans are joined.
    """
    in_turn = sorted(words, key=len, reverse=True)  # the longest leads to the fewest
    told, alone = _told_words(in_turn), len(words) == 1
    latest = session.scalars(_latest(owners, TRIED_FIRST), told).all()
    found = set(latest)
    if found and not alone:
        found = set(session.scalars(_of_them(len(words), owners), {**told, "them": list(found)}))
    if len(found) <= MOST_SHOWN and len(latest) == TRIED_FIRST:
        tried, found = (0, set()) if alone else _among_more(session, told, len(words), owners)
        if len(found) < most and (alone or tried == MOST_TRIED):
            return list(session.scalars(_in_all_spans(len(words), owners), {**told, "most": most}))
    return sorted(found, reverse=True)[:most]


@cache
def _span(owners: bool, number: int = 0) -> Select[int]:
    """All that a word leads to."""
    thing, of = (SearchWord.thing, SearchWord.vehicle == 0) if owners else (SearchWord.vehicle, SearchWord.vehicle != 0)
    return select(thing.label("it")).where(_begins(SearchWord, number), of)


@cache
def _latest(owners: bool, tried: int) -> Select[int]:
    """The latest that the first of the words leads to: the index, from its end."""
    return _span(owners).order_by(SearchWord.word.desc(), SearchWord.vehicle.desc()).limit(tried)


@cache
def _of_them(words: int, owners: bool) -> Select[int]:
    """Those of some that all other words lead to."""
    second = _span(owners, 1)
    it = second.selected_columns.it
    others = (_leads_to(it, number, owners) for number in range(2, words))
    return second.where(it.in_(bindparam("them", expanding=True)), *others).distinct()


def _among_more(session: WorkshopSession, told: dict[str, str], words: int, owners: bool) -> tuple[int, set[int]]:
    """Of more of the latest that the first of the words leads to: how many were tried, and those that all words lead
    to."""
    rows = session.execute(_more_tried(words, owners), told).all()
    return rows[0][0], {number for _, number in rows if number is not None}


@cache
def _more_tried(words: int, owners: bool) -> Select[int, int | None]:
    """One row at least, with how many were tried."""
    counted = select(func.count().label("number")).select_from(_latest(owners, MOST_TRIED).subquery()).subquery()
    latest = _latest(owners, MOST_TRIED).subquery()
    all_do = (_leads_to(latest.c.it, number, owners) for number in range(1, words))
    found = select(latest.c.it).where(*all_do).distinct().subquery()
    return select(counted.c.number, found.c.it).outerjoin_from(counted, found, true())


@cache
def _in_all_spans(words: int, owners: bool) -> Select[int]:
    spans = [_span(owners, number).distinct().subquery() for number in range(words)]
    query = select(spans[0].c.it)
    for other in spans[1:]:
        query = query.join(other, other.c.it == spans[0].c.it)
    return query.limit(bindparam("most", type_=Integer))


def words_beginning(letters: str) -> Select[int]:
    """Numbers of vehicles that have a word of their own that begins so: for whoever finds by more than words."""
    own = (SearchWord.kind == "v") & (SearchWord.vehicle != 0)
    return (
        select(SearchWord.vehicle).where(_begins(SearchWord), own).distinct().params(_told_words([letters[:LONGEST]]))
    )


_SHOWN = (
    select(Vehicle.id, Vehicle.label, Vehicle.registration, Vehicle.owner_id, Owner.name)
    .outerjoin(Owner, Owner.id == Vehicle.owner_id)
    .outerjoin(Job, Job.vehicle_id == Vehicle.id)
    .where(Vehicle.id.in_(bindparam("ids", expanding=True)))
    .group_by(Vehicle.id, Owner.name)
    .order_by(Vehicle.id.in_(bindparam("here", expanding=True)).desc())
    .order_by(func.max(Job.opened_at).desc(), Vehicle.id.desc())
    .limit(MOST_SHOWN)
)


_COMPLAINT = func.json_value(Job.visit, "$.complaint")


@cache
def _visits(words: int) -> Select[Any]:
    """The visits of some vehicles, the latest first, and whether any of so many words is one of the visit's own."""
    any_does = or_(*(_begins(SearchWord, number) for number in range(words)))
    by_itself = exists().where(SearchWord.kind == "j", SearchWord.thing == Job.id, any_does)
    return (
        select(Job.vehicle_id, Job.id, Job.opened_at, Job.state, _COMPLAINT, Job.archived_at, by_itself)
        .where(Job.vehicle_id.in_(bindparam("ids", expanding=True)))
        .order_by(Job.opened_at.desc(), Job.id.desc())
    )


def _told(
    session: WorkshopSession, ids: Sequence[int], here: Collection[int], words: Sequence[str]
) -> tuple[FoundThing, ...]:
    """The vehicles that are shown of those found, with their visits: what is here, then what was here last, what never
    was at the end."""
    vehicles = session.execute(_SHOWN, {"ids": ids, "here": list(here)}).all()
    jobs: dict[int, list[FoundJob]] = {row.id: [] for row in vehicles}
    visits = session.execute(_visits(len(words)), {"ids": list(jobs), **_told_words(words)})
    for vehicle_id, job_id, opened_at, state, complaint, archived_at, matched in visits:
        jobs[vehicle_id].append(
            FoundJob(job_id, opened_at, state, complaint or "", bool(matched), archived_at is not None)
        )
    return tuple(
        FoundThing(row.id, row.label, row.registration, row.name or "", row.owner_id, tuple(jobs[row.id]))
        for row in vehicles
    )


def _owners(session: WorkshopSession, words: Sequence[str]) -> tuple[tuple[int, str, str], ...]:
    """The owners that all of the words lead to."""
    ids = _all_lead_to(session, words, owners=True, most=MOST_SHOWN)
    if not ids:
        return ()
    owners = session.scalars(select(Owner).where(Owner.id.in_(ids)).order_by(Owner.name))
    return tuple((owner.id, owner.name, owner.telephone) for owner in owners)

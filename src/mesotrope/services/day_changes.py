"""What people settle in a day: who has a job, what was promised, where the vehicle stands, what it waits for, and what
its owner said. Each is a record of the job, so that who and when stay with it."""

from __future__ import annotations

import datetime
from collections.abc import Iterable, Mapping

from sqlalchemy import select, true

from mesotrope.core.day.waiting import SETTABLE, STATES
from mesotrope.core.language.saying import marked, one_of, said, verbatim
from mesotrope.core.language.work import Done
from mesotrope.core.plan.came_since import written
from mesotrope.errors import InvalidInput, NotFound
from mesotrope.services.proving import require_day
from mesotrope.services.records import keep_record, needed
from mesotrope.services.signing_in import Who
from mesotrope.services.workshop import places_of
from mesotrope.store.session import Database
from mesotrope.store.tables import Person

#: What an owner can say of the work, in words.
AGREED: Mapping[str, str] = {"yes": marked("all of it"), "part": marked("a part of it"), "no": marked("none of it")}

#: A promise lies at most so far ahead.
MOST_DAYS = 366


def colleagues(database: Database, *, by: Who) -> dict[int, str]:
    """Everybody who works here now, by name."""
    with database.of_workshop(by.workshop_id) as session:
        rows = session.execute(select(Person.id, Person.name).where(Person.active == true()).order_by(Person.name))
        return dict(rows.all())


def hand_on(
    database: Database, job_id: int, to: int | None, note: str = "", *, by: Who, now: datetime.datetime
) -> None:
    """Give a job to somebody, with what there is to say; oneself: take it over; None: nobody has it.

    Raises `NotFound` for who does not work here, `JobClosed`, `InvalidInput` for a note that is too long.
    """
    if to is not None and to not in colleagues(database, by=by):
        raise NotFound("person")
    keep_record(database, job_id, "has_it", "", to, by=by, now=now, note=note)


def promised_moment(day: str, hour: str, *, by: Who, now: datetime.datetime) -> datetime.datetime | None:
    """When something is promised for, by the workshop's clock; None without a day; without a time at five.

    Raises `InvalidInput` for what is no day or time, or lies in the past or too far ahead.
    """
    if not day.strip():
        return None
    try:
        wanted = datetime.datetime.combine(
            datetime.date.fromisoformat(day.strip()), datetime.time.fromisoformat(hour.strip() or "17:00")
        )
        moment = by.dates.utc(wanted)
    except OverflowError:
        moment = datetime.datetime.max  # a day at an end of the calendar has no moment in UTC: it is too far away
    except ValueError:
        words = marked("a day and a time are needed, as 2026-03-02 and 16:30")
        raise InvalidInput("promised for", f"{day} {hour}", words) from None
    if not now - datetime.timedelta(minutes=1) <= moment <= now + datetime.timedelta(days=MOST_DAYS):
        raise InvalidInput("promised for", f"{day} {hour}", "it lies in the past, or more than a year ahead")
    return moment


def promise(database: Database, job_id: int, day: str, hour: str, *, by: Who, now: datetime.datetime) -> None:
    """Keep when a vehicle was promised to be ready; no day takes the promise back. Raises as `promised_moment`."""
    moment = promised_moment(day, hour, by=by, now=now)
    keep_record(database, job_id, "promised", "", moment and moment.isoformat(), by=by, now=now)


def stand_at(database: Database, job_id: int, place: str, *, by: Who, now: datetime.datetime) -> None:
    """Keep where a vehicle stands; no place: on the yard. Raises `InvalidInput` for a place that there is not."""
    place = place.strip()
    if place and place not in (allowed := [one.name for one in places_of(database, by=by)]):
        raise InvalidInput(
            "place",
            place,
            said(
                "allowed: {choices}", choices=verbatim(", ".join(allowed) or "none; a lead names them under Workshop")
            ),
        )
    keep_record(database, job_id, "place", "", place or None, by=by, now=now)


def say_it_waits(
    database: Database, job_id: int, what: str, words: str, until: str, *, by: Who, now: datetime.datetime
) -> None:
    """Keep what only people know that a job waits for; "" takes it back.

    Raises `InvalidInput` for what cannot be waited for, something else without words, or a day that is none.
    """
    if not what:
        keep_record(database, job_id, "waits", "", None, by=by, now=now)
        return
    if what not in SETTABLE:
        raise InvalidInput("waits for", what, one_of(STATES[one] for one in SETTABLE))
    if what == "other":
        words = needed(words, marked("what it waits for"))
    day = require_day(until, marked("expected on")) or None
    keep_record(database, job_id, "waits", "", {"for": what, "until": day}, by=by, now=now, note=words)


def owner_said(
    database: Database, job_id: int, what: str, words: str, work: Iterable[Done],
    *, by: Who, now: datetime.datetime,
) -> None:  # fmt: skip
    """Keep what the owner said of the work; "" takes it back. Raises `InvalidInput`.

    work : what is planned; of what comes to that the owner has said nothing.
    """
    if what and what not in AGREED:
        raise InvalidInput("the owner agreed to", what, one_of(AGREED.values()))
    if what in ("part", "no"):
        words = needed(words, marked("what the owner declined"))
    value = {"as": what, "planned": sorted(written(work))} if what else None
    keep_record(database, job_id, "agreed", "", value, by=by, now=now, note=words)

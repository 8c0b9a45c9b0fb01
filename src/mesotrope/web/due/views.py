"""What falls due, week by week and in a month."""

from __future__ import annotations

import calendar
import datetime
import json
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field, replace

from mesotrope.core.day.due import due_because, due_words
from mesotrope.core.language.knowledge import Knowledge, KnowledgeKey
from mesotrope.core.language.remembering import Latest
from mesotrope.core.language.saying import Said, Sayable, marked, said, verbatim
from mesotrope.errors import InvalidInput
from mesotrope.services.due import Due
from mesotrope.services.signing_in import Who
from mesotrope.web.context import Shop
from mesotrope.words import Speaker


def today_of(shop: Shop, who: Who) -> datetime.date:
    """The day that it is in a person's workshop."""
    return who.dates.local(shop.now()).date()


def horizon(shop: Shop, who: Who, weeks: int = 8) -> datetime.date:
    """So many weeks from today on."""
    return today_of(shop, who) + datetime.timedelta(weeks=weeks)


@dataclass(frozen=True, eq=False)
class DueRow:
    """Something that falls due in words; the same one as long as nothing that it is made of changes."""

    item: Due
    what: str
    why: str
    day: str
    between: Sayable
    #: What stands in its forms, by how their addresses end.
    fields: str


@dataclass(frozen=True)
class DueWeek:
    """A week of what is due."""

    words: Sayable
    rows: tuple[DueRow, ...]


#: What has been overdue for more days than this is shown only when it is asked for.
LONG_DAYS = 60
LONG_OVERDUE = said("Overdue for more than two months")


#: As many rows are kept as the latest few workshops look at.
_rows: Latest[DueRow] = Latest(500)


def due_row(item: Due, knowledge: Knowledge, say: Speaker) -> DueRow:
    return _rows.of((item, KnowledgeKey(knowledge), say.voice), lambda: _row(item, knowledge, say))


def _row(item: Due, knowledge: Knowledge, say: Speaker) -> DueRow:
    told = dict(item.told)
    between: Sayable = ""
    if item.first and item.last and item.first != item.last:
        between = said(
            "between {first} and {last}",
            first=verbatim(say.dates.day(item.first)),
            last=verbatim(say.dates.day(item.last)),
        )
    return DueRow(
        item,
        say(due_words(item.kind, told, knowledge)),
        say(due_because(item.kind, told, knowledge)),
        say.dates.day(item.day),
        between,
        json.dumps({"/answer": {"vehicle": str(item.vehicle_id), "job": str(item.job_id), "key": item.key}}),
    )


def due_weeks(items: Sequence[Due], today: datetime.date, knowledge: Knowledge, say: Speaker) -> list[DueWeek]:
    """What is overdue, then week by week, Monday first."""
    monday = today - datetime.timedelta(days=today.weekday())
    weeks: dict[Said, list[DueRow]] = {}
    for item in items:
        starts = item.day - datetime.timedelta(days=item.day.weekday())
        if item.day < today - datetime.timedelta(days=LONG_DAYS):
            words = LONG_OVERDUE
        elif item.day < today:
            words = said("Overdue")
        elif starts == monday:
            words = said("This week")
        elif starts == monday + datetime.timedelta(weeks=1):
            words = said("Next week")
        else:
            words = said("Week of {day}", day=verbatim(say.dates.day(starts)))
        weeks.setdefault(words, []).append(due_row(item, knowledge, say))
    return [DueWeek(words, tuple(rows)) for words, rows in weeks.items()]


@dataclass(frozen=True)
class MonthDay:
    day: datetime.date
    within: bool
    items: tuple[tuple[Due, str], ...] = ()
    more: int = 0


#: So many stand on a day of the calendar; the list has the rest.
MOST_A_DAY = 5


@dataclass(frozen=True)
class Month:
    """A month as whole weeks, with what is due on each day."""

    name: Sayable
    before: str
    after: str
    weeks: tuple[tuple[MonthDay, ...], ...] = field(default=())

    @property
    def first(self) -> datetime.date:
        return self.weeks[0][0].day

    @property
    def last(self) -> datetime.date:
        return self.weeks[-1][-1].day

    def with_items(self, items: Sequence[Due], words: Callable[[Due], str]) -> Month:
        """With the first few of each day in words, and how many more those are."""
        by_day: dict[datetime.date, list[Due]] = {}
        for item in items:
            by_day.setdefault(item.day, []).append(item)

        def filled(day: MonthDay) -> MonthDay:
            here = by_day.get(day.day, [])
            shown = tuple((item, words(item)) for item in here[:MOST_A_DAY])
            return replace(day, items=shown, more=len(here) - len(shown))

        return replace(self, weeks=tuple(tuple(map(filled, week)) for week in self.weeks))


MONTHS = (
    marked("January"),
    marked("February"),
    marked("March"),
    marked("April"),
    marked("May"),
    marked("June"),
    marked("July"),
    marked("August"),
    marked("September"),
    marked("October"),
    marked("November"),
    marked("December"),
)


def month_of(text: str, today: datetime.date) -> Month:
    """A month by its year and number; this one where none is named. Raises `InvalidInput`."""
    try:
        first = datetime.date.fromisoformat(f"{text}-01") if text else today.replace(day=1)
        whole = calendar.Calendar().monthdatescalendar(first.year, first.month)
        before, after = first - datetime.timedelta(days=1), first + datetime.timedelta(days=32)
    except (ValueError, OverflowError):  # the latter at the ends of the calendar
        raise InvalidInput("month", text, "write it as 2026-03") from None
    weeks = tuple(tuple(MonthDay(day, day.month == first.month) for day in week) for week in whole)
    return Month(
        said("{month} {year}", month=MONTHS[first.month - 1], year=verbatim(first.year)),
        f"{before:%Y-%m}",
        f"{after:%Y-%m}",
        weeks,
    )

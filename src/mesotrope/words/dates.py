"""Moments and days as a workshop writes them: in its time zone and its style."""

from __future__ import annotations

import datetime
from collections.abc import Mapping
from dataclasses import dataclass, field
from functools import lru_cache
from gettext import NullTranslations
from zoneinfo import ZoneInfo, available_timezones

from mesotrope.core.language.saying import marked, one_of
from mesotrope.errors import InvalidInput

#: The styles of writing a day, each with how it looks.
STYLES: Mapping[str, str] = {
    "year_first": "%Y-%m-%d",
    "day_first": "%d.%m.%Y",
    "month_in_words": "%-d %b %Y",
    "month_first": "%m/%d/%Y",
}


#: As `%b` names them in English.
MONTHS = (
    marked("Jan"), marked("Feb"), marked("Mar"), marked("Apr"), marked("May"), marked("Jun"), marked("Jul"),
    marked("Aug"), marked("Sep"), marked("Oct"), marked("Nov"), marked("Dec"),
)  # fmt: skip


@lru_cache(maxsize=1)
def zones() -> tuple[str, ...]:
    """The time zones that a workshop can be in: those with a place, and UTC."""
    return ("UTC", *sorted(name for name in available_timezones() if "/" in name and not name.startswith("Etc/")))


@dataclass(frozen=True)
class Dates:
    """How a workshop writes moments and days.

    >>> import datetime
    >>> noon = datetime.datetime(2026, 7, 1, 12, 0)
    >>> Dates().moment(noon), Dates("Europe/Berlin", "day_first").moment(noon)
    ('2026-07-01 12:00', '01.07.2026 14:00')
    >>> Dates("Pacific/Auckland", "month_in_words").day(noon), Dates("America/New_York").day(datetime.date(2026, 7, 1))
    ('2 Jul 2026', '2026-07-01')
    """

    zone: str = "UTC"
    style: str = "year_first"
    #: In which a month is named.
    language: NullTranslations = field(default_factory=NullTranslations, compare=False)

    def __post_init__(self) -> None:
        if self.style not in STYLES:
            raise InvalidInput("date style", self.style, one_of(STYLES))
        if self.zone not in zones():
            raise InvalidInput("time zone", self.zone, "choose one of the list, for example Europe/Berlin")

    def local(self, moment: datetime.datetime) -> datetime.datetime:
        """A moment, kept in UTC, by the clock on the workshop's wall."""
        known = moment if moment.tzinfo else moment.replace(tzinfo=datetime.UTC)
        return known.astimezone(ZoneInfo(self.zone))

    def utc(self, wall: datetime.datetime) -> datetime.datetime:
        """A moment by the clock on the wall, as it is kept.

        >>> Dates("Europe/Berlin").utc(datetime.datetime(2026, 7, 1, 14, 0))
        datetime.datetime(2026, 7, 1, 12, 0)
        """
        return wall.replace(tzinfo=ZoneInfo(self.zone)).astimezone(datetime.UTC).replace(tzinfo=None)

    def clock(self, when: datetime.datetime) -> str:
        """The time of day of a moment here."""
        return self.local(when).strftime("%H:%M")

    def day(self, when: datetime.date) -> str:
        """A day, or the day on which a moment falls here."""
        day = self.local(when) if isinstance(when, datetime.datetime) else when
        return self.written(day, self.style)

    def written(self, day: datetime.date, style: str) -> str:
        """A day in one of the styles; a month in words is one of the language.

        >>> Dates().written(datetime.date(2026, 5, 4), "month_in_words")
        '4 May 2026'
        """
        return day.strftime(STYLES[style].replace("%b", self.language.gettext(MONTHS[day.month - 1])))

    def moment(self, when: datetime.datetime, seconds: bool = False) -> str:
        """A moment with its time of day."""
        return f"{self.day(when)} {self.local(when).strftime('%H:%M:%S' if seconds else '%H:%M')}"

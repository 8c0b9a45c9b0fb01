"""Hours of a week: when a workshop is open, when a person is there; and the minutes of the days to come."""

from __future__ import annotations

import datetime
import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from mesotrope.errors import InvalidInput

DAYS = ("Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday", "Sunday")

#: From when until when on one day, minutes after midnight.
DaySpan = tuple[int, int]

_SPAN = re.compile(r"(\d{1,2})(?:[:.](\d{2}))?\s*[-–—]\s*(\d{1,2})(?:[:.](\d{2}))?")


def read_hours(text: str, day: str = "hours") -> tuple[DaySpan, ...]:
    """Spans of one day as people write them; nothing where it is closed.

    Raises `InvalidInput` for what is no span, ends before it begins, or begins before the last has ended.

    >>> read_hours("8-12, 13:00-17.30")
    ((480, 720), (780, 1050))
    >>> read_hours("")
    ()
    """
    out: list[DaySpan] = []
    for part in filter(None, (part.strip() for part in re.split(r"[,;]", text))):
        found = _SPAN.fullmatch(part)
        if found is None:
            raise InvalidInput(day, text, "write it as 8:00-12:00, 13:00-17:00, or leave it empty where it is closed")
        h1, m1, h2, m2 = (int(number or 0) for number in found.groups())
        start, end = h1 * 60 + m1, h2 * 60 + m2
        if m1 > 59 or m2 > 59 or end > 24 * 60 or start >= end or (out and start < out[-1][1]):
            raise InvalidInput(day, text, "each span ends after it begins, within the day, and after the one before")
        out.append((start, end))
    return tuple(out)


def written(spans: Sequence[DaySpan]) -> str:
    """Spans as `read_hours` reads them.

    >>> written(((480, 720), (780, 1050)))
    '8:00-12:00, 13:00-17:30'
    """
    return ", ".join(f"{a // 60}:{a % 60:02}-{b // 60}:{b % 60:02}" for a, b in spans)


#: A week as it is kept: by number of the day, 0 is Monday.
KeptWeek = Mapping[str, Sequence[Sequence[int]]]

#: Where a workshop has not said when it is open. Basis: common practice.
USUAL: Mapping[str, Sequence[DaySpan]] = {str(day): ((480, 720), (780, 1020)) for day in range(5)}


@dataclass(frozen=True)
class Week:
    """The spans of every day of a week; `usual` where nobody has said them."""

    days: tuple[tuple[DaySpan, ...], ...]
    usual: bool = False

    @classmethod
    def of(cls, kept: KeptWeek | None) -> Week:
        told = kept or USUAL
        return cls(tuple(tuple((a, b) for a, b in told.get(str(day), ())) for day in range(7)), not kept)

    @classmethod
    def read(cls, lines: Sequence[str]) -> Week:
        """A week from seven lines, Monday first. Raises `InvalidInput` naming the day."""
        return cls(tuple(read_hours(text, day) for day, text in zip(DAYS, lines, strict=True)))

    def kept(self) -> dict[str, list[list[int]]]:
        return {str(day): [list(span) for span in spans] for day, spans in enumerate(self.days) if spans}

    def minutes_from(
        self, today: datetime.date, days: int, away: Sequence[tuple[datetime.date, datetime.date]] = ()
    ) -> tuple[tuple[float, float], ...]:
        """The spans of so many days, in minutes since the midnight with which `today` begins, but for days away.

        >>> monday = datetime.date(2026, 3, 2)
        >>> Week.of(None).minutes_from(monday, 1)
        ((480, 720), (780, 1020))
        >>> Week.of(None).minutes_from(monday, 2, [(monday, monday)])
        ((1920, 2160), (2220, 2460))
        """
        out: list[tuple[float, float]] = []
        for number in range(days):
            day = today + datetime.timedelta(days=number)
            if not any(first <= day <= last for first, last in away):
                out += [(number * 1440 + a, number * 1440 + b) for a, b in self.days[day.weekday()]]
        return tuple(out)

"""When to come back, as a calendar file (iCalendar, RFC 5545)."""

from __future__ import annotations

import datetime
from collections.abc import Iterable
from dataclasses import dataclass

from icalendar import Alarm, Calendar, Event


@dataclass(frozen=True)
class Appointment:
    """A day on which something is due: an identity that stays, what, why, and on which day."""

    id: str
    what: str
    why: str
    day: datetime.date


def to_calendar(appointments: Iterable[Appointment], now: datetime.datetime) -> bytes:
    """Write appointments as all-day events, each with a reminder the day before.

    >>> day = Appointment("nuts-1", "Wheel nuts again", "after 50 km", datetime.date(2026, 3, 1))
    >>> b"SUMMARY:Wheel nuts again" in to_calendar([day], datetime.datetime(2026, 2, 20))
    True
    """
    calendar = Calendar()
    calendar.add("prodid", "-//Mesotrope//brakes//EN")
    calendar.add("version", "2.0")
    for appointment in appointments:
        event = Event()
        event.add("uid", f"{appointment.id}@mesotrope")
        event.add("summary", appointment.what)
        event.add("description", appointment.why)
        event.add("dtstart", appointment.day)
        event.add("dtend", appointment.day + datetime.timedelta(days=1))
        event.add("dtstamp", now.replace(tzinfo=datetime.UTC))
        reminder = Alarm()
        reminder.add("action", "DISPLAY")
        reminder.add("description", appointment.what)
        reminder.add("trigger", datetime.timedelta(days=-1))
        event.add_component(reminder)
        calendar.add_component(event)
    written: bytes = calendar.to_ical()
    return written

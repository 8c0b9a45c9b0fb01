"""What falls due: as a list and as a calendar, by week; as a feed for other calendars, and as a table."""

from __future__ import annotations

import csv
import datetime
import io
from typing import Annotated, Literal

from fastapi import APIRouter, Form, Query, Request
from fastapi.responses import RedirectResponse, Response

from mesotrope.core.day.due import due_because, due_words
from mesotrope.core.language.saying import said
from mesotrope.interchange.calendar import Appointment, to_calendar
from mesotrope.interchange.cells import defused
from mesotrope.knowledge.reader import knowledge_key
from mesotrope.services.audit import note_export
from mesotrope.services.due import Due, answer_due, close_feed, due_in, feed_reader, has_feed, new_feed, refresh_due
from mesotrope.services.signing_in import Who
from mesotrope.web.context import AtTheDoor, Changing, InShop, Shop, SignedIn, own_shop
from mesotrope.web.due.views import LONG_DAYS, DueWeek, due_weeks, horizon, month_of, today_of
from mesotrope.web.rendering import as_file, render

router = APIRouter(prefix="/due")

Line = Annotated[str, Form(max_length=120)]

#: How far ahead one can look, weeks.
AHEAD = {4: said("4 weeks"), 8: said("8 weeks"), 26: said("half a year"), 104: said("two years")}

#: So many are on a page.
MOST_LISTED = 30

#: How far a feed goes back and ahead, days.
FEED_BACK, FEED_AHEAD = 60, 400


@router.get("")
def due_page(
    request: Request, shop: InShop, who: SignedIn, weeks: Annotated[int, Query(ge=1, le=104)] = 8,
    view: Annotated[str, Query(max_length=20)] = "list", month: Annotated[str, Query(max_length=7)] = "",
    overdue: Literal["", "long"] = "", after: datetime.date | None = None, after_id: Annotated[int, Query(ge=0)] = 0,
) -> Response:  # fmt: skip
    """overdue : only what has been so for long, which the list has not; after, after_id : the day and number of the
    last one on the page before."""
    left = refresh_due(shop.database, shop.knowledge, by=who, knowledge_key=knowledge_key())
    say, today = shop.say(who), today_of(shop, who)
    if view == "calendar":
        shown = month_of(month, today)
        items = due_in(shop.database, shown.first, shown.last, by=who)
        filled = shown.with_items(items, lambda item: say(due_words(item.kind, dict(item.told), shop.knowledge)))
        return render("due/calendar.html", request, who=who, month=filled, left=left, today=today)
    long_ago = today - datetime.timedelta(days=LONG_DAYS)
    first = None if overdue or after else long_ago  # what follows one, of a calendar say, begins there
    until = long_ago - datetime.timedelta(days=1) if overdue else horizon(shop, who, weeks)
    place = (after, after_id) if after else None
    items = due_in(shop.database, first, until, by=who, most=MOST_LISTED + 1, after=place)
    found: list[DueWeek] = due_weeks(items[:MOST_LISTED], today, shop.knowledge, say)
    last = items[MOST_LISTED - 1] if len(items) > MOST_LISTED else None
    asked = "overdue=long" if overdue else f"weeks={weeks}"
    return render(
        "due/page.html", request, who=who, weeks=found, ahead=AHEAD, chosen=0 if overdue else weeks, asked=asked,
        left=left, has_feed=has_feed(shop.database, by=who), last=last, later=after is not None,
    )  # fmt: skip


@router.post("/answer")
def answer(
    shop: AtTheDoor, who: Changing, vehicle: Annotated[int, Form()], job: Annotated[int, Form()], key: Line,
    answer: Line = "", reason: Annotated[str, Form(max_length=600)] = "",
    back: Annotated[str, Form(max_length=200)] = "",
) -> Response:  # fmt: skip
    answer_due(shop.database, vehicle, job, key, answer, reason, by=who, now=shop.now())
    here = back if back.startswith(("/due", "/vehicles/", "/owners/")) else "/due"
    return RedirectResponse(here, status_code=303)


def _row(item: Due, shop: Shop, who: Who) -> list[str]:
    say = shop.say(who)
    told = dict(item.told)
    return [
        item.day.isoformat(), item.first.isoformat() if item.first else "", item.last.isoformat() if item.last else "",
        item.label, item.registration or "", say(due_words(item.kind, told, shop.knowledge)),
        say(due_because(item.kind, told, shop.knowledge)), item.owner, item.telephone,
    ]  # fmt: skip


@router.get("/due.csv")
def due_table(shop: InShop, who: SignedIn, weeks: Annotated[int, Query(ge=1, le=104)] = 8) -> Response:
    refresh_due(shop.database, shop.knowledge, by=who, knowledge_key=knowledge_key())
    items = due_in(shop.database, None, horizon(shop, who, weeks), by=who)
    out = io.StringIO()
    table = csv.writer(out)
    table.writerow(["due", "from", "to", "vehicle", "plate", "what", "why", "owner", "telephone"])
    table.writerows([defused(cell) for cell in _row(item, shop, who)] for item in items)
    note_export(shop.database, f"what is due, {len(items)} lines", by=who, now=shop.now())
    return as_file(out.getvalue(), "text/csv; charset=utf-8", "due.csv")


@router.post("/feed")
def make_feed(request: Request, shop: InShop, who: Changing) -> Response:
    token = new_feed(shop.database, by=who, now=shop.now())
    address = str(request.url_for("feed", token=token))
    return render("due/feed.html", request, who=who, address=address)


@router.post("/feed/close")
def no_feed(shop: AtTheDoor, who: Changing) -> Response:
    close_feed(shop.database, by=who, now=shop.now())
    return RedirectResponse("/due", status_code=303)


@router.get("/feed/{token}.ics", name="feed")
def feed(token: str, shop: AtTheDoor) -> Response:
    """The calendar, for whoever has its address: vehicles and what is due, no owners."""
    reader = feed_reader(shop.database, token)
    own = own_shop(shop, reader)
    today, say = today_of(shop, reader), own.say(reader)
    refresh_due(own.database, own.knowledge, by=reader, knowledge_key=knowledge_key())
    first, last = today - datetime.timedelta(days=FEED_BACK), today + datetime.timedelta(days=FEED_AHEAD)
    items = due_in(shop.database, first, last, by=reader)
    appointments = [
        Appointment(
            f"{item.vehicle_id}-{item.job_id}-{item.key}",
            f"{item.label}: {say(due_words(item.kind, dict(item.told), own.knowledge))}",
            say(due_because(item.kind, dict(item.told), own.knowledge)),
            item.day,
        )
        for item in items
    ]
    return Response(to_calendar(appointments, shop.now()), media_type="text/calendar; charset=utf-8")

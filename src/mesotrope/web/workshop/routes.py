"""What the workshop says of itself on an owner's sheet, and how it writes moments."""

from __future__ import annotations

from collections.abc import Mapping
from types import MappingProxyType
from typing import Annotated

from fastapi import APIRouter, Form, Request, UploadFile
from fastapi.responses import RedirectResponse, Response

from mesotrope.core.day.hours import DAYS
from mesotrope.core.language.saying import Sayable, marked
from mesotrope.errors import InvalidInput, Overtaken
from mesotrope.services.signing_in import Who
from mesotrope.services.workshop import (
    LINES,
    About,
    about,
    about_in,
    change,
    change_logo,
    lines_of,
    lines_of_week,
    logo_of,
    places_of,
    set_opening,
    set_places,
    week_of,
    written_places,
)
from mesotrope.web.context import AtTheDoor, Changing, Shop, SignedIn
from mesotrope.web.meanwhile import Seen, as_seen, named, read_seen
from mesotrope.web.rendering import Message, render
from mesotrope.words.dates import STYLES, zones

router = APIRouter(prefix="/workshop")

#: What the lines of the page's forms are called; a day is called as it is.
CALLED: Mapping[str, Sayable] = {
    **{name: words for name, (words, _) in LINES.items()},
    "time_zone": marked("time zone"), "date_style": marked("how days are written"),
    "units": marked("units of whoever is new here"), "places": marked("lifts and bays"),
}  # fmt: skip

Line = Annotated[str, Form(max_length=500)]


def _page(
    request: Request, shop: Shop, who: Who, *, typed: About | None = None, message: Message = "", kept: bool = False,
    hours: Mapping[str, str] | None = None, places: str | None = None, seen: Mapping[str, str] = MappingProxyType({}),
) -> Response:  # fmt: skip
    """The page, with what was typed where something was refused; seen : what its forms showed before, by form."""
    week = week_of(shop.database, by=who)
    here = about(shop.database, by=who)
    stand = written_places(places_of(shop.database, by=who))
    showed = {"about": lines_of(here), "opening": lines_of_week(week), "places": {"places": stand}}
    today, say = shop.now(), shop.say(who)
    return render(
        "workshop/page.html", request, status=422 if message else 200, who=who, about=typed or here,
        has_logo=here.has_logo, message=message, kept=kept, may_change=who.role == "lead", zones=zones(),
        styles=[(name, say.dates.written(say.dates.local(today), name)) for name in STYLES],
        hours=list((hours or lines_of_week(week)).items()), usual=week.usual,
        places=stand if places is None else places,
        seen={name: as_seen(one) for name, one in showed.items()} | dict(seen),
    )  # fmt: skip


@router.get("")
def workshop_page(request: Request, shop: AtTheDoor, who: SignedIn, kept: bool = False) -> Response:
    return _page(request, shop, who, kept=kept)


@router.post("")
def keep(
    request: Request, shop: AtTheDoor, who: Changing, name: Line = "", town: Line = "", address: Line = "",
    telephone: Line = "", time_zone: Line = "UTC", date_style: Line = "year_first", units: Line = "metric",
    seen: Seen = "",
) -> Response:  # fmt: skip
    typed = About(name, town, address, telephone, time_zone, date_style, units)
    try:
        change(shop.database, typed, by=who, now=shop.now(), seen=read_seen(seen))
    except InvalidInput as error:
        return _page(request, shop, who, typed=typed, message=error, seen={"about": seen})
    except Overtaken as error:
        return _page(request, shop, who, typed=about_in(error.stands), message=named(error, CALLED))
    return RedirectResponse("/workshop?kept=true", status_code=303)


@router.post("/opening")
def keep_opening(
    request: Request, shop: AtTheDoor, who: Changing, hours: Annotated[list[Line], Form()], seen: Seen = ""
) -> Response:
    lines = dict(zip(DAYS, hours + [""] * 7, strict=False))
    try:
        set_opening(shop.database, list(lines.values()), by=who, now=shop.now(), seen=read_seen(seen))
    except InvalidInput as error:
        return _page(request, shop, who, message=error, hours=lines, seen={"opening": seen})
    except Overtaken as error:
        return _page(request, shop, who, message=named(error, CALLED), hours=error.stands)
    return RedirectResponse("/workshop?kept=true#opening", status_code=303)


@router.post("/places")
def keep_places(
    request: Request, shop: AtTheDoor, who: Changing, places: Annotated[str, Form(max_length=3000)] = "",
    seen: Seen = "",
) -> Response:  # fmt: skip
    try:
        set_places(shop.database, places, by=who, now=shop.now(), seen=read_seen(seen))
    except InvalidInput as error:
        return _page(request, shop, who, message=error, places=places, seen={"places": seen})
    except Overtaken as error:
        return _page(request, shop, who, message=named(error, CALLED), places=error.stands["places"])
    return RedirectResponse("/workshop?kept=true#places", status_code=303)


@router.post("/logo")
def keep_logo(request: Request, shop: AtTheDoor, who: Changing, picture: UploadFile | None = None) -> Response:
    try:
        change_logo(shop.database, picture.file.read() if picture else b"", by=who, now=shop.now())
    except InvalidInput as error:
        return _page(request, shop, who, message=error)
    return RedirectResponse("/workshop?kept=true", status_code=303)


@router.get("/logo.jpg")
def logo(shop: AtTheDoor, who: SignedIn) -> Response:
    return Response(logo_of(shop.database, by=who), media_type="image/jpeg")

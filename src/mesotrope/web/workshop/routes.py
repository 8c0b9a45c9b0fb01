"""What the workshop says of itself on an owner's sheet, and how it writes moments."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Form, Request, UploadFile
from fastapi.responses import RedirectResponse, Response

from mesotrope.core.day.hours import DAYS, written
from mesotrope.core.day.schedule import WorkPlace
from mesotrope.errors import InvalidInput
from mesotrope.services.signing_in import Who
from mesotrope.services.workshop import (
    About,
    about,
    change,
    change_logo,
    logo_of,
    places_of,
    set_opening,
    set_places,
    week_of,
)
from mesotrope.web.context import AtTheDoor, Changing, Shop, SignedIn
from mesotrope.web.rendering import Message, render
from mesotrope.words.dates import STYLES, zones

router = APIRouter(prefix="/workshop")

Line = Annotated[str, Form(max_length=500)]


def _page(
    request: Request, shop: Shop, who: Who, *, typed: About | None = None, message: Message = "", kept: bool = False,
    hours: list[tuple[str, str]] | None = None, places: str | None = None,
) -> Response:  # fmt: skip
    week = week_of(shop.database, by=who)
    here = about(shop.database, by=who)
    today, say = shop.now(), shop.say(who)
    return render(
        "workshop/page.html", request, status=422 if message else 200, who=who, about=typed or here,
        has_logo=here.has_logo, message=message, kept=kept, may_change=who.role == "lead", zones=zones(),
        styles=[(name, say.dates.written(say.dates.local(today), name)) for name in STYLES],
        hours=hours or [(day, written(spans)) for day, spans in zip(DAYS, week.days, strict=True)],
        usual=week.usual, places=places if places is not None else _written(places_of(shop.database, by=who)),
    )  # fmt: skip


def _written(places: list[WorkPlace]) -> str:
    return "\n".join(one.name if one.lift else f"- {one.name}" for one in places)


@router.get("")
def workshop_page(request: Request, shop: AtTheDoor, who: SignedIn, kept: bool = False) -> Response:
    return _page(request, shop, who, kept=kept)


@router.post("")
def keep(
    request: Request, shop: AtTheDoor, who: Changing, name: Line = "", town: Line = "", address: Line = "",
    telephone: Line = "", time_zone: Line = "UTC", date_style: Line = "year_first", units: Line = "metric",
) -> Response:  # fmt: skip
    typed = About(name, town, address, telephone, time_zone, date_style, units)
    try:
        change(shop.database, typed, by=who, now=shop.now())
    except InvalidInput as error:
        return _page(request, shop, who, typed=typed, message=error)
    return RedirectResponse("/workshop?kept=true", status_code=303)


@router.post("/opening")
def keep_opening(request: Request, shop: AtTheDoor, who: Changing, hours: Annotated[list[Line], Form()]) -> Response:
    lines = (hours + [""] * 7)[:7]
    try:
        set_opening(shop.database, lines, by=who, now=shop.now())
    except InvalidInput as error:
        return _page(request, shop, who, message=error, hours=list(zip(DAYS, lines, strict=True)))
    return RedirectResponse("/workshop?kept=true#opening", status_code=303)


@router.post("/places")
def keep_places(
    request: Request, shop: AtTheDoor, who: Changing, places: Annotated[str, Form(max_length=3000)] = ""
) -> Response:
    try:
        set_places(shop.database, places, by=who, now=shop.now())
    except InvalidInput as error:
        return _page(request, shop, who, message=error, places=places)
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

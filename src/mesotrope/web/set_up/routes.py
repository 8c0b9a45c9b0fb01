"""The first start in the browser: a workshop, its lead, and how it writes; for whoever has the server's token."""

from __future__ import annotations

from dataclasses import asdict
from typing import Annotated

from fastapi import APIRouter, Depends, Form, Request
from fastapi.responses import Response

from mesotrope.errors import InvalidInput
from mesotrope.services.set_up import FirstWorkshop, require_token, set_up
from mesotrope.services.signing_in import open_session
from mesotrope.web.context import AtTheDoor, Shop, same_origin
from mesotrope.web.cookies import device_of, welcome
from mesotrope.web.lanes import PASSWORD
from mesotrope.web.rendering import Message, render
from mesotrope.words.dates import STYLES, Dates, zones

router = APIRouter(prefix="/set-up")

Line = Annotated[str, Form(max_length=300)]
Secret = Annotated[str, Form(max_length=1000)]


def _page(request: Request, shop: Shop, token: str, typed: FirstWorkshop, message: Message = "") -> Response:
    today = shop.now()
    return render(
        "set_up/page.html", request, status=422 if message else 200, token=token, typed=asdict(typed), message=message,
        zones=zones(), styles=[(name, Dates(language=shop.language).written(today, name)) for name in STYLES],
    )  # fmt: skip


@router.get("/{token}")
def set_up_page(request: Request, token: str, shop: AtTheDoor) -> Response:
    require_token(shop.database, token, now=shop.now())
    return _page(request, shop, token, FirstWorkshop())


@router.post("/{token}", dependencies=[PASSWORD, Depends(same_origin)])
def set_it_up(
    request: Request, token: str, shop: AtTheDoor, workshop: Line = "", town: Line = "", time_zone: Line = "UTC",
    date_style: Line = "year_first", currency: Line = "EUR", units: Line = "metric", name: Line = "",
    sign_in_name: Line = "", password: Secret = "", repeated: Secret = "",
) -> Response:  # fmt: skip
    typed = FirstWorkshop(workshop, town, time_zone, date_style, currency, units, name, sign_in_name)
    try:
        lead = set_up(shop.database, shop.passwords, token, typed, password, repeated, now=shop.now())
    except InvalidInput as error:
        return _page(request, shop, token, typed, error)
    device = device_of(request)
    session = open_session(shop.database, lead, now=shop.now(), hours=shop.settings.session_hours, device=device)
    return welcome(shop.settings, session, device, "/workshop")

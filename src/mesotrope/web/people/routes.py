"""Who works here, for a lead: people added, switched off and on, given roles, and told to set a new password."""

from __future__ import annotations

from typing import Annotated, Literal

from fastapi import APIRouter, Form, Request
from fastapi.responses import RedirectResponse, Response

from mesotrope.core.day.hours import DAYS
from mesotrope.errors import InvalidInput
from mesotrope.services.passwords import LINK_HOURS
from mesotrope.services.people import (
    ROLES,
    add_colleague,
    end_their_sessions,
    give_role,
    link_for,
    people_of,
    set_hours,
    switch,
)
from mesotrope.services.signing_in import Who
from mesotrope.web.context import Changing, InShop, Shop, SignedIn
from mesotrope.web.rendering import Message, render

router = APIRouter(prefix="/people")

Line = Annotated[str, Form(max_length=200)]


def _page(
    request: Request, shop: Shop, who: Who, *, link: tuple[str, str] | None = None, message: Message = "",
    status: int = 200, **typed: str,
) -> Response:  # fmt: skip
    people = people_of(shop.database, by=who, now=shop.now())
    return render(
        "people/page.html", request, status=status, who=who, people=people, roles=ROLES, link=link, message=message,
        typed=typed, hours=LINK_HOURS, days=DAYS,
    )  # fmt: skip


def _with_link(request: Request, shop: Shop, who: Who, name: str, token: str) -> Response:
    address = str(request.url_for("new_password_page", token=token))
    return _page(request, shop, who, link=(name, address))


@router.get("")
def people_page(request: Request, shop: InShop, who: SignedIn) -> Response:
    return _page(request, shop, who)


@router.post("")
def add(
    request: Request, shop: InShop, who: Changing, name: Line = "", sign_in_name: Line = "", role: Line = "technician"
) -> Response:
    try:
        token = add_colleague(shop.database, sign_in_name, name, role, by=who, now=shop.now())
    except InvalidInput as error:
        return _page(request, shop, who, message=error, status=422, name=name, sign_in_name=sign_in_name, role=role)
    return _with_link(request, shop, who, name, token)


@router.post("/{person_id}/link")
def new_link(request: Request, person_id: int, shop: InShop, who: Changing) -> Response:
    token = link_for(shop.database, person_id, by=who, now=shop.now())
    name = next(person.name for person in people_of(shop.database, by=who, now=shop.now()) if person.id == person_id)
    return _with_link(request, shop, who, name, token)


def _back() -> Response:
    return RedirectResponse("/people", status_code=303)


@router.post("/{person_id}/switch")
def switch_person(person_id: int, shop: InShop, who: Changing, to: Annotated[Literal["on", "off"], Form()]) -> Response:
    switch(shop.database, person_id, to == "on", by=who, now=shop.now())
    return _back()


@router.post("/{person_id}/role")
def set_role(person_id: int, shop: InShop, who: Changing, role: Line) -> Response:
    give_role(shop.database, person_id, role, by=who, now=shop.now())
    return _back()


@router.post("/{person_id}/hours")
def set_their_hours(
    request: Request, person_id: int, shop: InShop, who: Changing, hours: Annotated[list[Line], Form()],
    away: Annotated[str, Form(max_length=3000)] = "",
) -> Response:  # fmt: skip
    try:
        set_hours(shop.database, person_id, (hours + [""] * 7)[:7], away, by=who, now=shop.now())
    except InvalidInput as error:
        return _page(request, shop, who, message=error, status=422, hours_of=str(person_id))
    return _back()


@router.post("/{person_id}/sign-out")
def sign_them_out(person_id: int, shop: InShop, who: Changing) -> Response:
    end_their_sessions(shop.database, person_id, by=who, now=shop.now())
    return _back()

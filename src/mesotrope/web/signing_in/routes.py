"""Signing in and out."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Depends, Form, Request
from fastapi.responses import RedirectResponse, Response

from mesotrope.errors import MesotropeError, NotFound
from mesotrope.services.signing_in import demo_people, open_session, sign_in, sign_out
from mesotrope.web.context import COOKIE, AtTheDoor, Changing, Shop, same_origin
from mesotrope.web.errors import status_of
from mesotrope.web.rendering import render

router = APIRouter()


def _page(request: Request, shop: Shop, *, name: str = "", message: str = "", status: int = 200) -> Response:
    people = demo_people(shop.database) if shop.settings.demo else []
    return render("signing_in/page.html", request, status=status, people=people, name=name, message=message)


def _welcome(shop: Shop, token: str) -> Response:
    answer = RedirectResponse("/", status_code=303)
    answer.set_cookie(
        COOKIE, token, httponly=True, samesite="strict", secure=shop.settings.secure_cookies, path="/",
        max_age=shop.settings.session_hours * 3600,
    )  # fmt: skip
    return answer


@router.get("/sign-in")
def sign_in_page(request: Request, shop: AtTheDoor) -> Response:
    return _page(request, shop)


@router.post("/sign-in", dependencies=[Depends(same_origin)])
def sign_in_with_password(
    request: Request,
    shop: AtTheDoor,
    name: Annotated[str, Form(max_length=200)] = "",
    password: Annotated[str, Form(max_length=1000)] = "",
) -> Response:
    address = request.client.host if request.client else ""
    hours = shop.settings.session_hours
    try:
        token = sign_in(shop.database, shop.passwords, name, password, address=address, now=shop.now(), hours=hours)
    except MesotropeError as error:
        return _page(request, shop, name=name, message=str(error), status=status_of(error))
    return _welcome(shop, token)


@router.post("/sign-in/demo", dependencies=[Depends(same_origin)])
def sign_in_as_demo_person(shop: AtTheDoor, person: Annotated[int, Form()]) -> Response:
    if not shop.settings.demo:
        raise NotFound("page")
    token = open_session(shop.database, person, now=shop.now(), hours=shop.settings.session_hours)
    return _welcome(shop, token)


@router.post("/sign-out")
def leave(request: Request, shop: AtTheDoor, who: Changing) -> Response:
    sign_out(shop.database, request.cookies[COOKIE])
    answer = RedirectResponse("/sign-in", status_code=303)
    answer.delete_cookie(COOKIE, path="/")
    return answer

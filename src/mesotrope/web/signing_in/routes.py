"""Signing in and out, and setting a new password by a link."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Depends, Form, Request
from fastapi.responses import Response
from sqlalchemy.exc import SQLAlchemyError
from starlette.background import BackgroundTask

from mesotrope.core.language.saying import Sayable, said
from mesotrope.errors import InvalidInput, MesotropeError, NotFound, SignInRefused, TooManyAttempts
from mesotrope.services.passwords import note_refusal, note_signed_in, set_password_by_link, sign_in, whose_link
from mesotrope.services.people import leave
from mesotrope.services.set_up import nobody_here
from mesotrope.services.signing_in import demo_people, open_session
from mesotrope.web.context import AtTheDoor, Changing, Shop, Watched, address_of, same_origin
from mesotrope.web.cookies import SESSION, device_of, farewell, welcome
from mesotrope.web.errors import status_of
from mesotrope.web.lanes import PASSWORD
from mesotrope.web.rendering import Message, render
from mesotrope.words import Speaker

router = APIRouter()

Password = Annotated[str, Form(max_length=1000)]


def _page(
    request: Request, shop: Shop, *, name: str = "", message: Message = "", kept: Sayable = "", status: int = 200
) -> Response:
    people = demo_people(shop.database) if shop.settings.demo else []
    return render(
        "signing_in/page.html", request, status=status, people=people, name=name, message=message, kept=kept,
        nobody=not people and _nobody(request, shop),
    )  # fmt: skip


def _nobody(request: Request, shop: Shop) -> bool:
    """Whether nobody works here yet, as far as the database tells: the door itself needs none, and asks no more once it
    has seen somebody."""
    state = request.app.state
    if not state.somebody:
        try:
            state.somebody = not nobody_here(shop.database)
        except SQLAlchemyError:
            return False
    return not state.somebody


@router.get("/sign-in")
def sign_in_page(request: Request, shop: AtTheDoor) -> Response:
    return _page(request, shop)


@router.post("/sign-in", dependencies=[PASSWORD, Depends(same_origin)])
def sign_in_with_password(
    request: Request,
    shop: AtTheDoor,
    whole_shop: Watched,
    name: Annotated[str, Form(max_length=200)] = "",
    password: Password = "",
) -> Response:
    address, device, now = address_of(request), device_of(request), shop.now()
    try:
        token = sign_in(
            shop.database, shop.passwords, name, password, address=address, device=device, now=now,
            hours=shop.settings.session_hours,
        )  # fmt: skip
    except MesotropeError as error:
        answer = _page(request, shop, name=name, message=error, status=status_of(error))
        if isinstance(error, TooManyAttempts):
            answer.headers["retry-after"] = str(error.seconds)
        if isinstance(error, SignInRefused):
            answer.background = BackgroundTask(note_refusal, whole_shop.database, name, address, now)
        return answer
    return welcome(shop.settings, token, device)


@router.post("/sign-in/demo", dependencies=[Depends(same_origin)])
def sign_in_as_demo_person(request: Request, shop: AtTheDoor, person: Annotated[int, Form()]) -> Response:
    if not shop.settings.demo:
        raise NotFound("page")
    device, now = device_of(request), shop.now()
    token = open_session(shop.database, person, now=now, hours=shop.settings.session_hours, device=device)
    note_signed_in(shop.database, person, address_of(request), now)
    return welcome(shop.settings, token, device)


@router.post("/sign-out")
def sign_out(request: Request, shop: AtTheDoor, who: Changing) -> Response:
    leave(shop.database, request.cookies[SESSION], by=who, now=shop.now())
    return farewell()


@router.get("/password/{token}")
def new_password_page(request: Request, token: str, shop: AtTheDoor) -> Response:
    name = whose_link(shop.database, token, now=shop.now())
    return render("signing_in/new_password.html", request, name=name, message="")


@router.post("/password/{token}", dependencies=[PASSWORD, Depends(same_origin)])
def set_new_password(
    request: Request, token: str, shop: AtTheDoor, password: Password = "", repeated: Password = ""
) -> Response:
    name = whose_link(shop.database, token, now=shop.now())
    try:
        set_password_by_link(
            shop.database, shop.passwords, token, password, repeated, address=address_of(request), now=shop.now()
        )
    except InvalidInput as error:
        return render(
            "signing_in/new_password.html",
            request,
            status=422,
            name=name,
            message=Speaker(language=shop.language).requirement(error),
        )
    return _page(request, shop, name=name, kept=said("The new password is kept. Sign in with it."))

"""Workings: every formula as a live calculator, and the bedding planner."""

from __future__ import annotations

from fastapi import APIRouter, Request
from fastapi.responses import Response

from mesotrope.core.workings import working_named
from mesotrope.errors import InvalidInput, NotFound
from mesotrope.web.context import InShop, SignedIn
from mesotrope.web.rendering import render
from mesotrope.web.workings.bedding import bedding_page
from mesotrope.web.workings.pages import groups, working_page

router = APIRouter()


@router.get("/workings")
def all_workings(request: Request, who: SignedIn) -> Response:
    return render("workings/list.html", request, who=who, groups=groups())


@router.get("/workings/{name}")
def one_working(request: Request, name: str, shop: InShop, who: SignedIn) -> Response:
    try:
        working = working_named(name)
    except InvalidInput:
        raise NotFound("working") from None
    typed = {key: value for key, value in request.query_params.items() if any(g.name == key for g in working.given)}
    page = working_page(working, typed, shop.knowledge, shop.say(who))
    return render(
        "workings/page.html", request, status=422 if page.message else 200, who=who, page=page, groups=groups()
    )


@router.get("/bedding")
def bedding(request: Request, shop: InShop, who: SignedIn) -> Response:
    """The schools of bedding side by side, for the figures in the address."""
    page = bedding_page(dict(request.query_params), shop.knowledge, shop.say(who))
    return render("workings/bedding.html", request, status=422 if page.message else 200, who=who, page=page)

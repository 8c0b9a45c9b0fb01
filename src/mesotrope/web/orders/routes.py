"""The order list: parts over all open jobs whose verdict stands."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Annotated, Literal

from fastapi import APIRouter, Form, Request
from fastapi.responses import RedirectResponse, Response

from mesotrope.core.plan.parts import Part
from mesotrope.services.orders import HERE, ORDERED, lines_of, mark_parts, orders_of
from mesotrope.web.context import Changing, InShop, SignedIn
from mesotrope.web.lanes import HEAVY
from mesotrope.web.meanwhile import Seen, as_seen, read_seen
from mesotrope.web.rendering import render

router = APIRouter()


def _seen(parts: Sequence[Part]) -> str:
    return as_seen(lines_of(parts))


@router.get("/orders", dependencies=[HEAVY])
def orders_page(request: Request, shop: InShop, who: SignedIn) -> Response:
    orders = orders_of(shop.database, lambda job_id: shop.planned(who, job_id), by=who)
    return render("orders/page.html", request, who=who, orders=orders, seen=_seen)


@router.post("/jobs/{job_id}/ordered")
def ordered(
    job_id: int, shop: InShop, who: Changing, done: Annotated[Literal["yes", "no"], Form()] = "yes", seen: Seen = ""
) -> Response:
    parts = shop.planned(who, job_id).card.parts if done == "yes" else None
    mark_parts(shop.database, job_id, ORDERED, parts, read_seen(seen), by=who, now=shop.now())
    return RedirectResponse("/orders", status_code=303)


@router.post("/jobs/{job_id}/parts-here")
def here(
    job_id: int, shop: InShop, who: Changing, here: Annotated[Literal["yes", "no"], Form()] = "yes", seen: Seen = ""
) -> Response:
    parts = shop.planned(who, job_id).card.parts if here == "yes" else None
    mark_parts(shop.database, job_id, HERE, parts, read_seen(seen), by=who, now=shop.now())
    return RedirectResponse("/orders", status_code=303)

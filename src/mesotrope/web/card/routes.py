"""The work card of a job: on screen with tick-off, and on paper."""

from __future__ import annotations

from typing import Annotated, Any, Literal

import segno
from fastapi import APIRouter, Form, Query, Request
from fastapi.responses import RedirectResponse, Response

from mesotrope.interchange.paper import to_pdf
from mesotrope.services.proving import keep_torque, tick_step, torques_before
from mesotrope.services.signing_in import Who
from mesotrope.web.card.views import card_view, judged_with
from mesotrope.web.context import Changing, InShop, Shop, SignedIn
from mesotrope.web.lanes import HEAVY
from mesotrope.web.rendering import as_html, render

router = APIRouter(prefix="/jobs/{job_id}")

Short = Annotated[str, Form(max_length=200)]


def _shown(shop: Shop, who: Who, job_id: int) -> dict[str, Any]:
    """What the card shows, on the screen and on paper."""
    here = shop.planned(who, job_id)
    before = torques_before(shop.database, job_id, by=who)
    say = shop.say(who, here.kind)
    return {
        "who": who,
        "here": here,
        "card": here.card,
        "view": card_view(here, before, shop.knowledge, say),
        "unsafe": tuple(map(say, here.answer.decision.unsafe)),
        "cautions": tuple(map(say, here.answer.decision.cautions)),
        "speaks_of": here.kind,
        "unsettled": bool(here.answer.next_tests),
        "judged": judged_with(here.answer.knowledge),
    }


@router.get("/card")
def card_page(request: Request, job_id: int, shop: InShop, who: SignedIn) -> Response:
    return render("card/page.html", request, **_shown(shop, who, job_id), current="card")


@router.get("/card.pdf", dependencies=[HEAVY])
def card_on_paper(
    request: Request,
    job_id: int,
    shop: InShop,
    who: SignedIn,
    paper: Annotated[Literal["a4", "letter"], Query()] = "a4",
) -> Response:
    code = segno.make(str(request.url_for("card_page", job_id=job_id)), error="m").svg_data_uri(scale=3, border=1)
    html = as_html("card/paper.html", **_shown(shop, who, job_id), qr=code, printed=shop.now())
    return as_pdf(to_pdf(html, paper), f"work-card-{job_id}")


def as_pdf(data: bytes, name: str) -> Response:
    headers = {"content-disposition": f'inline; filename="{name}.pdf"'}
    return Response(data, media_type="application/pdf", headers=headers)


def _back(job_id: int, anchor: str) -> Response:
    return RedirectResponse(f"/jobs/{job_id}/card#{anchor}", status_code=303)


@router.post("/card/tick")
def tick(
    job_id: int, shop: InShop, who: Changing, step: Short, done: Annotated[Literal["yes", "no"], Form()] = "yes"
) -> Response:
    steps = [one.id for one in shop.planned(who, job_id).card.steps]
    tick_step(shop.database, job_id, step, steps, done == "yes", by=who, now=shop.now())
    return _back(job_id, f"step-{step}")


@router.post("/card/torque")
def torque(
    job_id: int, shop: InShop, who: Changing, fastener: Short, asked: Short = "", source: Short = "", read: Short = ""
) -> Response:
    fasteners = [one.id for one in shop.planned(who, job_id).card.fasteners]
    keep_torque(shop.database, job_id, fastener, fasteners, asked, source, read, by=who, now=shop.now())
    return _back(job_id, "torque")

"""The work card of a job: on screen with tick-off, and on paper."""

from __future__ import annotations

from typing import Annotated, Literal

import segno
from fastapi import APIRouter, Form, Query, Request
from fastapi.responses import RedirectResponse, Response

from mesotrope.interchange.paper import to_pdf
from mesotrope.services.proving import keep_torque, tick_step
from mesotrope.web.card.views import card_view
from mesotrope.web.context import Changing, InShop, SignedIn
from mesotrope.web.planning import planned_job
from mesotrope.web.rendering import as_html, render

router = APIRouter(prefix="/jobs/{job_id}")

Short = Annotated[str, Form(max_length=200)]


@router.get("/card")
def card_page(request: Request, job_id: int, shop: InShop, who: SignedIn) -> Response:
    here = planned_job(shop, who, job_id)
    return render(
        "card/page.html", request, who=who, here=here, card=here.card, view=card_view(here, shop.knowledge, who.units),
        unsafe=here.answer.decision.unsafe, cautions=here.answer.decision.cautions,
        unsettled=bool(here.answer.next_tests), current="card",
    )  # fmt: skip


@router.get("/card.pdf")
def card_on_paper(
    request: Request,
    job_id: int,
    shop: InShop,
    who: SignedIn,
    paper: Annotated[Literal["a4", "letter"], Query()] = "a4",
) -> Response:
    here = planned_job(shop, who, job_id)
    address = str(request.url_for("card_page", job_id=job_id))
    html = as_html(
        "card/paper.html", who=who, here=here, card=here.card, view=card_view(here, shop.knowledge, who.units),
        unsafe=here.answer.decision.unsafe, cautions=here.answer.decision.cautions,
        unsettled=bool(here.answer.next_tests), qr=segno.make(address, error="m").svg_data_uri(scale=3, border=1),
        printed=shop.now(),
    )  # fmt: skip
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
    steps = [one.id for one in planned_job(shop, who, job_id).card.steps]
    tick_step(shop.database, job_id, step, steps, done == "yes", by=who, now=shop.now())
    return _back(job_id, f"step-{step}")


@router.post("/card/torque")
def torque(
    job_id: int, shop: InShop, who: Changing, fastener: Short, asked: Short = "", source: Short = "", read: Short = ""
) -> Response:
    fasteners = [one.id for one in planned_job(shop, who, job_id).card.fasteners]
    keep_torque(shop.database, job_id, fastener, fasteners, asked, source, read, by=who, now=shop.now())
    return _back(job_id, "torque")

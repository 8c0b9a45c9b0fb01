"""What was really found, whether it came back, and the end of a job."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Form, Request
from fastapi.responses import RedirectResponse, Response

from mesotrope.services.jobs import open_job
from mesotrope.services.outcomes import HOW, close_job, note_outcome, open_again, outcome_of, take_comeback_in
from mesotrope.services.signing_in import Who
from mesotrope.web.context import Changing, InShop, Shop, SignedIn, Typed, away, texts_of
from mesotrope.web.meanwhile import as_seen, read_seen
from mesotrope.web.outcome.views import PlaceAsked, as_suspected, found_of, found_rows, places_asked, suspected_at
from mesotrope.web.rendering import render

router = APIRouter(prefix="/jobs/{job_id}")

Short = Annotated[str, Form(max_length=200)]


def _places(shop: Shop, who: Who, job_id: int) -> list[PlaceAsked]:
    job = open_job(shop.database, job_id, by=who, knowledge=shop.knowledge)
    say = shop.say(who, job.inspection.vehicle.kind or "car")
    return places_asked(shop.answer_of(who, job), job.inspection, shop.knowledge, say)


@router.get("/outcome")
def outcome_page(request: Request, job_id: int, shop: InShop, who: SignedIn) -> Response:
    job = open_job(shop.database, job_id, by=who, knowledge=shop.knowledge)
    outcome = outcome_of(shop.database, job_id, by=who)
    places = _places(shop, who, job_id)
    return render(
        "outcome/page.html", request, who=who, job=job, current="outcome", noted=found_rows(outcome, shop.knowledge),
        places=places, as_suspected=as_suspected(places), seen=as_seen(suspected_at(places)), how=HOW,
        comebacks=outcome.comebacks,
    )  # fmt: skip


def _back(job_id: int) -> Response:
    return RedirectResponse(f"/jobs/{job_id}/outcome", status_code=303)


@router.post("/outcome")
def note(request: Request, job_id: int, shop: InShop, who: Changing, typed: Typed) -> Response:
    form = texts_of(typed)
    found = found_of(form, _places(shop, who, job_id), read_seen(form.get("seen", "")))
    how, words, close = form.get("how", ""), form.get("note", ""), form.get("close") == "yes"
    note_outcome(shop.database, shop.knowledge, job_id, found, how, words, by=who, now=shop.now(), close=close)
    return away(request, "/") if close else _back(job_id)


@router.post("/outcome/comeback")
def comeback(request: Request, job_id: int, shop: InShop, who: Changing, complaint: Short = "") -> Response:
    opened = take_comeback_in(shop.database, job_id, complaint, by=who, now=shop.now())
    return away(request, f"/jobs/{opened}/take-in")


@router.post("/outcome/close")
def close(request: Request, job_id: int, shop: InShop, who: Changing) -> Response:
    close_job(shop.database, job_id, by=who, now=shop.now())
    return away(request, "/")


@router.post("/outcome/open-again")
def open_it_again(job_id: int, shop: InShop, who: Changing) -> Response:
    open_again(shop.database, job_id, by=who, now=shop.now())
    return _back(job_id)

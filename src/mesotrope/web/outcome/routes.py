"""What was really found, whether it came back, and the end of a job."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Form, Request
from fastapi.responses import RedirectResponse, Response

from mesotrope.core.language.corner import VEHICLE, place_words
from mesotrope.services.jobs import open_job
from mesotrope.services.outcomes import (
    close_job,
    comebacks_of,
    note_outcome,
    open_again,
    outcomes_of,
    take_comeback_in,
)
from mesotrope.web.context import Changing, InShop, SignedIn, from_htmx
from mesotrope.web.rendering import render

router = APIRouter(prefix="/jobs/{job_id}")

Short = Annotated[str, Form(max_length=200)]


@router.get("/outcome")
def outcome_page(request: Request, job_id: int, shop: InShop, who: SignedIn) -> Response:
    job = open_job(shop.database, job_id, by=who, knowledge=shop.knowledge)
    answer, known = shop.answer(job.inspection), shop.knowledge
    noted = [
        (place_words(one.corner), known.words(one.fault), one) for one in outcomes_of(shop.database, job_id, by=who)
    ]
    corners = [(corner, corner.words) for corner in answer.specification.corners]
    corner_faults = [(fault.id, fault.words) for fault in known.faults if fault.scope == "corner"]
    suspected = [
        (f"{one.corner}/{one.fault}", f"{one.corner.words}: {one.words}")
        for one in answer.suspects[:6] if one.fault != known.none.id
    ]  # fmt: skip
    return render(
        "outcome/page.html", request, who=who, job=job, current="outcome", noted=noted, corners=corners,
        corner_faults=[*corner_faults, (known.worn.id, known.worn.words), (known.none.id, known.none.words)],
        system_faults=[(fault.id, fault.words) for fault in known.faults if fault.scope == "system"],
        suspected=suspected, comebacks=comebacks_of(shop.database, job_id, by=who),
    )  # fmt: skip


def _away(request: Request, to: str) -> Response:
    """Send the browser to another page, also where only a part of this one was asked for."""
    if from_htmx(request):
        return Response(headers={"HX-Redirect": to})
    return RedirectResponse(to, status_code=303)


def _back(job_id: int) -> Response:
    return RedirectResponse(f"/jobs/{job_id}/outcome", status_code=303)


@router.post("/outcome")
def note(
    job_id: int, shop: InShop, who: Changing, fault: Short, corner: Short = "",
    words: Annotated[str, Form(max_length=600)] = "",
) -> Response:  # fmt: skip
    place, _, named = fault.rpartition("/")
    known = shop.knowledge.fault.get(named)
    where = place or (VEHICLE if known and known.scope == "system" else corner)
    note_outcome(shop.database, shop.knowledge, job_id, where, named, words, by=who, now=shop.now())
    return _back(job_id)


@router.post("/outcome/comeback")
def comeback(request: Request, job_id: int, shop: InShop, who: Changing, complaint: Short = "") -> Response:
    opened = take_comeback_in(shop.database, job_id, complaint, by=who, now=shop.now())
    return _away(request, f"/jobs/{opened}/take-in")


@router.post("/outcome/close")
def close(request: Request, job_id: int, shop: InShop, who: Changing) -> Response:
    close_job(shop.database, job_id, by=who, now=shop.now())
    return _away(request, "/")


@router.post("/outcome/open-again")
def open_it_again(job_id: int, shop: InShop, who: Changing) -> Response:
    open_again(shop.database, job_id, by=who, now=shop.now())
    return _back(job_id)

"""Photographs of a job: taken with the tablet's camera or from a file."""

from __future__ import annotations

from typing import Annotated, Literal

from fastapi import APIRouter, File, Form, Query, Request, UploadFile
from fastapi.responses import RedirectResponse, Response

from mesotrope.services.photographs import (
    AT_STEP,
    LARGEST_BYTES,
    add_photograph,
    list_photographs,
    read_photograph,
    remove_photograph,
)
from mesotrope.services.signing_in import Who
from mesotrope.web.context import Changing, InShop, Shop, SignedIn, from_htmx
from mesotrope.web.lanes import HEAVY
from mesotrope.web.rendering import render

router = APIRouter(prefix="/jobs/{job_id}/photographs")


def _strip(request: Request, shop: Shop, who: Who, job_id: int, corner: str, stage: str) -> Response:
    shots = [
        shot
        for shot in list_photographs(shop.database, job_id, by=who)
        if shot.corner == corner and not shot.stage.startswith(AT_STEP)
    ]
    return render("job/_photographs.html", request, who=who, job_id=job_id, corner=corner, stage=stage, shots=shots)


def _answer(request: Request, shop: Shop, who: Who, job_id: int, corner: str, stage: str) -> Response:
    """The strip where it stands, or the page that it is on."""
    if stage.startswith(AT_STEP):
        return RedirectResponse(f"/jobs/{job_id}/card", status_code=303)
    if from_htmx(request):
        return _strip(request, shop, who, job_id, corner, stage)
    return RedirectResponse(f"/jobs/{job_id}/{stage}", status_code=303)


@router.post("", dependencies=[HEAVY])
def add(
    request: Request,
    job_id: int,
    shop: InShop,
    who: Changing,
    picture: Annotated[UploadFile, File()],
    corner: Annotated[str, Form(max_length=40)],
    stage: Annotated[str, Form(max_length=60)] = "look",
) -> Response:
    data = picture.file.read(LARGEST_BYTES + 1)
    add_photograph(shop.database, job_id, corner, stage, data, by=who, now=shop.now())
    return _answer(request, shop, who, job_id, corner, stage)


@router.get("/{number}.jpg")
def picture(
    job_id: int, number: int, shop: InShop, who: SignedIn, size: Annotated[Literal["small", "full"], Query()] = "full"
) -> Response:
    data = read_photograph(shop.database, job_id, number, small=size == "small", by=who)
    return Response(data, media_type="image/jpeg", headers={"cache-control": "private, max-age=86400, immutable"})


@router.post("/{number}/remove")
def remove(
    request: Request,
    job_id: int,
    number: int,
    shop: InShop,
    who: Changing,
    corner: Annotated[str, Form(max_length=40)],
    stage: Annotated[str, Form(max_length=60)] = "look",
) -> Response:
    remove_photograph(shop.database, job_id, number, by=who)
    return _answer(request, shop, who, job_id, corner, stage)

"""The job screen: one page a stage, one exchange for an entry."""

from __future__ import annotations

from typing import Annotated, Literal

from fastapi import APIRouter, Form, Header, Query, Request
from fastapi.responses import RedirectResponse, Response

from mesotrope.core.answer import answer_document
from mesotrope.errors import NotFound
from mesotrope.services.findings import history_of, record_finding
from mesotrope.services.jobs import earlier_visits, open_job
from mesotrope.services.signing_in import Who
from mesotrope.web.context import Changing, InShop, Shop, SignedIn, from_htmx
from mesotrope.web.job.pages import RAIL, JobPage, job_page
from mesotrope.web.rendering import render

router = APIRouter(prefix="/jobs/{job_id}")

AxleQuery = Annotated[Literal["front", "rear"], Query()]
WearQuery = Annotated[Literal["1", "3"], Query()]


def _page(shop: Shop, who: Who, job_id: int, stage: str, axle: str, wear: str) -> JobPage:
    if stage not in {address for address, _, _ in RAIL}:
        raise NotFound("page")
    job = open_job(shop.database, job_id, by=who)
    return job_page(job, shop.answer(job.inspection), shop.knowledge, stage, axle, wear == "3")


@router.get("")
def start(job_id: int, who: SignedIn) -> Response:
    return RedirectResponse(f"/jobs/{job_id}/lift", status_code=303)


@router.get("/inspection.json")
def inspection_document(job_id: int, shop: InShop, who: SignedIn) -> Response:
    job = open_job(shop.database, job_id, by=who)
    text = job.inspection.model_dump_json(exclude_none=True, indent=2)
    name = f"inspection-{job_id}.json"
    headers = {"content-disposition": f'attachment; filename="{name}"'}
    return Response(text, media_type="application/json", headers=headers)


@router.get("/answer.json")
def answer_json(job_id: int, shop: InShop, who: SignedIn) -> dict[str, object]:
    return answer_document(shop.answer(open_job(shop.database, job_id, by=who).inspection))


@router.get("/history")
def history(request: Request, job_id: int, corner: str, path: str, shop: InShop, who: SignedIn) -> Response:
    entries = history_of(shop.database, job_id, corner, path, by=who)
    return render("job/history.html", request, who=who, entries=entries, corner=corner, path=path, job_id=job_id)


@router.get("/{stage}")
def stage_page(
    request: Request,
    job_id: int,
    stage: str,
    shop: InShop,
    who: SignedIn,
    axle: AxleQuery = "front",
    wear: WearQuery = "1",
) -> Response:
    page = _page(shop, who, job_id, stage, axle, wear)
    earlier = earlier_visits(shop.database, job_id, by=who) if stage == "take-in" else []
    return render("job/page.html", request, who=who, page=page, earlier=earlier)


@router.post("/findings")
def enter_finding(
    request: Request,
    job_id: int,
    shop: InShop,
    who: Changing,
    corner: Annotated[str, Form(max_length=40)],
    path: Annotated[str, Form(max_length=120)],
    idempotency_key: Annotated[str, Header(max_length=200)],
    value: Annotated[str, Form(max_length=500)] = "",
    confirmed: Annotated[Literal["", "yes"], Form()] = "",
    stage: Annotated[str, Form(max_length=40)] = "lift",
    axle: Annotated[Literal["front", "rear"], Form()] = "front",
    wear: Annotated[Literal["1", "3"], Form()] = "1",
) -> Response:
    record_finding(
        shop.database, shop.knowledge, job_id, corner, path, value,
        by=who, now=shop.now(), idempotency_key=idempotency_key, confirmed=confirmed == "yes",
    )  # fmt: skip
    if not from_htmx(request):
        return RedirectResponse(f"/jobs/{job_id}/{stage}?axle={axle}", status_code=303)
    page = _page(shop, who, job_id, stage, axle, wear)
    return render("job/_refresh.html", request, page=page, saved_at=shop.now())

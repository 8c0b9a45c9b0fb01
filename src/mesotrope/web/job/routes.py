"""The job screen: one page a stage, one exchange for an entry, and a stream of what others enter."""

from __future__ import annotations

import asyncio
import json
from collections.abc import AsyncIterator
from typing import Annotated, Any, Literal

from fastapi import APIRouter, Form, Header, Query, Request
from fastapi.concurrency import run_in_threadpool
from fastapi.responses import RedirectResponse, Response, StreamingResponse

from mesotrope.core.evidence.wear_log import wear_log
from mesotrope.core.language.corner import Axle
from mesotrope.errors import Clash, NotFound
from mesotrope.metrics import ENTRIES, STREAMS
from mesotrope.services.findings import (
    Entry,
    field_at,
    history_of,
    last_entry_of,
    record_finding,
    undo_last_entry,
)
from mesotrope.services.job_rows import OpenJob
from mesotrope.services.jobs import open_job
from mesotrope.services.photographs import list_photographs
from mesotrope.services.signing_in import Who, still_signed_in
from mesotrope.web.context import Changing, InShop, Shop, SignedIn, Watched, Watching, from_htmx
from mesotrope.web.cookies import SESSION
from mesotrope.web.job.entered import entered_page
from mesotrope.web.job.entries import shown
from mesotrope.web.job.pages import JobPage, job_page
from mesotrope.web.job.rail import RAIL
from mesotrope.web.places import entry_id
from mesotrope.web.plate.pen import Plate
from mesotrope.web.plate.reservoir import pedal_plate
from mesotrope.web.rendering import render
from mesotrope.words import Speaker

router = APIRouter(prefix="/jobs/{job_id}")

AxleQuery = Annotated[Axle, Query()]
WearQuery = Annotated[Literal["1", "3"], Query()]
KeyHeader = Annotated[str, Header(max_length=200)]

#: How often a stream looks for new entries, and after how long it lets the browser ask anew.
LOOK_S, STREAM_S = 0.7, 120.0


def page_of(shop: Shop, who: Who, job: OpenJob, stage: str, axle: Axle, wear: str, *, whole: bool = False) -> JobPage:
    """One stage of a job; `whole` also brings what only a whole page shows, its photographs."""
    _require_stage(stage)
    shots = list_photographs(shop.database, job.id, by=who) if whole else ()
    answer, log = shop.answer_of(who, job), None
    say = shop.say(who, answer.specification.kind)
    if stage in ("strip", "verdict"):
        log = wear_log(job.visits, answer.specification, shop.knowledge)
    return job_page(job, answer, shop.knowledge, stage, axle, wear == "3", say, shots, log)


def _require_stage(stage: str) -> None:
    if stage not in {address for address, _, _ in RAIL}:
        raise NotFound("page")


def open_here(shop: Shop, who: Who, job_id: int) -> OpenJob:
    return open_job(shop.database, job_id, by=who, knowledge=shop.knowledge)


def drawn(page: JobPage, say: Speaker) -> Plate | None:
    """The drawing of a stage: pedal and reservoir, or the axle."""
    return pedal_plate(page.job.inspection.system, page.expected_level, say) if page.stage == "pedal" else page.plate


def shown_page(template: str, request: Request, shop: Shop, who: Who, page: JobPage, **more: Any) -> Response:
    """A page of a job, or the parts of it that are refreshed, with its drawing, in the words of its kind of vehicle."""
    plate = drawn(page, shop.say(who, page.kind))
    return render(template, request, speaks_of=page.kind, who=who, page=page, plate=plate, **more)


def _entered(
    request: Request, shop: Shop, who: Who, job: OpenJob, stage: str, axle: Axle, wear: str, **headers: str
) -> Response:
    """What an entry is answered with at once; the rest of the page follows with its refresh."""
    _require_stage(stage)
    short = shop.overview_of(who, job)
    kind = short.specification.kind
    page = entered_page(job, short, shop.knowledge, stage, axle, wear == "3", shop.say(who, kind))
    answer = render("job/_entered.html", request, speaks_of=kind, who=who, page=page, plate=page.plate, refreshed=True)
    answer.headers.update(headers)
    return answer


@router.get("")
def start(job_id: int, who: SignedIn) -> Response:
    return RedirectResponse(f"/jobs/{job_id}/lift", status_code=303)


@router.get("/events")
async def events(
    request: Request, job_id: int, shop: Watched, who: Watching, after: Annotated[int, Query(ge=0)] = 0
) -> Response:
    """What is entered in this job from now on, by anybody and from any device, as server-sent events."""
    await run_in_threadpool(last_entry_of, shop.database, job_id, by=who)  # another workshop's job: not found

    token = request.cookies.get(SESSION)

    async def stream() -> AsyncIterator[str]:
        seen, waited = after, 0.0
        yield "retry: 1000\n\n"
        while waited < STREAM_S and not await request.is_disconnected():
            if not await run_in_threadpool(still_signed_in, shop.database, token, now=shop.now()):
                yield "event: signed-out\ndata: {}\n\n"
                return
            last = await run_in_threadpool(last_entry_of, shop.database, job_id, by=who)
            if last > seen:
                entries = await run_in_threadpool(history_of, shop.database, job_id, by=who, after=seen)
                seen = last
                told = [_told(entry, shop, who) for entry in entries]
                yield f"id: {seen}\ndata: {json.dumps(told, ensure_ascii=False)}\n\n"
            await asyncio.sleep(LOOK_S)
            waited += LOOK_S

    async def counted() -> AsyncIterator[str]:
        with STREAMS.track_inprogress():
            async for told in stream():
                yield told

    return StreamingResponse(counted(), media_type="text/event-stream", headers={"x-accel-buffering": "no"})


def _told(entry: Entry, shop: Shop, who: Who) -> dict[str, Any]:
    field = field_at((entry.corner, entry.path), shop.knowledge)
    return {
        "entry": entry.id,
        "corner": entry.corner,
        "path": entry.path,
        "field": entry_id(entry.corner, entry.path),
        "shown": shown(entry.value, field, shop.say(who)) if field else "",
        "by": entry.by,
        "mine": entry.by_id == who.person_id,
    }


@router.post("/findings")
def enter_finding(
    request: Request,
    job_id: int,
    shop: InShop,
    who: Changing,
    corner: Annotated[str, Form(max_length=40)],
    path: Annotated[str, Form(max_length=120)],
    idempotency_key: KeyHeader,
    value: Annotated[str, Form(max_length=500)] = "",
    confirmed: Annotated[Literal["", "yes"], Form()] = "",
    seen_entry: Annotated[int | None, Form(ge=0)] = None,
    simulated: Annotated[Literal["", "yes"], Form()] = "",
    stage: Annotated[str, Form(max_length=40)] = "lift",
    axle: Annotated[Axle, Form()] = Axle.FRONT,
    wear: Annotated[Literal["1", "3"], Form()] = "1",
) -> Response:
    try:
        done = record_finding(
            shop.database, shop.knowledge, job_id, corner, path, value, by=who, now=shop.now(),
            idempotency_key=idempotency_key, confirmed=confirmed == "yes", seen_entry=seen_entry,
            simulated=simulated == "yes",
        )  # fmt: skip
    except Clash as clash:
        return _clashed(request, shop, who, clash, corner, path, value)
    if not done.repeated:
        ENTRIES.inc()
    if not from_htmx(request):
        return RedirectResponse(f"/jobs/{job_id}/{stage}?axle={axle}", status_code=303)
    field = field_at((corner, path), shop.knowledge)
    written = shown(done.value, field, shop.say(who)) if field else ""
    return _entered(request, shop, who, done.job, stage, axle, wear, **_entry_headers(done.entry_id, written))


def _entry_headers(entry_id_: int, written: str) -> dict[str, str]:
    return {"x-entry": str(entry_id_), "x-shown": written if written.isascii() and len(written) < 100 else ""}


def _clashed(request: Request, shop: Shop, who: Who, clash: Clash, corner: str, path: str, mine: str) -> Response:
    field = field_at((corner, path), shop.knowledge)
    theirs = shown(clash.theirs, field, shop.say(who)) if field else ""

    def words(value: str) -> str:
        return (field.values.get(value, value) if field else value) or "nothing"

    return render(
        "job/_clash.html", request, status=409, who_else=clash.who, theirs=theirs, theirs_words=words(theirs),
        mine=mine, mine_words=words(mine), entry=clash.entry_id,
    )  # fmt: skip


@router.post("/undo")
def undo(
    request: Request,
    job_id: int,
    shop: InShop,
    who: Changing,
    idempotency_key: KeyHeader,
    stage: Annotated[str, Form(max_length=40)] = "lift",
    axle: Annotated[Axle, Form()] = Axle.FRONT,
    wear: Annotated[Literal["1", "3"], Form()] = "1",
) -> Response:
    done = undo_last_entry(
        shop.database, shop.knowledge, job_id, by=who, now=shop.now(), idempotency_key=idempotency_key
    )
    if done is None:
        return Response(status_code=204)
    field = field_at((done.corner, done.path), shop.knowledge)
    written = shown(done.value, field, shop.say(who)) if field else ""
    headers = _entry_headers(done.entry_id, written) | {"x-field": entry_id(done.corner, done.path)}
    return _entered(request, shop, who, done.job, stage, axle, wear, **headers)


@router.get("/{stage}/refresh")
def refresh(
    request: Request, job_id: int, stage: str, shop: InShop, who: SignedIn,
    axle: AxleQuery = Axle.FRONT, wear: WearQuery = "1",
) -> Response:  # fmt: skip
    """What follows an entry, or what another's entry changes: everything but the entries themselves."""
    page = page_of(shop, who, open_here(shop, who, job_id), stage, axle, wear)
    return shown_page("job/_refresh.html", request, shop, who, page, refreshed=True)


@router.get("/{stage}")
def stage_page(
    request: Request,
    job_id: int,
    stage: str,
    shop: InShop,
    who: SignedIn,
    axle: AxleQuery = Axle.FRONT,
    wear: WearQuery = "1",
) -> Response:
    page = page_of(shop, who, open_here(shop, who, job_id), stage, axle, wear, whole=True)
    earlier = page.job.earlier if stage == "take-in" else ()
    return shown_page("job/page.html", request, shop, who, page, earlier=earlier)

"""Proving the work, the stop-gap with the owner's word on it, and releasing the vehicle."""

from __future__ import annotations

from dataclasses import asdict
from typing import Annotated

from fastapi import APIRouter, Form, Request
from fastapi.responses import RedirectResponse, Response

from mesotrope.core.language.saying import marked
from mesotrope.core.plan.release import RELEASES
from mesotrope.services.planned_jobs import proved_job
from mesotrope.services.plans import require_same
from mesotrope.services.proving import (
    StopGap,
    acknowledged_of,
    keep_acknowledged,
    keep_after,
    keep_stop_gap,
    not_proved,
    release,
    stop_gap_of,
)
from mesotrope.web.context import Changing, InShop, SignedIn
from mesotrope.web.hand_back.views import ReleaseChoice, after_fields, check_row, overtaken_in_words, released_in_words
from mesotrope.web.meanwhile import Seen, as_seen, naming, read_seen
from mesotrope.web.owner.views import freeze
from mesotrope.web.rendering import render

router = APIRouter(prefix="/jobs/{job_id}")

Short = Annotated[str, Form(max_length=200)]
Long = Annotated[str, Form(max_length=600)]


@router.get("/prove")
def prove_page(request: Request, job_id: int, shop: InShop, who: SignedIn) -> Response:
    here = shop.planned(who, job_id)
    proved, say = proved_job(here, shop.knowledge), shop.say(who, here.kind)
    released, gap = here.progress.release, stop_gap_of(here.plan.records)
    return render(
        "hand_back/page.html", request, speaks_of=here.kind, who=who, job=here.job, current="prove",
        planned=bool(here.work), fields=after_fields(here, shop, who),
        checks=[check_row(check, say) for check in proved.checks],
        not_proved=[(kept, say(words)) for kept, words in not_proved(proved.checks).items()],
        stop_gap=gap, gap_seen=as_seen(asdict(gap)), acknowledged=acknowledged_of(here.plan.records),
        releases=[ReleaseChoice(how, say(words), say(proved.refused[how])) for how, words in RELEASES.items()],
        released=released and released_in_words(released, say), overtaken=overtaken_in_words(here, say),
        plan=here.plan.key,
    )  # fmt: skip


#: What the parts of a stop-gap are called where two people wrote them.
OF_A_STOP_GAP = {
    "what": marked("what was only tided over"),
    "steps": marked("what was done for now"),
    "until": marked("until when"),
    "restriction": "restriction",
    "told": marked("what the owner was told"),
    "declined": marked("what the owner declined"),
    "until_day": marked("last day of the stop-gap"),
}


def _back(job_id: int, anchor: str = "") -> Response:
    return RedirectResponse(f"/jobs/{job_id}/prove{anchor}", status_code=303)


@router.post("/prove/after")
def measured(
    job_id: int,
    shop: InShop,
    who: Changing,
    corner: Short,
    path: Short,
    value: Annotated[str, Form(max_length=200)] = "",
    seen: Short = "",
) -> Response:
    work = shop.planned(who, job_id).work
    keep_after(shop.database, shop.knowledge, job_id, corner, path, value, work, seen, by=who, now=shop.now())
    return _back(job_id)


@router.post("/prove/stop-gap")
def stop_gap(
    job_id: int, shop: InShop, who: Changing, what: Long = "", steps: Long = "", until: Long = "",
    restriction: Long = "", told: Long = "", declined: Long = "", until_day: Short = "", seen: Seen = "",
) -> Response:  # fmt: skip
    plan = StopGap(what, steps, until, restriction, told, declined, until_day)
    with naming(OF_A_STOP_GAP):
        keep_stop_gap(shop.database, job_id, plan, read_seen(seen), by=who, now=shop.now())
    return _back(job_id, "#stop-gap")


@router.post("/prove/acknowledged")
def acknowledged(
    job_id: int, shop: InShop, who: Changing, name: Short = "", drawn: Annotated[str, Form(max_length=30_000)] = ""
) -> Response:
    plan = stop_gap_of(shop.planned(who, job_id).plan.records)
    keep_acknowledged(shop.database, job_id, plan, name, drawn, by=who, now=shop.now())
    return _back(job_id, "#stop-gap")


@router.post("/prove/release")
def let_go(
    job_id: int, shop: InShop, who: Changing, how: Short, restriction: Long = "",
    without: Annotated[str, Form(max_length=4000)] = "", until: Short = "", plan: Short = "",
) -> Response:  # fmt: skip
    here = shop.planned(who, job_id)
    require_same(here.plan, plan)
    proved = proved_job(here, shop.knowledge)
    release(
        shop.database, job_id, how, restriction, proved.checks, proved.refused, without, until, here.progress.done,
        here.work, here.job.standing.last_entry, by=who, now=shop.now(),
    )  # fmt: skip
    freeze(shop, who, shop.planned(who, job_id))
    return _back(job_id, "#release")

"""Today: every open job with what it waits for; who has it, handed on; and the plan of the day."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Form, Query, Request
from fastapi.responses import RedirectResponse, Response

from mesotrope.errors import InvalidInput
from mesotrope.knowledge.reader import knowledge_key
from mesotrope.services.day import DayJob, list_day
from mesotrope.services.day_changes import AGREED, hand_on, owner_said, promise, say_it_waits, stand_at
from mesotrope.services.day_plan import PlannedDay, plan_of_the_day
from mesotrope.services.plans import approve_verdict
from mesotrope.services.signing_in import Who
from mesotrope.web.context import Changing, InShop, Shop, SignedIn
from mesotrope.web.day.approvals import approval_of
from mesotrope.web.day.picture import day_picture, people_of_the_day, words_of_the_plan
from mesotrope.web.day.views import CHOICES, SORTS, Chosen, today
from mesotrope.web.rendering import render

router = APIRouter()

Short = Annotated[str, Form(max_length=200)]
Long = Annotated[str, Form(max_length=600)]


def _read(shop: Shop, who: Who, *, moving: bool = False) -> tuple[list[DayJob], PlannedDay]:
    jobs = list_day(
        shop.database, shop.knowledge, lambda job_id: shop.planned(who, job_id), by=who, knowledge_key=knowledge_key()
    )
    return jobs, plan_of_the_day(shop.database, jobs, by=who, now=shop.now(), moving=moving)


@router.get("/")
def today_page(
    request: Request, shop: InShop, who: SignedIn,
    whose: Annotated[str, Query(max_length=20)] = "", waits: Annotated[str, Query(max_length=20)] = "",
    late: bool = False, sort: Annotated[str, Query(max_length=20)] = "mine",
) -> Response:  # fmt: skip
    jobs, planned = _read(shop, who)
    now, chosen = shop.now(), Chosen(whose, waits, late, sort if sort in SORTS else "mine")
    seen = today(jobs, planned, chosen, shop.knowledge, shop.say(who), by=who, now=now)
    asked = {job.id: job.stand for job in jobs}
    approvals = [
        approval_of(row, stand.for_a_lead, shop.knowledge, shop.say(who, stand.kind))
        for row in seen.approvals
        if (stand := asked[row.id]) and stand.for_a_lead
    ]
    return render(
        "day/page.html", request, who=who, today=seen, approvals=approvals, sorts=SORTS, states=CHOICES, agreed=AGREED,
        places=[place.name for place in planned.places], people=planned.people, day=now,
    )  # fmt: skip


@router.get("/plan")
def plan_page(request: Request, shop: InShop, who: SignedIn) -> Response:
    jobs, planned = _read(shop, who, moving=True)
    return render(
        "day/plan.html", request, who=who, picture=day_picture(planned, shop.say(who)), day=shop.now(),
        told=words_of_the_plan(planned), people=people_of_the_day(planned), usual=planned.usual_hours,
        no_places=not planned.places, jobs=len(jobs),
    )  # fmt: skip


def _back(back: str) -> Response:
    """Back to Today as it was filtered and sorted, or to the plan."""
    here = back if back.startswith(("/?", "/plan", "/vehicles/")) else "/"
    return RedirectResponse(here, status_code=303)


@router.post("/jobs/{job_id}/day/who")
def give_to(job_id: int, shop: InShop, who: Changing, to: Short = "", note: Long = "", back: Long = "/") -> Response:
    person = {"": None, "me": who.person_id}.get(to, int(to) if to.isdecimal() else -1)
    hand_on(shop.database, job_id, person, note, by=who, now=shop.now())
    return _back(back)


@router.post("/jobs/{job_id}/day/promised")
def promised(job_id: int, shop: InShop, who: Changing, day: Short = "", hour: Short = "", back: Long = "/") -> Response:
    promise(shop.database, job_id, day, hour, by=who, now=shop.now())
    return _back(back)


@router.post("/jobs/{job_id}/day/place")
def place(job_id: int, shop: InShop, who: Changing, place: Short = "", back: Long = "/") -> Response:
    stand_at(shop.database, job_id, place, by=who, now=shop.now())
    return _back(back)


@router.post("/jobs/{job_id}/day/waits")
def waits(
    job_id: int, shop: InShop, who: Changing, what: Short = "", words: Long = "", until: Short = "", back: Long = "/"
) -> Response:
    say_it_waits(shop.database, job_id, what, words, until, by=who, now=shop.now())
    return _back(back)


@router.post("/jobs/{job_id}/day/owner")
def owner(job_id: int, shop: InShop, who: Changing, what: Short = "", words: Long = "", back: Long = "/") -> Response:
    owner_said(shop.database, job_id, what, words, shop.planned(who, job_id).work, by=who, now=shop.now())
    return _back(back)


@router.post("/jobs/{job_id}/day/approve")
def approve(job_id: int, shop: InShop, who: Changing, plan: Short, reason: Long = "", back: Long = "/") -> Response:
    """Approve from the queue what was shown there: a plan that changed since is looked at first."""
    here = shop.planned(who, job_id)
    if plan != here.plan.key:
        raise InvalidInput("approval", here.job.label, "it changed since this list was made: look at its verdict first")
    approve_verdict(shop.database, here.plan, job_id, by=who, now=shop.now(), reason=reason)
    return _back(back)

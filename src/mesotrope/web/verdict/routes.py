"""Choosing what is done, overruling the product, and answering for a verdict."""

from __future__ import annotations

from typing import Annotated, Any

from fastapi import APIRouter, Form, Request
from fastapi.responses import RedirectResponse, Response

from mesotrope.core.language.corner import Axle
from mesotrope.core.language.saying import marked
from mesotrope.services.plans import (
    NOT_CHOSEN,
    approve_verdict,
    choose_package,
    overrule_verdict,
    plan_for,
    require_same,
    sign_verdict,
)
from mesotrope.services.signing_in import Who
from mesotrope.web.context import Changing, InShop, Shop, SignedIn
from mesotrope.web.job.pages import JobPage
from mesotrope.web.job.routes import AxleQuery, WearQuery, open_here, page_of, shown_page
from mesotrope.web.job.suspects import next_row
from mesotrope.web.plate.mended import before_and_after
from mesotrope.web.verdict.packages import axle_packages, money, worth_one_more
from mesotrope.web.verdict.pages import action_rows, verdicts_in_sum

router = APIRouter(prefix="/jobs/{job_id}/verdict")

Short = Annotated[str, Form(max_length=40)]
Long = Annotated[str, Form(max_length=600)]
Place = Annotated[int, Form(ge=-1, le=100)]


def _back(job_id: int, anchor: str) -> Response:
    return RedirectResponse(f"/jobs/{job_id}/verdict#{anchor}", status_code=303)


@router.get("")
def verdict_page(
    request: Request, job_id: int, shop: InShop, who: SignedIn, axle: AxleQuery = Axle.FRONT, wear: WearQuery = "1"
) -> Response:
    """The verdict: the job's page with what the vehicle is going to get, and who answers for it."""
    page = page_of(shop, who, open_here(shop, who, job_id), "verdict", axle, wear, whole=True)
    return shown_page("job/page.html", request, shop, who, page, earlier=(), **_weighed(shop, who, page))


def _weighed(shop: Shop, who: Who, page: JobPage) -> dict[str, Any]:
    """What the vehicle is going to get: the packages of every axle at the workshop's prices, those chosen, the one more
    test that is worth its minutes, and who answers for it."""
    answer = shop.answer_of(who, page.job)
    plan = plan_for(shop.database, shop.knowledge, page.job, answer, by=who)
    say = shop.say(who, page.kind)
    test = worth_one_more(answer.next_tests, shop.knowledge)
    return {
        "job": page.job,
        "current": marked("verdict"),
        "plan": plan,
        "in_sum": verdicts_in_sum(answer, plan, say),
        "doable": [
            (one.id, say(one.words))
            for one in shop.knowledge.actions
            if one.id not in NOT_CHOSEN and answer.specification.can_have(one, shop.knowledge.work[one.id].phase)
        ],
        "actions": action_rows(plan.actions, answer.decision.open, shop.knowledge, say),
        "packages": axle_packages(plan.comparisons, shop.knowledge, plan.chosen, say),
        "chosen_by": {axle: plan.records["package", axle] for axle in plan.against},
        "before_and_after": before_and_after(page.job.inspection, answer, plan, shop.knowledge, say),
        "one_more": test and (next_row(test[0], page.job.id, shop.knowledge, say), money(test[1])),
        "currency": shop.knowledge.money.currency,
    }


@router.post("/package")
def package(
    job_id: int,
    shop: InShop,
    who: Changing,
    axle: Short,
    package: Annotated[str, Form(max_length=40, pattern=r"-?\d{1,3}(/[0-9a-f]*)?")],
    reason: Long = "",
) -> Response:
    number, _, seen = package.partition("/")
    plan = shop.planned(who, job_id).plan
    choose_package(shop.database, plan, job_id, axle, int(number), reason, seen, by=who, now=shop.now())
    return _back(job_id, f"costs-{axle}")


@router.post("/overrule")
def overrule(
    job_id: int, shop: InShop, who: Changing, corner: Short, verdict: Short, reason: Long = "",
    action: Annotated[list[str] | None, Form(max_length=40)] = None,
) -> Response:  # fmt: skip
    answer = shop.planned(who, job_id).answer
    overrule_verdict(shop.database, answer, job_id, corner, verdict, action or (), reason, by=who, now=shop.now())
    return _back(job_id, "corners")


@router.post("/sign")
def sign(job_id: int, shop: InShop, who: Changing, reason: Long = "", plan: Short = "") -> Response:
    """Sign the plan that the page showed: one that changed since is looked at first."""
    here = shop.planned(who, job_id).plan
    require_same(here, plan)
    sign_verdict(shop.database, here, job_id, by=who, now=shop.now(), reason=reason)
    return _back(job_id, "sign")


@router.post("/approve")
def approve(job_id: int, shop: InShop, who: Changing, reason: Long = "", plan: Short = "") -> Response:
    """Approve the plan that the page showed, as signing does."""
    here = shop.planned(who, job_id).plan
    require_same(here, plan)
    approve_verdict(shop.database, here, job_id, by=who, now=shop.now(), reason=reason)
    return _back(job_id, "sign")

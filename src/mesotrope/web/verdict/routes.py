"""Choosing what is done, overruling the product, and answering for a verdict."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Form
from fastapi.responses import RedirectResponse, Response

from mesotrope.services.plans import approve_verdict, choose_package, overrule_verdict, sign_verdict
from mesotrope.web.context import Changing, InShop
from mesotrope.web.planning import planned_job

router = APIRouter(prefix="/jobs/{job_id}/verdict")

Short = Annotated[str, Form(max_length=40)]
Long = Annotated[str, Form(max_length=600)]


def _back(job_id: int, anchor: str) -> Response:
    return RedirectResponse(f"/jobs/{job_id}/verdict#{anchor}", status_code=303)


@router.post("/package")
def package(
    job_id: int, shop: InShop, who: Changing, axle: Short, number: Annotated[int, Form(ge=0, le=100)], reason: Long = ""
) -> Response:
    plan = planned_job(shop, who, job_id).plan
    choose_package(shop.database, plan, job_id, axle, number, reason, by=who, now=shop.now())
    return _back(job_id, f"costs-{axle}")


@router.post("/overrule")
def overrule(job_id: int, shop: InShop, who: Changing, corner: Short, verdict: Short, reason: Long = "") -> Response:
    answer = planned_job(shop, who, job_id).answer
    overrule_verdict(shop.database, answer, job_id, corner, verdict, reason, by=who, now=shop.now())
    return _back(job_id, "corners")


@router.post("/sign")
def sign(job_id: int, shop: InShop, who: Changing) -> Response:
    sign_verdict(shop.database, planned_job(shop, who, job_id).plan, job_id, by=who, now=shop.now())
    return _back(job_id, "sign")


@router.post("/approve")
def approve(job_id: int, shop: InShop, who: Changing) -> Response:
    approve_verdict(shop.database, planned_job(shop, who, job_id).plan, job_id, by=who, now=shop.now())
    return _back(job_id, "sign")

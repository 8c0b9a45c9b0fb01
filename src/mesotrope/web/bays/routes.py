"""Today's bays: the open jobs, and taking a vehicle in."""

from __future__ import annotations

from dataclasses import dataclass

from fastapi import APIRouter, Request
from fastapi.responses import Response

from mesotrope.core.answer.answer import overview
from mesotrope.core.answer.reasons import LISTED
from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.language.quantity import percent
from mesotrope.services.jobs import OpenJob, list_bays
from mesotrope.web.context import InShop, SignedIn
from mesotrope.web.job.pages import stage_reached
from mesotrope.web.plate.drawing import tiny_plate
from mesotrope.web.plate.pen import Plate
from mesotrope.web.rendering import render

router = APIRouter()


@dataclass(frozen=True)
class Bay:
    """One strip: the vehicle, the complaint, how far the work is, what is thought and what is waited for."""

    href: str
    label: str
    registration: str
    complaint: str
    stage: str
    verdict: str
    leading: str
    waits_for: str
    plate: Plate


def _bay(job: OpenJob, knowledge: Knowledge) -> Bay:
    answer = overview(job.inspection, knowledge)
    faults = {suspect: chance for suspect, chance in answer.chances.items() if suspect[1] != knowledge.none.id}
    leading = ""
    if faults and job.findings:
        (corner, fault), chance = max(faults.items(), key=lambda item: item[1])
        if chance >= LISTED:
            leading = f"{corner.words}: {knowledge.words(fault)}, {percent(chance)}"
    return Bay(
        href=f"/jobs/{job.id}/lift",
        label=job.label,
        registration=job.registration or "no plate",
        complaint=job.inspection.visit.complaint or "no complaint written down",
        stage=stage_reached(job, knowledge),
        verdict=answer.decision.verdict or "",
        leading=leading,
        waits_for=job.waits_for or "",
        plate=tiny_plate(answer),
    )


@router.get("/")
def bays_page(request: Request, shop: InShop, who: SignedIn) -> Response:
    bays = [_bay(job, shop.knowledge) for job in list_bays(shop.database, by=who)]
    return render("bays/page.html", request, who=who, bays=bays)

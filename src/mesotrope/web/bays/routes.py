"""Today's bays: the open jobs, and taking a vehicle in."""

from __future__ import annotations

from dataclasses import dataclass

from fastapi import APIRouter, Request
from fastapi.responses import Response

from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.language.quantity import percent
from mesotrope.knowledge.reader import knowledge_key
from mesotrope.services.bays import Bay, list_bays
from mesotrope.web.context import InShop, SignedIn
from mesotrope.web.job.rail import stage_words
from mesotrope.web.plate.drawing import tiny_plate
from mesotrope.web.plate.pen import Plate
from mesotrope.web.rendering import render

router = APIRouter()


@dataclass(frozen=True)
class Strip:
    """One strip: the vehicle, the complaint, how far the work is, what is thought and what is waited for."""

    href: str
    label: str
    registration: str
    complaint: str
    stage: str
    verdict: str
    open: int
    leading: str
    waits_for: str
    plate: Plate | None
    unreadable: str


def _strip(bay: Bay, knowledge: Knowledge) -> Strip:
    glance = bay.glance
    leading = ""
    if glance and glance.leading:
        place, fault, chance = glance.leading
        leading = f"{place.words}: {knowledge.words(fault)}, {percent(chance)}"
    return Strip(
        href=f"/jobs/{bay.id}/lift",
        label=bay.label,
        registration=bay.registration or "no plate",
        complaint=bay.complaint or "no complaint written down",
        stage=stage_words(glance.stage) if glance else "",
        verdict=glance.verdict if glance else "",
        open=glance.open if glance else 0,
        leading=leading,
        waits_for=bay.waits_for or "",
        plate=tiny_plate(glance.linings) if glance else None,
        unreadable=bay.unreadable,
    )


@router.get("/")
def bays_page(request: Request, shop: InShop, who: SignedIn) -> Response:
    found = list_bays(shop.database, shop.knowledge, by=who, knowledge_key=knowledge_key())
    bays = [_strip(bay, shop.knowledge) for bay in found]
    return render("bays/page.html", request, who=who, bays=bays)

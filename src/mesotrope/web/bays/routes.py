"""Today's bays: the open jobs, and taking a vehicle in."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated, Literal

from fastapi import APIRouter, Form, Request
from fastapi.responses import RedirectResponse, Response

from mesotrope.core.answer import LISTED, overview
from mesotrope.core.evidence import in_words
from mesotrope.core.model import Knowledge
from mesotrope.core.quantity import parse_quantity, percent
from mesotrope.errors import InvalidInput
from mesotrope.services.jobs import OpenJob, list_bays, take_in
from mesotrope.services.signing_in import Who
from mesotrope.web.context import Changing, InShop, Shop, SignedIn
from mesotrope.web.job.pages import stage_reached
from mesotrope.web.plate.drawing import Plate, tiny_plate
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
            leading = f"{in_words(corner) or 'system'}: {knowledge.words(fault)}, {percent(chance)}"
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


def _page(request: Request, shop: Shop, who: Who, *, message: str = "", status: int = 200, **form: str) -> Response:
    bays = [_bay(job, shop.knowledge) for job in list_bays(shop.database, by=who)]
    return render("bays/page.html", request, status=status, who=who, bays=bays, message=message, form=form)


@router.get("/")
def bays_page(request: Request, shop: InShop, who: SignedIn) -> Response:
    return _page(request, shop, who)


@router.post("/jobs")
def take_vehicle_in(
    request: Request,
    shop: InShop,
    who: Changing,
    label: Annotated[str, Form(max_length=500)] = "",
    kind: Annotated[Literal["car", "light_truck", "motorcycle"], Form()] = "car",
    registration: Annotated[str, Form(max_length=500)] = "",
    odometer: Annotated[str, Form(max_length=500)] = "",
    usage: Annotated[Literal["", "motorway", "mixed", "town", "mountains", "towing"], Form()] = "",
    complaint: Annotated[str, Form(max_length=4000)] = "",
) -> Response:
    try:
        odometer_km = parse_quantity(odometer, "km", name="distance") if odometer.strip() else None
        job_id = take_in(
            shop.database, shop.knowledge, label=label, kind=kind, registration=registration, odometer_km=odometer_km,
            usage=usage, complaint=complaint, by=who, now=shop.now(),
        )  # fmt: skip
    except InvalidInput as error:
        return _page(
            request, shop, who, message=str(error), status=422, label=label, registration=registration,
            odometer=odometer, complaint=complaint,
        )  # fmt: skip
    return RedirectResponse(f"/jobs/{job_id}/take-in", status_code=303)

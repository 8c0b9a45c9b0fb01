"""Finding a vehicle, an owner or a job from any page."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Query, Request
from fastapi.responses import Response

from mesotrope.services.finding import find
from mesotrope.web.context import AtTheDoor, SignedIn
from mesotrope.web.rendering import render

router = APIRouter()

#: As many visits of a vehicle are shown where none of them is what was looked for.
FEW = 2


@router.get("/find")
def find_page(
    request: Request, shop: AtTheDoor, who: SignedIn, q: Annotated[str, Query(max_length=80)] = ""
) -> Response:
    found = find(shop.reading, q, by=who)
    rows = [
        (vehicle, tuple(job for job in vehicle.jobs if job.state == "open" or job.matched)[:6] or vehicle.jobs[:FEW])
        for vehicle in found.vehicles
    ]
    return render("find/page.html", request, who=who, asked=q.strip(), found=found, rows=rows)

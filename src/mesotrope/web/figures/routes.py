"""The figures of the workshop: comebacks, verdicts against outcomes, calipers spared, minutes and tests, by month."""

from __future__ import annotations

from typing import Literal

from fastapi import APIRouter, Request
from fastapi.responses import Response

from mesotrope.core.day.figures import figures_of
from mesotrope.services.figures import figures_by_month, work_out_figures
from mesotrope.web.context import InShop, SignedIn
from mesotrope.web.figures.views import figures_page
from mesotrope.web.rendering import render

router = APIRouter()

#: So many months are listed at first.
MONTHS_LISTED = 12


@router.get("/figures")
def figures(request: Request, shop: InShop, who: SignedIn, months: Literal["latest", "all"] = "latest") -> Response:
    work_out_figures(shop.database, shop.knowledge, shop.answer, by=who)
    by_month, left = figures_by_month(shop.database, by=who, reading=shop.reading)
    most = MONTHS_LISTED if months == "latest" else None
    counted = figures_of(by_month, shop.knowledge.of_the_day["few"], most=most)
    page = figures_page(counted, shop.knowledge, shop.say(who))
    return render("figures/page.html", request, who=who, page=page, left=left)

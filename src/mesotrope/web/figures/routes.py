"""The figures of the workshop: comebacks, verdicts against outcomes, calipers spared, minutes and tests, by month."""

from __future__ import annotations

from fastapi import APIRouter, Request
from fastapi.responses import Response

from mesotrope.core.day.figures import figures_of
from mesotrope.services.figures import closed_figures, work_out_figures
from mesotrope.web.context import InShop, SignedIn
from mesotrope.web.figures.views import figures_page
from mesotrope.web.rendering import render

router = APIRouter()


@router.get("/figures")
def figures(request: Request, shop: InShop, who: SignedIn) -> Response:
    work_out_figures(shop.database, shop.knowledge, shop.answer, by=who)
    cases, left = closed_figures(shop.database, by=who)
    counted = figures_of(cases, shop.knowledge.of_the_day["few"])
    return render(
        "figures/page.html", request, who=who, page=figures_page(counted, shop.knowledge, shop.say(who)), left=left
    )

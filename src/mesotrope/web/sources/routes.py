"""Sources: every value the product relies on, built from the knowledge itself."""

from __future__ import annotations

from itertools import groupby

from fastapi import APIRouter, Request
from fastapi.responses import Response

from mesotrope.knowledge.provenance import sourced_values
from mesotrope.web.context import InShop, SignedIn
from mesotrope.web.rendering import render

router = APIRouter()


@router.get("/sources")
def sources_page(request: Request, shop: InShop, who: SignedIn) -> Response:
    groups = [(name, list(rows)) for name, rows in groupby(sourced_values(shop.knowledge), key=lambda row: row.group)]
    return render("sources/page.html", request, who=who, groups=groups)

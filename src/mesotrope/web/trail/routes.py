"""The trail of the workshop, for a lead to read."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Query, Request
from fastapi.responses import Response

from mesotrope.services.audit import ACTS, PAGE, trail_of
from mesotrope.web.context import InShop, SignedIn
from mesotrope.web.rendering import render

router = APIRouter(prefix="/trail")


@router.get("")
def trail_page(
    request: Request,
    shop: InShop,
    who: SignedIn,
    before: Annotated[int | None, Query(ge=1, le=2**63 - 1)] = None,
    act: Annotated[str, Query(max_length=40)] = "",
) -> Response:
    lines = trail_of(shop.database, by=who, before=before, act=act)
    older = lines[-1].id if len(lines) == PAGE else None
    return render(
        "trail/page.html", request, who=who, lines=lines, acts=ACTS, act=act, older=older, first=before is None
    )

"""The contributors' page of type, ink, drawing styles and words; only in development."""

from __future__ import annotations

from fastapi import APIRouter, Request
from fastapi.responses import Response

from mesotrope.core.answer.answer import diagnose
from mesotrope.core.language.corner import Axle
from mesotrope.core.language.inspection import parse_inspection
from mesotrope.errors import NotFound
from mesotrope.web.context import AtTheDoor
from mesotrope.web.plate.drawing import axle_plate
from mesotrope.web.rendering import render

router = APIRouter()

#: A made-up axle that shows every state the plate can draw.
SHOWN = """{"findings": {"corners": {
  "front_left": {"spin": {"turns": 1, "seconds": 1.4}, "pin": {"upper": "seized", "lower": "stiff"},
    "pad_mm": {"inner": {"lead_rim": 3.0, "lead_hub": 3.2, "trail_rim": 4.8, "trail_hub": 5.0},
               "outer": {"lead_rim": 8.0, "lead_hub": 8.0, "trail_rim": 8.1, "trail_hub": 8.1}},
    "piston_pushback": ["firm"], "piston_boot": "torn", "rotor_mm": [23.4, 23.5, 23.4]},
  "front_right": {"pin": {"upper": "free"}, "piston_pushback": ["easy"],
    "pad_mm": {"inner": {"lead_rim": 7.4, "trail_rim": 7.5}}}}}}"""


@router.get("/style")
def style_page(request: Request, shop: AtTheDoor) -> Response:
    if not shop.settings.development:
        raise NotFound("page")
    inspection = parse_inspection(SHOWN)
    answer = diagnose(inspection, shop.knowledge)
    plates = [
        axle_plate(inspection, answer, Axle.FRONT, shop.knowledge.limit, exaggerated) for exaggerated in (False, True)
    ]
    return render("style/page.html", request, plates=plates)

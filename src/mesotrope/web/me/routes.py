"""What a person sets for themselves: the units they read and write in."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Form, Request
from fastapi.responses import RedirectResponse, Response

from mesotrope.core.language.units import CHOICES, WRITTEN, Units
from mesotrope.services.people import choose_units
from mesotrope.web.context import Changing, InShop, SignedIn
from mesotrope.web.rendering import render

router = APIRouter()

#: How the choices are said; 32nds are read as a fraction of an inch.
SAID = {**WRITTEN, "32nds": "32nds of an inch", "in": "inches", "mi": "miles", "fl_oz": "US fl oz"}


@router.get("/me")
def my_page(request: Request, who: SignedIn) -> Response:
    chosen = who.units.kept()
    quantities = [
        (quantity, [(option, SAID[option], chosen[quantity] == option) for option in options])
        for quantity, options in CHOICES.items()
    ]
    return render("me/page.html", request, who=who, quantities=quantities)


@router.post("/me")
def set_units(
    shop: InShop,
    who: Changing,
    length: Annotated[str, Form()] = "mm",
    torque: Annotated[str, Form()] = "N.m",
    temperature: Annotated[str, Form()] = "C",
    distance: Annotated[str, Form()] = "km",
    volume: Annotated[str, Form()] = "mL",
) -> Response:
    choose_units(shop.database, Units(length, torque, temperature, distance, volume), by=who)
    return RedirectResponse("/me", status_code=303)

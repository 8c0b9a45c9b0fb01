"""How the product itself does, for a lead or whoever runs it."""

from __future__ import annotations

from fastapi import APIRouter, Request
from fastapi.responses import Response

from mesotrope import __version__
from mesotrope.services.system import ThisProcess, how_it_does, say_how_it_does
from mesotrope.web.context import AtTheDoor, SignedIn
from mesotrope.web.rendering import render
from mesotrope.web.system.views import system_page

router = APIRouter(prefix="/system")


@router.get("")
def page(request: Request, shop: AtTheDoor, who: SignedIn) -> Response:
    process: ThisProcess = request.app.state.process
    if who.role == "lead":
        say_how_it_does(shop.database, process, now=shop.now())  # up to this moment
    system = how_it_does(shop.database, by=who, now=shop.now())
    return render("system/page.html", request, who=who, page=system_page(system, shop.say(who)), version=__version__)

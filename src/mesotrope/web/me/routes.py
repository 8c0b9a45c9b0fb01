"""What a person sets for themselves: the units they read and write in, their password, where they are signed in."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Form, Request
from fastapi.responses import RedirectResponse, Response
from pydantic import BaseModel

from mesotrope.core.language.saying import said, verbatim
from mesotrope.core.language.units import CHOICES, KEPT, WRITTEN, Units
from mesotrope.errors import InvalidInput, TooManyAttempts
from mesotrope.services.passwords import change_password
from mesotrope.services.people import choose_units, end_all_sessions
from mesotrope.services.signing_in import Who, open_session
from mesotrope.web.context import Changing, InShop, SignedIn, address_of
from mesotrope.web.cookies import device_of, farewell, welcome
from mesotrope.web.errors import status_of
from mesotrope.web.lanes import PASSWORD
from mesotrope.web.rendering import render

router = APIRouter()


class ChosenUnits(BaseModel):
    """The form: one choice of every quantity."""

    length: str = KEPT.length
    torque: str = KEPT.torque
    temperature: str = KEPT.temperature
    distance: str = KEPT.distance
    volume: str = KEPT.volume
    force: str = KEPT.force
    pressure: str = KEPT.pressure
    mass: str = KEPT.mass


Password = Annotated[str, Form(max_length=1000)]

#: How the choices are said; 32nds are read as a fraction of an inch.
SAID = {
    **{unit: verbatim(written) for unit, written in WRITTEN.items()},
    "32nds": said("linings in 32nds of an inch, the rest in inches"),
    "in": said("inches"),
    "mi": said("miles"),
    "fl_oz": said("US fl oz"),
}


def _page(request: Request, who: Who, *, message: str = "", kept: str = "", status: int = 200) -> Response:
    chosen = who.units.kept()
    quantities = [
        (quantity, [(option, SAID[option], chosen[quantity] == option) for option in options])
        for quantity, options in CHOICES.items()
    ]
    return render("me/page.html", request, status=status, who=who, quantities=quantities, message=message, kept=kept)


@router.get("/me")
def my_page(request: Request, who: SignedIn, kept: str = "") -> Response:
    return _page(request, who, kept=kept)


@router.post("/me")
def set_units(
    shop: InShop,
    who: Changing,
    chosen: Annotated[ChosenUnits, Form()],
) -> Response:
    choose_units(shop.database, Units(**chosen.model_dump()), by=who)
    return RedirectResponse("/me?kept=units", status_code=303)


@router.post("/me/password", dependencies=[PASSWORD])
def set_password(
    request: Request, shop: InShop, who: Changing, current: Password = "", password: Password = "",
    repeated: Password = "",
) -> Response:  # fmt: skip
    """Change one's own password: signed out everywhere, and in again here."""
    now, device = shop.now(), device_of(request)
    try:
        change_password(
            shop.database, shop.passwords, current, password, repeated, address=address_of(request), by=who, now=now
        )
    except (InvalidInput, TooManyAttempts) as error:
        say = shop.say(who)
        words = say.requirement(error) if isinstance(error, InvalidInput) else say.refusal(error)
        return _page(request, who, message=words, status=status_of(error))
    token = open_session(shop.database, who.person_id, now=now, hours=shop.settings.session_hours, device=device)
    return welcome(shop.settings, token, device, "/me?kept=password")


@router.post("/me/sign-out-everywhere")
def leave_everywhere(shop: InShop, who: Changing) -> Response:
    end_all_sessions(shop.database, by=who, now=shop.now())
    return farewell()

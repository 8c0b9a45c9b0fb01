"""The two cookies: of the session, and of the device it is on. No script reads them, no other site sends them."""

from __future__ import annotations

import secrets

from fastapi import Request
from fastapi.responses import RedirectResponse, Response

from mesotrope.settings import Settings

SESSION = "mesotrope_session"
DEVICE = "mesotrope_device"

DEVICE_DAYS = 400


def device_of(request: Request) -> str:
    """The token of the browser that asks: its own, or a new one that it is given when it signs in."""
    known = request.cookies.get(DEVICE, "")
    return known if 32 <= len(known) <= 64 else secrets.token_urlsafe(32)


def welcome(chosen: Settings, token: str, device: str, to: str = "/") -> Response:
    """Send a browser that has signed in on its way."""
    answer = RedirectResponse(to, status_code=303)
    for name, value, seconds in (
        (SESSION, token, chosen.session_hours * 3600),
        (DEVICE, device, DEVICE_DAYS * 24 * 3600),
    ):
        answer.set_cookie(
            name, value, httponly=True, samesite="strict", secure=chosen.secure_cookies, path="/", max_age=seconds
        )
    return answer


def farewell() -> Response:
    """Send a browser that has signed out to the door; what device it is stays known."""
    answer = RedirectResponse("/sign-in", status_code=303)
    answer.delete_cookie(SESSION, path="/")
    return answer

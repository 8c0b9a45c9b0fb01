"""What lets a device work through a bad network: its worker, the manifest that makes the product installable, and whose
session it has."""

from __future__ import annotations

from fastapi import APIRouter, Request
from fastapi.responses import JSONResponse, Response

from mesotrope.errors import NotSignedIn
from mesotrope.services.signing_in import who_is
from mesotrope.web.assets import STATIC, asset, shell
from mesotrope.web.context import AtTheDoor
from mesotrope.web.cookies import SESSION

router = APIRouter()

MANIFEST = {
    "name": "Mesotrope",
    "short_name": "Mesotrope",
    "description": "Why a wheel drags or a pedal is low, and what to do about it.",
    "id": "/",
    "start_url": "/",
    "scope": "/",
    "display": "standalone",
    "background_color": "#f5f1e8",
    "theme_color": "#f5f1e8",
    "icons": [{"src": asset("favicon.svg"), "sizes": "any", "type": "image/svg+xml", "purpose": "any"}],
}


@router.get("/device-worker.js", include_in_schema=False)
def device_worker() -> Response:
    """The worker stands at the root, for it sees to every page; it is asked for anew each time. It knows what it serves
    by the release's address: a new release is a new worker."""
    text = (STATIC / "built" / "device-worker.js").read_text().replace("/static/", asset(""))
    return Response(text, media_type="text/javascript", headers={"cache-control": "no-cache"})


@router.get("/shell.json", include_in_schema=False)
def shell_of_now() -> Response:
    """What every page may need beside itself: scripts, styles, fonts."""
    return JSONResponse(shell())


@router.get("/manifest.webmanifest", include_in_schema=False)
def manifest() -> Response:
    return JSONResponse(MANIFEST, media_type="application/manifest+json")


@router.get("/session", include_in_schema=False)
def session(request: Request, shop: AtTheDoor) -> Response:
    """Whose session the browser has, and its change token; 401 where it has none."""
    try:
        who = who_is(shop.database, request.cookies.get(SESSION), now=shop.now())
    except NotSignedIn:
        return JSONResponse({"person": None}, status_code=401)
    return JSONResponse({"person": who.person_id, "token": who.change_token})

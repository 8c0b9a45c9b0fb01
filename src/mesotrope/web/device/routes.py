"""What lets a device work through a bad network: its worker, the manifest that makes the product installable, and whose
session it has."""

from __future__ import annotations

from pathlib import Path

from fastapi import APIRouter, Request
from fastapi.responses import FileResponse, JSONResponse, Response

from mesotrope.errors import NotSignedIn
from mesotrope.services.signing_in import who_is
from mesotrope.web.context import AtTheDoor
from mesotrope.web.cookies import SESSION

router = APIRouter()

STATIC = Path(__file__).resolve().parents[1] / "static"

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
    "icons": [{"src": "/static/favicon.svg", "sizes": "any", "type": "image/svg+xml", "purpose": "any"}],
}


@router.get("/device-worker.js", include_in_schema=False)
def device_worker() -> Response:
    """The worker stands at the root, for it sees to every page; it is asked for anew each time."""
    return FileResponse(
        STATIC / "js" / "device-worker.js", media_type="text/javascript", headers={"cache-control": "no-cache"}
    )


@router.get("/shell.json", include_in_schema=False)
def shell() -> Response:
    """What every page may need beside itself: scripts, styles, fonts."""
    kept = (".js", ".css", ".woff2", ".svg")
    files = sorted(path.relative_to(STATIC) for path in STATIC.rglob("*") if path.suffix in kept)
    return JSONResponse([f"/static/{path.as_posix()}" for path in files])


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

"""Scripts, styles, fonts and pictures, each under an address that holds a digest of them all: a device fetches those
of a release once and asks no more, and never runs what it kept of an older one with the pages of a newer."""

from __future__ import annotations

import hashlib
import re
from pathlib import Path

from fastapi.staticfiles import StaticFiles
from starlette.responses import Response
from starlette.types import Scope

STATIC = Path(__file__).parent / "static"

#: What every page may need beside itself, also where there is no network.
KEPT = (".js", ".css", ".woff2", ".svg")

_FOR_EVER = "public, max-age=31536000, immutable"
_RELEASE_OF_AN_ADDRESS = re.compile(r"[0-9a-f]{16}/")


def _digest() -> str:
    told = hashlib.sha256()
    for path in sorted(path for path in STATIC.rglob("*") if path.is_file()):
        told.update(f"{path.relative_to(STATIC).as_posix()}\0".encode())
        told.update(hashlib.sha256(path.read_bytes()).digest())
    return told.hexdigest()[:16]


#: The digest of what this process serves.
RELEASE = _digest()


def asset(path: str) -> str:
    """The address of a file.

    >>> asset("built/app.js").endswith("/built/app.js")
    True
    """
    return f"/static/{RELEASE}/{path}"


def shell() -> list[str]:
    """The addresses of what every page may need."""
    files = sorted(path.relative_to(STATIC) for path in STATIC.rglob("*") if path.suffix in KEPT)
    return [asset(path.as_posix()) for path in files]


class Assets(StaticFiles):
    """The files under their digest, to be kept for ever. A page that an older release made gets those of now under the
    older's addresses, and is not to keep them."""

    def __init__(self) -> None:
        super().__init__(directory=STATIC)

    async def get_response(self, path: str, scope: Scope) -> Response:
        named = _RELEASE_OF_AN_ADDRESS.match(path.replace("\\", "/"))
        response = await super().get_response(path[named.end() :] if named else path, scope)
        of_now = named is not None and named[0] == f"{RELEASE}/"
        response.headers["cache-control"] = _FOR_EVER if of_now else "no-cache"
        return response

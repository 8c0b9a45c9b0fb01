"""Headers on every answer, and a limit to what a request may carry."""

from __future__ import annotations

from starlette.datastructures import MutableHeaders
from starlette.responses import PlainTextResponse
from starlette.types import ASGIApp, Message, Receive, Scope, Send

LARGEST_REQUEST_BYTES = 200_000

#: Addresses that take files, by how they end, and how much they take.
LARGER = {"/photographs": 13_000_000, "/import": 61_000_000, "/measurements": 2_000_000}

HEADERS = {
    "content-security-policy": (
        "default-src 'none'; script-src 'self'; style-src 'self'; img-src 'self'; font-src 'self'; "
        "connect-src 'self'; form-action 'self'; base-uri 'none'; frame-ancestors 'none'"
    ),
    "x-content-type-options": "nosniff",
    "referrer-policy": "same-origin",
    "cross-origin-opener-policy": "same-origin",
    "permissions-policy": "geolocation=(), microphone=(), camera=()",
}


class Security:
    """Adds the headers; refuses a request that is too large or does not say how large it is."""

    def __init__(self, app: ASGIApp) -> None:
        self.app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            await self.app(scope, receive, send)
            return

        async def send_with_headers(message: Message) -> None:
            if message["type"] == "http.response.start":
                headers = MutableHeaders(scope=message)
                for name, value in HEADERS.items():
                    headers.setdefault(name, value)
                if not scope["path"].startswith("/static/"):
                    headers.setdefault("cache-control", "no-store")
            await send(message)

        headers = dict(scope["headers"])
        length = headers.get(b"content-length", b"0")
        most = next((n for end, n in LARGER.items() if scope["path"].endswith(end)), LARGEST_REQUEST_BYTES)
        if b"transfer-encoding" in headers or not length.isdigit() or int(length) > most:
            words = f"A request may carry at most {most} bytes here and must say how many it carries."
            await PlainTextResponse(words, status_code=413)(scope, receive, send_with_headers)
            return
        await self.app(scope, receive, send_with_headers)

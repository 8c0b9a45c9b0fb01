"""What stands before every page: trusted hosts, limits to what a request may carry and how slowly, headers on every
answer, and an answer in words where the program failed.
"""

from __future__ import annotations

import logging
import time
from collections.abc import Sequence

import anyio
from fastapi import Request
from fastapi.concurrency import run_in_threadpool
from fastapi.responses import Response
from starlette.datastructures import MutableHeaders
from starlette.exceptions import HTTPException
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from mesotrope.core.language.saying import Sayable, plain, said, verbatim
from mesotrope.services.signing_in import who_is
from mesotrope.web.cookies import SESSION
from mesotrope.web.errors import answer_to, in_words

LOG = logging.getLogger("mesotrope.faults")

LARGEST_REQUEST_BYTES = 200_000

#: Addresses that take files, by how they end, and how much they take.
LARGER = {
    "/photographs": 13_000_000,
    "/import": 61_000_000,
    "/measurements": 2_000_000,
    "/workshop/logo": 13_000_000,
    "/learnt/chain": 1_100_000,
}

#: How long a request may take to arrive: so many seconds, and one more for so many bytes.
ARRIVES_S, ARRIVES_BYTES_A_S = 20.0, 100_000

HEADERS = {
    "content-security-policy": (
        "default-src 'none'; script-src 'self'; style-src 'self'; img-src 'self'; font-src 'self'; "
        "connect-src 'self'; manifest-src 'self'; form-action 'self'; base-uri 'none'; frame-ancestors 'none'"
    ),
    "x-content-type-options": "nosniff",
    "referrer-policy": "same-origin",
    "cross-origin-opener-policy": "same-origin",
    "permissions-policy": "geolocation=(), microphone=(), camera=()",
}

#: Said behind TLS: a browser that was here once comes over TLS only, for a year.
OVER_TLS_ONLY = {"strict-transport-security": "max-age=31536000"}


class Security:
    """Refuses hosts that are not ours and requests that are too large, too slow or do not say how large they are; adds
    the headers; answers in words where something failed.

    hosts : the names under which the application is reached; empty: any. tls : whether it stands behind TLS even where
    a request does not say so.
    """

    def __init__(self, app: ASGIApp, hosts: Sequence[str] = (), tls: bool = False) -> None:
        self.app = app
        self.hosts = frozenset(hosts)
        self.tls = tls

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            await self.app(scope, receive, send)
            return
        begun = False

        async def send_with_headers(message: Message) -> None:
            nonlocal begun
            if message["type"] == "http.response.start":
                begun = True
                headers = MutableHeaders(scope=message)
                added = HEADERS | OVER_TLS_ONLY if self.tls or scope["scheme"] == "https" else HEADERS
                for name, value in added.items():
                    headers.setdefault(name, value)
                if not scope["path"].startswith("/static/"):
                    headers.setdefault("cache-control", "no-store")
            await send(message)

        request = Request(scope)
        try:
            if (refusal := self._refusal(request)) is not None:
                await refusal(scope, receive, send_with_headers)
            else:
                await _require_known_sender(request)
                await self.app(scope, _in_time(receive, _length(request)), send_with_headers)
        except Exception as error:
            if begun:
                raise
            answer = answer_to(request, error)
            if answer is None:
                LOG.exception("%s failed", scope["method"], extra={"request": scope.get("request_id", "")})
                words = said(
                    "Something went wrong in the program; what was saved before is kept. {number}",
                    number=_number(scope),
                )
                answer = in_words(request, 500, words)
            await answer(scope, receive, send_with_headers)

    def _refusal(self, request: Request) -> Response | None:
        """What is refused before anything of it is read."""
        if self.hosts and _host_of(request) not in self.hosts:
            return in_words(
                request, 400, said("This application is not reached under this name. Its operator can allow it.")
            )
        length = request.headers.get("content-length", "0")
        path = request.scope["path"]
        most = next((n for end, n in LARGER.items() if path.endswith(end)), LARGEST_REQUEST_BYTES)
        countable = length.isascii() and length.isdigit() and len(length) < 16
        if "transfer-encoding" in request.headers or not countable or int(length) > most:
            words = said(
                "A request may carry at most {most} MB here and must say how many bytes it carries.",
                most=plain(most / 1e6),
            )
            return in_words(request, 413, words)
        return None


def _number(scope: Scope) -> Sayable:
    if "request_id" not in scope:
        return ""
    return said("Tell your operator this number: {number}.", number=verbatim(scope["request_id"]))


def _host_of(request: Request) -> str:
    """The name under which a request came, without its port."""
    host = request.headers.get("host", "").lower()
    name, colon, port = host.rpartition(":")
    return name if colon and port.isascii() and port.isdigit() else host


def _length(request: Request) -> int:
    return int(request.headers.get("content-length", "0"))


async def _require_known_sender(request: Request) -> None:
    """Refuse a file from whoever is not signed in, before anything of it is kept anywhere. Raises `NotSignedIn`."""
    if _length(request) > LARGEST_REQUEST_BYTES:
        shop = request.app.state.shop
        await run_in_threadpool(who_is, shop.database, request.cookies.get(SESSION), now=shop.now())


def _in_time(receive: Receive, length: int) -> Receive:
    """Reads a request that has to arrive in time. Raises the error that is answered with 408 where it does not."""
    until = time.monotonic() + ARRIVES_S + length / ARRIVES_BYTES_A_S
    arrived = False

    async def receive_in_time() -> Message:
        nonlocal arrived
        if arrived:
            return await receive()
        try:
            with anyio.fail_after(max(0.0, until - time.monotonic())):
                message = await receive()
        except TimeoutError:
            raise HTTPException(408) from None
        arrived = not message.get("more_body", False)
        return message

    return receive_in_time

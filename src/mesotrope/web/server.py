"""The server that ships: it does not wait for ever for a request, and does not take more connections than it can."""

from __future__ import annotations

import asyncio
import resource
from typing import Any

import uvicorn
from uvicorn.protocols.http.h11_impl import H11Protocol

#: How long the head of a request may take to arrive, seconds.
HEAD_S = 10.0

#: The most connections at once; fewer where the system allows fewer open files.
MOST_CONNECTIONS = 4_000

#: Open files for everything that is no connection.
OTHER_FILES = 200


def allow_open_files() -> int:
    """Raise the number of open files to what the system allows; returns how many connections that is enough for."""
    soft, hard = resource.getrlimit(resource.RLIMIT_NOFILE)
    wanted = MOST_CONNECTIONS + OTHER_FILES
    most = wanted if hard == resource.RLIM_INFINITY else min(wanted, hard)
    if soft != resource.RLIM_INFINITY and soft < most:
        resource.setrlimit(resource.RLIMIT_NOFILE, (most, hard))
    return max(20, min(MOST_CONNECTIONS, most - OTHER_FILES))


class Impatient(H11Protocol):
    """The server's own protocol, which also closes a connection whose request does not begin in time."""

    most = MOST_CONNECTIONS
    _late: asyncio.TimerHandle | None = None

    def connection_made(self, transport: asyncio.Transport) -> None:  # type: ignore[override]
        super().connection_made(transport)
        if len(self.connections) > self.most:
            transport.abort()
            return
        self._watch()

    def data_received(self, data: bytes) -> None:
        super().data_received(data)
        self._watch()

    def connection_lost(self, exc: Exception | None) -> None:
        self._forget()
        super().connection_lost(exc)

    def _watch(self) -> None:
        """Start the clock while a request is only half there; stop it when it is."""
        if self.cycle is not None and not self.cycle.response_complete:
            self._forget()
        elif self._late is None:
            self._late = self.loop.call_later(HEAD_S, self._too_late)

    def _forget(self) -> None:
        if self._late is not None:
            self._late.cancel()
            self._late = None

    def _too_late(self) -> None:
        self._late = None
        if self.cycle is None or self.cycle.response_complete:
            self.transport.abort()


def server_of(app: Any, host: str, port: int, *, stop_in_s: int = 2) -> uvicorn.Server:
    """The server for an application: it believes no proxy (the application does, those that are named to it)."""
    Impatient.most = allow_open_files()
    config = uvicorn.Config(
        app,
        host=host,
        port=port,
        http=Impatient,
        log_level="warning",
        access_log=False,
        proxy_headers=False,
        server_header=False,
        timeout_graceful_shutdown=stop_in_s,
    )
    return uvicorn.Server(config)

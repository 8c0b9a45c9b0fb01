"""A request that is put together by hand: what no client would send."""

from __future__ import annotations

import asyncio


def answers(app, headers, receive, path="/sign-in"):
    """The messages with which a POST is answered; receive : what the application is given of its body."""
    answered = []
    scope = {
        "type": "http", "method": "POST", "path": path, "raw_path": path.encode(), "query_string": b"",
        "headers": [(b"host", b"testserver"), *headers], "server": ("testserver", 80), "client": ("test", 1),
        "scheme": "http", "app": app,
    }  # fmt: skip

    async def send(message):
        answered.append(message)

    asyncio.run(app(scope, receive, send))
    return answered

"""The server that ships: half requests are closed, connections beyond what is allowed are not taken."""

from __future__ import annotations

import contextlib
import resource
import socket
import threading
import time

import pytest

import mesotrope.web.server as shipped
from mesotrope.web.server import Impatient, allow_open_files, server_of
from tests.conftest import free_port


async def _hello(scope, receive, send):
    """Reads what comes and answers."""
    if scope["type"] != "http":
        return
    while (await receive()).get("more_body"):
        pass
    await send({"type": "http.response.start", "status": 200, "headers": [(b"content-length", b"2")]})
    await send({"type": "http.response.body", "body": b"ok"})


@pytest.fixture
def port(monkeypatch):
    """A port on which the server that ships answers, with little patience."""
    monkeypatch.setattr(shipped, "HEAD_S", 0.3)
    chosen = free_port()
    server = server_of(_hello, "127.0.0.1", chosen, stop_in_s=1)
    thread = threading.Thread(target=server.run, daemon=True)
    thread.start()
    while not server.started:
        time.sleep(0.01)
    yield chosen
    server.should_exit = True
    thread.join()


def _connected(port):
    return contextlib.closing(socket.create_connection(("127.0.0.1", port), timeout=5))


def _closed(one):
    """Whether the server closes a connection, without having answered."""
    try:
        return one.recv(1000) == b""
    except ConnectionResetError:
        return True


def _answer(one):
    """An answer to its last two letters."""
    came = b""
    while not came.endswith(b"ok"):
        came += one.recv(1000)
    return came


@pytest.mark.parametrize("half", [b"", b"G", b"GET / HTTP/1.1\r\nHost: x\r\n"])
def test_a_request_that_does_not_begin_in_time_is_closed(port, half):
    with _connected(port) as one:
        one.sendall(half)
        assert _closed(one)


def test_a_drop_now_and_then_does_not_keep_a_connection_open(port):
    with _connected(port) as one:
        for letter in b"GET / HTT":
            time.sleep(0.05)
            with contextlib.suppress(OSError):
                one.sendall(bytes([letter]))
        assert _closed(one)


def test_a_request_is_answered_and_the_next_on_the_same_connection_too(port):
    with _connected(port) as one:
        for _ in range(3):
            one.sendall(b"GET / HTTP/1.1\r\nHost: x\r\n\r\n")
            assert _answer(one).endswith(b"ok")
            time.sleep(0.1)
        one.sendall(b"GET / HT")
        assert _closed(one)


def test_a_body_may_take_longer_than_its_head(port):
    with _connected(port) as one:
        one.sendall(b"POST / HTTP/1.1\r\nHost: x\r\nContent-Length: 5\r\n\r\n")
        for letter in b"12345":
            time.sleep(0.1)
            one.sendall(bytes([letter]))
        assert _answer(one).endswith(b"ok")


def test_more_connections_than_allowed_are_not_taken(port, monkeypatch):
    monkeypatch.setattr(Impatient, "most", 3)
    with contextlib.ExitStack() as stack:
        for _ in range(3):
            stack.enter_context(_connected(port))
        time.sleep(0.05)
        began = time.monotonic()
        assert _closed(stack.enter_context(_connected(port)))
        assert time.monotonic() - began < 0.2  # at once, not for its lateness


def test_open_files_are_raised_to_what_the_system_allows_and_never_beyond():
    before = resource.getrlimit(resource.RLIMIT_NOFILE)
    connections = allow_open_files()
    soft, hard = resource.getrlimit(resource.RLIMIT_NOFILE)
    assert soft >= before[0]
    assert hard == before[1]
    assert connections + shipped.OTHER_FILES <= soft

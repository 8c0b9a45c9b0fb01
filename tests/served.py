"""The real application on a real port with the demo's data: for the browser tests, the pictures and the bench."""

from __future__ import annotations

import os
import re
import shutil
import subprocess
import sys
import tempfile
import threading
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path

import httpx2
import uvicorn
from fastapi import FastAPI

from mesotrope.app import create_app
from mesotrope.clock import utc_now
from mesotrope.demo.load import load_demo
from mesotrope.knowledge import knowledge
from mesotrope.services.passwords import Passwords
from mesotrope.settings import Settings
from mesotrope.store.instance import Instance
from mesotrope.store.migrate import migrate
from mesotrope.store.session import Database
from tests.conftest import CHEAP, free_port

ROOT = Path(__file__).resolve().parents[1]

CHROMIUM = {
    "executable_path": shutil.which("chromium-headless-shell") or "/usr/bin/chromium",
    "args": [
        "--no-sandbox", "--disable-gpu", "--in-process-gpu", "--disable-quic", "--no-first-run",
        "--disable-background-networking", "--disable-component-update", "--disable-sync",
    ],
}  # fmt: skip


@contextmanager
def served_demo(
    closed: int = 0, *, whole_day: bool = False, buffer_mib: int = 64, grow: Callable[[Database], None] | None = None
) -> Iterator[str]:
    """Serve the demo, with so many closed jobs and perhaps a full day, on a throw-away database; yields its address.

    grow : what else is written into the database before it is served.
    """
    with tempfile.TemporaryDirectory() as folder:
        instance = Instance(Path(folder), free_port(), buffer_mib=buffer_mib)
        instance.start()
        migrate(instance.url())
        database = Database(instance.url())
        chosen = Settings(demo=True, development=True, port=free_port(), **CHEAP)
        load_demo(database, knowledge(), Passwords.with_cost(16, 1), now=utc_now(), closed=closed,
            whole_day=whole_day,
        )  # fmt: skip
        if grow is not None:
            grow(database)
        try:
            with answering(create_app(chosen, database), chosen.port) as address:
                yield address
        finally:
            database.close()
            instance.stop()


@contextmanager
def answering(application: FastAPI, port: int) -> Iterator[str]:
    """Serve an application on a port of this machine; yields its address."""
    server = uvicorn.Server(
        uvicorn.Config(application, host="127.0.0.1", port=port, log_level="warning", timeout_graceful_shutdown=1)
    )
    thread = threading.Thread(target=server.run, daemon=True)
    thread.start()
    while not server.started:
        time.sleep(0.02)
    try:
        yield f"http://127.0.0.1:{port}"
    finally:
        server.should_exit = True
        thread.join()


def sign_in(client: httpx2.Client, name: str = "") -> str:
    """Sign one of a demo's people in, by default the first; returns the token that changes need."""
    person = re.search(rf'name="person" value="(\d+)"(?:(?!</form>).)*{name}', client.get("/sign-in").text, re.DOTALL)
    assert person, f"{name} is not on the page"
    client.post("/sign-in/demo", data={"person": person[1]})
    token = re.search(r'name="change_token" value="([^"]+)"', client.get("/me").text)
    assert token
    return token[1]


@contextmanager
def in_a_process(module: str, *arguments: str, tree: Path = ROOT) -> Iterator[str]:
    """Run a module of a checkout in a process of its own until it is done with; yields the first line that it says."""
    with subprocess.Popen(
        [sys.executable, "-m", module, *arguments],
        cwd=tree, env={**os.environ, "PYTHONPATH": str(tree / "src")}, stdin=subprocess.PIPE, stdout=subprocess.PIPE,
        text=True,
    ) as child:  # fmt: skip
        assert child.stdin
        assert child.stdout
        try:
            yield child.stdout.readline().strip()
        finally:
            child.stdin.close()


@contextmanager
def served_apart(tree: Path = ROOT) -> Iterator[str]:
    """As `served_demo`, by the code of a checkout, in a process of its own, as in a workshop; yields its address."""
    with in_a_process("tests.served", tree=tree) as address:
        yield address


if __name__ == "__main__":
    with served_demo() as address:
        print(address, flush=True)
        sys.stdin.read()

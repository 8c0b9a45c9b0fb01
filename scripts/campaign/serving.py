"""The application as a workshop runs it: processes of their own in a folder of their own, which can be killed."""

from __future__ import annotations

import contextlib
import os
import re
import signal
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from pathlib import Path

import httpx2

from mesotrope.operate import private_instance
from mesotrope.settings import Settings
from mesotrope.store.instance import Instance
from tests.conftest import free_port

START_S = 120


class Served:
    """A demo of its own, started by the product's own command."""

    def __init__(self, folder: Path) -> None:
        self.settings = Settings(run_folder=folder, port=free_port())
        self.log = folder.parent / "application.log"
        self.process: subprocess.Popen[bytes] | None = None
        self.address = f"http://127.0.0.1:{self.settings.port}"

    @property
    def database(self) -> Instance:
        return private_instance(self.settings)

    def start(self) -> None:
        """Start the application and wait until it answers."""
        said = {
            "MESOTROPE_RUN_FOLDER": str(self.settings.run_folder),
            "MESOTROPE_DEMO_CLOSED": "0",
            "MESOTROPE_PORT": str(self.settings.port),
            "MESOTROPE_PASSWORD_MEMORY_KIB": "16",
            "MESOTROPE_PASSWORD_ROUNDS": "1",
        }
        with self.log.open("ab") as log:
            self.process = subprocess.Popen(
                [sys.executable, "-m", "mesotrope.cli", "serve", "--demo"],
                env={**os.environ, **said}, stdout=log, stderr=log,
            )  # fmt: skip
        end = time.monotonic() + START_S
        while not self.is_ready():
            if time.monotonic() > end or self.process.poll() is not None:
                raise RuntimeError(f"it did not start: {self.log.read_text(errors='replace')[-2000:]}")
            time.sleep(0.05)

    def is_ready(self) -> bool:
        with contextlib.suppress(httpx2.HTTPError):
            return httpx2.get(f"{self.address}/ready", timeout=6).status_code == 200
        return False

    def kill_application(self) -> None:
        assert self.process is not None
        self.process.kill()
        self.process.wait()

    def kill_database(self) -> None:
        with contextlib.suppress(OSError, ValueError):
            os.kill(self.database_pid(), signal.SIGKILL)

    def database_pid(self) -> int:
        return int((self.settings.run_folder / "mariadb" / "mariadbd.pid").read_text())

    def stop(self) -> None:
        if self.process is not None and self.process.poll() is None:
            self.process.terminate()
            self.process.wait(timeout=30)
        self.database.stop()

    def signed_in(self, name: str = "Bram Oddie") -> httpx2.Client:
        """A client of one of the demo's people, with the token that changes need."""
        client = httpx2.Client(base_url=self.address, timeout=20, follow_redirects=False)
        page = client.get("/sign-in").text
        number = re.search(rf'name="person" value="(\d+)">\s*<button class="person-button"><b>{name}', page)[1]
        client.post("/sign-in/demo", data={"person": number})
        token = re.search(r'name="change_token" value="([^"]+)"', client.get("/me").text)[1]
        client.headers["X-Change-Token"] = token
        return client


@contextlib.contextmanager
def served(under: Path | None = None) -> Iterator[Served]:
    """A demo in a folder of its own, started; stopped and thrown away at the end."""
    with tempfile.TemporaryDirectory(dir=under) as folder:
        running = Served(Path(folder) / "run")
        running.settings.run_folder.mkdir()
        try:
            running.start()
            yield running
        finally:
            with contextlib.suppress(Exception):
                running.stop()

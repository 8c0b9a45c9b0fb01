"""The application as a workshop runs it: processes of their own in a folder of their own, which can be killed."""

from __future__ import annotations

import contextlib
import os
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
from tests.served import sign_in

START_S = 120


class Application:
    """The demo, started by the product's own command; `said` : what else its surroundings say."""

    def __init__(self, run_folder: Path, port: int, log: Path, **said: str) -> None:
        self.port, self.log = port, log
        self.address = f"http://127.0.0.1:{port}"
        self.process: subprocess.Popen[bytes] | None = None
        self._said = {
            "MESOTROPE_RUN_FOLDER": str(run_folder),
            "MESOTROPE_DEMO_CLOSED": "0",
            "MESOTROPE_PORT": str(port),
            "MESOTROPE_PASSWORD_MEMORY_KIB": "16",
            "MESOTROPE_PASSWORD_ROUNDS": "1",
            **said,
        }

    def start(self) -> None:
        """Start the application and wait until it answers."""
        with self.log.open("ab") as log:
            self.process = subprocess.Popen(
                [sys.executable, "-m", "mesotrope.cli", "serve", "--demo"],
                env={**os.environ, **self._said}, stdout=log, stderr=log,
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

    def memory_mb(self, name: str = "VmRSS") -> float:
        """How much memory it takes now (`VmRSS`), or took at most (`VmHWM`), MB."""
        assert self.process is not None
        lines = Path(f"/proc/{self.process.pid}/status").read_text().splitlines()
        return int(next(line for line in lines if line.startswith(name)).split()[1]) * 1024 / 1e6

    def kill_application(self) -> None:
        """End the application as a power cut does."""
        assert self.process is not None
        self.process.kill()
        self.process.wait()

    def stop(self) -> None:
        if self.process is not None and self.process.poll() is None:
            self.process.terminate()
            self.process.wait(timeout=30)


class Served(Application):
    """A demo of its own, with its private database."""

    def __init__(self, folder: Path, **said: str) -> None:
        self.settings = Settings(run_folder=folder, port=free_port())
        super().__init__(folder, self.settings.port, folder.parent / "application.log", **said)

    @property
    def database(self) -> Instance:
        return private_instance(self.settings)

    def kill_database(self) -> None:
        with contextlib.suppress(OSError, ValueError):
            os.kill(self.database_pid(), signal.SIGKILL)

    def database_pid(self) -> int:
        return int((self.settings.run_folder / "mariadb" / "mariadbd.pid").read_text())

    def stop(self) -> None:
        super().stop()
        self.database.stop()

    def signed_in(self, name: str = "Bram Oddie") -> httpx2.Client:
        """A client of one of the demo's people, with the token that changes need."""
        client = httpx2.Client(base_url=self.address, timeout=20, follow_redirects=False)
        client.headers["X-Change-Token"] = sign_in(client, name)
        return client


@contextlib.contextmanager
def served(under: Path | None = None, **said: str) -> Iterator[Served]:
    """A demo in a folder of its own, started; stopped and thrown away at the end. said : what else its surroundings
    say."""
    with tempfile.TemporaryDirectory(dir=under) as folder:
        running = Served(Path(folder) / "run", **said)
        running.settings.run_folder.mkdir()
        try:
            running.start()
            yield running
        finally:
            with contextlib.suppress(Exception):
                running.stop()

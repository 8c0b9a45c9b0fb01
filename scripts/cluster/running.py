"""The whole cluster: nodes, applications and balancer, each of which can be killed and started again."""

from __future__ import annotations

import os
import signal
import subprocess
import sys
import time
from contextlib import suppress
from pathlib import Path

import httpx2

from mesotrope.store.migrate import migrate
from scripts.cluster.balancer import Balancer, Health
from scripts.cluster.node import Node, Ports

NODES, APPLICATIONS = 3, 2

START_S = 120


class Application:
    """One application process; its database is whatever the balancer offers."""

    def __init__(self, cluster: Path, number: int, port: int, database_url: str) -> None:
        self.port = port
        self.address = f"http://127.0.0.1:{port}"
        self.log = cluster / f"application-{number}.log"
        self._said = {
            "MESOTROPE_RUN_FOLDER": str(cluster / f"application-{number}"),
            "MESOTROPE_DATABASE_URL": database_url,
            "MESOTROPE_DATABASE_CLUSTER": "true",
            "MESOTROPE_PORT": str(port),
            "MESOTROPE_DEMO_CLOSED": "0",
            "MESOTROPE_PASSWORD_MEMORY_KIB": "16",
            "MESOTROPE_PASSWORD_ROUNDS": "1",
        }
        self._process: subprocess.Popen[bytes] | None = None

    def start(self) -> None:
        """Start the process and wait until it is ready."""
        with self.log.open("ab") as log:
            self._process = subprocess.Popen(
                [sys.executable, "-m", "mesotrope.cli", "serve", "--demo"],
                env={**os.environ, **self._said}, stdout=log, stderr=log, start_new_session=True,
            )  # fmt: skip
        end = time.monotonic() + START_S
        while not self.is_ready():
            if time.monotonic() > end or self._process.poll() is not None:
                raise RuntimeError(f"it did not start: {self.log.read_text(errors='replace')[-2000:]}")
            time.sleep(0.1)

    def is_ready(self) -> bool:
        with suppress(httpx2.HTTPError):
            return httpx2.get(f"{self.address}/ready", timeout=2).status_code == 200
        return False

    def kill(self) -> None:
        """End the process as a power cut does."""
        if self._process is not None:
            os.killpg(self._process.pid, signal.SIGKILL)
            self._process.wait()

    def stop(self) -> None:
        if self._process is not None and self._process.poll() is None:
            self._process.terminate()
            self._process.wait()


class Cluster:
    """Three nodes, two applications, one balancer, in a folder of their own; ports follow the first.

    A folder in which a cluster ran before is gone on from: the node that was stopped last begins.
    """

    def __init__(self, folder: Path, first_port: int) -> None:
        folder.mkdir(parents=True, exist_ok=True)
        folder.chmod(0o711)  # the nodes' own folders are closed
        ports = iter(range(first_port, first_port + 40))
        front, back = next(ports), next(ports)
        members = [Ports(*(next(ports) for _ in range(4))) for _ in range(NODES)]
        self.nodes = [Node(folder, number, mine, members) for number, mine in enumerate(members, start=1)]
        self.health = [Health(node, next(ports)) for node in self.nodes]
        url = self.nodes[0].url().replace(f":{self.nodes[0].port}/", f":{back}/")
        self.applications = [Application(folder, number, next(ports), url) for number in range(1, APPLICATIONS + 1)]
        self.balancer = Balancer(
            folder, front, back, self.applications, dict(zip(self.health, self.nodes, strict=True))
        )
        self.address = f"http://127.0.0.1:{front}"
        self.url = url

    def start(self) -> None:
        """Start everything in order, and load the demo where there is none."""
        begins = next((node for node in self.nodes if _stopped_last(node)), self.nodes[0])
        begins.begin(first=True)
        begins.wait_until_synced()
        for node in self.nodes:
            if node is not begins:
                node.begin()
                node.wait_until_synced()
        self.balancer.start()
        migrate(begins.url())
        for application in self.applications:
            application.start()

    def stop(self) -> None:
        for application in self.applications:
            application.stop()
        self.balancer.stop()
        for node in reversed(self.nodes):
            node.stop()
        for health in self.health:
            health.stop()


def _stopped_last(node: Node) -> bool:
    state = node.folder / "data" / "grastate.dat"
    return state.exists() and "safe_to_bootstrap: 1" in state.read_text()

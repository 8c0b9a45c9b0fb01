"""The whole cluster: nodes, applications and balancer, each of which can be killed and started again."""

from __future__ import annotations

from pathlib import Path

from mesotrope.store.migrate import migrate
from scripts.campaign.serving import Application
from scripts.cluster.balancer import Balancer, Health
from scripts.cluster.node import Node, Ports

NODES, APPLICATIONS = 3, 2


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
        self.applications = [
            Application(
                folder / f"application-{number}", next(ports), folder / f"application-{number}.log",
                MESOTROPE_DATABASE_URL=url, MESOTROPE_DATABASE_CLUSTER="true",
            )
            for number in range(1, APPLICATIONS + 1)
        ]  # fmt: skip
        self.balancer = Balancer(
            folder, front, back, self.applications, dict(zip(self.health, self.nodes, strict=True))
        )
        self.address = f"http://127.0.0.1:{front}"

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

"""One node of a Galera cluster on loopback: a private MariaDB that replicates with its like."""

from __future__ import annotations

import os
import shutil
import signal
import subprocess
import time
from dataclasses import dataclass
from pathlib import Path

import pymysql

from mesotrope.store.instance import ACCOUNT, DatabaseFailed, Instance

#: The library that replicates, as Debian's galera-4 installs it.
PROVIDER = Path("/usr/lib/galera/libgalera_smm.so")

#: A node that says this may be written to.
SYNCED = "Synced"

_CLUSTER_CNF = """\
[mariadbd]
wsrep_on=ON
wsrep_provider={provider}
wsrep_cluster_name=mesotrope
wsrep_cluster_address=gcomm://{members}
wsrep_node_name=node-{number}
wsrep_node_address=127.0.0.1:{ports.group}
wsrep_sst_method=rsync
wsrep_sst_receive_address=127.0.0.1:{ports.state}
wsrep_provider_options="base_host=127.0.0.1;base_port={ports.group};gmcast.listen_addr=tcp://127.0.0.1:{ports.group};\
ist.recv_addr=127.0.0.1:{ports.changes};evs.keepalive_period=PT0.5S;evs.suspect_timeout=PT2S;evs.inactive_timeout=PT4S;\
evs.install_timeout=PT4S;gcache.size=64M"
binlog_format=ROW
default_storage_engine=InnoDB
innodb_autoinc_lock_mode=2
wsrep_slave_threads=2
log_bin_trust_function_creators=1
"""


@dataclass(frozen=True)
class Ports:
    """Where a node listens: for queries, for its group, for a whole state and for missed changes."""

    queries: int
    group: int
    state: int
    changes: int


class Node(Instance):
    """A node; all of a cluster share one password, for its accounts come with the state.

    Its server is never root's: what sends and takes a state then has no rights but those on its own folder.
    """

    runs_as = "mysql"

    def __init__(self, cluster: Path, number: int, ports: Ports, members: list[Ports]) -> None:
        super().__init__(cluster / f"node-{number}", ports.queries, buffer_mib=96)
        self.number = number
        self._cluster, self._ports, self._members = cluster, ports, members

    @property
    def password(self) -> str:
        return Instance(self._cluster, 0).password

    def _write_configuration(self) -> None:
        super()._write_configuration()
        members = ",".join(f"127.0.0.1:{one.group}" for one in self._members)
        more = _CLUSTER_CNF.format(provider=PROVIDER, members=members, number=self.number, ports=self._ports)
        with (self.folder / "my.cnf").open("a") as file:
            file.write(more)

    def _install(self) -> None:
        if os.getuid() == 0:
            for folder in (self.folder, self.folder / "data", self.folder / "tmp"):
                shutil.chown(folder, self.runs_as)
        super()._install()

    def begin(self, *, first: bool = False) -> None:
        """Start the node's process: the first begins the cluster, the others join it. See `wait_until_synced`."""
        if not PROVIDER.exists():
            raise DatabaseFailed("Galera is not installed: apt-get install galera-4 mariadb-server rsync")
        program = shutil.which("mariadbd", path=f"{os.environ.get('PATH', '')}:/usr/sbin")
        assert program
        self.make()
        self._process = subprocess.Popen(
            [
                program, f"--defaults-file={self.folder}/my.cnf", *self._by_root,
                *(["--wsrep-new-cluster"] if first else []),
            ],
            env={**os.environ, "PATH": f"{os.environ.get('PATH', '')}:/usr/sbin"},
            start_new_session=True, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL,
        )  # fmt: skip
        if first:
            self._wait(self._superuser_answers, "did not start")
            self._prepare((ACCOUNT,))

    def state(self) -> str:
        """What the node says of itself: `Synced` where it can be used; empty where it does not answer."""
        try:
            connection = pymysql.connect(
                host="127.0.0.1", port=self.port, user=ACCOUNT, password=self.password, connect_timeout=1,
                read_timeout=1,
            )  # fmt: skip
            with connection, connection.cursor() as cursor:
                cursor.execute("show status where Variable_name in ('wsrep_local_state_comment', 'wsrep_ready')")
                said = dict(cursor.fetchall())
        except (pymysql.MySQLError, OSError):
            return ""
        return str(said["wsrep_local_state_comment"]) if said.get("wsrep_ready") == "ON" else "not ready"

    def wait_until_synced(self, seconds: float = 90) -> float:
        """Wait until the node has everything; returns how long that took, seconds."""
        began = time.monotonic()
        self._wait(lambda: self.state() == SYNCED, "did not catch up", seconds)
        return time.monotonic() - began

    def kill(self) -> None:
        """End the process as a power cut does."""
        if self._process is not None:
            os.killpg(self._process.pid, signal.SIGKILL)
            self._process.wait()
            self._process = None

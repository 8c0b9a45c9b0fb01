"""Several application processes on one port: they share the listening socket, and one that ends is started again."""

from __future__ import annotations

import logging
import os
import signal
import socket
import subprocess
import sys
import time
from collections.abc import Callable
from contextlib import suppress

from mesotrope.settings import Settings

LOG = logging.getLogger("mesotrope.processes")

#: How often it is looked whether all still run, and how long one may take to end, seconds.
LOOK_S, END_S = 0.5, 10.0

#: Connections that wait to be taken by a process.
BACKLOG = 2048


def processes_of(chosen: Settings, database_url: str) -> Callable[[], None]:
    """Listen at the application's address, and get ready to run the processes there. The database is ready."""
    shared = socket.create_server((chosen.host, chosen.port), backlog=BACKLOG)
    shared.set_inheritable(True)
    return lambda: _run(chosen, database_url, shared)


def _run(chosen: Settings, database_url: str, shared: socket.socket) -> None:
    """Run the processes until told to stop; then end them in order."""
    running = {number: _start(chosen, database_url, shared, number) for number in range(chosen.processes)}
    try:
        while True:
            time.sleep(LOOK_S)
            for number, process in running.items():
                if process.poll() is not None:
                    LOG.error("process %d ended by itself (%d) and is started again", number, process.returncode)
                    running[number] = _start(chosen, database_url, shared, number)
    finally:
        _end(list(running.values()))
        shared.close()


def _start(chosen: Settings, database_url: str, shared: socket.socket, number: int) -> subprocess.Popen[bytes]:
    said = {
        "MESOTROPE_DATABASE_URL": database_url,
        "MESOTROPE_DEMO": "true" if chosen.demo else "false",
        "MESOTROPE_METRICS_PORT": str(chosen.metrics_port + number if chosen.metrics_port else 0),
    }
    return subprocess.Popen(
        [sys.executable, "-m", "mesotrope.cli", "serve-on", str(shared.fileno())],
        env={**os.environ, **said},
        pass_fds=[shared.fileno()],
        start_new_session=True,  # Ctrl-C reaches this process, which then ends them in order
    )


def _end(processes: list[subprocess.Popen[bytes]]) -> None:
    for process in processes:
        with suppress(ProcessLookupError):
            process.send_signal(signal.SIGTERM)
    end = time.monotonic() + END_S
    for process in processes:
        try:
            process.wait(max(0.1, end - time.monotonic()))
        except subprocess.TimeoutExpired:
            process.kill()
            process.wait()

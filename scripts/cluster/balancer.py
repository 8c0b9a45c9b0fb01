"""The balancer in front of nodes and applications (haproxy): a node is used while it says that it is in step, an
application while it says that it is ready."""

from __future__ import annotations

import os
import subprocess
import threading
import time
from collections.abc import Mapping, Sequence
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from pathlib import Path
from typing import Protocol

from scripts.cluster.node import SYNCED, Node

_HAPROXY = """\
global
  maxconn 4000
defaults
  timeout connect 2s
  timeout client 10m
  timeout server 10m
  timeout check 2s
  retries 2
  option redispatch
listen applications
  mode http
  bind 127.0.0.1:{front}
  balance roundrobin
  option httpchk
  http-check send meth GET uri /ready ver HTTP/1.1 hdr Host 127.0.0.1
  default-server check inter 500ms fall 2 rise 1 on-marked-down shutdown-sessions
{applications}
listen nodes
  mode tcp
  bind 127.0.0.1:{back}
  balance roundrobin
  option httpchk GET /
  default-server inter 500ms fall 1 rise 2 on-marked-down shutdown-sessions
{nodes}
"""


class Health:
    """Answers whether a node is in step, on a port of its own, for the balancer's checks."""

    def __init__(self, node: Node, port: int) -> None:
        class Answer(BaseHTTPRequestHandler):
            def do_GET(self) -> None:
                self.send_response(200 if node.state() == SYNCED else 503)
                self.end_headers()

            def log_message(self, format: str, *args: object) -> None:
                """Nothing: a check every half second is not worth a line."""

        self.port = port
        self._server = ThreadingHTTPServer(("127.0.0.1", port), Answer)
        threading.Thread(target=self._server.serve_forever, daemon=True).start()

    def stop(self) -> None:
        self._server.shutdown()
        self._server.server_close()


class Listening(Protocol):
    @property
    def port(self) -> int: ...


class Balancer:
    """haproxy with a configuration of its own; `front` for people, `back` for the applications' queries."""

    def __init__(
        self, folder: Path, front: int, back: int, applications: Sequence[Listening], nodes: Mapping[Health, Node]
    ) -> None:
        self.front, self.back = front, back
        self._file = folder / "haproxy.cfg"
        self._file.write_text(
            _HAPROXY.format(
                front=front,
                back=back,
                applications="\n".join(
                    f"  server application-{number} 127.0.0.1:{one.port}"
                    for number, one in enumerate(applications, start=1)
                ),
                nodes="\n".join(
                    f"  server node-{node.number} 127.0.0.1:{node.port} check port {health.port}"
                    for health, node in nodes.items()
                ),
            )
        )
        self._process: subprocess.Popen[bytes] | None = None

    def start(self) -> None:
        program = next((path for path in ("/usr/sbin/haproxy", "/usr/bin/haproxy") if os.path.exists(path)), "haproxy")
        self._process = subprocess.Popen(
            [program, "-db", "-f", str(self._file)],
            start_new_session=True, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL,
        )  # fmt: skip
        time.sleep(1.0)  # two checks, before anything is asked

    def stop(self) -> None:
        if self._process is not None:
            self._process.terminate()
            self._process.wait()
            self._process = None

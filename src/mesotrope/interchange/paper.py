"""Pages on paper: HTML set as PDF, on A4 or Letter. Nothing is fetched from anywhere.

A page takes a second of computing to set, in a library that keeps its fonts for its whole process. So that is a process
of its own: pages and entries go on meanwhile, and what is printed does not wait for its turn between them.
"""

from __future__ import annotations

import atexit
import json
import logging
import subprocess
import sys
from contextlib import suppress
from threading import Lock, Timer
from typing import Literal

from mesotrope.errors import Busy

LOG = logging.getLogger("mesotrope.paper")

Paper = Literal["a4", "letter"]

#: How long one page may take, seconds; then the process that sets it is given up.
SETS_FOR_S = 60.0


class Typesetter:
    """A process that sets pages as PDF, one after the other (`typesetting`): started when it is needed, and again where
    it ended. It ends by itself once its input does, with the process that it works for."""

    def __init__(self, sets_for_s: float = SETS_FOR_S) -> None:
        self._sets_for_s = sets_for_s
        self._process: subprocess.Popen[bytes] | None = None
        self._one_at_a_time = Lock()

    def get_ready(self) -> None:
        """Start it, if it does not run: loading its library takes a second."""
        with self._one_at_a_time:
            self._running()

    def to_pdf(self, html: str, paper: Paper) -> bytes:
        """Set a page as PDF. Raises `Busy` where that takes too long, or the process ends over it twice."""
        with self._one_at_a_time:
            for _ in range(2):
                process = self._running()
                too_long = Timer(self._sets_for_s, process.kill)
                too_long.start()
                try:
                    return self._set(process, html, paper)
                except (OSError, EOFError):
                    LOG.warning("the process that sets pages on paper ended and is started again")
                    self._give_up(process)
                finally:
                    too_long.cancel()
        raise Busy("The page could not be set on paper")

    def stop(self) -> None:
        """End it, if it runs, whatever it is at."""
        if (process := self._process) is not None:
            self._give_up(process)

    def _running(self) -> subprocess.Popen[bytes]:
        if self._process is not None and self._process.poll() is not None:
            self._give_up(self._process)  # it ended by itself: its pipes are still to be closed
        if self._process is None:
            self._process = subprocess.Popen(
                [sys.executable, "-m", "mesotrope.interchange.typesetting"],
                stdin=subprocess.PIPE, stdout=subprocess.PIPE, start_new_session=True,
            )  # fmt: skip
        return self._process

    def _give_up(self, process: subprocess.Popen[bytes]) -> None:
        self._process = None
        process.kill()
        with suppress(OSError, ValueError):  # closed already
            process.communicate()

    @staticmethod
    def _set(process: subprocess.Popen[bytes], html: str, paper: Paper) -> bytes:
        """Ask for a page: a line with it, answered by a line that says how many bytes follow, or what went wrong."""
        assert process.stdin is not None
        assert process.stdout is not None
        process.stdin.write(json.dumps({"html": html, "paper": paper}).encode() + b"\n")
        process.stdin.flush()
        if not (line := process.stdout.readline()):
            raise EOFError
        said = json.loads(line)
        if "failed" in said:
            raise RuntimeError(said["failed"])
        written = process.stdout.read(said["bytes"])
        if len(written) < said["bytes"]:
            raise EOFError
        return written


_typesetter = Typesetter()
atexit.register(_typesetter.stop)


def to_pdf(html: str, paper: Paper) -> bytes:
    """Set a page as PDF, by this process's typesetter. Raises `Busy` where that cannot be done now."""
    return _typesetter.to_pdf(html, paper)


def get_ready() -> None:
    """Start this process's typesetter before anybody waits for it."""
    _typesetter.get_ready()

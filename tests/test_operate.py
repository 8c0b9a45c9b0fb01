"""Running for real: the server starts, answers, and Ctrl-C stops it and its database."""

from __future__ import annotations

import os
import re
import signal
import subprocess
import sys
import time
import urllib.request

import pytest

from mesotrope.operate import private_instance, reset
from mesotrope.settings import Settings
from tests.conftest import PASSWORD, free_port


@pytest.fixture
def surroundings(tmp_path):
    """Settings of a checkout of its own, and the environment that says them."""
    port = free_port()
    while not 1024 < port < 55_000:
        port = free_port()
    chosen = Settings(run_folder=tmp_path / "run", port=port)
    said = {
        "MESOTROPE_RUN_FOLDER": str(chosen.run_folder),
        "MESOTROPE_PORT": str(port),
        "MESOTROPE_PASSWORD_MEMORY_KIB": "16",
        "MESOTROPE_PASSWORD_ROUNDS": "1",
        "PYTHONUNBUFFERED": "1",
    }
    yield chosen, {**os.environ, **said}
    reset(chosen)


def _get(address: str) -> str:
    with urllib.request.urlopen(address, timeout=20) as page:
        return page.read().decode()


def test_serve_says_its_address_answers_and_stops_in_order(surroundings):
    chosen, environment = surroundings
    running = subprocess.Popen(
        [sys.executable, "-m", "mesotrope.cli", "serve", "--demo"],
        env=environment, stdout=subprocess.PIPE, text=True,
    )  # fmt: skip
    address = re.search(r"http://\S+", running.stdout.readline())[0]
    for _ in range(100):
        try:
            page = _get(f"{address}/sign-in")
            break
        except OSError:
            time.sleep(0.1)
    assert "made-up people" in page
    assert '"status":"ok"' in _get(f"{address}/health")
    assert private_instance(chosen).answers()
    running.send_signal(signal.SIGINT)
    rest = running.communicate(timeout=30)[0]
    assert "Stopped." in rest
    assert running.returncode == 0
    assert not private_instance(chosen).answers()


def _add_person(environment, password):
    return subprocess.run(
        [
            sys.executable, "-m", "mesotrope.cli", "add-person", "--workshop", "Hill Brakes", "--town", "Testing",
            "--sign-in-name", "Ada", "--name", "Ada Hill", "--role", "lead", "--password", password,
        ],
        env=environment, capture_output=True, text=True, check=False,
    )  # fmt: skip


def test_a_person_is_added_once_and_needs_a_long_password(surroundings):
    _, environment = surroundings
    short = _add_person(environment, "short")
    assert short.returncode == 2
    assert "12 to 1000 characters are needed" in short.stderr
    assert "short" not in short.stderr.replace("…", "")
    added = _add_person(environment, PASSWORD)
    assert added.stdout.strip().endswith("Ada Hill can sign in as ada.")
    assert "it is taken" in _add_person(environment, PASSWORD).stderr

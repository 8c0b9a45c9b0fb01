"""Running for real: the server starts, answers, and Ctrl-C stops it and its database."""

from __future__ import annotations

import os
import random
import re
import signal
import socket
import subprocess
import sys
import time
import urllib.request
from contextlib import suppress
from pathlib import Path

import httpx2
import pytest

from mesotrope.errors import InvalidInput
from mesotrope.operate import database_url, private_instance, reset, stop
from mesotrope.settings import Settings
from tests.by_command import by_command
from tests.conftest import PASSWORD, free_port


@pytest.fixture
def nothing(tmp_path):
    """Settings of a checkout of its own where nothing was made yet, and the environment that says them."""
    port = free_port()
    chosen = Settings(run_folder=tmp_path / "run", port=port)
    said = {
        "MESOTROPE_RUN_FOLDER": str(chosen.run_folder),
        "MESOTROPE_DEMO_CLOSED": "0",
        "MESOTROPE_DEMO_DAY": "0",
        "MESOTROPE_PORT": str(port),
        "MESOTROPE_PASSWORD_MEMORY_KIB": "16",
        "MESOTROPE_PASSWORD_ROUNDS": "1",
        "PYTHONUNBUFFERED": "1",
    }
    yield chosen, {**os.environ, **said}
    reset(chosen, even_real_people=True)


@pytest.fixture
def surroundings(nothing):
    """The same, with its database made and brought to this version."""
    private_instance(nothing[0]).make()
    return nothing


@pytest.fixture
def up(surroundings):
    """The same, with its database up: an operator's command finds it running, and leaves it so."""
    with database_url(surroundings[0]):
        yield surroundings


def _get(address: str) -> str:
    with urllib.request.urlopen(address, timeout=20) as page:
        return page.read().decode()


def _serve(environment, *options):
    return subprocess.Popen(
        [sys.executable, "-m", "mesotrope.cli", "serve", *options],
        env=environment, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True,
    )  # fmt: skip


def _served(running):
    """Its address and its first page, once it answers."""
    said = running.stdout.readline()
    while "Mesotrope is at" not in said:
        said = running.stdout.readline()
    address = re.search(r"http://\S+", said)[0]
    for _ in range(100):
        try:
            return address, _get(f"{address}/sign-in")
        except OSError:
            time.sleep(0.1)
    raise AssertionError("it does not answer")


@pytest.mark.parametrize(
    ("ending", "options", "words"),
    [(signal.SIGINT, ["--demo"], "made-up people"), (signal.SIGTERM, [], "Nobody works here yet")],
)
def test_serve_says_its_address_answers_and_stops_in_order(surroundings, ending, options, words):
    chosen, environment = surroundings
    running = _serve(environment, *options)
    address, page = _served(running)
    assert words in page
    assert '"status":"ok"' in _get(f"{address}/health")
    assert private_instance(chosen).answers()
    running.send_signal(ending)
    rest = running.communicate(timeout=30)[0]
    assert "Stopped." in rest
    assert running.returncode == 0
    assert not private_instance(chosen).answers()


def _two_free_ports():
    """The first of two ports in a row, of those that the system gives to nobody by itself."""
    while True:
        port = random.randrange(20_000, 32_000)
        with socket.socket() as one, socket.socket() as other, suppress(OSError):
            one.bind(("127.0.0.1", port))
            other.bind(("127.0.0.1", port + 1))
            return port


def _counts(port):
    """How many requests the process at a metrics port has answered."""
    said = re.findall(
        r"^mesotrope_requests_total\{.*\} ([0-9.]+)", _get(f"http://127.0.0.1:{port}/metrics"), re.MULTILINE
    )
    return sum(map(float, said))


def test_two_processes_share_one_port_and_neither_remembers_what_the_other_changed(surroundings):
    """Rules, sessions and entries: whichever process answers, it answers as things are."""
    _, environment = surroundings
    metrics = _two_free_ports()
    running = _serve({**environment, "MESOTROPE_METRICS_PORT": str(metrics)}, "--demo", "--processes", "2")
    address, _ = _served(running)

    def fresh(cookies):
        return httpx2.Client(base_url=address, cookies=cookies, timeout=20)

    with fresh({}) as client:
        lead = re.search(
            r'value="(\d+)">\s*<button class="person-button"><b>[^<]+</b><span>lead', client.get("/sign-in").text
        )
        client.post("/sign-in/demo", data={"person": lead[1]})
        cookies = dict(client.cookies)
    for limit in ("12.5", "11.5", "10.5"):
        with fresh(cookies) as client:
            page = client.get("/rules").text
            token = re.search(r'name="change_token" value="([^"]+)"', page)[1]
            form = {"limit.drag_unsafe_nm": limit, "change_token": token}
            assert client.post("/rules", data=form).status_code in (200, 303)
        for _ in range(12):  # a connection each: both processes take some
            with fresh(cookies) as client:
                assert f'value="{limit}"' in client.get("/rules").text
    assert _counts(metrics) > 0
    assert _counts(metrics + 1) > 0
    children = Path(f"/proc/{running.pid}/task/{running.pid}/children").read_text().split()
    process = next(pid for pid in children if b"serve-on" in Path(f"/proc/{pid}/cmdline").read_bytes())
    os.kill(int(process), signal.SIGKILL)
    for _ in range(12):
        with fresh(cookies) as client:
            assert client.get("/").status_code == 200
    running.send_signal(signal.SIGTERM)
    running.communicate(timeout=40)
    assert running.returncode == 0
    with pytest.raises(OSError, match="refused"):
        _get(f"{address}/health")


def test_a_first_start_prints_the_address_that_sets_the_workshop_up(nothing):
    _, environment = nothing
    running = _serve(environment)
    said = running.stdout.readline()
    address = re.search(r"http://\S+/set-up/\S+", said)[0]
    _, door = _served(running)
    assert "Nobody works here yet" in door
    assert "Set the workshop up" in _get(address)
    with pytest.raises(OSError, match="404"):
        _get(f"{address}x")
    running.send_signal(signal.SIGTERM)
    running.communicate(timeout=30)
    assert _add_person(environment, PASSWORD).returncode == 0
    again = _serve(environment)
    assert "set-up" not in again.stdout.readline()
    again.send_signal(signal.SIGTERM)
    again.communicate(timeout=30)


def _command(environment, *words):
    return by_command(*words, environment=environment)


def _add_person(environment, password):
    return _command(
        environment, "add-person", "--workshop", "Hill Brakes", "--town", "Testing", "--sign-in-name", "Ada", "--name",
        "Ada Hill", "--role", "lead", "--password", password,
    )  # fmt: skip


def test_a_person_is_added_once_and_needs_a_long_password(up):
    _, environment = up
    short = _add_person(environment, "short")
    assert short.returncode == 2
    assert "12 to 1000 characters are needed" in short.stderr
    assert "short" not in short.stderr.replace("…", "")
    added = _add_person(environment, PASSWORD)
    assert added.stdout.strip().endswith("Ada Hill can sign in as ada.")
    assert "it is taken" in _add_person(environment, PASSWORD).stderr


def test_a_second_start_and_an_operators_command_leave_what_runs_alone(surroundings):
    chosen, environment = surroundings
    running = _serve(environment)
    address, _ = _served(running)
    second = _serve(environment)
    assert "it runs already in this checkout" in second.communicate(timeout=30)[1]
    assert second.returncode == 2
    assert _add_person(environment, PASSWORD).returncode == 0
    assert private_instance(chosen).answers()
    assert '"status":"ok"' in _get(f"{address}/health")
    stop(chosen)
    running.communicate(timeout=30)
    assert running.returncode == 0
    assert not private_instance(chosen).answers()


def test_real_people_are_neither_offered_by_a_demo_nor_thrown_away(surroundings):
    chosen, environment = surroundings
    assert _add_person(environment, PASSWORD).returncode == 0
    demo = _serve(environment, "--demo")
    assert "it holds 1 people who are not the demo's" in demo.communicate(timeout=60)[1]
    with pytest.raises(InvalidInput, match="--delete-real-people throws them and their jobs away"):
        reset(chosen)
    assert (chosen.run_folder / "mariadb" / "data").is_dir()
    assert not private_instance(chosen).answers()


def test_a_database_that_ends_by_itself_is_started_again(surroundings):
    chosen, environment = surroundings
    running = _serve(environment)
    address, _ = _served(running)
    instance = private_instance(chosen)
    ended = int((instance.folder / "mariadbd.pid").read_text())
    os.kill(ended, signal.SIGKILL)
    for _ in range(200):
        if instance.answers():
            break
        time.sleep(0.05)
    assert "Nobody works here yet" in _get(f"{address}/sign-in")
    running.send_signal(signal.SIGTERM)
    assert "started again" in running.communicate(timeout=30)[1]
    assert not instance.answers()


def test_a_database_that_a_killed_application_left_is_taken_over_and_stopped_in_the_end(surroundings):
    chosen, environment = surroundings
    first = _serve(environment)
    _served(first)
    first.kill()
    first.communicate()
    assert private_instance(chosen).answers()
    second = _serve(environment)
    _served(second)
    second.send_signal(signal.SIGTERM)
    second.communicate(timeout=30)
    assert not private_instance(chosen).answers()


def test_a_lost_password_and_a_backup_by_command(up, tmp_path):
    chosen, environment = up
    _add_person(environment, PASSWORD)
    told = _command(environment, "set-password", "--sign-in-name", "Ada", "--password", "another long password")
    assert told.stdout.strip().endswith("ada signs in with the new password from now on.")
    assert "no such sign-in name" in _command(
        environment, "set-password", "--sign-in-name", "bob", "--password", "another long password"
    ).stderr  # fmt: skip
    made = _command(environment, "backup", str(tmp_path / "backup"))
    assert re.search(r"backup holds \d+ rows of \d+ tables", made.stdout)
    refused = _command(environment, "restore", str(tmp_path / "backup"))
    assert refused.returncode == 2
    assert "into an empty database only" in refused.stderr
    beside = private_instance(chosen)
    beside.start(("mesotrope_restored",))
    elsewhere = environment | {"MESOTROPE_DATABASE_URL": beside.url("mesotrope_restored")}
    assert re.search(r"Restored \d+ rows", _command(elsewhere, "restore", str(tmp_path / "backup")).stdout)
    assert "it is taken" in _add_person(elsewhere, PASSWORD).stderr

"""Violent stops of application and database while clients write: what was acknowledged is there, once."""

from __future__ import annotations

import contextlib
import os
import random
import re
import secrets
import signal
import statistics
import subprocess
import threading
import time
from dataclasses import dataclass, field
from pathlib import Path

import httpx2
from sqlalchemy import create_engine, text

from scripts.campaign import Trial
from scripts.campaign.serving import Served, served

WRITERS = 4
PLACES = [f"rotor_mm.{place}" for place in range(1, 5)]


@dataclass
class Writers:
    """Clients that enter figures, each under a key of its own, and send again what was not acknowledged."""

    at: Served
    job: str
    stop: threading.Event = field(default_factory=threading.Event)
    acknowledged: dict[str, str] = field(default_factory=dict)
    refused: dict[int, int] = field(default_factory=dict)
    bare: list[str] = field(default_factory=list)

    def run(self, seed: int) -> None:
        dice, client = random.Random(seed), None
        while not self.stop.is_set():
            key, value = f"stop-{secrets.token_hex(8)}", f"{dice.uniform(20, 28):.3f}"
            path = dice.choice(PLACES)
            while not self.stop.is_set():
                try:
                    client = client or self.at.signed_in()
                    sent = {"corner": "front_left", "path": path, "value": value, "confirmed": "yes"}
                    answer = client.post(f"/jobs/{self.job}/findings", data=sent, headers={"Idempotency-Key": key})
                except (httpx2.HTTPError, TypeError):  # nothing answers, or not yet with a page
                    time.sleep(0.05)
                    continue
                if answer.status_code == 303 and "/sign-in" not in answer.headers["location"]:
                    self.acknowledged[key] = value
                    break
                self.refused[answer.status_code] = self.refused.get(answer.status_code, 0) + 1
                if "content-security-policy" not in answer.headers:
                    self.bare.append(f"{answer.status_code} without the security headers")
                if answer.status_code in (303, 401, 403):
                    client = None
                time.sleep(0.05)

    def __enter__(self) -> Writers:
        self.threads = [threading.Thread(target=self.run, args=(n,), daemon=True) for n in range(WRITERS)]
        for thread in self.threads:
            thread.start()
        return self

    def __exit__(self, *_: object) -> None:
        self.stop.set()
        for thread in self.threads:
            thread.join()


def open_job(at: Served) -> str:
    """A job of the demo."""
    return re.search(r"/jobs/(\d+)/", at.signed_in().get("/").text)[1]


def account(at: Served, writers: Writers) -> list[str]:
    """What of the acknowledged entries is lost, doubled or changed."""
    engine = create_engine(at.database.url())
    query = text("select idempotency_key, count(*), min(value) from finding_entries where job_id = :job group by 1")
    with engine.connect() as connection:
        there = {key: (count, value) for key, count, value in connection.execute(query, {"job": writers.job})}
    engine.dispose()
    wrong = []
    for key, value in writers.acknowledged.items():
        count, kept = there.get(key, (0, None))
        if count != 1 or abs(float(kept) - float(value)) > 1e-9:
            wrong.append(f"{key}: acknowledged with {value}, there {count} times with {kept}")
    return wrong


def violent_stops(at: Served, stops: int, seed: int) -> Trial:
    """Kill the application or its database again and again; the database comes back by itself."""
    trial = Trial("violent stops under writing clients", "nothing acknowledged lost or doubled")
    dice = random.Random(seed)
    with Writers(at, open_job(at)) as writers:
        for number in range(stops):
            time.sleep(dice.uniform(0.2, 1.2))
            which = dice.choice(["application", "database", "both"])
            if which != "application":
                at.kill_database()
            if which != "database":
                at.kill_application()
                at.start()
            end = time.monotonic() + 20
            while not at.is_ready() and time.monotonic() < end:
                time.sleep(0.05)
            before = len(writers.acknowledged)
            while len(writers.acknowledged) < before + 3 and time.monotonic() < end:
                time.sleep(0.05)
            trial.hold(len(writers.acknowledged) >= before + 3, f"stop {number} of the {which}: nobody can write again")
        writers.__exit__()
        trial.failed += account(at, writers) + writers.bare
        trial.figures = {
            "entries acknowledged": str(len(writers.acknowledged)),
            "answers meanwhile": ", ".join(f"{status}: {n}" for status, n in sorted(writers.refused.items())) or "none",
        }
    return trial


def outages(at: Served, times: int, frozen_s: float) -> Trial:
    """The database is killed, and then frozen: pages say so, and everything comes back without a hand."""
    trial = Trial("outages of the database", "503 in words meanwhile, back in under 5 s")
    with Writers(at, open_job(at)) as writers:
        client = at.signed_in()
        took = []
        for number in range(times):
            time.sleep(0.5)
            at.kill_database()
            began, answers = time.monotonic(), set()
            while time.monotonic() < began + 20:
                with contextlib.suppress(httpx2.HTTPError):
                    answers.add(client.get("/").status_code)
                    if at.is_ready() and client.get("/").status_code == 200:
                        break
            took.append(time.monotonic() - began)
            trial.hold(answers <= {200, 503}, f"outage {number}: answers {answers}")
            trial.hold(took[-1] < 5, f"outage {number}: back only after {took[-1]:.1f} s")
        os.kill(at.database_pid(), signal.SIGSTOP)
        try:
            time.sleep(1)
            began = time.monotonic()
            answer = client.get("/", headers={"accept": "text/html"})
            asked = time.monotonic() - began
            worded = answer.status_code == 503 and "try again" in answer.text
            trial.hold(worded and "content-security-policy" in answer.headers, f"frozen: {answer.status_code}")
            trial.hold(httpx2.get(f"{at.address}/health").status_code == 200, "frozen: /health is not 200")
            trial.hold(not at.is_ready(), "frozen: /ready says ready")
            time.sleep(frozen_s)
        finally:
            os.kill(at.database_pid(), signal.SIGCONT)
        began = time.monotonic()
        while not at.is_ready() and time.monotonic() < began + 20:
            time.sleep(0.05)
        thawed = time.monotonic() - began
        trial.hold(thawed < 5, f"thawed: back only after {thawed:.1f} s")
        time.sleep(1)
        writers.__exit__()
        trial.failed += account(at, writers) + writers.bare
        trial.figures = {
            "back after a kill, s": f"{statistics.median(took):.1f}, worst {max(took):.1f}",
            "a page's answer while frozen, s": f"{asked:.1f}",
            "back after thawing, s": f"{thawed:.1f}",
            "entries acknowledged": str(len(writers.acknowledged)),
        }
    return trial


def full_disk(megabytes: int = 260) -> Trial:
    """The database's disk fills up while clients write, and gets room again."""
    trial = Trial("a full disk", "503 in words, nothing acknowledged lost, recovers with room")
    folder = Path("/tmp") / f"mesotrope-disk-{os.getpid()}"
    folder.mkdir()
    mounted = subprocess.run(
        ["mount", "-t", "tmpfs", "-o", f"size={megabytes}m", "tmpfs", str(folder)], capture_output=True, check=False
    )
    if mounted.returncode:
        folder.rmdir()
        trial.skipped = "mounting a small disk needs root"
        return trial
    try:
        with served(folder) as at, Writers(at, open_job(at)) as writers:
            client = at.signed_in()
            filler = folder / "filler"
            with filler.open("wb") as file, contextlib.suppress(OSError):
                while True:
                    file.write(b"\0" * 65_536)
                    file.flush()
            worded = _fill_the_rest(client, writers.job)
            trial.hold(bool(worded), "the disk is full, and nothing says so")
            trial.hold(worded <= {"200", "303", "503 disk"}, f"answers with a full disk: {worded}")
            filler.unlink()
            began = time.monotonic()
            before = len(writers.acknowledged)
            while len(writers.acknowledged) < before + 5 and time.monotonic() < began + 30:
                time.sleep(0.1)
            trial.hold(len(writers.acknowledged) >= before + 5, "with room again, nobody can write")
            writers.__exit__()
            trial.failed += account(at, writers) + writers.bare
            trial.figures = {
                "answers while full": ", ".join(sorted(worded)),
                "entries acknowledged": str(len(writers.acknowledged)),
                "writing again after, s": f"{time.monotonic() - began:.1f}",
            }
    finally:
        subprocess.run(["umount", "-l", str(folder)], capture_output=True, check=False)
        folder.rmdir()
    return trial


def _fill_the_rest(client: httpx2.Client, job: str) -> set[str]:
    """Write photographs until the tables themselves have no room; what was answered."""
    from scripts.campaign.surroundings import picture

    answers = set()
    for number in range(400):
        big = picture((1200 + number, 900))
        answer = client.post(
            f"/jobs/{job}/photographs", files={"picture": ("x", big)}, data={"corner": "rear_left", "stage": "look"}
        )
        if answer.status_code == 422:  # a job keeps so many only: the next one
            client.post("/jobs", data={"label": f"Filler {number}", "kind": "car"})
            job = re.search(r"/jobs/(\d+)/", client.get("/").text)[1]
            continue
        disk = " disk" if "disk is full" in answer.text else ""
        answers.add(f"{answer.status_code}{disk}")
        if answer.status_code >= 500:
            break
    return answers

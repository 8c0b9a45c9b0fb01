"""Crowds: documents for everybody at once, large pictures, and clients that never finish their request."""

from __future__ import annotations

import contextlib
import resource
import socket
import statistics
import threading
import time
from pathlib import Path

import httpx2

from scripts.campaign import Trial
from scripts.campaign.serving import Served
from scripts.campaign.stops import open_job
from scripts.campaign.surroundings import picture

BYSTANDERS = 4


def _watched(
    client: httpx2.Client, addresses: list[str], ended: threading.Event, took: list[float], bad: list[str]
) -> None:
    while not ended.is_set():
        for address in addresses:
            began = time.monotonic()
            answer = client.get(address)
            took.append(time.monotonic() - began)
            if answer.status_code != 200:
                bad.append(f"{address}: {answer.status_code}")
            time.sleep(0.1)


def documents_at_once(at: Served, documents: int) -> Trial:
    """So many documents are asked for at once, by people who are signed in; bystanders go on with their pages."""
    trial = Trial(f"{documents} documents at once", "bystanders' 95th percentile under 1 s")
    job = open_job(at)
    took: list[float] = []
    ended = threading.Event()
    watching = [
        threading.Thread(
            target=_watched,
            args=(at.signed_in(), [f"/jobs/{job}/strip", "/", "/take-in"], ended, took, trial.failed),
        )
        for _ in range(BYSTANDERS)
    ]
    for thread in watching:
        thread.start()
    statuses: list[int] = []

    def make(client: httpx2.Client) -> None:
        client.timeout = 300
        statuses.append(client.get(f"/jobs/{job}/card.pdf").status_code)

    makers = [threading.Thread(target=make, args=(at.signed_in(),)) for _ in range(documents)]
    began = time.monotonic()
    for thread in makers:
        thread.start()
    for thread in makers:
        thread.join()
    lasted = time.monotonic() - began
    ended.set()
    for thread in watching:
        thread.join()
    late = statistics.quantiles(took, n=20)[-1]
    trial.hold(late < 1, f"the 95th percentile of the bystanders is {late:.2f} s")
    for status in statuses:
        trial.hold(status in (200, 503), f"a document was answered with {status}")
    trial.figures = {
        "bystanders' median, ms": f"{1000 * statistics.median(took):.0f}",
        "bystanders' 95th percentile, ms": f"{1000 * late:.0f}",
        "documents made": f"{statuses.count(200)} of {documents} in {lasted:.0f} s",
    }
    return trial


def large_pictures(at: Served, at_once: int = 8) -> Trial:
    """Pictures of 59 megapixels at once, and one that is beyond the limit."""
    trial = Trial("large pictures", "taken two at a time; beyond the limit refused with its size")
    job = open_job(at)
    allowed, beyond = picture((7680, 7680), "PNG"), picture((8000, 7600), "PNG")
    client = at.signed_in()
    client.timeout = 120

    def send(data: bytes) -> httpx2.Response:
        sent = {"corner": "rear_left", "stage": "look"}
        return client.post(f"/jobs/{job}/photographs", files={"picture": ("x", data)}, data=sent)

    before = at.memory_mb()
    threads = [
        threading.Thread(target=lambda: trial.hold((found := send(allowed).status_code) == 303, f"answered {found}"))
        for _ in range(at_once)
    ]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    most = at.memory_mb("VmHWM")
    trial.hold(most - before < 800, f"memory grew by {most - before:.0f} MB")
    answer = send(beyond)
    trial.hold(answer.status_code == 422 and "8000 × 7600" in answer.text, f"beyond the limit: {answer.status_code}")
    trial.figures = {"memory at most beyond the start, MB": f"{most - before:.0f}"}
    return trial


def silent_clients(at: Served, clients: int) -> Trial:
    """Clients that send half a request, or half a body, and wait."""
    trial = Trial(f"{clients} half requests", "others are answered meanwhile; all are closed in time")
    soft, hard = resource.getrlimit(resource.RLIMIT_NOFILE)
    resource.setrlimit(resource.RLIMIT_NOFILE, (min(hard, max(soft, clients + 500)), hard))
    halves = (
        b"GET / HTT",
        b"POST /sign-in HTTP/1.1\r\nHost: 127.0.0.1\r\nContent-Length: 9000\r\n\r\nname=",
        b"",
    )
    with contextlib.ExitStack() as stack:
        client = at.signed_in()
        sockets = []
        for number in range(clients):
            one = stack.enter_context(socket.create_connection(("127.0.0.1", at.settings.port), timeout=10))
            with contextlib.suppress(OSError):
                one.sendall(halves[number % len(halves)])
            sockets.append(one)
        took = []
        for _ in range(10):
            began = time.monotonic()
            answer = client.get("/")
            trial.hold(answer.status_code == 200, f"a page is answered with {answer.status_code}: {answer.text[-300:]}")
            took.append(time.monotonic() - began)
        assert at.process is not None
        files = len(list(Path(f"/proc/{at.process.pid}/fd").iterdir()))
        began = time.monotonic()
        left = set(sockets)
        while left and time.monotonic() < began + 60:
            for one in list(left):
                one.setblocking(False)
                with contextlib.suppress(BlockingIOError):
                    try:
                        if not one.recv(4096):
                            left.discard(one)
                    except OSError as error:
                        if isinstance(error, BlockingIOError):
                            raise
                        left.discard(one)
            time.sleep(0.2)
        trial.hold(not left, f"{len(left)} half requests are still open after 60 s")
        trial.figures = {
            "open files meanwhile": str(files),
            "a page's median meanwhile, ms": f"{1000 * statistics.median(took):.0f}",
            "all closed after, s": f"{time.monotonic() - began:.0f}",
        }
    return trial

"""Several clients on one process, each entering at a job of its own without a pause. Prints rows for `make bench`."""

from __future__ import annotations

import threading
import time
from collections.abc import Iterator

from scripts.bench.client import Client

#: How many clients at once, and for how long they enter, seconds.
CLIENTS, FOR_S = (1, 4, 16), 12.0


def crowd_rows(address: str) -> Iterator[tuple[str, list[float], str]]:
    """Rows of the table: what, the milliseconds of every entry, and the target."""
    most = 0.0
    for count in CLIENTS:
        took_ms = _entries_of(address, count)
        a_second = len(took_ms) / FOR_S
        most = max(most, a_second)
        target = "" if count < max(CLIENTS) else f"as many a second as by fewer: {most:.1f}"
        yield f"entry, {count} clients at once: {a_second:.1f} a second", took_ms, target


def _entries_of(address: str, count: int) -> list[float]:
    """The milliseconds of every entry that so many clients made, all of them together."""
    took_ms: list[float] = []
    clients = [Client(address) for _ in range(count)]
    for client in clients:
        client.take_in()
    newest = clients[0].newest_job()
    ends = time.perf_counter() + FOR_S

    def enter(client: Client, job: int) -> None:
        while time.perf_counter() < ends:
            start = time.perf_counter()
            client.entry(job)
            took_ms.append(1000 * (time.perf_counter() - start))

    threads = [threading.Thread(target=enter, args=(one, newest - n)) for n, one in enumerate(clients)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    return sorted(took_ms)

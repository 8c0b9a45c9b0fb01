"""The application beside its floor, and beside an earlier revision of itself: asked in turn, so that a machine that
slows down slows all of them. Prints what each takes and its ratio to the floor."""

from __future__ import annotations

import statistics
import tempfile
import time
from collections.abc import Callable, Iterator
from contextlib import ExitStack, contextmanager
from pathlib import Path

import httpx2

from mesotrope.store.instance import Instance
from scripts.bench.client import Client
from scripts.earlier import checkout
from tests.conftest import free_port
from tests.served import in_a_process, served_apart

TIMES, WARM = 40, 5


def print_in_turn(before: str | None) -> None:
    """before : a revision to be held against this checkout."""
    with ExitStack() as stack:
        floor = httpx2.Client(base_url=stack.enter_context(_floor()))
        now = stack.enter_context(Client(stack.enter_context(served_apart())))
        then = None
        if before:
            tree = stack.enter_context(checkout(before))
            then = stack.enter_context(Client(stack.enter_context(served_apart(tree))))
        page, entry = len(now.page().encode()), len(now.entry().encode())
        follows = "/jobs/1/strip/refresh?axle=rear"
        asked: dict[str, Callable[[], object]] = {
            "floor: a bare page of as many bytes": lambda: floor.get(f"/page/{page}"),
            "floor: an answer of as many bytes as an entry's": lambda: floor.get(f"/page/{entry}"),
            "floor: the same, with three statements in one transaction": lambda: floor.post(f"/entry/{entry}"),
            "page of the job screen": now.page,
            "entry: suspects, verdict and plate": now.entry,
            "what follows it: reasons, next tests, figures": lambda: now.page(follows),
        }
        if then:
            asked |= {
                f"page of the job screen, {before}": then.page,
                f"entry, {before}": then.entry,
                f"what follows it, {before}": lambda: then.page(follows),
            }
        took = _took(asked)
    floors = {"page": "floor: a bare page of as many bytes"}
    with_sql = "floor: the same, with three statements in one transaction"
    print(f"\nIn turn, {TIMES} times each ({page / 1000:.0f} kB a page, {entry / 1000:.0f} kB an entry's answer):\n")
    print("| what | times its floor | median ms | p95 ms |\n|---|---|---|---|")
    for what, times in took.items():
        median_ms = statistics.median(times)
        beside_ms = statistics.median(took[floors.get(what.split(" ")[0], with_sql)])
        print(f"| {what} | {median_ms / beside_ms:.1f} | {median_ms:.1f} | {_p95(times):.1f} |")
    print("\nTargets: a page 3 times its floor, an entry 4 times its floor with three statements.")


def _p95(times: list[float]) -> float:
    return sorted(times)[int(0.95 * len(times))]


def _took(asked: dict[str, Callable[[], object]]) -> dict[str, list[float]]:
    """Milliseconds that each takes, all of them asked one after the other, time after time."""
    out: dict[str, list[float]] = {what: [] for what in asked}
    for number in range(WARM + TIMES):
        for what, ask in asked.items():
            start = time.perf_counter()
            ask()
            if number >= WARM:
                out[what].append(1000 * (time.perf_counter() - start))
    return out


@contextmanager
def _floor() -> Iterator[str]:
    with tempfile.TemporaryDirectory() as folder:
        instance = Instance(Path(folder), free_port(), buffer_mib=64)
        instance.start()
        with in_a_process("scripts.bench.floor", instance.url(), str(free_port())) as address:
            yield address
        instance.stop()

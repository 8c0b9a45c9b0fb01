"""Technicians in turn on one process, each at a vehicle of their own of which all but the pads was found: they measure
these place by place. Prints rows for `make bench`."""

from __future__ import annotations

import itertools
import json
import time
from collections.abc import Iterator

import numpy as np

from mesotrope.core.simulator import inspect_vehicle, simulate_vehicle
from scripts.bench.client import Client
from tests.served import served_apart

#: How many there are.
TECHNICIANS = (1, 3, 10)

CORNERS = ("front_left", "front_right", "rear_left", "rear_right")
PLACES = [
    f"pad_mm.{side}.{place}"
    for side in ("inner", "outer")
    for place in ("lead_rim", "lead_hub", "trail_rim", "trail_hub")
]


def technicians_rows() -> Iterator[tuple[str, list[float], str]]:
    """Rows of the table: what, its milliseconds, the target. The first entry at each vehicle, and what follows it, do
    not count."""
    for count in TECHNICIANS:
        with served_apart() as address, Client(address) as client:
            client.upload("\n".join(map(_vehicle, range(count))))
            newest = client.newest_job()
            entries, follows = zip(*_measured(client, range(newest, newest - count, -1)), strict=True)
        yield f"entry, {count} measuring in turn", sorted(entries), ""
        yield f"what follows it, {count} measuring in turn", sorted(follows), "80"


def _vehicle(seed: int) -> str:
    """A made-up car as a document, with all that can be found of it but its pads."""
    random = np.random.default_rng(100 + seed)
    found = inspect_vehicle(random, simulate_vehicle(random, "car"), thorough=5)
    for corner in found["findings"]["corners"].values():
        corner.pop("pad_mm", None)
    vehicle = {**found["vehicle"], "label": f"Bench {seed}", "registration": f"0-B{seed}"}
    return json.dumps({**found, "vehicle": vehicle}, default=float)


def _measured(client: Client, jobs: range) -> Iterator[tuple[float, float]]:
    """The milliseconds of every entry but the first at each vehicle, and of what follows it."""
    random = np.random.default_rng(1)
    for number, (corner, place, job) in enumerate(itertools.product(CORNERS, PLACES, jobs)):
        start = time.perf_counter()
        client.entry(job, corner, place, round(float(random.uniform(5, 6)), 2))
        entered = time.perf_counter()
        client.page(f"/jobs/{job}/strip/refresh?axle={corner.partition('_')[0]}")
        if number >= len(jobs):
            yield 1000 * (entered - start), 1000 * (time.perf_counter() - entered)

"""How much memory the application takes once it has answered so many different vehicles, as a workshop runs it; by
itself: `python -m scripts.bench.memory [VEHICLES]`.
"""

from __future__ import annotations

import json
import sys
import time
from collections.abc import Iterator
from typing import Any

import numpy as np

from mesotrope.app import GIVES_BACK_EVERY_S
from mesotrope.core.simulator import inspect_vehicle, simulate_vehicle
from scripts.bench.client import Client
from scripts.campaign.serving import served

#: After so many vehicles it is looked how much is taken.
LOOKS = (50, 100, 200, 300, 500, 1000)


def memory_rows(vehicles: int = 200) -> Iterator[tuple[str, float]]:
    """After how many vehicles how many MB are taken, and after a rest; in a process that was started anew."""
    with served() as at:  # lays the database out, and loads the demo
        at.stop()
        at.start()
        with Client(at.address) as client:
            time.sleep(GIVES_BACK_EVERY_S)  # until the tables of every kind are made
            yield "none", at.memory_mb()
            client.upload("\n".join(json.dumps(_document(number)) for number in range(vehicles)))
            newest = client.newest_job()
            for done in range(1, vehicles + 1):
                client.page(f"/jobs/{newest - vehicles + done}/strip?axle=rear")
                if done in LOOKS:
                    yield str(done), at.memory_mb()
            time.sleep(2 * GIVES_BACK_EVERY_S)
            yield f"{vehicles} and a rest", at.memory_mb()


def _document(number: int) -> dict[str, Any]:
    chance = np.random.default_rng(number)
    document = inspect_vehicle(chance, simulate_vehicle(chance, "car"), thorough=1 + number % 5)
    vehicle = {name: value for name, value in document["vehicle"].items() if name not in ("registration", "vin")}
    return {**document, "vehicle": {**vehicle, "label": f"Made up {number}"}}


if __name__ == "__main__":
    print("| different vehicles answered | memory of the process, MB |\n|---|---|")
    for what, mb in memory_rows(*map(int, sys.argv[1:])):
        print(f"| {what} | {mb:.0f} |", flush=True)

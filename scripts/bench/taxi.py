"""An entry at a vehicle that has come 200 times, beside one at a vehicle that came once: asked in turn."""

from __future__ import annotations

import json
from collections.abc import Callable, Iterator

from scripts.bench.client import Client
from tests.documents import document, pads
from tests.served import served_apart

VISITS = 200


def _visits(count: int, plate: str) -> str:
    """So many visits of one vehicle as documents, one a line: four corners of pads and rotors, thinner each time."""
    out = []
    for number in range(count):
        thick = 11 - 7 * number / max(count, 2)
        corner = {"pad_mm": pads(thick, thick + 0.1), "rotor_mm": [25 - number / 200, 25 - number / 200]}
        written = document(dict.fromkeys(("front_left", "front_right", "rear_left", "rear_right"), corner))
        vehicle = {**written["vehicle"], "label": f"Taxi {plate}", "registration": plate}
        out.append(json.dumps({**written, "vehicle": vehicle, "visit": {"odometer_km": 1000 + 400 * number}}))
    return "\n".join(out)


def taxi_rows(timed_ms: Callable[[Callable[[], object], int], list[float]]) -> Iterator[tuple[str, list[float], str]]:
    """Rows of the table: what, its times, the target."""
    with served_apart() as address, Client(address) as client:
        for count, plate in ((1, "0-ONCE"), (VISITS, "0-TAXI")):
            client.upload(_visits(count, plate))
            job = client.newest_job()
            times = timed_ms(lambda job=job: client.entry(job), 25)  # type: ignore[misc]
            yield f"entry at a vehicle that came {count} times", times, "as any other"

"""Closed jobs of a made-up workshop whose world differs from the expert's: other odds, other habits of saying things.

The vehicles are the simulator's; what differs is how often each fault comes, and how this workshop's people say what
they feel: a pin that is stiff is "free" to them, a boot is seldom called torn.
"""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any

import numpy as np

from mesotrope.core.language.corner import VEHICLE
from mesotrope.core.simulator import inspect_vehicle, simulate_vehicle
from mesotrope.core.simulator import truth as world

#: How many times as often each fault comes here.
TIMES = {
    "hose_restricted": 5.0, "pad_bound_inner": 0.25, "pad_bound_outer": 0.25, "slide_pins_seized": 0.3,
    "parking_brake_holding": 2.5, "shield_contact": 3.0, "piston_not_releasing": 0.6,
}  # fmt: skip

#: For a finding, what one word becomes here, and how often.
SAID: dict[str, tuple[tuple[str, str, float], ...]] = {
    "pin": (("stiff", "free", 0.7), ("seized", "stiff", 0.6)),
    "pad_fit": (("tight", "free", 0.6), ("bound", "tight", 0.5)),
    "piston_boot": (("torn", "sound", 0.7),),
    "piston_pushback": (("firm", "easy", 0.6), ("immovable", "firm", 0.4)),
    "bleeder_opened": (("frees", "no_change", 0.35),),
}


@contextmanager
def _other_odds() -> Iterator[None]:
    usual = dict(world.CORNER_FAULTS)
    for fault, times in TIMES.items():
        often, rusts = usual[fault]
        world.CORNER_FAULTS[fault] = (often * times, rusts)
    try:
        yield
    finally:
        world.CORNER_FAULTS.update(usual)


def _say(found: Any, habits: tuple[tuple[str, str, float], ...], random: np.random.Generator) -> Any:
    if isinstance(found, dict):
        return {name: _say(part, habits, random) for name, part in found.items()}
    if isinstance(found, list):
        return [_say(part, habits, random) for part in found]
    for word, becomes, often in habits:
        if found == word and random.random() < often:
            return becomes
    return found


def closed_case(number: int, seed: int = 77) -> dict[str, Any]:
    """The closed case of this number: the same whoever asks."""
    random = np.random.default_rng([seed, number])
    with _other_odds():
        vehicle = simulate_vehicle(random)
        document = inspect_vehicle(random, vehicle, "measure", 1.0)
    for findings in document["findings"]["corners"].values():
        for name, habits in SAID.items():
            if name in findings:
                findings[name] = _say(findings[name], habits, random)
    found = [
        {"corner": None if place is VEHICLE else str(place), "fault": fault}
        for place, fault in sorted(vehicle.truth, key=str)
    ]
    return {"inspection": document, "found": found, "certain": "seen"}

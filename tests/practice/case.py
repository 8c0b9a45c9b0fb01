"""What a practice case is, and findings that several have. A place is "fl", "fr", "rl", "rr", "f", "r" or "v" for the
whole vehicle."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from tests.documents import ALL_FREE, pads

FREE, LIGHT, DRAGS = {"turns": 4, "seconds": 5}, {"turns": 2, "seconds": 1.9}, {"turns": 1, "seconds": 1.2}
FAST = {"turns": 0, "seconds": 0}
GOOD: dict[str, Any] = {"spin": FREE, "pad_mm": pads(7.0, 7.2), **ALL_FREE}
FIRM = {"pedal_travel": 0.3, "pedal_feel": "firm", "pedal_hold": "holds", "pedal_pump": "no_change"}
FOUR = ("fl", "fr", "rl", "rr")
PINS = {"pin": {"upper": "seized", "lower": "seized"}, "pin_condition": {"upper": "corroded", "lower": "pitted"}}
STUCK = {"piston_pushback": ["immovable"], "piston_boot": "torn", "spin": FAST}
BOUND = {"pad_fit": {"inner": "bound", "outer": "free"}, "bracket_lands": "pitted"}
CABLE = {"axles": {"rear": {"caliper": "floating", "pistons": 1, "parking_brake": "integral_cable"}}}
ELECTRIC = {"axles": {"rear": {"caliper": "floating", "pistons": 1, "parking_brake": "electric_on_caliper"}}}
HAT = {"axles": {"rear": {"caliper": "floating", "pistons": 1, "parking_brake": "drum_in_hat"}}}
STOOD = {"rotor_face": {"inner": "rust_scaled", "outer": "rust_scaled"}}
BIKE = {"kind": "motorcycle", "front_discs": 2}


@dataclass(frozen=True)
class Case:
    """One vehicle. named, not_named: "place fault"; done, not_done: "place action"; verdict: any of these words.

    open, settled : places at which something is open, or nothing is; next : "place finding", one of which comes first.
    """

    name: str
    found: dict[str, dict[str, Any]]
    named: tuple[str, ...] = ()
    not_named: tuple[str, ...] = ()
    done: tuple[str, ...] = ()
    not_done: tuple[str, ...] = ()
    verdict: str = ""
    system: dict[str, Any] | None = None
    vehicle: dict[str, Any] | None = None
    visit: dict[str, Any] | None = None
    open: tuple[str, ...] = ()
    settled: tuple[str, ...] = ()
    next: tuple[str, ...] = ()


def good(**other: dict[str, Any]) -> dict[str, dict[str, Any]]:
    """Four corners, all well but for those given."""
    return {place: GOOD | other.get(place, {}) for place in FOUR}

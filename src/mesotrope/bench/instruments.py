"""The simulated instruments: each reads one place of a simulated vehicle, or a value set by hand, with its noise."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from mesotrope.core.language.corner import Corner
from mesotrope.core.language.reliance import relies_on
from mesotrope.core.language.saying import marked, one_of, said, verbatim
from mesotrope.core.simulator import SimulatedVehicle, simulate_vehicle
from mesotrope.core.simulator import instruments as tools
from mesotrope.core.simulator.instruments import NOISE, Reading
from mesotrope.errors import InvalidInput

RELIES_ON = relies_on(marked("bench"), "depth_gauge_mm", "micrometer_mm", "infrared_c", "water_percent", "boiling_c")

PAD_PLACES = tuple(
    f"{side} {place}" for side in ("inner", "outer") for place in ("lead_rim", "lead_hub", "trail_rim", "trail_hub")
)
ROTOR_PLACES = tuple(f"place {n}" for n in range(1, 9))

Random = np.random.Generator


@dataclass(frozen=True)
class Kind:
    """One kind of instrument: its unit, the places it reads, its noise, and the range a hand may set."""

    id: str
    words: str
    unit: str
    places: tuple[str, ...]
    sd: float
    relative: bool
    hand: tuple[float, float]
    digits: int


KINDS: Mapping[str, Kind] = {
    kind.id: kind
    for kind in (
        Kind("depth_gauge", marked("Depth gauge"), "mm", PAD_PLACES, NOISE["depth_gauge_mm"], False, (0, 20), 1),
        Kind("micrometer", marked("Micrometer"), "mm", ROTOR_PLACES, NOISE["micrometer_mm"], False, (3, 45), 3),
        Kind(
            "spring_scale",
            marked("Spring scale"),
            "N",
            (marked("at the tire"),),
            NOISE["spring_scale"],
            True,
            (0, 250),
            0,
        ),
        Kind(
            marked("infrared"),
            marked("Infrared thermometer"),
            "°C",
            ("hub",),
            NOISE["infrared_c"],
            False,
            (-20, 400),
            0,
        ),
        Kind("water_meter", marked("Fluid water meter"), "%", ("reservoir",), NOISE["water_percent"], False, (0, 8), 1),
        Kind(
            "boiling_tester", marked("Boiling tester"), "°C", ("reservoir",), NOISE["boiling_c"], False, (100, 300), 0
        ),
        Kind("torque_wrench", marked("Torque wrench"), "N·m", ("fastener",), NOISE["torque_wrench"], True, (5, 250), 0),
    )
}


@lru_cache(maxsize=64)
def vehicle_numbered(number: int, kind: str) -> SimulatedVehicle:
    """The simulated vehicle of a number: always the same one."""
    if kind not in ("car", "light_truck", "motorcycle"):
        raise InvalidInput("kind", kind, "allowed: car, light_truck, motorcycle")
    return simulate_vehicle(np.random.default_rng([number, len(kind)]), kind)


@dataclass(frozen=True)
class _OfKind:
    kind: Kind

    @property
    def name(self) -> str:
        return self.kind.words

    @property
    def unit(self) -> str:
        return self.kind.unit


@dataclass(frozen=True)
class OnVehicle(_OfKind):
    """An instrument held to a simulated vehicle."""

    vehicle: SimulatedVehicle
    random: Random

    def read(self, corner: str, place: str) -> Reading:
        """Read a place of a corner. Raises `InvalidInput` for a corner or place that is not there."""
        if corner not in self.vehicle.corners:
            raise InvalidInput("corner", corner, one_of(self.vehicle.corners))
        if place not in self.kind.places:
            raise InvalidInput("place", place, one_of(self.kind.places))
        if self.kind.id not in _READS:
            raise InvalidInput(
                "instrument", self.kind.words, "it reads nothing of a standing vehicle: set a value by hand"
            )
        return Reading(_READS[self.kind.id](self.random, self.vehicle, Corner(corner), place), self.unit)


@dataclass(frozen=True)
class ByHand(_OfKind):
    """An instrument whose true value is set by hand; it still reads with its noise."""

    value: float
    random: Random

    def read(self, corner: str = "", place: str = "") -> Reading:
        low, high = self.kind.hand
        if not low <= self.value <= high:
            raise InvalidInput(
                self.kind.words,
                self.value,
                said(
                    "allowed: {low} to {high} {unit}",
                    low=verbatim(f"{low:g}"),
                    high=verbatim(f"{high:g}"),
                    unit=verbatim(self.unit),
                ),
            )
        sd = self.kind.sd * (abs(self.value) if self.kind.relative else 1)
        read = self.value + float(self.random.normal(0, sd))
        return Reading(round(max(0.0, read) if low >= 0 else read, self.kind.digits), self.unit)


def _pad(random: Random, vehicle: SimulatedVehicle, corner: Corner, place: str) -> float:
    side, where = place.split()
    return tools.thickness_mm(random, getattr(vehicle.corners[corner], side), where)


def _rotor(random: Random, vehicle: SimulatedVehicle, corner: Corner, place: str) -> float:
    places = vehicle.corners[corner].rotor_mm
    return round(places[(int(place.split()[1]) - 1) % len(places)] + float(random.normal(0, NOISE["micrometer_mm"])), 3)


def _pull(random: Random, vehicle: SimulatedVehicle, corner: Corner, place: str) -> float:
    torque = vehicle.corners[corner].drag_nm + vehicle.base_nm[corner.axle]
    return tools.pull_n(random, torque, vehicle.build.wheel_radius_mm)


def _water(random: Random, vehicle: SimulatedVehicle, corner: Corner, place: str) -> float:
    return round(max(0.0, float(vehicle.fluid["water"]) + float(random.normal(0, NOISE["water_percent"]))), 1)


def _boils(random: Random, vehicle: SimulatedVehicle, corner: Corner, place: str) -> float:
    return float(round(float(vehicle.fluid["boils"]) + float(random.normal(0, NOISE["boiling_c"]))))


_READS: Mapping[str, Callable[[Random, SimulatedVehicle, Corner, str], float]] = {
    "depth_gauge": _pad,
    "micrometer": _rotor,
    "spring_scale": _pull,
    "infrared": lambda random, vehicle, corner, place: tools.hub_c(random, vehicle, corner),
    "water_meter": _water,
    "boiling_tester": _boils,
}

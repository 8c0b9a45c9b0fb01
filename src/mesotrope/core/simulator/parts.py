"""The parts of a corner and their state: what there is to find."""

from __future__ import annotations

import math
from dataclasses import dataclass, field

import numpy as np

from mesotrope.core.language.corner import Place
from mesotrope.core.simulator.build import Random


def about(random: Random, median: float, spread: float) -> float:
    return float(median * np.exp(random.normal(0, spread)))


def about_alike(random: Random, median: float, shared: float, own: float, count: int) -> list[float]:
    """Several of one age and dirt: they share most of what sets them apart from others."""
    if count == 1:
        return [about(random, median, math.hypot(shared, own))]
    here = about(random, median, shared)
    return [about(random, here, own) for _ in range(count)]


def pick(random: Random, **weights: float) -> str:
    p = np.array(list(weights.values()))
    return str(list(weights)[int(random.choice(len(p), p=p / p.sum()))])


@dataclass(frozen=True)
class Fault:
    """One fault that is really there. `corner` is empty for the whole system; `way` tells its mechanism."""

    corner: Place
    name: str
    severity: float
    onset_km: float
    way: str = ""


@dataclass
class Pad:
    """One lining: thickness in the middle, and what it is thicker at the leading end and at the rim."""

    mean_mm: float
    fore_aft_mm: float = 0.0
    radial_mm: float = 0.0
    condition: str = "sound"
    ear_n: float = 10.0
    gap_mm: float = 0.15
    moves: float = 1.0
    returns: float = 1.0

    def at(self, place: str) -> float:
        """Thickness at a corner of the pad, never below nothing."""
        along = 0.5 if place.startswith("lead") else -0.5
        across = 0.5 if place.endswith("rim") else -0.5
        return max(0.0, self.mean_mm + along * self.fore_aft_mm + across * self.radial_mm)


@dataclass
class SimulatedCorner:
    """Everything there is to find at one corner. `torque` by what causes it, so that a test can take one away; `left`
    of it when the wheel is spun on the lift, where that is not all."""

    inner: Pad
    outer: Pad
    torque: dict[str, float] = field(default_factory=dict)
    left: dict[str, float] = field(default_factory=dict)
    pins_n: dict[str, float] = field(default_factory=dict)
    pistons_n: list[float] = field(default_factory=list)
    hose_n: float = 0.0
    piston_boot: str = "sound"
    pin_boot: dict[str, str] = field(default_factory=dict)
    pin_surface: dict[str, str] = field(default_factory=dict)
    lands: str = "clean"
    hardware: str = "complete"
    hose: str = "sound"
    bleeder: str = "sound"
    leak: str = "none"
    face: dict[str, str] = field(default_factory=dict)
    rotor_mm: list[float] = field(default_factory=list)
    runout_mm: float = 0.03
    lip_mm: float = 0.3
    lever: str = "returns"
    shoes: str = "sound"
    shield: str = "clear"
    bearing: str = "quiet"
    noise: str = "none"
    retaining_n: float = 12.0
    brakes: float = 1.0
    material: str = "FF"
    rotor_way: str = ""
    #: What pads rub that let go as they should, N·m.
    rubs_nm: float = 0.0

    @property
    def drag_nm(self) -> float:
        return sum(self.torque.values())

    @property
    def on_lift(self) -> dict[str, float]:
        """What holds the wheel by the time it is spun, by cause, N·m."""
        return {cause: held * self.left.get(cause, 1.0) for cause, held in self.torque.items()}


def make_spotless(corner: SimulatedCorner) -> None:
    """Every part as it should be."""
    corner.pins_n = dict.fromkeys(corner.pins_n, 14.0)
    corner.pin_boot, corner.pin_surface = dict.fromkeys(corner.pins_n, "sound"), dict.fromkeys(corner.pins_n, "greased")
    corner.pistons_n = [115.0 for _ in corner.pistons_n]
    corner.inner.ear_n = corner.outer.ear_n = 9.0
    corner.lands, corner.bleeder, corner.hose, corner.piston_boot = "clean", "sound", "sound", "sound"
    corner.shield, corner.lever, corner.shoes, corner.noise = "clear", "returns", "sound", "none"
    corner.leak, corner.hardware, corner.face = "none", "complete", dict.fromkeys(corner.face, "smooth")
    corner.inner.condition = corner.outer.condition = "sound"

"""Vehicles as they are built and used: sizes, brakes, distance, kind of use. Figures of this simulator only."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np

from mesotrope.core.language.corner import Axle, Corner

Random = np.random.Generator

#: Share of each kind among the vehicles made.
KINDS = {"car": 0.72, "light_truck": 0.16, "motorcycle": 0.12}

#: Braking energy of the whole vehicle for one kilometer, as a share of its kinetic energy at 14 m/s.
USES = {
    "motorway": (0.16, 0.34),
    "mixed": (0.55, 0.38),
    "town": (1.25, 0.18),
    "mountains": (1.6, 0.06),
    "towing": (1.7, 0.04),
}


@dataclass(frozen=True)
class AxleBuild:
    """One axle as built. Lengths mm, mass kg; `share` of the vehicle's braking."""

    caliper: str
    pistons: int
    piston_diameter_mm: tuple[float, ...]
    pad_new_mm: float
    pad_limit_mm: float
    pad_length_mm: float
    pad_height_mm: float
    rotor_new_mm: float
    rotor_discard_mm: float
    rotor_mass_kg: float
    rotor_diameter_mm: float
    effective_radius_mm: float
    parking_brake: str
    share: float
    driven: bool
    distance_km: float

    @property
    def per_side(self) -> int:
        return self.pistons if self.caliper == "floating" else max(1, self.pistons // 2)


@dataclass(frozen=True)
class Build:
    """A vehicle as built and used. `known` is how much of it the workshop has written down; `rust` what salt and age
    have done to all its corners, about 1."""

    kind: str
    mass_kg: float
    wheel_radius_mm: float
    inertia_kg_m2: float
    circuit_split: str
    driven: str
    steering_side: str
    front_discs: int
    bore_mm: float
    stroke_mm: float
    pedal_ratio: float
    min_to_max_ml: float
    usage: str
    energy_j_km: float
    odometer_km: float
    fluid_age_months: float
    axles: dict[Axle, AxleBuild]
    corners: tuple[Corner, ...]
    known: bool
    rust: float

    def axle_of(self, corner: Corner) -> AxleBuild:
        return self.axles[corner.axle]

    def document(self) -> dict[str, Any]:
        """What the workshop knows of it, as the open format writes it; unknown figures are left out."""
        axles = {}
        for name, axle in self.axles.items():
            known: dict[str, Any] = {
                "caliper": axle.caliper, "pistons": axle.pistons, "parking_brake": axle.parking_brake,
                "pad_new_mm": axle.pad_new_mm, "pad_limit_mm": axle.pad_limit_mm, "rotor_new_mm": axle.rotor_new_mm,
                "rotor_discard_mm": axle.rotor_discard_mm,
            }  # fmt: skip
            if self.known:
                known |= {
                    "piston_diameter_mm": list(axle.piston_diameter_mm),
                    "pads_fitted_odometer_km": round(self.odometer_km - axle.distance_km),
                }
            axles[name] = known
        out: dict[str, Any] = {
            "label": f"simulated {self.kind.replace('_', ' ')}", "kind": self.kind, "driven": self.driven,
            "circuit_split": self.circuit_split, "axles": axles,
        }  # fmt: skip
        if self.kind == "motorcycle":
            out["front_discs"] = self.front_discs
        if self.known:
            out |= {
                "mass_kg": round(self.mass_kg), "wheel_radius_mm": round(self.wheel_radius_mm),
                "reservoir": {"min_to_max_ml": round(self.min_to_max_ml)},
            }  # fmt: skip
        return out


def _choice(random: Random, weights: dict[str, float]) -> str:
    names = list(weights)
    p = np.array([weights[name] for name in names])
    return str(names[int(random.choice(len(names), p=p / p.sum()))])


def make_build(random: Random, kind: str | None = None) -> Build:
    """Make one vehicle. Sizes are drawn about the middle of each kind."""
    kind = kind or _choice(random, KINDS)
    usage = _choice(random, {use: weight for use, (_, weight) in USES.items()})

    def near(middle: float, spread: float = 0.08) -> float:
        return float(middle * np.exp(random.normal(0, spread)))

    sizes = {
        "car": (1420, 312, 1.0, 22.0, 33, 4.1, 140), "light_truck": (2250, 366, 2.4, 25.5, 37, 4.2, 210),
        "motorcycle": (205, 298, 0.52, 15.5, 14, 6.2, 22),
    }  # fmt: skip
    mass, radius, inertia, bore, stroke, ratio, marks = (near(float(size)) for size in sizes[kind])
    driven = "rear"
    if kind != "motorcycle":
        axles_driven = {"car": {"front": 0.72, "rear": 0.18, "all": 0.10}, "light_truck": {"rear": 0.7, "all": 0.3}}
        driven = _choice(random, axles_driven[kind])
    discs = 1 if kind == "motorcycle" and random.random() < 0.4 else 2
    front_share = float(
        np.clip(random.normal({"car": 0.7, "light_truck": 0.64, "motorcycle": 0.74}[kind], 0.03), 0.5, 0.85)
    )
    energy = USES[usage][0] * 0.5 * mass * 14.0**2 * near(1.0, 0.25)
    axles = {}
    for name, share in ((Axle.FRONT, front_share), (Axle.REAR, 1 - front_share)):
        axles[name] = _axle(random, kind, name, share, driven in (name, "all"), energy, discs)
    longest = max(axle.distance_km for axle in axles.values())
    corners: tuple[Corner, ...] = (
        Corner.FRONT_LEFT, Corner.FRONT_RIGHT, Corner.REAR_LEFT, Corner.REAR_RIGHT,
    )  # fmt: skip
    if kind == "motorcycle":
        fronts = (Corner.FRONT_LEFT, Corner.FRONT_RIGHT) if discs == 2 else (Corner.FRONT,)
        corners = (*fronts, Corner.REAR)
    split = "front_rear" if kind != "car" or random.random() < 0.25 else "diagonal"
    return Build(
        kind=kind, mass_kg=mass, wheel_radius_mm=radius, inertia_kg_m2=near(inertia, 0.18), circuit_split=split,
        driven=driven, steering_side="left", front_discs=discs, bore_mm=bore, stroke_mm=stroke, pedal_ratio=ratio,
        min_to_max_ml=marks, usage=usage, energy_j_km=energy, odometer_km=longest + float(random.uniform(5e3, 1.2e5)),
        fluid_age_months=float(random.gamma(2.0, 13.0)), axles=axles, corners=corners, known=random.random() < 0.6,
        rust=float(np.clip(near(0.7, 0.9), 0.15, 8.0)),
    )  # fmt: skip


#: Wear of a lining, mm³ for each joule that one pad takes.
WEAR_MM3_J = 5.5e-5


def healthy_wear_mm_km(axle: AxleBuild, energy_j_km: float, wheels: int) -> float:
    """Wear of each pad for one kilometer of normal braking: energy over wheels and pads, Archard's law."""
    area_mm2 = 0.85 * axle.pad_length_mm * axle.pad_height_mm
    return WEAR_MM3_J * energy_j_km * axle.share / wheels / 2 / area_mm2


def _axle(
    random: Random, kind: str, name: str, share: float, driven: bool, energy_j_km: float, discs: int
) -> AxleBuild:

    def near(middle: float, spread: float = 0.05) -> float:
        return float(middle * np.exp(random.normal(0, spread)))

    front = name == "front"
    if kind == "motorcycle":
        fixed = front and random.random() < 0.65
        pads, pad, rotor = (5.0, 1.5), (68, 36) if front else (60, 34), (5.0, 4.5, 1.3, 300 if front else 232)
        pistons = int(random.choice([2, 4])) if fixed else int(random.choice([1, 2])) if front else 1
        diameter = 31.0 if pistons > 1 else 37.0
        parking = "none"
    else:
        heavy = kind == "light_truck"
        fixed = random.random() < 0.06
        pistons = 4 if fixed else 2 if heavy and front else 1
        pads = (11.5 if heavy else 10.8, 3.0) if front else (10.5 if heavy else 9.8, 3.0)
        pad = ((150, 57) if heavy else (128, 51)) if front else ((118, 47) if heavy else (94, 41))
        rotor = ((29, 27, 10.5, 322) if heavy else (24, 22, 7.2, 286)) if front else (
            (19, 17, 8.6, 318) if heavy else (10, 8, 4.1, 262))  # fmt: skip
        diameter = (46.0 if heavy else 56.0) if front else (47.0 if heavy else 37.5)
        diameter = 40.0 if fixed else diameter
        parking = "none"
        if not front:
            kinds = {"drum_in_hat": 0.6, "integral_cable": 0.25, "electric_on_caliper": 0.15} if heavy else {
                "integral_cable": 0.55, "electric_on_caliper": 0.25, "drum_in_hat": 0.2}  # fmt: skip
            parking = "drum_in_hat" if fixed else _choice(random, kinds)
    per_side = pistons if not fixed else pistons // 2
    new, limit = round(near(pads[0]), 1), pads[1]
    built = AxleBuild(
        caliper="fixed" if fixed else "floating", pistons=pistons,
        piston_diameter_mm=tuple(round(near(diameter), 1) for _ in range(per_side)), pad_new_mm=new, pad_limit_mm=limit,
        pad_length_mm=near(pad[0]), pad_height_mm=near(pad[1]), rotor_new_mm=float(rotor[0]),
        rotor_discard_mm=float(rotor[1]), rotor_mass_kg=near(rotor[2]), rotor_diameter_mm=near(rotor[3]),
        effective_radius_mm=near(0.41 * rotor[3]), parking_brake=parking, share=share, driven=driven, distance_km=1.0,
    )  # fmt: skip
    wheels = 1 if kind == "motorcycle" and not (front and discs == 2) else 2
    rate = healthy_wear_mm_km(built, energy_j_km, wheels)
    gone = float(random.beta(1.6, 2.2)) * 0.95
    return AxleBuild(**{**built.__dict__, "distance_km": max(300.0, gone * (new - 0.5) / rate)})

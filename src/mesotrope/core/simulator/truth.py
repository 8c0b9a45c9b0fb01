"""The truth about one simulated vehicle: its faults, and the state of every part that they lead to.

Forces in N, torques in N·m, lengths in mm. A fault has a severity (0 to 1) and an onset (km before the visit). Pads
wear by the energy that they take (Archard): braking, shared as the caliper lets it, and drag since the onset.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np

from mesotrope.core.language.corner import VEHICLE, Axle, Corner, Place
from mesotrope.core.simulator.build import AxleBuild, Build, Random, healthy_wear_mm_km, make_build
from mesotrope.core.simulator.drawn import draw_faults
from mesotrope.core.simulator.mechanisms import ACTS, IN_HAT, Scene, wear
from mesotrope.core.simulator.parts import Fault, Pad, SimulatedCorner, about, about_alike, make_spotless, pick


@dataclass(frozen=True)
class SimulatedVehicle:
    """One made-up vehicle with its truth."""

    build: Build
    faults: tuple[Fault, ...]
    corners: dict[Corner, SimulatedCorner]
    pedal_travel: float
    pedal: dict[str, str]
    fluid: dict[str, float | str]
    ambient_c: float
    hub_c: dict[Corner, float]
    base_nm: dict[Axle, float]
    worn_out: tuple[Corner, ...]

    @property
    def truth(self) -> frozenset[tuple[Place, str]]:
        """Every fault as (place, name)."""
        return frozenset((fault.corner, fault.name) for fault in self.faults)


def simulate_vehicle(
    random: Random, kind: str | None = None, faults: tuple[Fault, ...] | None = None
) -> SimulatedVehicle:
    """Make a vehicle, give it faults (or those given), and work out the state of all its parts."""
    build = make_build(random, kind)
    return simulate_built(random, build, faults if faults is not None else draw_faults(random, build))


def simulate_built(
    random: Random, build: Build, faults: Iterable[Fault], *, spotless: bool = False
) -> SimulatedVehicle:
    """Work out the state of all parts of a vehicle as built, with these faults.

    spotless : nothing is torn, dry, rusted or noisy by chance; what there is to see is what the faults make.
    """
    drawn = list(faults)
    corners = {name: _corner(random, build, name, drawn, spotless) for name in build.corners}
    drawn += _rotors_spoiled(corners, drawn)
    _share_rotor_age(random, build, corners)
    ambient = float(np.clip(random.normal(14, 9), -12, 36))
    base = {
        axle: (about(random, 2.3, 0.5) if build.axles[axle].driven else about(random, 0.35, 0.45))
        for axle in build.axles
    }
    worn = tuple(
        name
        for name in build.corners
        if min(corners[name].inner.mean_mm, corners[name].outer.mean_mm) <= build.axle_of(name).pad_limit_mm
        and not any(fault.corner == name for fault in drawn)
    )
    fluid = _fluid(random, build, drawn, corners)
    if _has(drawn, "excess_running_clearance"):
        _stand_back(random, build, corners)
    travel, pedal = _pedal(random, build, drawn, corners)
    hub = {name: _hub_c(random, build, corners[name], name, ambient) for name in build.corners}
    return SimulatedVehicle(build, tuple(drawn), corners, travel, pedal, fluid, ambient, hub, base, worn)


def _reaches(fault: Fault, build: Build, corner: Corner) -> bool:
    """Whether a fault acts at a corner: its own, or one that its circuit feeds."""
    if fault.corner is not VEHICLE:
        return fault.corner == corner
    if fault.name == "fluid_contaminated_mineral_oil":
        return True
    if fault.name != "master_cylinder_not_releasing":
        return False
    rear, right = corner.axle == "rear", corner.side == "right"
    first = rear == right if build.circuit_split == "diagonal" else not rear
    return fault.way == "all" or fault.way == ("circuit_1" if first else "circuit_2")


def _corner(random: Random, build: Build, name: Corner, faults: list[Fault], spotless: bool) -> SimulatedCorner:
    axle = build.axle_of(name)
    here = [fault for fault in faults if _reaches(fault, build, name)]
    shared = build.kind == "motorcycle" and name.side
    wheels = 2 if build.kind != "motorcycle" or shared else 1
    rate = healthy_wear_mm_km(axle, build.energy_j_km, wheels) * about(random, 1.0, 0.06)
    corner = SimulatedCorner(Pad(axle.pad_new_mm), Pad(axle.pad_new_mm))
    corner.pins_n = (
        {which: about(random, 14, 0.6) for which in ("upper", "lower")} if axle.caliper == "floating" else {}
    )
    corner.pin_boot = {which: "torn" if random.random() < 0.05 else "sound" for which in corner.pins_n}
    rust = build.rust
    surfaces = {"greased": 0.7, "dry": 0.24, "corroded": 0.05 * rust, "pitted": 0.008 * rust}
    corner.pin_surface = {which: pick(random, **surfaces) for which in corner.pins_n}
    corner.pistons_n = about_alike(random, 115, 0.30, 0.18, axle.per_side)
    corner.inner.ear_n, corner.outer.ear_n = (about(random, 9 * rust**0.3, 0.6) for _ in range(2))
    corner.retaining_n = about(random, 11 * rust**0.3, 0.6)
    corner.lands = pick(random, clean=0.75, rusted=0.2 * rust, grooved=0.04 * rust, pitted=0.01 * rust)
    corner.bleeder = pick(random, sound=0.76, rusted=0.18 * rust, seized=0.045 * rust)
    corner.hose = pick(random, sound=0.93, cracked=0.05, twisted=0.02)
    corner.piston_boot = "torn" if random.random() < 0.05 else "sound"
    corner.shield = pick(random, clear=0.955, rotten=0.045)
    corner.lever = pick(random, returns=0.96, slow=0.035 * rust)
    corner.shoes = pick(random, sound=0.89, worn=0.10, delaminated=0.01)
    corner.noise = pick(random, none=0.885, squeal=0.075, click=0.015, rumble=0.01, scrape=0.015)
    corner.leak = pick(random, none=0.985, seep=0.015)
    corner.hardware = pick(random, complete=0.93, shim_missing=0.07)
    corner.face = {
        side: pick(random, smooth=0.735, glazed=0.1, scored=0.13, rust_scaled=0.035) for side in ("inner", "outer")
    }
    for pad in (corner.inner, corner.outer):
        pad.gap_mm = max(0.0, random.normal(0.16, 0.06))
        pad.condition = pick(random, sound=0.86, glazed=0.11, cracked=0.03)
    if spotless:
        make_spotless(corner)
    corner.rubs_nm = about(random, 0.8 * build.inertia_kg_m2 / 1.05, 0.5)
    inner_share = 0.5 + random.normal(0.018, 0.022) * (1 if axle.caliper == "floating" else 0.2)
    wear(corner, rate * axle.distance_km, inner_share)
    for fault in here:
        ACTS[fault.name](Scene(random, build, axle, corner, fault, rate, inner_share))
    _other_side_works_alone(build, name, faults, corner, rate)
    for pad in (corner.inner, corner.outer):  # a taper is a difference of wear: a new pad has none
        worn = max(0.0, axle.pad_new_mm - pad.mean_mm)
        pad.fore_aft_mm += random.normal(-0.025, 0.03) * worn + random.normal(0, 0.05)
        pad.radial_mm += random.normal(0.0, 0.024) * worn + random.normal(0, 0.04)
        pad.mean_mm = min(pad.mean_mm, axle.pad_new_mm)
        if pad.mean_mm <= 0.2:
            pad.mean_mm, pad.condition = 0.0, "metal_to_metal"
    _marks(random, axle, corner, here)
    return corner


def _other_side_works_alone(
    build: Build, name: Corner, faults: list[Fault], corner: SimulatedCorner, rate: float
) -> None:
    """A corner whose partner does not brake takes more of the axle's work."""
    for fault in faults:
        partner = isinstance(fault.corner, Corner) and fault.corner.axle == name.axle and fault.corner != name
        if partner and fault.name == "piston_seized_released":
            wear(corner, rate * fault.onset_km * 0.35, 0.5)


def _marks(random: Random, axle: AxleBuild, corner: SimulatedCorner, here: list[Fault]) -> None:
    """What heat and bare metal leave on the faces and linings."""
    brake = sum(torque for cause, torque in corner.torque.items() if cause not in NOT_THE_PADS)
    if brake > 14 and random.random() < min(0.6, (brake - 14) / 40 + 0.12):
        for side in corner.face:
            if random.random() < 0.75:
                corner.face[side] = "blued"
    if brake > 6:
        for pad in (corner.inner, corner.outer):
            if pad.condition == "sound" and random.random() < min(0.55, brake / 45):
                pad.condition = pick(random, glazed=0.7, cracked=0.22, delaminated=0.08)
    for side, pad in (("inner", corner.inner), ("outer", corner.outer)):
        if pad.condition == "metal_to_metal":
            corner.face[side] = pick(random, grooved=0.8, scored=0.2)
    if corner.piston_boot == "wet" and corner.leak == "none" and random.random() < 0.45:
        corner.leak = pick(random, seep=0.8, drip=0.2)
    for fault in here:
        hardly_wiped = fault.name == "slide_pins_seized" and fault.way == "never_across"  # one that stays on wipes both
        if hardly_wiped and random.random() < 0.65 * fault.severity:
            corner.face["outer"] = "rust_scaled"
        if fault.name == "rotor_worn_or_damaged" and fault.way in ("grooved", "cracked"):
            corner.face[pick(random, inner=0.5, outer=0.5)] = fault.way
    if corner.noise in ("none", "squeal") and brake > 3 and random.random() < 0.35:
        corner.noise = pick(random, squeal=0.7, scrape=0.3)


#: What holds a wheel and not by its pads.
NOT_THE_PADS = ("shield_contact", "bearing_or_driveline_drag", *IN_HAT.values())

#: Of the way that a fault has been driven on, what was left once its lining was gone.
_ON_BARE_METAL = 0.05


def _rotors_spoiled(corners: dict[Corner, SimulatedCorner], faults: list[Fault]) -> list[Fault]:
    """Rotors that bare metal has grooved: they are damaged, whatever wore the lining off."""
    out = []
    for name, corner in corners.items():
        here = [fault for fault in faults if fault.corner in (name, VEHICLE)]
        if "grooved" in corner.face.values() and not any(fault.name == "rotor_worn_or_damaged" for fault in here):
            since = max((fault.onset_km for fault in here), default=10_000)
            out.append(Fault(name, "rotor_worn_or_damaged", 0.7, _ON_BARE_METAL * since, "grooved"))
    return out


def _share_rotor_age(random: Random, build: Build, corners: dict[Corner, SimulatedCorner]) -> None:
    """Rotors of an axle are of one age; a worn one is thinner, uneven or lipped."""
    for axle_name, axle in build.axles.items():
        room = axle.rotor_new_mm - axle.rotor_discard_mm
        age = float(random.beta(1.6, 2.6)) * 0.85
        for name, corner in corners.items():
            if name.axle != axle_name:
                continue
            way = corner.rotor_way
            thick = axle.rotor_new_mm - room * float(np.clip(age + random.normal(0, 0.05), 0, 0.97))
            variation = about(random, 0.006, 0.4)
            corner.lip_mm = room * age / 2 + abs(random.normal(0.15, 0.1))
            if way == "thin":
                thick = axle.rotor_discard_mm - abs(random.normal(0.2, 0.18))
            elif way == "uneven":
                variation, corner.runout_mm = about(random, 0.035, 0.35), about(random, 0.11, 0.3)
            elif way == "lip":
                corner.lip_mm = about(random, 1.3, 0.25)
            corner.rotor_mm = [
                float(thick + variation * 0.5 * np.sin(2 * np.pi * (n / 8 + random.random() * 0.05))) for n in range(8)
            ]
            corner.runout_mm = max(corner.runout_mm, abs(random.normal(0.035, 0.015)))


# -- the whole vehicle -------------------------------------------------------------------------------------------


def _has(faults: list[Fault], name: str) -> Fault | None:
    return next((fault for fault in faults if fault.name == name), None)


def _hub_c(random: Random, build: Build, corner: SimulatedCorner, name: Corner, ambient: float) -> float:
    """Hub temperature after a drive: what braking left, and what drag puts in against the air."""
    axle = build.axle_of(name)
    work = abs(random.normal(34, 8)) * (axle.share / 0.5) * min(1.5, corner.brakes)
    power_w = corner.drag_nm * (70 / 3.6) / (build.wheel_radius_mm / 1000)
    film_w_k = (14 + 1.05 * 70) * 2 * np.pi / 4 * (axle.rotor_diameter_mm / 1000) ** 2 * 0.8
    rise = 0.75 * power_w / film_w_k
    return float(ambient + work + rise * random.uniform(0.7, 1.1))


def _taken_up_ml(build: Build, corners: dict[Corner, SimulatedCorner]) -> float:
    total = 0.0
    for name, corner in corners.items():
        axle = build.axle_of(name)
        area = sum(np.pi / 4 * d**2 for d in axle.piston_diameter_mm)
        worn = 2 * axle.pad_new_mm - max(0, corner.inner.mean_mm) - max(0, corner.outer.mean_mm)
        total += area * max(0.0, worn) / 1000
    return float(total)


def _fluid(
    random: Random, build: Build, faults: list[Fault], corners: dict[Corner, SimulatedCorner]
) -> dict[str, float | str]:
    degraded = _has(faults, "fluid_degraded")
    age = build.fluid_age_months
    age = max(age, random.uniform(38, 110)) if degraded else min(age, random.uniform(20, 36))
    water = (
        0.07 * age**0.82 * about(random, 1.0, 0.25)
        if not degraded
        else max(2.7, 0.085 * age**0.85 * about(random, 1.0, 0.2))
    )
    oil = _has(faults, "fluid_contaminated_mineral_oil")
    colour = "clear" if age < 10 else "amber" if age < 30 else "brown" if age < 60 else "black"
    if oil and random.random() < 0.65:
        colour = "cloudy"
    taken = _taken_up_ml(build, corners) / build.min_to_max_ml
    topped = random.random() < 0.12
    level = 1 - taken + random.normal(0, 0.06)
    if topped:
        level += taken * random.uniform(0.4, 1.0)
    level = min(level, 1.0)
    if _has(faults, "reservoir_overfilled"):
        level, topped = random.uniform(1.08, 1.4), random.random() < 0.7
    leak = _has(faults, "external_leak")
    seen = pick(random, at_wheel=0.4, underbody=0.3, under_bonnet=0.2, none=0.1)
    if leak:
        level = min(level, 1 - taken) - random.uniform(0.25, 0.9) * (0.4 + leak.severity)
    if leak and seen == "at_wheel":
        corners[Corner(str(random.choice(build.corners)))].leak = pick(random, seep=0.35, drip=0.65)
    return {
        "age": age, "water": float(water), "colour": colour, "copper": float(about(random, 3.2 * age, 0.4)),
        "level": float(level), "topped": "yes" if topped else "no", "boils": float(228 * (152 / 228) ** (water / 3.7)),
        "seal": "swollen" if oil and random.random() < 0.9 else "sound",
        "leak": seen if leak else "none",
    }  # fmt: skip


def _stand_back(random: Random, build: Build, corners: dict[Corner, SimulatedCorner]) -> None:
    """Pistons or pads stand far from the rotor, mostly those of one axle, at both sides; a pad that rubs does not."""
    axle = pick(random, front=0.35, rear=0.4, neither=0.25)  # neither: knocked back by the road, and not there now
    stands_mm = about(random, 0.5, 0.35)
    for name in build.corners:
        if name.axle == axle:
            for pad in (corners[name].inner, corners[name].outer):
                if pad.gap_mm > 0.05:
                    pad.gap_mm += about(random, stands_mm, 0.25)


def _pedal(
    random: Random, build: Build, faults: list[Fault], corners: dict[Corner, SimulatedCorner]
) -> tuple[float, dict[str, str]]:
    """Pedal travel from the fluid that gaps, air and worn-back pistons swallow, and how it feels."""
    swallowed = 0.0
    for name, corner in corners.items():
        area = sum(np.pi / 4 * d**2 for d in build.axle_of(name).piston_diameter_mm)
        swallowed += area * (max(0.0, corner.inner.gap_mm - 0.2) + max(0.0, corner.outer.gap_mm - 0.2)) / 1000
    master = np.pi / 4 * build.bore_mm**2 * build.stroke_mm / 1000
    travel = random.normal(0.3, 0.035) + 0.9 * swallowed / master
    air, bypass, wide = (
        _has(faults, n) for n in ("air_in_hydraulics", "master_cylinder_bypass", "excess_running_clearance")
    )
    leak, booster, stuck = (_has(faults, n) for n in ("external_leak", "booster_weak", "master_cylinder_not_releasing"))
    weeps = max((0.4 + 0.5 * fault.severity for fault in faults if fault.name == "external_leak"), default=0.0)
    if air:
        travel += random.uniform(0.15, 0.4)
    if wide:
        travel += max(0.0, random.uniform(0.18, 0.38) - 0.9 * swallowed / master)
    if bypass or leak:  # until the reservoir is empty no air gets in
        travel += random.uniform(0.0, 0.06)
    swallows = swallowed / master > 0.12
    feel = "hard" if booster and random.random() < 0.85 else "spongy" if air and random.random() < 0.82 else "firm"
    return float(np.clip(travel, 0.08, 1.0)), {
        "feel": feel,
        "hold": "sinks" if (bypass or leak) and random.random() < (0.9 if bypass else weeps) else "holds",
        "pump": "rises" if (air or wide or swallows) and random.random() < 0.88 else "no_change",
        "start": "no_change" if booster and random.random() < 0.9 else "drops",
        "release": pick(random, slow=0.45, no_free_play=0.4, full=0.15) if stuck else "full",
    }

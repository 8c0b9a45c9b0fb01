"""Which faults a simulated vehicle has: how often each comes, how grave it is, how long it has been driven on with."""

from __future__ import annotations

from mesotrope.core.language.corner import VEHICLE, Corner, Place
from mesotrope.core.simulator.build import Build, Random
from mesotrope.core.simulator.parts import Fault, about, pick

#: How often each hidden fault of a corner is drawn, against the others, and how much rust brings it.
CORNER_FAULTS: dict[str, tuple[float, float]] = {
    "piston_not_releasing": (10, 0.5), "piston_seized_applied": (5, 1), "piston_seized_released": (5, 1),
    "piston_hung_one_of_several": (5, 0.5), "slide_pins_seized": (10, 1), "slide_pin_seized_one": (8, 1),
    "pad_bound_inner": (6, 1), "pad_bound_outer": (6, 1), "hose_restricted": (5, 0),
    "parking_brake_holding": (9, 0.7), "pad_or_hardware_misfitted": (4, 0), "shield_contact": (2.5, 0),
    "bearing_or_driveline_drag": (4, 0),
}  # fmt: skip

#: How far a fault is driven on with before somebody looks, km, the more where it drags little.
DRIVEN_ON_KM: dict[str, float] = {
    "piston_seized_applied": 2500, "piston_not_releasing": 5500, "hose_restricted": 5500, "parking_brake_holding": 5500,
    "master_cylinder_not_releasing": 3000, "slide_pins_seized": 9000, "slide_pin_seized_one": 9000,
    "pad_bound_inner": 9000, "pad_bound_outer": 9000,
}  # fmt: skip

SYSTEM_FAULTS: dict[str, float] = {
    "external_leak": 4, "air_in_hydraulics": 6, "master_cylinder_bypass": 4, "master_cylinder_not_releasing": 8,
    "excess_running_clearance": 4, "fluid_contaminated_mineral_oil": 1.2, "booster_weak": 3,
}  # fmt: skip

#: Conditions come beside, each by itself: those of a corner on both sides of an axle this often.
CONDITIONS: dict[str, float] = {"lining_contaminated": 0.006, "rotor_worn_or_damaged": 0.022}
SYSTEM_CONDITIONS: dict[str, float] = {"fluid_degraded": 0.09, "reservoir_overfilled": 0.045}
BOTH_ROTORS = 0.45

#: A parking brake that is worked by one cable holds both sides this often: the cable is stiff or set too short.
BOTH_PARKING_BRAKES = 0.45

#: Hidden faults of a vehicle: none, one, two, three, and from four on for a neglected one. Of all, this share is of the
#: whole system. On a rusty vehicle there are more, at any of its corners.
COUNTS, OF_THE_SYSTEM = (0.245, 0.61, 0.075, 0.03, 0.02, 0.01, 0.01), 0.2


def possible(build: Build, place: Place, name: str) -> bool:
    """Whether a corner, or the whole vehicle, can have a fault at all."""
    if not isinstance(place, Corner):
        return build.kind != "motorcycle" or name != "booster_weak"
    axle = build.axle_of(place)
    if name.startswith("slide_pin"):
        return axle.caliper == "floating"
    if name == "piston_hung_one_of_several":
        return axle.per_side > 1
    if name == "parking_brake_holding":
        return axle.parking_brake != "none"
    return True


def make_fault(random: Random, build: Build, place: Place, name: str) -> Fault:
    """A fault at a place, as grave and as old as it happens to be, but no older than what it is at.

    A light drag is driven on for long, a strong one for little: it smells, pulls and smokes.
    """
    reach = build.axle_of(place).distance_km if isinstance(place, Corner) else build.odometer_km
    driven_km, severity = about(random, DRIVEN_ON_KM.get(name, 7500), 0.8), float(random.beta(3, 2))
    return Fault(
        place, name, severity, min(reach, driven_km * (1.5 - 0.8 * severity)), _way(random, build, place, name)
    )


def draw_faults(random: Random, build: Build) -> list[Fault]:
    out: list[Fault] = []

    def add(corner: Place, name: str) -> None:
        if (corner, name) not in {(fault.corner, fault.name) for fault in out}:
            out.append(make_fault(random, build, corner, name))

    count = int(random.choice(len(COUNTS), p=COUNTS))
    if count and build.rust > 2:
        count += int(random.poisson(0.3 * build.rust))
    for _ in range(4 * count):
        if len(out) >= min(count, 3 + len(build.corners)):
            break
        if random.random() < OF_THE_SYSTEM / max(1, count):
            name = pick(random, **SYSTEM_FAULTS)
            if possible(build, VEHICLE, name):
                add(VEHICLE, name)
            continue
        name = pick(random, **{fault: odds * build.rust**rusts for fault, (odds, rusts) in CORNER_FAULTS.items()})
        places = [corner for corner in build.corners if possible(build, corner, name)]
        crowded = {corner for corner in places if sum(fault.corner == corner for fault in out) > 1}
        if places and (free := [corner for corner in places if corner not in crowded]):
            corner = Corner(str(random.choice(free)))
            add(corner, name)
            shared = name == "parking_brake_holding" and _one_cable(build, corner)
            if shared and corner.partner and random.random() < BOTH_PARKING_BRAKES:
                add(corner.partner, name)
    for name, chance in SYSTEM_CONDITIONS.items():
        if random.random() < chance:
            add(VEHICLE, name)
    for name, chance in CONDITIONS.items():
        for corner in build.corners:
            if random.random() < chance:
                add(corner, name)
                if name == "rotor_worn_or_damaged" and corner.partner and random.random() < BOTH_ROTORS:
                    add(corner.partner, name)
    return out


def _one_cable(build: Build, corner: Corner) -> bool:
    return build.axle_of(corner).parking_brake in ("integral_cable", "drum_in_hat")


def _way(random: Random, build: Build, corner: Place, name: str) -> str:
    if name == "slide_pins_seized":
        return pick(random, never_across=0.68, not_back=0.32)
    if name == "slide_pin_seized_one":
        return pick(random, upper=0.5, lower=0.5)
    if name == "master_cylinder_not_releasing":
        return pick(random, all=0.55, circuit_1=0.225, circuit_2=0.225)
    if name == "parking_brake_holding":
        assert isinstance(corner, Corner)
        in_hat = build.axle_of(corner).parking_brake == "drum_in_hat"
        return pick(random, by_cable=0.5, by_shoes=0.5) if in_hat else "in_caliper"
    if name == "pad_or_hardware_misfitted":
        return pick(
            random, backwards=0.14, clip_reversed=0.2, spring_missing=0.18, clip_missing=0.18, wrong_pad=0.2,
            wrong_side=0.1,
        )  # fmt: skip
    if name == "rotor_worn_or_damaged":
        return pick(random, thin=0.4, grooved=0.2, cracked=0.06, uneven=0.22, lip=0.12)
    if name == "lining_contaminated":
        return pick(random, leak=0.5, grease=0.5)
    return ""

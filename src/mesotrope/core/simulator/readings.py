"""What each test finds on a simulated vehicle: a reading for every finding, by the instrument it is made with."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from mesotrope.core.language.corner import Corner
from mesotrope.core.simulator import instruments as tools
from mesotrope.core.simulator.build import AxleBuild, Random
from mesotrope.core.simulator.parts import SimulatedCorner
from mesotrope.core.simulator.truth import SimulatedVehicle

PLACES = ("lead_rim", "lead_hub", "trail_rim", "trail_hub")

#: What each test takes away of a wheel's drag, by what causes it: the share that lets go.
TAKES_AWAY: dict[str, dict[str, float]] = {
    "bleeder_opened": {
        "hose_restricted": 0.96, "master_cylinder_not_releasing": 0.95, "fluid_contaminated_mineral_oil": 0.8,
        "piston_not_releasing": 0.15,
    },
    "line_loosened_at_master": {
        "master_cylinder_not_releasing": 0.95, "fluid_contaminated_mineral_oil": 0.8, "hose_restricted": 0.03,
        "piston_not_releasing": 0.1,
    },
    "caliper_bolts_slackened": {
        "slide_pins_seized": 0.8, "slide_pin_seized_one": 0.75, "pad_bound_inner": 0.35, "pad_bound_outer": 0.4,
        "pad_or_hardware_misfitted": 0.4, "piston_not_releasing": 0.1,
    },
    "parking_cable_slackened": {
        "parking_brake_holding": 0.92, "parking_shoes_pulled": 0.92, "parking_shoes_tight": 0.2,
    },
}  # fmt: skip

#: What holds any wheel beside its brake and its driveline, N·m: the bearing's seal.
SEAL_NM = 0.35


@dataclass(frozen=True)
class At:
    """One corner that is measured, and what holds its wheel as it stands now: torque by cause, N·m."""

    random: Random
    vehicle: SimulatedVehicle
    name: Corner
    torque: Mapping[Corner, Mapping[str, float]]

    @classmethod
    def as_found(cls, random: Random, vehicle: SimulatedVehicle, name: Corner) -> At:
        """A corner as the vehicle came in."""
        return cls(random, vehicle, name, {where: corner.on_lift for where, corner in vehicle.corners.items()})

    @property
    def corner(self) -> SimulatedCorner:
        return self.vehicle.corners[self.name]

    @property
    def axle(self) -> AxleBuild:
        return self.vehicle.build.axle_of(self.name)

    @property
    def base_nm(self) -> float:
        return self.vehicle.base_nm[self.name.axle]

    @property
    def sides(self) -> Mapping[str, Any]:
        return {"inner": self.corner.inner, "outer": self.corner.outer}

    def word(self, truth: str, *others: str) -> str:
        return tools.word(self.random, truth, others)


def turning_nm(at: At) -> float:
    """What the hand works against that turns the wheel: the brakes on it, its driveline and its seal."""
    build = at.vehicle.build
    if build.kind == "motorcycle" and build.front_discs == 2 and at.name.axle == "front":
        on_wheel = {name: torque for name, torque in at.torque.items() if name.axle == "front"}
    else:
        on_wheel = {at.name: at.torque[at.name]}
    brakes = sum(sum(torque.values()) + at.vehicle.corners[name].rubs_nm for name, torque in on_wheel.items())
    return brakes + at.base_nm + SEAL_NM


def _spin(at: At) -> dict[str, float]:
    turns, seconds = tools.spin(at.random, turning_nm(at), at.vehicle.build.inertia_kg_m2)
    return {"turns": turns, "seconds": seconds}


def pull_radius_mm(vehicle: SimulatedVehicle) -> int:
    """Where the spring scale is hooked in: at the tire's edge."""
    return round(vehicle.build.wheel_radius_mm * 0.9)


def _pull(at: At) -> float:
    return float(tools.pull_n(at.random, turning_nm(at), pull_radius_mm(at.vehicle)))


def _frees(at: At, test: str) -> str:
    return tools.frees(at.random, at.torque[at.name], at.base_nm, TAKES_AWAY[test])


def _bleeder_opened(at: At) -> str:
    """What opening the bleeder does: to a wheel that is held, or to a piston that a closed hose kept where it was."""
    held = math.fsum(at.torque[at.name].values())
    return "frees" if at.corner.hose_n and held < SEAL_NM else _frees(at, "bleeder_opened")


def pad_mm(at: At, places: Sequence[str] = PLACES) -> dict[str, dict[str, float]]:
    return {
        side: {place: tools.thickness_mm(at.random, pad, place) for place in places} for side, pad in at.sides.items()
    }


def rotor_mm(at: At, count: int = 4) -> list[float]:
    places = at.corner.rotor_mm
    step = max(1, len(places) // count)
    return [
        round(float(place + at.random.normal(0, tools.NOISE["micrometer_mm"])), 3) for place in places[::step][:count]
    ]


#: What is found at a corner, by the finding's name.
AT_CORNER: Mapping[str, Callable[[At], Any]] = {
    "noise": lambda at: at.word(at.corner.noise, "squeal", "none"),
    "hub_temperature_c": lambda at: tools.hub_c(at.random, at.vehicle, at.name),
    "spin": _spin,
    "pull_n": _pull,
    "pull_radius_mm": lambda at: float(pull_radius_mm(at.vehicle)),
    "bearing": lambda at: at.word(at.corner.bearing, "quiet", "rough"),
    "window_pad_mm": lambda at: {side: tools.seen_mm(at.random, pad) for side, pad in at.sides.items()},
    "pad_gap_mm": lambda at: {side: tools.gap_mm(at.random, pad) for side, pad in at.sides.items()},
    "pedal_response": lambda at: {side: tools.response(at.random, pad) for side, pad in at.sides.items()},
    "rotor_face": lambda at: {
        side: at.word(face, "smooth", "scored", "glazed") for side, face in at.corner.face.items()
    },
    "rotor_lip_mm": lambda at: round(max(0.0, at.corner.lip_mm + at.random.normal(0, tools.NOISE["lip_mm"])), 1),
    "hose": lambda at: at.corner.hose,
    "leak": lambda at: at.word(at.corner.leak, "none"),
    "bleeder": lambda at: at.corner.bleeder,
    "shield": lambda at: at.word(at.corner.shield, "clear", "rotten"),
    "bleeder_opened": lambda at: _bleeder_opened(at),
    "line_loosened_at_master": lambda at: _frees(at, "line_loosened_at_master"),
    "caliper_bolts_slackened": lambda at: _frees(at, "caliper_bolts_slackened"),
    "parking_cable_slackened": lambda at: _frees(at, "parking_cable_slackened"),
    "pad_mm": pad_mm,
    "pad_fit": lambda at: {side: tools.fit(at.random, pad.ear_n) for side, pad in at.sides.items()},
    "pad_condition": lambda at: {side: at.word(pad.condition, "sound", "glazed") for side, pad in at.sides.items()},
    "pad_material": lambda at: at.corner.material,
    "pin": lambda at: {pin: tools.slide(at.random, force) for pin, force in at.corner.pins_n.items()},
    "pin_condition": lambda at: {
        pin: at.word(surface, "greased", "dry") for pin, surface in at.corner.pin_surface.items()
    },
    "pin_boot": lambda at: dict(at.corner.pin_boot),
    "retaining_pin": lambda at: tools.slide(at.random, at.corner.retaining_n),
    "piston_pushback": lambda at: [
        tools.pushed_back(at.random, force + at.corner.hose_n) for force in at.corner.pistons_n
    ],
    "piston_boot": lambda at: at.corner.piston_boot,
    "bracket_lands": lambda at: at.word(at.corner.lands, "clean", "rusted"),
    "hardware": lambda at: at.word(at.corner.hardware, "complete"),
    "parking_lever": lambda at: at.word(at.corner.lever, "returns", "slow"),
    "parking_shoes": lambda at: at.corner.shoes,
    "rotor_mm": rotor_mm,
    "rotor_runout_mm": lambda at: round(max(0.0, at.corner.runout_mm + at.random.normal(0, tools.NOISE["dial_mm"])), 2),
}


# -- the whole vehicle -------------------------------------------------------------------------------------------


def _maybe(random: Random, chance: float) -> bool:
    return bool(random.random() < chance)


#: What one front brake gives when a pull is felt for, N·m.
LIGHT_BRAKING_NM = 160.0


def leans(vehicle: SimulatedVehicle) -> float:
    """How much more the left front brakes than the right, as a share of one brake."""
    left, right = vehicle.corners[Corner.FRONT_LEFT], vehicle.corners[Corner.FRONT_RIGHT]
    return left.brakes - right.brakes


def holds_back_nm(vehicle: SimulatedVehicle) -> float:
    """How much more the left front drags than the right, N·m."""
    left, right = vehicle.corners[Corner.FRONT_LEFT], vehicle.corners[Corner.FRONT_RIGHT]
    return left.drag_nm - right.drag_nm


def shakes(vehicle: SimulatedVehicle) -> list[Corner]:
    """Whose rotor is felt in pedal or steering."""
    return [
        name
        for name, corner in vehicle.corners.items()
        if max(corner.rotor_mm, default=0.0) - min(corner.rotor_mm, default=0.0) > 0.02 or corner.runout_mm > 0.1
    ]


def parking_brake_is_weak(vehicle: SimulatedVehicle) -> bool:
    rear = [corner for name, corner in vehicle.corners.items() if name.axle == "rear"]
    return any(c.brakes < 0.3 or c.lever == "stuck" or c.shoes in ("worn", "delaminated") for c in rear)


def thinnest_mm(vehicle: SimulatedVehicle) -> float:
    return min(min(c.inner.mean_mm, c.outer.mean_mm) for c in vehicle.corners.values())


def _topped_up(random: Random, vehicle: SimulatedVehicle) -> str:
    return str(vehicle.fluid["topped"]) if _maybe(random, 0.85) else "unknown"


def _pull_braking(random: Random, vehicle: SimulatedVehicle) -> str:
    lean = leans(vehicle) + holds_back_nm(vehicle) / LIGHT_BRAKING_NM + random.normal(0, 0.06)
    return "left" if lean > 0.17 else "right" if lean < -0.17 else "none"


def _pull_coasting(random: Random, vehicle: SimulatedVehicle) -> str:
    drag = holds_back_nm(vehicle) + random.normal(0, 2.0)
    return "left" if drag > 9 else "right" if drag < -9 else "none"


def _smell(random: Random, vehicle: SimulatedVehicle) -> str:
    return "hot" if max(vehicle.hub_c.values()) > 150 + random.normal(0, 25) else "none"


def _vibration(random: Random, vehicle: SimulatedVehicle) -> str:
    felt = shakes(vehicle)
    if not felt or not _maybe(random, 0.75):
        return "none"
    steered = any(name.axle == "front" for name in felt)
    return "steering" if _maybe(random, 0.55 if steered else 0.05) else "pedal"


def _lamp(random: Random, vehicle: SimulatedVehicle) -> str:
    if float(vehicle.fluid["level"]) < -0.1:
        return "brake"
    return "wear" if thinnest_mm(vehicle) < 2.4 and _maybe(random, 0.5) else "none"


def _visible_leak(random: Random, vehicle: SimulatedVehicle) -> str:
    """Where fluid is seen outside; what wets one wheel is often seen too."""
    seen = str(vehicle.fluid["leak"])
    wet = {"seep": 0.25, "drip": 0.75}
    at_wheels = any(_maybe(random, wet.get(corner.leak, 0.0)) for corner in vehicle.corners.values())
    return "at_wheel" if seen == "none" and at_wheels else seen


def _parking_brake_holds(random: Random, vehicle: SimulatedVehicle) -> str:
    found = parking_brake_is_weak(vehicle) and _maybe(random, 0.7)
    return str(random.choice(["weak", "no"], p=[0.8, 0.2])) if found else "yes"


def _brake_force(random: Random, vehicle: SimulatedVehicle) -> dict[Corner, float]:
    build = vehicle.build
    return {
        name: float(round(build.mass_kg * 2.2 * build.axle_of(name).share * c.brakes * random.normal(1, 0.05)))
        for name, c in vehicle.corners.items()
    }


def _travel(random: Random, vehicle: SimulatedVehicle) -> float:
    return round(min(1.0, max(0.05, vehicle.pedal_travel + random.normal(0, tools.NOISE["foot"]))), 2)


def _level(random: Random, vehicle: SimulatedVehicle) -> float:
    return round(min(1.9, max(-0.6, float(vehicle.fluid["level"]) + random.normal(0, tools.NOISE["level"]))), 1)


def _water(random: Random, vehicle: SimulatedVehicle) -> float:
    return round(max(0.0, float(vehicle.fluid["water"]) + random.normal(0, tools.NOISE["water_percent"])), 1)


def _boiling(random: Random, vehicle: SimulatedVehicle) -> float:
    return float(round(float(vehicle.fluid["boils"]) + random.normal(0, tools.NOISE["boiling_c"])))


def _copper(random: Random, vehicle: SimulatedVehicle) -> float:
    return float(round(max(0, float(vehicle.fluid["copper"]) * (1 + random.normal(0, tools.NOISE["copper"]))), -1))


#: What is found of the whole vehicle, by the finding's name.
OF_VEHICLE: Mapping[str, Callable[[Random, SimulatedVehicle], Any]] = {
    "topped_up_since_service": _topped_up,
    "fluid_age_months": lambda random, vehicle: float(round(float(vehicle.fluid["age"]))),
    "pull_braking": _pull_braking,
    "pull_coasting": _pull_coasting,
    "smell": _smell,
    "vibration": _vibration,
    "warning_lamp": _lamp,
    "parking_brake_holds": _parking_brake_holds,
    "brake_force_n": _brake_force,
    "pedal_travel": _travel,
    "pedal_feel": lambda random, vehicle: tools.word(random, vehicle.pedal["feel"], ("firm", "spongy")),
    "pedal_hold": lambda random, vehicle: vehicle.pedal["hold"],
    "pedal_pump": lambda random, vehicle: tools.word(random, vehicle.pedal["pump"], ("no_change", "rises")),
    "pedal_on_engine_start": lambda random, vehicle: vehicle.pedal["start"],
    "pedal_release": lambda random, vehicle: vehicle.pedal["release"],
    "fluid_level": _level,
    "fluid_colour": lambda random, vehicle: tools.word(random, str(vehicle.fluid["colour"]), ("amber", "brown")),
    "cap_seal": lambda random, vehicle: str(vehicle.fluid["seal"]),
    "visible_leak": _visible_leak,
    "fluid_water_percent": _water,
    "fluid_boiling_c": _boiling,
    "fluid_copper_ppm": _copper,
}

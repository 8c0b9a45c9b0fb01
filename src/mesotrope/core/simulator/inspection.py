"""An inspection of a simulated vehicle as a workshop makes it: in order, with what is skipped left out."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from mesotrope.core.language.corner import Corner
from mesotrope.core.language.inspection import STAGES
from mesotrope.core.simulator import instruments as tools
from mesotrope.core.simulator.build import Random
from mesotrope.core.simulator.parts import SimulatedCorner
from mesotrope.core.simulator.truth import SimulatedVehicle

PLACES = ("lead_rim", "lead_hub", "trail_rim", "trail_hub")

#: What each test takes away of a wheel's drag, by what causes it: the share that lets go.
BLEEDER = {"hose_restricted": 0.96, "master_cylinder_not_releasing": 0.95, "fluid_contaminated_mineral_oil": 0.8,
           "piston_not_releasing": 0.15}  # fmt: skip
AT_MASTER = {"master_cylinder_not_releasing": 0.95, "fluid_contaminated_mineral_oil": 0.8, "hose_restricted": 0.03,
             "piston_not_releasing": 0.1}  # fmt: skip
BOLTS = {"slide_pins_seized": 0.8, "slide_pin_seized_one": 0.75, "pad_bound_inner": 0.35, "pad_bound_outer": 0.4,
         "pad_or_hardware_misfitted": 0.4, "piston_not_releasing": 0.1}  # fmt: skip
CABLE = {"parking_brake_holding": 0.92}

#: Whether something that is done with some chance is done.
Does = Callable[[float], bool]


def _maybe(random: Random, chance: float) -> bool:
    return bool(random.random() < chance)


def inspect_vehicle(
    random: Random, vehicle: SimulatedVehicle, upto: str = "measure", thorough: float = 1.0
) -> dict[str, Any]:
    """Inspect a vehicle up to a stage of the work and write the open document.

    upto : the last stage that is worked; thorough : 1 as real jobs go, with gaps; large: nothing left out.
    """
    reached = STAGES.index(upto)
    corners: dict[Corner, dict[str, Any]] = {name: {} for name in vehicle.build.corners}
    system: dict[str, Any] = {}

    def does(chance: float) -> bool:
        return _maybe(random, min(1.0, chance * thorough))

    def stage(name: str) -> bool:
        return STAGES.index(name) <= reached

    if stage("intake"):
        _intake(random, vehicle, system, does)
    if stage("road") and does(0.5):
        _road(random, vehicle, system, corners, does)
    if stage("pedal") and does(0.88):
        _pedal(random, vehicle, system, does)
    if stage("bonnet") and does(0.8):
        _bonnet(random, vehicle, system, does)
    if stage("lift"):
        _lift(random, vehicle, corners, does)
    suspicious = _suspicious(random, corners, system)
    for name, found in corners.items():
        corner, close = vehicle.corners[name], name in suspicious
        if stage("wheel_off") and does(0.95 if close else 0.5):
            _look(random, vehicle, name, corner, found, does)
        if stage("isolate") and close and corner.drag_nm > 3 and does(0.6):
            _isolate(random, vehicle, name, corner, found, does)
        if stage("strip") and does(0.95 if close else 0.35):
            _strip(random, vehicle, name, corner, found, does)
        if stage("measure") and found.get("pad_mm") and does(0.75):
            _measure(random, corner, found, does)
    visit = {
        "odometer_km": round(vehicle.build.odometer_km), "ambient_c": round(vehicle.ambient_c),
        "usage": vehicle.build.usage,
    }  # fmt: skip
    return {
        "format": "mesotrope-inspection", "version": 1, "vehicle": vehicle.build.document(), "visit": visit,
        "findings": {"system": system, "corners": corners},
    }  # fmt: skip


def _suspicious(random: Random, corners: dict[Corner, dict[str, Any]], system: dict[str, Any]) -> set[Corner]:
    """Corners a technician strips, by what was found so far and nothing else: nobody knows the truth.

    Those that stop soon, run hotter than their partner, make a noise or pull, the front for a shaking pedal; and now
    and then an axle that shows nothing, because it is due.
    """
    out = set()
    for name, found in corners.items():
        partner = corners.get(name.partner or name, {})
        turned, other = found.get("spin"), partner.get("spin")
        if turned and (turned["turns"] == 0 or turned["seconds"] < 1.6):
            out.add(name)
        if turned and other and turned["seconds"] < 0.55 * other["seconds"]:
            out.add(name)
        if found.get("hub_temperature_c", 0.0) > partner.get("hub_temperature_c", 60.0) + 25:
            out.add(name)
        if found.get("noise", "none") != "none":
            out.add(name)
    for pull in (system.get("pull_braking"), system.get("pull_coasting")):
        if pull in ("left", "right"):
            out.add(Corner(f"front_{pull}"))
    if system.get("vibration", "none") != "none":
        out |= {name for name in corners if name.axle == "front"}
    if system.get("pedal_pump") == "rises" or system.get("parking_brake_holds", "yes") != "yes":
        out |= {name for name in corners if name.axle == "rear"}
    for axle in ("front", "rear"):
        if _maybe(random, 0.35):
            out |= {name for name in corners if name.axle == axle}
    return (out | {name.partner for name in out if name.partner}) & set(corners)


def _intake(random: Random, vehicle: SimulatedVehicle, system: dict[str, Any], does: Does) -> None:
    if does(0.35):
        system["topped_up_since_service"] = vehicle.fluid["topped"] if _maybe(random, 0.85) else "unknown"
    if does(0.5):
        system["fluid_age_months"] = float(round(float(vehicle.fluid["age"])))


def _road(
    random: Random, vehicle: SimulatedVehicle, system: dict[str, Any], corners: dict[Corner, Any], does: Does
) -> None:
    build, here = vehicle.build, vehicle.corners
    if build.kind != "motorcycle":
        left, right = here[Corner.FRONT_LEFT].brakes, here[Corner.FRONT_RIGHT].brakes
        lean = (left - right) + random.normal(0, 0.06)
        system["pull_braking"] = "left" if lean > 0.17 else "right" if lean < -0.17 else "none"
        drag = here[Corner.FRONT_LEFT].drag_nm - here[Corner.FRONT_RIGHT].drag_nm + random.normal(0, 2.0)
        system["pull_coasting"] = "left" if drag > 9 else "right" if drag < -9 else "none"
    hottest = max(vehicle.hub_c.values())
    system["smell"] = "hot" if hottest > 150 + random.normal(0, 25) else "none"
    uneven = max((max(c.rotor_mm) - min(c.rotor_mm) for c in here.values()), default=0.0)
    runs_out = max(c.runout_mm for c in here.values())
    felt = uneven > 0.02 or runs_out > 0.1
    system["vibration"] = str(random.choice(["pedal", "steering"])) if felt and _maybe(random, 0.75) else "none"
    thin = min(min(c.inner.mean_mm, c.outer.mean_mm) for c in here.values())
    low = float(vehicle.fluid["level"]) < -0.1
    system["warning_lamp"] = "brake" if low else "wear" if thin < 2.4 and _maybe(random, 0.5) else "none"
    for name, found in corners.items():
        if does(0.8):
            found["noise"] = tools.word(random, here[name].noise, ("squeal", "none"))
    if does(0.7):
        for name, found in corners.items():
            found["hub_temperature_c"] = tools.hub_c(random, vehicle, name)
    rear = [c for name, c in here.items() if name.axle == "rear"]
    if build.kind != "motorcycle" and does(0.7):
        weak = any(c.brakes < 0.3 or c.lever == "stuck" or c.shoes in ("worn", "delaminated") for c in rear)
        system["parking_brake_holds"] = (
            str(random.choice(["weak", "no"], p=[0.8, 0.2])) if weak and _maybe(random, 0.7) else "yes"
        )
    if build.kind != "motorcycle" and does(0.12):
        system["brake_force_n"] = {
            name: float(round(build.mass_kg * 2.2 * build.axle_of(name).share * c.brakes * random.normal(1, 0.05)))
            for name, c in here.items()
        }


def _pedal(random: Random, vehicle: SimulatedVehicle, system: dict[str, Any], does: Does) -> None:
    pedal = vehicle.pedal
    system["pedal_travel"] = round(min(1.0, max(0.05, vehicle.pedal_travel + random.normal(0, tools.NOISE["foot"]))), 2)
    system["pedal_feel"] = tools.word(random, pedal["feel"], ("firm", "spongy"))
    system["pedal_hold"] = pedal["hold"]
    if does(0.9):
        system["pedal_pump"] = tools.word(random, pedal["pump"], ("no_change",))
    if vehicle.build.kind != "motorcycle" and does(0.85):
        system["pedal_on_engine_start"] = pedal["start"]
    if does(0.7):
        system["pedal_release"] = pedal["release"]


def _bonnet(random: Random, vehicle: SimulatedVehicle, system: dict[str, Any], does: Does) -> None:
    fluid = vehicle.fluid
    level = float(fluid["level"]) + random.normal(0, tools.NOISE["level"])
    system["fluid_level"] = round(min(1.9, max(-0.6, level)), 1)
    system["fluid_colour"] = tools.word(random, str(fluid["colour"]), ("amber", "brown"))
    system["cap_seal"] = str(fluid["seal"])
    if does(0.9):
        system["visible_leak"] = str(fluid["leak"])
    if does(0.55):
        system["fluid_water_percent"] = round(
            max(0.0, float(fluid["water"]) + random.normal(0, tools.NOISE["water_percent"])), 1
        )
    if does(0.12):
        system["fluid_boiling_c"] = float(round(float(fluid["boils"]) + random.normal(0, tools.NOISE["boiling_c"])))
    if does(0.08):
        copper = float(fluid["copper"]) * (1 + random.normal(0, tools.NOISE["copper"]))
        system["fluid_copper_ppm"] = float(round(max(0, copper), -1))


def _lift(random: Random, vehicle: SimulatedVehicle, corners: dict[Corner, Any], does: Does) -> None:
    build = vehicle.build
    together = build.kind == "motorcycle" and build.front_discs == 2
    shared: dict[str, float] | None = None
    for name, found in corners.items():
        corner = vehicle.corners[name]
        base = vehicle.base_nm[name.axle]
        torque = corner.drag_nm + base + 0.35
        if together and name.axle == "front":
            torque = sum(c.drag_nm for n, c in vehicle.corners.items() if n.axle == "front") + base + 0.35
        if does(0.97):
            if together and name.axle == "front" and shared is not None:
                found["spin"] = shared
            else:
                turns, seconds = tools.spin(random, torque, build.inertia_kg_m2)
                found["spin"] = {"turns": turns, "seconds": seconds}
                shared = found["spin"] if together and name.axle == "front" else shared
        if does(0.07):
            radius = round(build.wheel_radius_mm * 0.9)
            found["pull_n"], found["pull_radius_mm"] = float(tools.pull_n(random, torque, radius)), float(radius)
        if does(0.6):
            found["bearing"] = tools.word(random, corner.bearing, ("quiet", "rough"))


def _look(
    random: Random, vehicle: SimulatedVehicle, name: Corner, corner: SimulatedCorner, found: dict[str, Any], does: Does
) -> None:
    if does(0.4):
        found["window_pad_mm"] = {
            "inner": tools.seen_mm(random, corner.inner),
            "outer": tools.seen_mm(random, corner.outer),
        }
    if does(0.6):
        found["pad_gap_mm"] = {"inner": tools.gap_mm(random, corner.inner), "outer": tools.gap_mm(random, corner.outer)}
    if does(0.45):
        found["pedal_response"] = {
            "inner": tools.response(random, corner.inner), "outer": tools.response(random, corner.outer)
        }  # fmt: skip
    if does(0.85):
        found["rotor_face"] = {
            side: tools.word(random, face, ("smooth", "scored", "glazed")) for side, face in corner.face.items()
        }
    if does(0.4):
        found["rotor_lip_mm"] = round(max(0.0, corner.lip_mm + random.normal(0, 0.1)), 1)
    if does(0.85):
        found["hose"] = corner.hose
    if does(0.85):
        found["leak"] = tools.word(random, corner.leak, ("none",))
    if does(0.7):
        found["bleeder"] = corner.bleeder
    if does(0.55):
        found["shield"] = tools.word(random, corner.shield, ("clear", "rotten"))


def _isolate(
    random: Random, vehicle: SimulatedVehicle, name: Corner, corner: SimulatedCorner, found: dict[str, Any], does: Does
) -> None:
    base = vehicle.base_nm[name.axle]
    if does(0.75):
        found["bleeder_opened"] = tools.frees(random, corner, base, BLEEDER)
        if found["bleeder_opened"] == "frees":
            if does(0.7):
                found["line_loosened_at_master"] = tools.frees(random, corner, base, AT_MASTER)
            return
    if does(0.4):
        found["caliper_bolts_slackened"] = tools.frees(random, corner, base, BOLTS)
    if vehicle.build.axle_of(name).parking_brake != "none" and does(0.5):
        found["parking_cable_slackened"] = tools.frees(random, corner, base, CABLE)


def _strip(
    random: Random, vehicle: SimulatedVehicle, name: Corner, corner: SimulatedCorner, found: dict[str, Any], does: Does
) -> None:
    axle = vehicle.build.axle_of(name)
    places = PLACES if does(0.8) else ("lead_rim", "trail_rim")
    found["pad_mm"] = {
        side: {place: tools.thickness_mm(random, pad, place) for place in places}
        for side, pad in (("inner", corner.inner), ("outer", corner.outer))
    }
    sides = (("inner", corner.inner), ("outer", corner.outer))
    if does(0.9):
        found["pad_fit"] = {side: tools.fit(random, pad.ear_n) for side, pad in sides}
    if does(0.85):
        found["pad_condition"] = {side: tools.word(random, pad.condition, ("sound", "glazed")) for side, pad in sides}
    if does(0.3):
        found["pad_material"] = corner.material
    if axle.caliper == "floating":
        if does(0.92):
            found["pin"] = {pin: tools.slide(random, force) for pin, force in corner.pins_n.items()}
        if does(0.7):
            found["pin_condition"] = {
                pin: tools.word(random, surface, ("greased", "dry")) for pin, surface in corner.pin_surface.items()
            }
        if does(0.75):
            found["pin_boot"] = dict(corner.pin_boot)
    elif does(0.8):
        found["retaining_pin"] = tools.slide(random, corner.retaining_n)
    if does(0.9):
        found["piston_pushback"] = [tools.pushed_back(random, force + corner.hose_n) for force in corner.pistons_n]
    if does(0.85):
        found["piston_boot"] = corner.piston_boot
    if does(0.75):
        found["bracket_lands"] = tools.word(random, corner.lands, ("clean", "rusted"))
    if does(0.75):
        found["hardware"] = tools.word(random, corner.hardware, ("complete",))
    if axle.parking_brake in ("integral_cable", "electric_on_caliper") and does(0.7):
        found["parking_lever"] = tools.word(random, corner.lever, ("returns", "slow"))
    if axle.parking_brake == "drum_in_hat" and does(0.65):
        found["parking_shoes"] = corner.shoes


def _measure(random: Random, corner: SimulatedCorner, found: dict[str, Any], does: Does) -> None:
    count = int(random.choice([3, 4, 6, 8]))
    step = max(1, len(corner.rotor_mm) // count)
    found["rotor_mm"] = [
        round(float(place + random.normal(0, tools.NOISE["micrometer_mm"])), 3)
        for place in corner.rotor_mm[::step][:count]
    ]
    if does(0.2):
        found["rotor_runout_mm"] = round(max(0.0, corner.runout_mm + random.normal(0, tools.NOISE["dial_mm"])), 2)

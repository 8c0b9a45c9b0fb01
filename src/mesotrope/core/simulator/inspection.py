"""An inspection of a simulated vehicle as a workshop makes it: in order, with what is skipped left out."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from mesotrope.core.language.corner import Corner
from mesotrope.core.language.inspection import STAGES
from mesotrope.core.simulator.build import Random
from mesotrope.core.simulator.readings import AT_CORNER, OF_VEHICLE, PLACES, At, pad_mm, rotor_mm
from mesotrope.core.simulator.truth import SimulatedVehicle

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
        at, close = At.as_found(random, vehicle, name), name in suspicious
        if stage("wheel_off") and does(0.95 if close else 0.5):
            _look(at, found, does)
        if stage("isolate") and close and sum(at.torque[name].values()) > 3 and does(0.6):
            _isolate(at, found, does)
        if stage("strip") and does(0.95 if close else 0.35):
            _strip(at, found, does)
        if stage("measure") and found.get("pad_mm") and does(0.75):
            _measure(at, found, does)
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
    for name, chance in (("topped_up_since_service", 0.35), ("fluid_age_months", 0.5)):
        if does(chance):
            system[name] = OF_VEHICLE[name](random, vehicle)


def _road(
    random: Random, vehicle: SimulatedVehicle, system: dict[str, Any], corners: dict[Corner, Any], does: Does
) -> None:
    build = vehicle.build
    if build.kind != "motorcycle":
        for name in ("pull_braking", "pull_coasting"):
            system[name] = OF_VEHICLE[name](random, vehicle)
    for name in ("smell", "vibration", "warning_lamp"):
        system[name] = OF_VEHICLE[name](random, vehicle)
    for where, found in corners.items():
        if does(0.8):
            found["noise"] = AT_CORNER["noise"](At.as_found(random, vehicle, where))
    if does(0.7):
        for where, found in corners.items():
            found["hub_temperature_c"] = AT_CORNER["hub_temperature_c"](At.as_found(random, vehicle, where))
    if build.kind != "motorcycle" and does(0.7):
        system["parking_brake_holds"] = OF_VEHICLE["parking_brake_holds"](random, vehicle)
    if build.kind != "motorcycle" and does(0.12):
        system["brake_force_n"] = OF_VEHICLE["brake_force_n"](random, vehicle)


def _made(random: Random, vehicle: SimulatedVehicle, found: dict[str, Any], does: Does, **chances: float) -> None:
    """Make tests of the whole vehicle, each with its chance, in their order."""
    for name, chance in chances.items():
        if chance >= 1 or does(chance):
            found[name] = OF_VEHICLE[name](random, vehicle)


def _pedal(random: Random, vehicle: SimulatedVehicle, system: dict[str, Any], does: Does) -> None:
    _made(random, vehicle, system, does, pedal_travel=1, pedal_feel=1, pedal_hold=1, pedal_pump=0.9)
    if vehicle.build.kind != "motorcycle":
        _made(random, vehicle, system, does, pedal_on_engine_start=0.85)
    _made(random, vehicle, system, does, pedal_release=0.7)


def _bonnet(random: Random, vehicle: SimulatedVehicle, system: dict[str, Any], does: Does) -> None:
    _made(
        random, vehicle, system, does, fluid_level=1, fluid_colour=1, cap_seal=1, visible_leak=0.9,
        fluid_water_percent=0.55, fluid_boiling_c=0.12, fluid_copper_ppm=0.08,
    )  # fmt: skip


def _made_at(at: At, found: dict[str, Any], does: Does, **chances: float) -> None:
    """Make tests at a corner, each with its chance, in their order."""
    for name, chance in chances.items():
        if does(chance):
            found[name] = AT_CORNER[name](at)


def _lift(random: Random, vehicle: SimulatedVehicle, corners: dict[Corner, Any], does: Does) -> None:
    build = vehicle.build
    together = build.kind == "motorcycle" and build.front_discs == 2
    shared: dict[str, float] | None = None
    for name, found in corners.items():
        at = At.as_found(random, vehicle, name)
        if does(0.97):
            if together and name.axle == "front" and shared is not None:
                found["spin"] = shared
            else:
                found["spin"] = AT_CORNER["spin"](at)
                shared = found["spin"] if together and name.axle == "front" else shared
        if does(0.07):
            found["pull_n"], found["pull_radius_mm"] = AT_CORNER["pull_n"](at), AT_CORNER["pull_radius_mm"](at)
        if does(0.6):
            found["bearing"] = AT_CORNER["bearing"](at)


def _look(at: At, found: dict[str, Any], does: Does) -> None:
    _made_at(
        at, found, does, window_pad_mm=0.4, pad_gap_mm=0.6, pedal_response=0.45, rotor_face=0.85, rotor_lip_mm=0.4,
        hose=0.85, leak=0.85, bleeder=0.7, shield=0.55,
    )  # fmt: skip


def _isolate(at: At, found: dict[str, Any], does: Does) -> None:
    _made_at(at, found, does, bleeder_opened=0.75)
    if found.get("bleeder_opened") == "frees":
        _made_at(at, found, does, line_loosened_at_master=0.7)
        return
    _made_at(at, found, does, caliper_bolts_slackened=0.4)
    if at.axle.parking_brake != "none":
        _made_at(at, found, does, parking_cable_slackened=0.5)


def _strip(at: At, found: dict[str, Any], does: Does) -> None:
    found["pad_mm"] = pad_mm(at, PLACES if does(0.8) else ("lead_rim", "trail_rim"))
    _made_at(at, found, does, pad_fit=0.9, pad_condition=0.85, pad_material=0.3)
    if at.axle.caliper == "floating":
        _made_at(at, found, does, pin=0.92, pin_condition=0.7, pin_boot=0.75)
    else:
        _made_at(at, found, does, retaining_pin=0.8)
    _made_at(at, found, does, piston_pushback=0.9, piston_boot=0.85, bracket_lands=0.75, hardware=0.75)
    if at.axle.parking_brake in ("integral_cable", "electric_on_caliper"):
        _made_at(at, found, does, parking_lever=0.7)
    if at.axle.parking_brake == "drum_in_hat":
        _made_at(at, found, does, parking_shoes=0.65)


def _measure(at: At, found: dict[str, Any], does: Does) -> None:
    found["rotor_mm"] = rotor_mm(at, int(at.random.choice([3, 4, 6, 8])))
    _made_at(at, found, does, rotor_runout_mm=0.2)

"""What a decision costs more than the best one would, knowing the truth."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, replace

import numpy as np

from mesotrope.core.answer.answer import overview, whole_answer
from mesotrope.core.decision.brought_along import companions_at
from mesotrope.core.decision.rules import Demand
from mesotrope.core.inference.axle_beliefs import AxleBeliefs, beliefs_of
from mesotrope.core.inference.posterior import Suspect
from mesotrope.core.language.corner import VEHICLE, Corner
from mesotrope.core.language.faults import NO_FAULT
from mesotrope.core.language.inspection import Inspection
from mesotrope.core.plan.packages import best_test_on, compare_packages, completed, demands_at
from mesotrope.core.plan.worth import Worth
from mesotrope.core.simulator import SimulatedVehicle
from mesotrope.core.simulator.parts import Fault
from mesotrope.knowledge import knowledge
from scripts.calibration.cases import vehicle_of
from scripts.calibration.settling import believed_in_the_end

Actions = frozenset[tuple[str, str]]


def _knowing(truth: Iterable[Suspect], axle: str) -> AxleBeliefs:
    """A belief that knows: every true fault is there, and nothing else."""
    names = sorted(suspect for suspect in truth if suspect[0].startswith(axle))
    return AxleBeliefs([names], [np.ones((1, len(names)))], np.ones(1))


@dataclass(frozen=True)
class Regret:
    """What one vehicle is expected to cost, knowing the truth, by the package that each way of deciding chooses."""

    best: float
    recommended: float
    left: float
    renewed: float
    faulty: bool
    cures: float | None = None
    sound_wrongly: bool = False
    danger: bool = False
    #: Why a danger was missed: it shows nothing, nobody looked where it shows, or it was found and not told; or not.
    missed: str = ""
    #: Whether it was still missed once everything that is offered as next test had been made.
    missed_in_the_end: bool = False
    #: Calipers that the recommended packages rebuild or renew; those of them that no fault there and no rule asks for.
    calipers: int = 0
    needless: int = 0
    #: As many of those would stay in the package of the least expected cost, which need not cure as surely.
    needless_anyway: int = 0


#: Faults with which a vehicle must not be driven.
DANGERS = {"external_leak", "master_cylinder_bypass", "piston_seized_released", "fluid_contaminated_mineral_oil"}


#: How a danger is missed: not called unsafe, and nothing open.
SHOWS_NOTHING, NOT_LOOKED_AT, NOT_TOLD = "it shows nothing yet", "nobody looked where it shows", "found, and not told"

#: From the one that nobody is to blame for to the one that is a fault of the product.
GRAVER = (SHOWS_NOTHING, NOT_LOOKED_AT, NOT_TOLD)

#: More packages than an axle ever has.
EVERY = 1000


def _why_missed(fault: Fault, vehicle: SimulatedVehicle, inspection: Inspection) -> str:
    """Why a danger that nothing was said of was missed."""
    system, fluid = inspection.system, vehicle.fluid
    if fault.name == "fluid_contaminated_mineral_oil":
        shows = fluid["seal"] == "swollen" or fluid["colour"] == "cloudy"
        looked = system.cap_seal is not None or system.fluid_colour is not None
    elif isinstance(fault.corner, Corner):
        found = inspection.corner(fault.corner)
        shows, looked = True, bool(found.piston_pushback or found.pedal_response)
    else:
        leaks = fluid["leak"] != "none"
        shows = leaks or vehicle.pedal["hold"] == "sinks"
        looked = system.pedal_hold is not None if not leaks else system.visible_leak is not None
    return NOT_TOLD if shows and looked else NOT_LOOKED_AT if shows else SHOWS_NOTHING


def _shows(fault: Fault) -> bool:
    """Whether a fault is old and grave enough to show on anything."""
    return fault.severity > 0.25 and fault.onset_km > 1000


def _demanded(demands: dict[str, list[Demand]]) -> Actions:
    known, out = knowledge(), set()
    for corner, rules in demands.items():
        for rule in rules:
            out |= {(VEHICLE if known.cost[action].per == "vehicle" else corner, action) for action in rule.actions}
    return frozenset(out)


#: What is done to a caliper as a whole.
OF_CALIPERS = ("rebuild_caliper", "replace_caliper")


def _calipers(actions: Actions) -> frozenset[str]:
    """Where a caliper is rebuilt or renewed."""
    return frozenset(where for where, action in actions if action in OF_CALIPERS)


def _needless(chosen: Actions, demanded: Actions, truth: frozenset[Suspect]) -> frozenset[str]:
    """Where a package rebuilds or renews a caliper that no true fault there and no rule asks for."""
    known = knowledge()
    asked = {where for where, fault in truth if set(OF_CALIPERS) & set(known.cure[fault].actions)}
    return _calipers(chosen) - asked - _calipers(demanded)


def regret_of(number: int, seed: int) -> Regret:
    """One simulated vehicle, decided axle by axle as recommended, by the rules alone, and by renewing all."""
    vehicle, inspection = vehicle_of(seed, number)
    known = knowledge()
    short = overview(inspection, known)
    answer = whole_answer(inspection, short)
    total, cures, calipers = np.zeros(4), [], np.zeros(3, dtype=int)
    findings = short.decision.findings
    for name, believed in beliefs_of(short.posterior).items() if short.posterior else ():
        corners = short.specification.corners_on(name)
        demands = demands_at(corners, findings)
        chances: dict[Suspect, float] = {suspect: 1.0 for suspect in vehicle.truth if suspect[0] in corners}
        accused = {where for where, _ in chances}
        chances |= {(corner, NO_FAULT): 0.0 if corner in accused else 1.0 for corner in corners}
        truth = _knowing(vehicle.truth, name)
        worth = Worth(name, corners, truth, chances, known)
        companions = companions_at(corners, inspection, known)
        ours = compare_packages(
            name, short.specification, believed, short.chances, demands, known, companions=companions, most=EVERY
        )
        best = compare_packages(
            name, short.specification, truth, chances, demands, known, companions=companions, most=EVERY
        )
        rules = _demanded(demands)
        renewed = {(c, a) for c in corners for a in ("replace_caliper", "replace_pads", "replace_rotor")}
        chosen = ours.recommended.actions if ours else frozenset()
        options = [
            min(best.packages, key=lambda package: package.expected).actions if best else frozenset(),
            chosen,
            rules,
            rules | renewed if chosen else rules,
        ]
        axle = short.specification.axles[name]
        whole = [completed(actions, corners, axle, known, companions=companions) for actions in options]
        total += [worth.of(actions).expected for actions in whole]
        test = best_test_on(name, answer, known)
        if ours and replace(ours, test=test).recommends:
            cheapest = min(ours.packages, key=lambda package: package.expected).actions
            needless = _needless(chosen, rules, vehicle.truth)
            calipers += (len(_calipers(chosen)), len(needless), len(needless & _calipers(cheapest)))
            if accused:
                cures.append(worth.of(whole[1]).cure)
    decision = short.decision
    shows = any(_shows(fault) for fault in vehicle.faults)
    dangers = [fault for fault in vehicle.faults if fault.name in DANGERS and _shows(fault)]
    missed = dangers and not decision.unsafe and not decision.open
    last = believed_in_the_end(number, seed, inspection).decision if missed else decision
    return Regret(
        *total.tolist(),
        faulty=any(corner is not VEHICLE for corner, _ in vehicle.truth),
        cures=float(np.prod(cures)) if cures else None,
        sound_wrongly=shows and decision.verdict == "sound",
        danger=bool(dangers),
        missed=max((_why_missed(one, vehicle, inspection) for one in dangers), key=GRAVER.index) if missed else "",
        missed_in_the_end=bool(missed) and not last.unsafe and not last.open,
        calipers=int(calipers[0]),
        needless=int(calipers[1]),
        needless_anyway=int(calipers[2]),
    )

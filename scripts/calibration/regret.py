"""What a decision costs more than the best one would, knowing the truth."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np

from mesotrope.core.answer import Overview, overview
from mesotrope.core.diagnosis import Suspect
from mesotrope.core.findings import Inspection
from mesotrope.core.packages import Worth, compare_packages, completed
from mesotrope.core.rules import Demand, corner_demands
from mesotrope.core.space import Floats
from mesotrope.knowledge import knowledge
from scripts.calibration.cases import vehicle_of

Actions = frozenset[tuple[str, str]]


class Truth:
    """A belief that knows: every true fault is there, and nothing else."""

    def __init__(self, truth: Iterable[Suspect]) -> None:
        self.truth = frozenset(truth)

    def axle_beliefs(self, name: str) -> tuple[list[Suspect], Floats, Floats]:
        names = sorted(suspect for suspect in self.truth if suspect[0].startswith(name))
        return names, np.ones((1, len(names))), np.ones(1)


@dataclass(frozen=True)
class Regret:
    """What one vehicle is expected to cost, knowing the truth, by the package that each way of deciding chooses."""

    best: float
    recommended: float
    left: float
    renewed: float
    faulty: bool


def _demands(inspection: Inspection, short: Overview, corners: Iterable[str]) -> dict[str, list[Demand]]:
    return {
        corner: corner_demands(corner, inspection, short.measures[corner], short.specification, knowledge())
        for corner in corners
    }


def _demanded(demands: dict[str, list[Demand]]) -> Actions:
    known, out = knowledge(), set()
    for corner, rules in demands.items():
        for rule in rules:
            out |= {("" if known.cost[action].per == "vehicle" else corner, action) for action in rule.actions}
    return frozenset(out)


def regret_of(number: int, seed: int) -> Regret:
    """One simulated vehicle, decided axle by axle as recommended, by the rules alone, and by renewing all."""
    vehicle, inspection = vehicle_of(seed, number)
    known = knowledge()
    short = overview(inspection, known)
    total = np.zeros(4)
    for name in short.posterior.axle_names if short.posterior else ():
        corners = short.specification.corners_on(name)
        demands = _demands(inspection, short, corners)
        chances = {suspect: 1.0 for suspect in vehicle.truth if suspect[0] in corners}
        truth = Truth(vehicle.truth)
        worth = Worth(name, corners, truth, chances, known)  # type: ignore[arg-type]
        ours = compare_packages(name, short.specification, short.posterior, short.chances, demands, known)
        best = compare_packages(name, short.specification, truth, chances, demands, known)  # type: ignore[arg-type]
        rules = _demanded(demands)
        renewed = {(c, a) for c in corners for a in ("replace_caliper", "replace_pads", "replace_rotor")}
        chosen = ours.recommended.actions if ours else frozenset()
        options = [
            best.recommended.actions if best else frozenset(),
            chosen,
            rules,
            rules | renewed if chosen else rules,
        ]
        axle = short.specification.axles[name]
        whole = [completed(actions, corners, axle, known) for actions in options]
        total += [worth.of(actions).expected for actions in whole]
    return Regret(*total.tolist(), faulty=any(corner for corner, _ in vehicle.truth))

"""Simulated vehicles with what was found, what is true and what the diagnosis says, made on every core at once."""

from __future__ import annotations

import json
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from functools import cache, partial
from multiprocessing import get_context
from typing import TypeVar

import numpy as np

from mesotrope.core.answer.answer import overview
from mesotrope.core.evidence.collect import collect
from mesotrope.core.evidence.measures import CornerMeasures, measure_all
from mesotrope.core.evidence.pieces import Evidence
from mesotrope.core.evidence.specification import Specification, complete_specification
from mesotrope.core.inference.posterior import Suspect
from mesotrope.core.language.corner import VEHICLE
from mesotrope.core.language.inspection import Inspection, parse_inspection
from mesotrope.core.language.paths import leaves
from mesotrope.core.simulator import SimulatedVehicle, inspect_vehicle, simulate_vehicle
from mesotrope.knowledge import knowledge

#: What is not a fault among the suspects' names.
NOT_FAULTS = ("no_fault", "worn_out_normally")

#: Faults of the whole system that reach the corners: such a corner is not healthy.
REACHING = ("master_cylinder_not_releasing", "fluid_contaminated_mineral_oil")

Row = dict[str, float]
Made = TypeVar("Made")


@dataclass(frozen=True)
class Case:
    """One simulated vehicle: its true faults, the chances the diagnosis gives, and its findings as plain figures."""

    truth: frozenset[Suspect]
    corners: tuple[str, ...]
    chances: dict[Suspect, float]
    by_corner: dict[str, Row]
    system: Row

    @property
    def top(self) -> Suspect:
        return max(self.chances, key=lambda suspect: self.chances[suspect])

    @property
    def healthy_corners(self) -> list[str]:
        if any(corner is VEHICLE and fault in REACHING for corner, fault in self.truth):
            return []
        return [corner for corner in self.corners if not any(where == corner for where, _ in self.truth)]


def vehicle_of(
    seed: int, number: int, upto: str = "measure", thorough: float = 1.0
) -> tuple[SimulatedVehicle, Inspection]:
    """The simulated vehicle of this number, the same whoever asks, and its inspection."""
    random = np.random.default_rng([seed, number])
    vehicle = simulate_vehicle(random)
    document = inspect_vehicle(random, vehicle, upto, thorough)
    return vehicle, parse_inspection(json.dumps(document))


@dataclass(frozen=True)
class _Seen:
    """What a classifier is told of an inspection beside its plain findings."""

    specification: Specification
    measures: Mapping[str, CornerMeasures]
    evidence: Sequence[Evidence]


def case_of(number: int, seed: int, upto: str, answered: bool = True) -> Case:
    """One vehicle as a case; without the diagnosis' answer where it is only learnt from."""
    vehicle, inspection = vehicle_of(seed, number, upto)
    known = knowledge()
    specification = complete_specification(inspection, known)
    measures = measure_all(inspection, specification, known)
    seen = _Seen(specification, measures, collect(inspection, specification, measures, known))
    everything = overview(inspection, known).chances if answered else {}
    chances = {suspect: p for suspect, p in everything.items() if suspect[1] not in NOT_FAULTS}
    return Case(
        vehicle.truth,
        vehicle.build.corners,
        chances or dict.fromkeys([(VEHICLE, "fluid_degraded")], 0.0),
        {corner: _corner_row(corner, inspection, seen) for corner in vehicle.build.corners},
        _system_row(inspection, seen),
    )


def each(make: Callable[[int], Made], numbers: Iterable[int]) -> Iterator[Made]:
    """`make` for every number, in their order, on all cores."""
    return _pool().map(make, numbers, chunksize=4)


@cache
def _pool() -> ProcessPoolExecutor:
    """The processes that work; the same all along, since each has to learn every kind of vehicle first."""
    return ProcessPoolExecutor(mp_context=get_context("forkserver"), initializer=_alone)


def _alone() -> None:
    """One thread of arithmetic for each process."""
    from mesotrope.frugal import be_frugal

    be_frugal()


def cases(count: int, seed: int, upto: str = "measure", answered: bool = True) -> list[Case]:
    return list(each(partial(case_of, seed=seed, upto=upto, answered=answered), range(count)))


# -- findings as plain figures, for the classifier ---------------------------------------------------------------


def _plain(values: Iterable[tuple[str, object]], orders: dict[str, list[str]]) -> Row:
    """Words by their place in the vocabulary, figures as they are; text is left out."""
    out: Row = {}
    for path, value in values:
        if isinstance(value, str):
            words = orders.get(path.split(".")[0], [])
            if value in words:
                out[path] = float(words.index(value))
        elif isinstance(value, bool | int | float):
            out[path] = float(value)
    return out


def _orders() -> tuple[dict[str, list[str]], dict[str, list[str]]]:
    known = knowledge()
    return (
        {name: list(field.values) for name, field in known.corner_finding.items()},
        {name: list(field.values) for name, field in known.system_finding.items()},
    )


def _corner_row(corner: str, inspection: Inspection, short: _Seen) -> Row:
    row = _plain(leaves(inspection.corner(corner)), _orders()[0])
    measured, axle = short.measures[corner], short.specification.axle_of(corner)
    if measured.drag:
        row["drag"] = float(np.log(measured.drag.torque_nm))
    for name, pad in (("inner", measured.inner), ("outer", measured.outer)):
        if pad:
            row[f"{name} worn"] = (axle.pad_new_mm - pad.mean.value) / (axle.pad_new_mm - axle.pad_limit_mm)
            row |= {f"{name} fore_aft": pad.fore_aft.value} if pad.fore_aft else {}
            row |= {f"{name} radial": pad.radial.value} if pad.radial else {}
    if measured.inner_minus_outer:
        row["inner minus outer"] = measured.inner_minus_outer.value
    places = [place for place in inspection.corner(corner).rotor_mm or [] if place is not None]
    if places:
        row["rotor margin"] = min(places) - axle.rotor_discard_mm
        row["rotor variation"] = max(places) - min(places)
    pushed = [
        ("easy", "firm", "immovable").index(how) for how in inspection.corner(corner).piston_pushback or [] if how
    ]
    if pushed:
        row["worst piston"], row["best piston"] = max(pushed), min(pushed)
    row |= {
        "floating": float(axle.has("floating")), "pistons": float(axle.pistons), "driven": float(axle.driven),
        "in caliper": float(axle.has("parking_brake_in_caliper")), "in drum": float(axle.has("parking_brake_in_drum")),
        "front": float(corner.axle == "front"),
    }  # fmt: skip
    return row


def _system_row(inspection: Inspection, short: _Seen) -> Row:
    row = _plain(leaves(inspection.system), _orders()[1])
    row["kind"] = float(["car", "light_truck", "motorcycle"].index(short.specification.kind))
    for item in short.evidence:
        if item.finding == "fluid_level" and item.corner is VEHICLE:
            row |= {f"balance {place}": float(x) for place, x in enumerate(item.emission)}  # type: ignore[union-attr]
    return row

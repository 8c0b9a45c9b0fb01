"""How long it takes to settle a vehicle: following the next test that is offered, against the whole fixed order."""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from mesotrope.core.answer.answer import Overview, overview
from mesotrope.core.decision.access import access_minutes, reach_of
from mesotrope.core.decision.check_next import next_tests
from mesotrope.core.decision.worth_of_a_test import NextTest
from mesotrope.core.language.corner import VEHICLE
from mesotrope.core.language.inspection import Inspection, parse_inspection
from mesotrope.core.language.paths import leaves, nest
from mesotrope.knowledge import knowledge
from scripts.calibration.cases import NOT_FAULTS, vehicle_of

#: Nobody makes more tests than this on one vehicle.
MOST_TESTS = 120

#: A finding's place: (where, its name), with the values of all its parts.
Found = dict[tuple[str, str], dict[str, Any]]


@dataclass(frozen=True)
class Settled:
    """One vehicle worked both ways; minutes and tests until nothing is left that could change what is to be done."""

    minutes: float
    tests: int
    fixed_minutes: float
    fixed_tests: int
    right: bool
    fixed_right: bool
    faulty: bool


def _all_found(inspection: Inspection, corners: Sequence[str]) -> Found:
    out: Found = {}
    for corner, findings in [
        (VEHICLE, inspection.system),
        *((corner, inspection.corner(corner)) for corner in corners),
    ]:
        for path, value in leaves(findings):
            out.setdefault((corner, path.split(".")[0]), {})[path] = value
    return out


def _inspection(whole: Inspection, made: Mapping[tuple[str, str], Mapping[str, Any]]) -> Inspection:
    """The inspection as it stands with only these findings made."""
    by_corner: dict[str, dict[str, Any]] = {}
    for (corner, _), values in made.items():
        by_corner.setdefault(corner, {}).update(values)
    findings = {
        "system": nest(by_corner.pop(VEHICLE, {})),
        "corners": {corner: nest(values) for corner, values in by_corner.items()},
    }
    document = whole.model_dump(mode="json", exclude_none=True)
    return parse_inspection(json.dumps({**document, "findings": findings}))


def _offered(inspection: Inspection, short: Overview) -> list[NextTest]:
    assert short.posterior
    offered = next_tests(short.posterior, inspection, short.specification, short.measures, knowledge(), short.decision)
    return [test for test in offered if test.offered]


def _right(short: Overview, truth: frozenset[tuple[str, str]]) -> bool:
    """Whether the top suspect is there; for a vehicle without a fault, whether none is named."""
    chances = {suspect: p for suspect, p in short.chances.items() if suspect[1] not in NOT_FAULTS}
    top = max(chances, key=lambda suspect: chances[suspect], default=(VEHICLE, ""))
    return top in truth if truth else not chances or chances[top] < 0.5


def fixed_minutes(found: Found) -> float:
    """Minutes of the whole order of work: every finding once, and every corner reached once."""
    known = knowledge()
    fields = known.corner_finding | known.system_finding
    minutes = sum(fields[name].minutes for _, name in found)
    for corner in {corner for corner, _ in found if corner is not VEHICLE}:
        reaches = {reach_of(fields[name]) for where, name in found if where == corner}
        minutes += max(access_minutes(reach, 0, known) for reach in reaches)
    return minutes


def carried_on(whole: Inspection, found: Found, made: Found) -> tuple[Overview, float]:
    """Make the tests that are offered, until none is: what is believed then, and the minutes that they took.

    found : all that could be found; made : what was, which the tests are added to.
    """
    minutes = 0.0
    for _ in range(MOST_TESTS):
        here = _inspection(whole, made)
        short = overview(here, knowledge())
        test = next((t for t in _offered(here, short) if (t.corner, t.finding) in found), None)
        if test is None:
            break
        made[test.corner, test.finding] = found[test.corner, test.finding]
        minutes += test.minutes
    return short, minutes


def believed_in_the_end(number: int, seed: int, inspection: Inspection) -> Overview:
    """The short answer to a simulated vehicle's inspection, carried on by the tests that are offered."""
    vehicle, whole = vehicle_of(seed, number, thorough=50.0)
    corners = vehicle.build.corners
    return carried_on(whole, _all_found(whole, corners), _all_found(inspection, corners))[0]


def settle(number: int, seed: int) -> Settled:
    """Work one simulated vehicle, of which everything could be found, by the tests that are offered."""
    vehicle, whole = vehicle_of(seed, number, thorough=50.0)
    found, made = _all_found(whole, vehicle.build.corners), Found()
    short, minutes = carried_on(whole, found, made)
    return Settled(
        minutes, len(made), fixed_minutes(found), len(found), _right(short, vehicle.truth),
        _right(overview(whole, knowledge()), vehicle.truth), bool(vehicle.truth),
    )  # fmt: skip

"""What is remembered from entry to entry changes no answer: a vehicle told bit by bit is answered as one told whole."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from mesotrope.core.answer.answer import Overview, overview
from mesotrope.core.inference.corner_found import forget_found
from mesotrope.core.language.inspection import Inspection
from mesotrope.core.language.paths import leaves, nest
from mesotrope.core.simulator import inspect_vehicle, simulate_vehicle
from mesotrope.knowledge import knowledge
from tests.documents import inspect

KINDS = ["car", "light_truck", "motorcycle"]


def _findings(seed: int, kind: str, last: str = "") -> list[tuple[str, object]]:
    """Everything that can be found of a made-up vehicle, as paths and values, in an order of its own.

    last : how the paths begin of what is told at the end.
    """
    random = np.random.default_rng(seed)
    document = inspect_vehicle(random, simulate_vehicle(random, kind), thorough=5)
    found = list(leaves(Inspection.model_validate(document).findings))
    random.shuffle(found)
    return sorted(found, key=lambda one: bool(last) and one[0].startswith(last))


def _answered(found: list[tuple[str, object]], kind: str) -> Overview:
    told = nest(dict(found))
    return overview(inspect(told.get("corners", {}), told.get("system"), kind=kind), knowledge())


@given(seed=st.integers(0, 10_000), kind=st.sampled_from(KINDS), last=st.sampled_from(["", "system", "corners.rear"]))
@settings(max_examples=9)
def test_entry_by_entry_is_answered_as_all_at_once(seed, kind, last):
    found = _findings(seed, kind, last)
    steps = [len(found) // 2, *range(len(found) - 4, len(found) + 1)]
    remembered = [_answered(found[:step], kind) for step in steps]
    for step, short in zip(steps, remembered, strict=True):
        forget_found()
        anew = _answered(found[:step], kind)
        assert short.chances == pytest.approx(anew.chances, rel=1e-9, abs=1e-12)
        assert short.decision == anew.decision


@given(seed=st.integers(0, 10_000), kind=st.sampled_from(KINDS))
@settings(max_examples=8)
def test_an_entry_that_is_taken_back_leaves_no_trace(seed, kind):
    found = _findings(seed, kind)
    before = _answered(found[:-1], kind)
    _answered(found, kind)
    after = _answered(found[:-1], kind)
    assert after.chances == before.chances
    assert after.decision == before.decision


@given(seed=st.integers(0, 10_000), kind=st.sampled_from(KINDS))
@settings(max_examples=6)
def test_vehicles_told_in_turn_are_answered_as_each_alone(seed, kind):
    """With the same findings, so that nothing but the vehicles tells them apart; a pull on a scale tells the same drag
    of each, whatever its wheels."""
    found = nest(dict(_findings(seed, kind)))
    for corner in found["corners"].values():
        corner.pop("spin", None)
        corner |= {"pull_n": 30.0, "pull_radius_mm": 300.0}
    parts = [
        {}, {"wheel_inertia_kg_m2": 2.2}, {"circuit_split": "single"}, {"axles": {"front": {"pad_new_mm": 9.5}}},
        {"axles": {"front": {"pads_fitted_odometer_km": 20_000}}}, {"axles": {"front": {"caliper": "fixed"}}},
    ]  # fmt: skip
    vehicles = [
        Inspection.model_validate({
            "vehicle": {"kind": kind, **part}, "visit": {"odometer_km": 60_000}, "findings": found,
        })
        for part in parts
    ]  # fmt: skip
    in_turn = [overview(vehicle, knowledge()).chances for _ in range(2) for vehicle in vehicles]
    for vehicle, told, again in zip(vehicles, in_turn, in_turn[len(vehicles) :], strict=False):
        forget_found()
        alone = overview(vehicle, knowledge()).chances
        assert told == pytest.approx(alone, rel=1e-9, abs=1e-12)
        assert again == pytest.approx(alone, rel=1e-9, abs=1e-12)

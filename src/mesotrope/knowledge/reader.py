"""Reads the knowledge that ships with the product."""

from __future__ import annotations

import hashlib
import tomllib
from functools import lru_cache
from importlib.resources import files
from typing import Any

from mesotrope import __version__
from mesotrope.core.language.faults import Drag, HeldBy
from mesotrope.core.language.knowledge import Knowledge


def _table(name: str) -> dict[str, Any]:
    return tomllib.loads((files(__package__) / f"{name}.toml").read_text(encoding="utf-8"))


@lru_cache(maxsize=1)
def knowledge_key() -> str:
    """Names the knowledge that ships with this version of the product: what was worked out with another is stale."""
    told = sorted(
        (path.name, path.read_bytes()) for path in files(__package__).iterdir() if path.name.endswith(".toml")
    )
    return hashlib.sha256(repr((__version__, told)).encode()).hexdigest()[:16]


def _ways(fault: dict[str, Any], levels: Drag) -> dict[str, Any]:
    """A fault whose ways of working tell the chances of the drag's levels, in place of the torque that they hold by."""
    told = [
        {**way, "drag": levels.chances_of(HeldBy.model_validate(way["drag"]))} if "drag" in way else way
        for way in fault.get("mechanism", [])
    ]
    return {**fault, "mechanism": told} if told else fault


@lru_cache(maxsize=1)
def knowledge() -> Knowledge:
    """Return everything the core is told about the trade, read once and checked.

    >>> knowledge().fault["hose_restricted"].words
    'hose holds pressure'
    """
    faults, likelihoods, vocabulary = _table("faults"), _table("likelihoods"), _table("vocabulary")
    system = _table("system_likelihoods")
    drag = Drag.model_validate(faults["drag"])
    reasoning = _table("reasoning")
    fluids, heat, costs = _table("fluids"), _table("heat"), _table("costs")
    limits, decisions, specification = _table("limits"), _table("decisions"), _table("specification")
    return Knowledge.model_validate(
        {
            "often": faults["often"],
            "rust": faults["rust"],
            "age": faults["age"],
            "faults": [_ways(fault, drag) for fault in faults["fault"]],
            "worn": faults["worn"],
            "none": faults["none"],
            "drag": drag,
            "driveline": faults["driveline"],
            "wear": faults["wear"],
            "wear_rate_mm_per_1000_km": faults["wear_rate_mm_per_1000_km"],
            "likelihoods": [{"basis": likelihoods["basis"], **row} for row in likelihoods["finding"]],
            "system_likelihoods": [{"basis": system["basis"], **row} for row in system["finding"]],
            "silent": system["silent"],
            "warmth": faults["warmth"],
            "standing": faults["standing"],
            "stands_back": faults["stands_back"],
            "ledger": system["ledger"],
            "limits": limits["limit"],
            "gauges": limits["gauge"],
            "thresholds": reasoning["threshold"],
            "odds": reasoning["odds"],
            "sources": _table("sources")["source"],
            "how_it_works": reasoning["how_it_works"]["findings"],
            "tried": reasoning["tried"],
            "opens_hydraulics": decisions["opens_hydraulics"],
            "pushes_home": decisions["pushes_home"],
            "dark_fluid": decisions["dark_fluid"],
            "corner_fields": vocabulary["finding"],
            "system_fields": vocabulary["system"],
            "vehicle_fields": vocabulary["vehicle"],
            "axle_fields": vocabulary["axle"],
            "visit_fields": vocabulary["visit"],
            "fluid_grades": fluids["grade"],
            "heat": heat["figures"],
            "bedding_schools": heat["bedding"],
            "headings": vocabulary["headings"],
            "hints": vocabulary["hints"],
            "access_minutes": vocabulary["access_minutes"],
            "specification": {key: value for key, value in specification.items() if key != "basis"},
            "actions": decisions["action"],
            "cures": decisions["cure"],
            "cautions": decisions["caution"],
            "dues": _table("due")["due"],
            "at_drums": _table("due")["drums"]["findings"],
            "made_again": _table("due")["again"]["findings"],
            "watches": _table("due")["watch"],
            "complaints": _table("due")["complaint"],
            "routine_words": _table("due")["routine"]["words"],
            "fault_groups": _table("due")["groups"],
            "costs": costs["action"],
            "remedies": costs["fault"],
            "money": costs["money"],
            "schools": _table("schools")["school"],
            "work_phases": _table("work_card")["phase"],
            "works": _table("work_card")["work"],
            "returns": _table("work_card")["return"],
            "details": _table("how_it_is_done")["detail"],
            "overlooked": _table("how_it_is_done")["overlooked"],
            "step_groups": _table("how_it_is_done")["groups"],
            "own_words": _table("own_words"),
            "practice": _table("practice"),
            "day_values": _table("day")["day"],
            "day_due": _table("day")["due"],
            "owner": {key: value for key, value in _table("owner").items() if key != "basis"},
        }
    )

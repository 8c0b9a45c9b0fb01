"""A job at a glance: what a list of jobs shows of one. Made from its short answer, and small enough to be kept."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from mesotrope.core.answer.answer import Answer, Overview
from mesotrope.core.evidence.measures import PADS
from mesotrope.core.inference.posterior import Suspect
from mesotrope.core.language.corner import VEHICLE, Corner, Place, place_named
from mesotrope.core.language.entries import nearest_field
from mesotrope.core.language.inspection import STAGES, Inspection
from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.language.paths import leaves


@dataclass(frozen=True)
class Glance:
    """How far the work has come (a stage, or nothing), the verdict so far, how much is open, the leading suspect with
    its chance, and how much of each lining is left: the share of a new one, None where it was not measured."""

    stage: str
    verdict: str
    open: int
    leading: tuple[Place, str, float] | None
    linings: Mapping[Corner, tuple[float | None, float | None]]

    def kept(self) -> dict[str, Any]:
        """The glance as plain values."""
        return {
            "stage": self.stage,
            "verdict": self.verdict,
            "open": self.open,
            "leading": list(self.leading) if self.leading else None,
            "linings": {str(corner): list(shares) for corner, shares in self.linings.items()},
        }

    @classmethod
    def of(cls, kept: Mapping[str, Any]) -> Glance:
        """What `kept` turned into plain values, turned back."""
        leading = kept["leading"]
        linings = {Corner(name): (inner, outer) for name, (inner, outer) in kept["linings"].items()}
        if leading:
            leading = (place_named(leading[0]) or VEHICLE, leading[1], leading[2])
        return cls(kept["stage"], kept["verdict"], kept["open"], leading, linings)


def glance_at(inspection: Inspection, short: Overview | Answer, knowledge: Knowledge) -> Glance:
    """Look at an answered inspection. A suspect leads from the chance on from which suspects are listed."""
    return Glance(
        _stage_reached(inspection, knowledge),
        short.decision.verdict or "",
        len(short.decision.open),
        leading_suspect(short.chances, knowledge),
        {corner: _left(corner, short) for corner in short.specification.corners},
    )


def leading_suspect(chances: Mapping[Suspect, float], knowledge: Knowledge) -> tuple[Place, str, float] | None:
    """The likeliest fault with its place and chance, from the chance on from which suspects are listed."""
    faults = {suspect: chance for suspect, chance in chances.items() if suspect[1] != knowledge.none.id}
    if not faults:
        return None
    (place, fault), chance = max(faults.items(), key=lambda item: item[1])
    return (place, fault, round(chance, 4)) if chance >= knowledge.threshold["listed_chance"] else None


def _left(corner: Corner, short: Overview | Answer) -> tuple[float | None, float | None]:
    new_mm = short.specification.axle_of(corner).pad_new_mm
    inner, outer = (
        round(pad.mean.value / new_mm, 3) if (pad := getattr(short.measures[corner], side)) else None for side in PADS
    )
    return inner, outer


def _stage_reached(inspection: Inspection, knowledge: Knowledge) -> str:
    """The last stage, in the order of the work, in which anything was found."""
    found = [(path, knowledge.system_field) for path, _ in leaves(inspection.system)]
    for corner in Corner:
        found += [(path, knowledge.corner_field) for path, _ in leaves(inspection.corner(corner))]
    stages = {field.stage for path, fields in found if (field := nearest_field(path, fields))}
    return max(stages, key=lambda stage: STAGES.index(stage), default="")

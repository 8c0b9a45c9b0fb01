"""What is done about a fault on one vehicle, as it is built and with what was found of it there and of the whole."""

from __future__ import annotations

from dataclasses import dataclass

from mesotrope.core.decision.answered import Planned
from mesotrope.core.evidence.specification import Specification
from mesotrope.core.language.corner import VEHICLE, Corner, Place
from mesotrope.core.language.inspection import Inspection
from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.language.paths import leaves
from mesotrope.core.language.work import Cure


def puts_right(planned: Planned, place: Place, fault: str, knowledge: Knowledge) -> bool:
    """Whether what is planned at a place puts a fault there right more likely than not; a fault of the whole vehicle,
    what is planned anywhere."""
    cures = knowledge.remedy[fault].cures if fault in knowledge.remedy else {}
    here = (action for action, at in planned if at == place or place is VEHICLE)
    return any(cures.get(action, 0.0) >= knowledge.threshold["named_chance"] for action in here)


@dataclass(frozen=True)
class Cures:
    """The cures of one vehicle."""

    inspection: Inspection
    specification: Specification
    knowledge: Knowledge

    def at(self, place: Place, fault: str) -> Cure:
        """What is done about a fault at a place. Raises KeyError for one that nothing is done about."""
        cure = self.knowledge.cure[fault]
        if not cure.instead:  # most of them
            return cure
        there = self.specification.axle_of(place) if isinstance(place, Corner) else self.specification
        found = dict(leaves(self.inspection.system)) | dict(leaves(self.inspection.at(place)))
        return cure.where(there.has, found)

"""From findings to evidence: everything that was found, in the order of the vocabulary.

A finding that was not made yields nothing here, so it can contribute nothing.
"""

from __future__ import annotations

from collections.abc import Mapping
from types import MappingProxyType

from mesotrope.core.evidence.at_corners import (
    _compared,
    _dragging,
    _graded,
    _isolated,
    _tapers,
    _warm,
    _wear,
    _wear_since,
)
from mesotrope.core.evidence.lately import stands_back_chance
from mesotrope.core.evidence.measures import CornerMeasures, SinceLast
from mesotrope.core.evidence.of_vehicle import system_evidence
from mesotrope.core.evidence.pieces import Evidence
from mesotrope.core.evidence.specification import Specification
from mesotrope.core.evidence.standing import face_by_standing
from mesotrope.core.language.corner import Axle, Corner
from mesotrope.core.language.inspection import Inspection
from mesotrope.core.language.knowledge import Knowledge


def collect(
    inspection: Inspection,
    specification: Specification,
    measures: Mapping[Corner, CornerMeasures],
    knowledge: Knowledge,
    lately: Mapping[Axle, SinceLast] = MappingProxyType({}),
) -> list[Evidence]:
    """Everything that was found at the corners that are diagnosed, in the order of the vocabulary.

    lately : the axles whose wear since the last visit is known; it then stands for the wear of their pads' whole life.
    """
    out: list[Evidence] = []
    for corner in specification.corners:
        axle = specification.axle_of(corner)
        if axle.has("disc"):
            found = inspection.corner(corner)
            out += _dragging(corner, measures, found, specification)
            if since := lately.get(corner.axle):
                out += _wear_since(corner, since, measures[corner], found, knowledge)
            else:
                out += _wear(corner, measures, found, axle, knowledge)
            out += _tapers(corner, measures[corner], axle, knowledge)
            out += _warm(corner, inspection, specification, knowledge)
            out += _isolated(corner, found, knowledge)
            compared = _compared(corner, inspection, specification)
            by_standing = face_by_standing(corner, specification.corners, inspection, knowledge)
            standing_back = stands_back_chance(corner, inspection, specification, knowledge)
            out += _graded(corner, found, axle, knowledge, compared, by_standing, standing_back)
    return out + system_evidence(inspection, specification, measures, knowledge)

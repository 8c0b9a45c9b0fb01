"""Whether rotor faces are scaled with rust because the vehicle stood: one fact, told by all wheels that were looked at.

Source: Bayes' rule over wheels that are independent given that it stood, or did not; the shares are common practice.
"""

from __future__ import annotations

from collections.abc import Iterable

from mesotrope.core.evidence.measures import PADS
from mesotrope.core.language.corner import Corner
from mesotrope.core.language.inspection import CornerFindings, Inspection
from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.language.paths import leaves

SCALED = "rust_scaled"


def scaled_sides(found: CornerFindings) -> list[str]:
    """The sides of a corner whose rotor faces are scaled with rust."""
    return [side for side in PADS if getattr(found.rotor_face, side, None) == SCALED]


def stood_chance(corners: Iterable[Corner], inspection: Inspection, knowledge: Knowledge) -> float:
    """Chance that the vehicle stood until its rotor faces scaled, by what was seen of some corners' faces.

    >>> import json
    >>> from mesotrope.core.language.inspection import parse_inspection
    >>> from mesotrope.knowledge import knowledge
    >>> scaled = {"rotor_face": {"inner": "rust_scaled", "outer": "rust_scaled"}}
    >>> all_round = {"findings": {"corners": {str(corner): scaled for corner in list(Corner)[:4]}}}
    >>> stood_chance(list(Corner)[:4], parse_inspection(json.dumps(all_round)), knowledge()) > 0.99
    True
    >>> stood_chance([], parse_inspection("{}"), knowledge())
    0.01
    """
    known = knowledge.standing
    stood, works = known.chance, 1 - known.chance
    for corner in corners:
        found = inspection.corner(corner)
        seen, scaled = len(leaves(found.rotor_face)), len(scaled_sides(found))
        stood *= known.scales**scaled * (1 - known.scales) ** (seen - scaled)
        works *= known.otherwise[seen][scaled]
    return stood / (stood + works)


def face_by_standing(corner: Corner, corners: Iterable[Corner], inspection: Inspection, knowledge: Knowledge) -> float:
    """One face's part in the chance that a corner's faces are scaled because the vehicle stood, by its other wheels:
    all that are scaled at the corner together are as likely as that."""
    scaled = len(scaled_sides(inspection.corner(corner)))
    if not scaled:
        return 0.0
    beside = stood_chance((other for other in corners if other != corner), inspection, knowledge)
    out: float = beside ** (1 / scaled)
    return out

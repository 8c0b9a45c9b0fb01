"""Whether rotor faces are scaled with rust because the vehicle stood: one fact, told by all wheels that were looked at.

Source: Bayes' rule over wheels that are independent given that it stood, or did not; the shares are common practice.
"""

from __future__ import annotations

import math
from collections.abc import Iterable

from mesotrope.core.evidence.measures import PADS
from mesotrope.core.language.corner import Corner
from mesotrope.core.language.inspection import Inspection
from mesotrope.core.language.knowledge import Knowledge

SCALED = "rust_scaled"


def faces_seen(corner: Corner, inspection: Inspection) -> list[str]:
    """What was seen of a corner's rotor faces."""
    faces = inspection.corner(corner).rotor_face
    return [face for side in PADS if (face := getattr(faces, side, None))]


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
        seen = faces_seen(corner, inspection)
        scaled = seen.count(SCALED)
        stood *= known.scales**scaled * (1 - known.scales) ** (len(seen) - scaled)
        works *= known.otherwise[len(seen)][scaled]
    return stood / (stood + works)


def face_by_standing(corner: Corner, corners: Iterable[Corner], inspection: Inspection, knowledge: Knowledge) -> float:
    """One face's part in the chance that a corner's faces are scaled because the vehicle stood, by its other wheels:
    all that are scaled at the corner together are as likely as that."""
    scaled = faces_seen(corner, inspection).count(SCALED)
    if not scaled:
        return 0.0
    beside = stood_chance((other for other in corners if other != corner), inspection, knowledge)
    return math.exp(math.log(beside) / scaled)

"""Short ways to write inspection documents in tests."""

from __future__ import annotations

import json
import re
from typing import Any

from mesotrope.core.answer.answer import Answer, diagnose, overview
from mesotrope.core.decision.verdict import Decision
from mesotrope.core.inference.posterior import Suspect
from mesotrope.core.language.corner import Corner
from mesotrope.core.language.inspection import Inspection, parse_inspection
from mesotrope.knowledge import knowledge


def flat(page: str) -> str:
    """A page on one line, as a browser reads it: breaks between attributes and indentation tell nothing."""
    page = re.sub(r">\s+(?=<(?:t[dhr]|option|li)\b)|\s+(?=</t[dhr]>)", lambda found: found[0].strip(), page)
    return re.sub(r"\s+", " ", page)


def pad(lead: float, trail: float | None = None) -> dict[str, float]:
    """Four places of a lining: leading end and trailing end."""
    trail = lead if trail is None else trail
    return {"lead_rim": lead, "lead_hub": lead, "trail_rim": trail, "trail_hub": trail}


def pads(inner: float, outer: float) -> dict[str, Any]:
    """Both linings of a corner, each a little thinner at its leading end, as healthy pads are."""
    return {"inner": pad(inner - 0.1, inner + 0.1), "outer": pad(outer - 0.1, outer + 0.1)}


def document(corners: dict[str, Any], system: dict[str, Any] | None = None, **vehicle: Any) -> dict[str, Any]:
    return {"vehicle": {"kind": "car", **vehicle}, "findings": {"corners": corners, "system": system or {}}}


def inspect(corners: dict[str, Any], system: dict[str, Any] | None = None, **vehicle: Any) -> Inspection:
    return parse_inspection(json.dumps(document(corners, system, **vehicle)))


def answer(corners: dict[str, Any], system: dict[str, Any] | None = None, **vehicle: Any) -> Answer:
    return diagnose(inspect(corners, system, **vehicle), knowledge())


def decided(corners: dict[str, Any], system: dict[str, Any] | None = None, **vehicle: Any) -> Decision:
    """The decision alone, as it stands in the answer too, but for the next test of what is open."""
    return overview(inspect(corners, system, **vehicle), knowledge()).decision


def chances_of(corners: dict[str, Any], system: dict[str, Any] | None = None, **vehicle: Any) -> dict[Suspect, float]:
    """The chances alone, as they stand in the answer too: without reasons and next tests, which take longer."""
    return overview(inspect(corners, system, **vehicle), knowledge()).chances


FRONT_LEFT, FRONT_RIGHT, REAR_LEFT, REAR_RIGHT = list(Corner)[:4]

FREE = {"turns": 4, "seconds": 5}
DRAGS = {"turns": 1, "seconds": 1.2}
ALL_FREE = {
    "pin": {"upper": "free", "lower": "free"},
    "pad_fit": {"inner": "free", "outer": "free"},
    "piston_pushback": ["easy"],
    "piston_boot": "sound",
}

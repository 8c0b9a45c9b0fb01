"""The inspection of an axle as it will be once the work is done: for the drawing beside the one of today."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from mesotrope.core.evidence.specification import Specification
from mesotrope.core.language.corner import Corner, Place
from mesotrope.core.language.inspection import CornerFindings, Corners, Inspection
from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.physics.pads import PLACES


def after_work(
    inspection: Inspection, actions: Iterable[tuple[Place, str]], specification: Specification, knowledge: Knowledge
) -> Inspection:
    """The inspection with what (corner, action) puts right: linings new, faces smooth, pins free.

    A finding that was never made stays unmade, but for new linings and a new rotor, whose measures are known.
    What only a spin can tell (drag) is left out: it is to be measured.
    """
    by_corner: dict[Corner, set[str]] = {}
    for corner, action in actions:
        if isinstance(corner, Corner):
            by_corner.setdefault(corner, set()).add(action)
    renewed: dict[str, CornerFindings] = {
        corner: _renewed(inspection.corner(corner), corner, done, specification, knowledge)
        for corner, done in by_corner.items()
        if corner in specification.corners
    }
    corners = (inspection.findings.corners or Corners()).model_copy(update=renewed)
    return inspection.model_copy(update={"findings": inspection.findings.model_copy(update={"corners": corners})})


def _renewed(
    found: CornerFindings, corner: Corner, done: set[str], specification: Specification, knowledge: Knowledge
) -> CornerFindings:
    plain = found.model_dump(exclude_none=True)
    axle = specification.axle_of(corner)
    for action in done:
        for finding, value in knowledge.action[action].renews.items():
            if finding in plain:
                plain[finding] = _throughout(plain[finding], value)
    if "replace_pads" in done:
        plain["pad_mm"] = {side: dict.fromkeys(PLACES, axle.pad_new_mm) for side in ("inner", "outer")}
    if "replace_rotor" in done and axle.rotor_new_mm:
        plain["rotor_mm"] = [axle.rotor_new_mm]
    for stale in ("spin", "pull_n", "hub_temperature_c", "pad_gap_mm", "window_pad_mm", "rotor_lip_mm"):
        plain.pop(stale, None)
    return CornerFindings.model_validate(plain)


def _throughout(found: Any, value: Any) -> Any:
    """The value in place of what was found, in every one of its parts: both pins, all pistons."""
    if isinstance(found, dict):
        return dict.fromkeys(found, value)
    return [value] * len(found) if isinstance(found, list) else value

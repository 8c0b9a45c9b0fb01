"""The inspection of an axle as it will be once the work is done: for the drawing beside the one of today."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from mesotrope.core.evidence.specification import Specification
from mesotrope.core.language.corner import Corner, Place
from mesotrope.core.language.inspection import CornerFindings, Corners, Inspection
from mesotrope.core.physics.pads import PLACES

#: What each action puts right of what was found at its corner.
RENEWS: dict[str, dict[str, Any]] = {
    "clean_and_lubricate_slides": {"pin": "free"},
    "replace_pins_and_boots": {"pin": "free", "pin_condition": "greased", "pin_boot": "sound"},
    "clean_bracket_lands": {"pad_fit": "free", "bracket_lands": "clean"},
    "replace_bracket": {"pad_fit": "free", "bracket_lands": "clean", "pin": "free", "pin_condition": "greased"},
    "rebuild_caliper": {"piston_boot": "sound", "piston_pushback": "easy", "leak": "none"},
    "replace_caliper": {"piston_boot": "sound", "piston_pushback": "easy", "leak": "none", "bleeder": "sound"},
    "replace_hose": {"hose": "sound"},
    "replace_pads": {"pad_fit": "free", "pad_condition": "sound"},
    "refit_pads_and_hardware": {"pad_fit": "free"},
    "replace_hardware": {"hardware": "complete"},
    "replace_rotor": {"rotor_face": "smooth"},
    "resurface_rotor": {"rotor_face": "smooth"},
    "straighten_shield": {"shield": "clear"},
    "free_parking_brake_lever": {"parking_lever": "returns"},
    "replace_parking_brake_shoes": {"parking_shoes": "sound"},
}


def after_work(
    inspection: Inspection, actions: Iterable[tuple[Place, str]], specification: Specification
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
        corner: _renewed(inspection.corner(corner), corner, done, specification)
        for corner, done in by_corner.items()
        if corner in specification.corners
    }
    corners = (inspection.findings.corners or Corners()).model_copy(update=renewed)
    return inspection.model_copy(update={"findings": inspection.findings.model_copy(update={"corners": corners})})


def _renewed(found: CornerFindings, corner: Corner, done: set[str], specification: Specification) -> CornerFindings:
    plain = found.model_dump(exclude_none=True)
    axle = specification.axle_of(corner)
    for action in done:
        for finding, value in RENEWS.get(action, {}).items():
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

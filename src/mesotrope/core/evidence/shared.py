"""Wheels that two corners share."""

from __future__ import annotations

from mesotrope.core.evidence.specification import Specification
from mesotrope.core.language.corner import partner_of


def shares_wheel(specification: Specification, corner: str) -> bool:
    """Whether both corners of this axle brake one and the same wheel (a motorcycle's front)."""
    return specification.kind == "motorcycle" and partner_of(corner) is not None

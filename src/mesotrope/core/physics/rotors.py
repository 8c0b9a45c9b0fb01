"""Rotors: the thinnest place, the variation, and whether it outlasts the next pads."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from mesotrope.core.language.quantity import Measure, require_at_least, require_positive
from mesotrope.errors import InvalidInput


@dataclass(frozen=True)
class RotorMeasure:
    """A rotor from its measured places. `variation` needs two places or more."""

    thinnest: Measure
    variation: Measure | None
    left: Measure
    worn: Measure


def rotor_measure(places_mm: Sequence[float], new_mm: float, discard_mm: float, gauge_sd_mm: float) -> RotorMeasure:
    """Thinnest place, thickness variation (max − min), wear, and lining left to the discard thickness.

    places_mm : thicknesses round the face; gauge_sd_mm : standard uncertainty of one reading. A rotor is judged
    at its thinnest measured place (common practice). Raises `InvalidInput`.

    Source: [practice]; [jcgm-100] for the uncertainty.

    >>> rotor = rotor_measure([23.90, 23.89, 23.91, 23.90], 25.0, 23.0, 0.005)
    >>> round(rotor.thinnest.value, 2), round(rotor.variation.value, 3), round(rotor.left.value, 2)
    (23.89, 0.02, 0.89)
    """
    if not places_mm:
        raise InvalidInput("rotor_mm", [], "at least one measured place is needed")
    for place in places_mm:
        require_positive(rotor_mm=place)
    require_positive(gauge_mm=gauge_sd_mm)
    thinnest = min(places_mm)
    spread = max(places_mm) - thinnest
    return RotorMeasure(
        thinnest=Measure(thinnest, gauge_sd_mm),
        variation=Measure(spread, gauge_sd_mm * 2**0.5) if len(places_mm) > 1 else None,
        left=Measure(thinnest - discard_mm, gauge_sd_mm),
        worn=Measure(new_mm - thinnest, gauge_sd_mm),
    )


@dataclass(frozen=True)
class RotorLife:
    """How far a rotor goes until its discard thickness, and whether the next pads are gone before it."""

    left_km: float
    outlasts_next_pads: bool
    thickness_after_next_pads_mm: float


def rotor_life(thinnest_mm: float, discard_mm: float, wear_mm_per_1000_km: float, next_pads_km: float) -> RotorLife:
    r"""Distance until a rotor meets its discard thickness at a steady rate: :math:`x = 1000 (t - t_d) / r`, km.

    thinnest_mm : t; discard_mm : :math:`t_d`; wear_mm_per_1000_km : r; next_pads_km : how far the next pads are
    expected to go. Raises `InvalidInput`. Source: [practice]: linear wear to the maker's discard thickness.

    >>> life = rotor_life(23.9, 23.0, 0.015, 50000.0)
    >>> round(life.left_km), life.outlasts_next_pads
    (60000, True)
    """
    require_positive(thinnest_mm=thinnest_mm, discard_mm=discard_mm, wear_mm_per_1000_km=wear_mm_per_1000_km)
    require_at_least(0, next_pads_km=next_pads_km)
    left = 1000 * (thinnest_mm - discard_mm) / wear_mm_per_1000_km
    after = thinnest_mm - wear_mm_per_1000_km * next_pads_km / 1000
    return RotorLife(left, after > discard_mm, after)

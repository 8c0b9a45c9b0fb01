"""What a visit measured of pads and rotors: enough to see wear over distance, without the rest of its inspection."""

from __future__ import annotations

import datetime
from collections.abc import Collection, Mapping
from dataclasses import dataclass, field
from typing import Any

from mesotrope.core.evidence.measures import pad_of
from mesotrope.core.language.corner import CORNERS, VEHICLE, Corner
from mesotrope.core.language.inspection import Inspection
from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.language.paths import leaves
from mesotrope.core.physics.pads import PLACES, PadMeasure

#: Findings that are thicknesses of wearing parts.
WEARING = ("pad_mm", "window_pad_mm", "rotor_mm")

#: Thicknesses by corner and path, as they are kept with a job.
Measured = Mapping[str, Mapping[str, float]]


#: Under these stand, beside the corners, what was measured after the work of a visit, and what of it makes something
#: new.
AFTER, MADE_NEW = "after", "made_new"

#: Work after which a pad, or a rotor, has another thickness than the one it came in with, or the fluid another age.
NEW_PADS, OTHER_ROTOR, NEW_FLUID = "replace_pads", ("replace_rotor", "resurface_rotor"), "flush_fluid"
MAKES_NEW = (NEW_PADS, *OTHER_ROTOR, NEW_FLUID)


@dataclass(frozen=True)
class VisitReadings:
    """One visit: its number, how far the vehicle had gone, the thicknesses measured then, mm, before its work and after
    it; by place what was done there that makes something new; and the day."""

    number: int
    odometer_km: float | None
    measured: Measured
    after: Measured = field(default_factory=dict)
    made_new: Mapping[str, Collection[str]] = field(default_factory=dict)
    day: datetime.date | None = None

    @property
    def has_new_fluid(self) -> bool:
        """Whether the vehicle left with new fluid."""
        return NEW_FLUID in self.made_new.get(VEHICLE, ())

    def has_new_pads(self, corner: Corner) -> bool:
        """Whether the vehicle left on new pads there, measured or not."""
        return NEW_PADS in self.made_new.get(corner, ())

    def has_another_rotor(self, corner: Corner) -> bool:
        """Whether the vehicle left on a new or resurfaced rotor there, measured or not."""
        return any(action in OTHER_ROTOR for action in self.made_new.get(corner, ()))

    def pad(self, corner: Corner, side: str, knowledge: Knowledge) -> PadMeasure | None:
        """One pad as it came in; None where it was not measured."""
        return _pad(self.measured.get(corner, {}), side, knowledge)

    def new_pad(self, corner: Corner, side: str, knowledge: Knowledge) -> PadMeasure | None:
        """One pad as it was measured after the work, which is done where it is new; None where it was not."""
        return _pad(self.after.get(corner, {}), side, knowledge)

    def pad_it_left_with(self, corner: Corner, side: str, knowledge: Knowledge) -> PadMeasure | None:
        """One pad as the vehicle drove away on it: the new one, else as it came in; None where it was not measured, or
        is a new one that was not."""
        new = self.new_pad(corner, side, knowledge)
        return new if new or self.has_new_pads(corner) else self.pad(corner, side, knowledge)

    def thinnest_rotor_mm(self, corner: Corner) -> float | None:
        return _thinnest_rotor(self.measured.get(corner, {}))

    def rotor_after_mm(self, corner: Corner) -> float | None:
        return _thinnest_rotor(self.after.get(corner, {}))


def _pad(here: Mapping[str, float], side: str, knowledge: Knowledge) -> PadMeasure | None:
    """A pad as it was measured, else as it was seen through the window; None where neither was done."""
    points = {place: mm for place in PLACES if (mm := here.get(f"pad_mm.{side}.{place}")) is not None}
    return pad_of(points, here.get(f"window_pad_mm.{side}"), knowledge)


def _thinnest_rotor(here: Mapping[str, float]) -> float | None:
    return min((mm for path, mm in here.items() if path.startswith("rotor_mm.")), default=None)


def measured_of(findings: Mapping[tuple[str, str], Any]) -> dict[str, dict[str, float]]:
    """The thicknesses among findings by place and path.

    >>> measured_of({("rear_left", "pad_mm.inner.lead_rim"): 7.1, ("rear_left", "pin.upper"): "free"})
    {'rear_left': {'pad_mm.inner.lead_rim': 7.1}}
    """
    out: dict[str, dict[str, float]] = {}
    for (corner, path), value in findings.items():
        if path.partition(".")[0] in WEARING and isinstance(value, int | float):
            out.setdefault(corner, {})[path] = float(value)
    return out


def readings_of(number: int, inspection: Inspection) -> VisitReadings:
    """The readings of a visit that is at hand as an inspection."""
    found: dict[tuple[str, str], Any] = {
        (corner, path): v for corner in CORNERS for path, v in leaves(inspection.corner(corner))
    }
    return VisitReadings(number, inspection.visit.odometer_km, measured_of(found))

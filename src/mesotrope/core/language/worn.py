"""The shape of what is known of wear: what pads wear by, for how long a fault has worn them, and what a fluid's level
tells of it."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field, model_validator

from mesotrope.core.language.known import Chance, Chances, Known
from mesotrope.core.language.quantity import Slips


class FaultAge(Known):
    """How long a fault has been there, km, rising, by the level of drag that it makes: rows as the levels."""

    km: tuple[float, ...]
    chances: tuple[Chances, ...]
    note: str

    @model_validator(mode="after")
    def _rises(self) -> FaultAge:
        if list(self.km) != sorted(set(self.km)) or self.km[0] <= 0:
            raise ValueError("km: above 0 and rising is needed")
        if any(len(row) != len(self.km) for row in self.chances):
            raise ValueError(f"chances: one for each of {len(self.km)} ages is needed")
        return self


class Wear(Known):
    inner: float
    outer: float
    corner_log_sd: float
    split_log_sd: float
    floor_mm: float
    mm3_per_mj: Annotated[float, Field(gt=0)]
    by_drag_relative_sd: float
    pad_filled: Annotated[float, Field(gt=0, le=1)]
    lead_taper: float
    fore_aft: float
    radial: float
    taper_floor_mm: float
    unseen_taper_sd_mm: float
    misread: Chance
    misread_tapers_mm: Annotated[float, Field(gt=0)]
    slip_sd_mm: Annotated[float, Field(gt=0)]
    flat_twist_sd_mm: Annotated[float, Field(gt=0)]
    not_flat: Chance
    not_flat_twist_sd_mm: Annotated[float, Field(gt=0)]
    points: int
    note: str = ""

    @property
    def slips(self) -> Slips:
        of_slips = self.misread, self.slip_sd_mm, self.misread_tapers_mm
        return Slips(*of_slips, self.flat_twist_sd_mm, self.not_flat, self.not_flat_twist_sd_mm)


class LedgerFigures(Known):
    """What stands in for wear that was not measured, and how levels lie about what the wear explains.

    Levels are in the distance between the marks, lengths in mm, shares of the lining that may be worn.
    """

    guessed_share: float
    guessed_share_sd: float
    other_pad_sd_mm: float
    other_side_relative_sd: float
    unmeasured_rotor_sd_mm: float
    piston_area_relative_sd: float
    as_expected_sd: float
    topped_up: float
    topped_up_sd: float
    low: float
    low_sd: float
    over_max_density: float
    over_max_reading: float
    least_density: float
    note: str

"""The shape of what is known of faults: how often they come, what they do to findings, to wear and to drag."""

from __future__ import annotations

from functools import cached_property
from typing import Annotated, Literal

from pydantic import Field, model_validator

from mesotrope.core.language.known import Basis, Chance, Chances, Known, Shares

#: The answer that a corner has no fault.
NO_FAULT = "no_fault"


class Mechanism(Known):
    """One way in which a fault works. Most faults have one; `key` is then the fault's own id."""

    id: str = ""
    share: Annotated[float, Field(gt=0, le=1)] = 1.0
    words: str = ""
    needs: tuple[str, ...] = ()
    touches: Literal["", "all", "circuit_1", "circuit_2"] = ""
    drag: Chances | None = None
    inner: float = 0.0
    outer: float = 0.0
    split_sd: float = 0.0
    fore_aft_sd_mm: float = 0.0
    radial_sd_mm: float = 0.0
    spares_pads: bool = False


class Fault(Known):
    """A fault with its place in the world: how often, on which vehicles, by which mechanisms."""

    id: str
    words: str
    scope: Literal["corner", "system"]
    odds: Annotated[float, Field(gt=0)]
    both_sides_lift: Annotated[float, Field(ge=1)] = 1.0
    needs: tuple[str, ...] = ()
    mechanism: tuple[Mechanism, ...] = (Mechanism(),)


class Likelihood(Known):
    """What each fault does to one finding: chances over the values, from normal to worst.

    For a measured quantity `order` are grades and `mean`, `sd` what each grade measures; or, where the trade draws a
    line (a discard thickness), the grades are above and under `threshold`, as surely as the gauge can tell. A `sided`
    finding of the whole vehicle is a pull to one side; its rows are the chances to pull away from the faulty side and
    toward it, and `rear_share` what a rear corner pulls of that. `drag` is what a level of the corner's drag does, by
    whatever fault: heat marks a face, so that the mark
    is not counted again for each fault that drags.
    """

    key: str
    finding: str = ""
    order: tuple[str, ...]
    healthy: Chances
    leak: Chances | None = None
    rows: dict[str, Chances] = {}
    drag: dict[str, Shares] = {}
    why: dict[str, str] = {}
    mean: tuple[float, ...] | None = None
    sd: tuple[float, ...] | None = None
    gauge_sd: float = 0.0
    threshold: float | None = None
    basis: Basis = "common practice"
    source: str = ""
    sided: bool = False
    rear_share: Annotated[float, Field(gt=0, le=1)] = 1.0

    @model_validator(mode="after")
    def _rows_fit(self) -> Likelihood:
        rows = {} if self.sided else self.rows
        given = {"healthy": self.healthy, "leak": self.leak or self.healthy, **rows, **self.drag}
        for name, row in given.items():
            if len(row) != len(self.order) or abs(sum(row) - 1) > 1e-9:
                raise ValueError(f"{self.key}, row {name}: {len(self.order)} chances that add to 1 are needed")
        return self

    @cached_property
    def name(self) -> str:
        """The finding as the inspection format names it."""
        return self.finding or self.key.split(".")[0]

    def row(self, fault: str, mechanism: str) -> Chances | None:
        """Return what `fault` by `mechanism` does to this finding; None where it is silent."""
        return self.rows.get(f"{fault}/{mechanism}") or self.rows.get(fault)

    def why_of(self, fault: str) -> str:
        """Return the sentence that ties the finding to the fault, or nothing."""
        return self.why.get(fault, "")


class Count(Known):
    chances: Chances
    note: str


class Drag(Known):
    levels: tuple[str, ...]
    torque_nm: tuple[float, ...]
    torque_log_sd: tuple[float, ...]
    wear_log: tuple[float, ...]
    wear_log_sd: tuple[float, ...]
    healthy: Chances
    held_fast_nm: float
    note: str = ""


class Warmth(Known):
    """What each drag level does to a hub's temperature over ambient after a drive, K, with its spread."""

    rise_k: tuple[float, ...]
    rise_sd_k: tuple[float, ...]
    usual_k: float
    usual_sd_k: float
    beside_partner_share: float
    note: str = ""


class Spread(Known):
    median: float
    log_sd: float


class Driveline(Known):
    undriven_nm: Spread
    driven_nm: Spread
    points: int


class Wear(Known):
    inner: float
    outer: float
    corner_log_sd: float
    split_log_sd: float
    floor_mm: float
    lead_taper_mm: float
    fore_aft_sd_mm: float
    radial_sd_mm: float
    fresh_onset: Chance
    lately: Annotated[float, Field(ge=1)]
    misread: Chance
    misread_tapers_mm: Annotated[float, Field(gt=0)]
    points: int
    note: str = ""


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

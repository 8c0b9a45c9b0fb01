"""The kinds of evidence: what was found at one place, as the diagnosis weighs it and a sentence says it.

Pieces of one kind that weigh alike (`weighs`) tell the same, whatever their sentences.
"""

from __future__ import annotations

from collections.abc import Hashable
from dataclasses import dataclass
from functools import cached_property

from mesotrope.core.language.arrays import Floats
from mesotrope.core.language.corner import Corner, Place
from mesotrope.core.language.faults import Likelihood
from mesotrope.core.language.quantity import Measure
from mesotrope.core.language.saying import Sayable
from mesotrope.core.physics.drag import DragMeasure

#: Keys of the specification that a piece of evidence stands on, said when they are defaults.
Uses = tuple[str, ...]


@dataclass(frozen=True, eq=False)
class Graded:
    """One value of one finding: how likely each grade makes it."""

    corner: Place
    finding: str
    sentence: Sayable
    likelihood: Likelihood
    emission: Floats
    uses: Uses = ()

    @cached_property
    def weighs(self) -> Hashable:
        return self.likelihood.key, self.emission.tobytes()


@dataclass(frozen=True, eq=False)
class Dragging:
    """How hard the wheel is held back. On a shared wheel the drag is that of both its corners."""

    corner: Corner
    finding: str
    sentence: Sayable
    measure: DragMeasure
    shared_wheel: bool
    uses: Uses = ()

    @property
    def weighs(self) -> Hashable:
        return self.measure


@dataclass(frozen=True, eq=False)
class Worn:
    """How far each lining of a corner has worn, mm; None for a pad that was not measured. `lately`: since last time.

    `misread` is the chance that the figures are nothing but a slip of the gauge.
    """

    corner: Corner
    finding: str
    sentence: Sayable
    inner: Measure | None
    outer: Measure | None
    uses: Uses = ()
    lately: bool = False
    misread: float = 0.0

    @property
    def weighs(self) -> tuple[Measure | None, Measure | None, float]:
        return self.inner, self.outer, self.misread


@dataclass(frozen=True, eq=False)
class Tapered:
    """Taper of a corner's pads along (`fore_aft`) or across (`radial`) the lining, mm.

    `worn_mm` is how far each of these pads has worn, `misread` the chance that its taper is nothing but a slip.
    """

    corner: Corner
    finding: str
    sentence: Sayable
    direction: str
    tapers: tuple[Measure, ...]
    worn_mm: tuple[float, ...]
    misread: tuple[float, ...]
    uses: Uses = ()

    @property
    def weighs(self) -> Hashable:
        return self.direction, self.tapers, self.worn_mm, self.misread


@dataclass(frozen=True, eq=False)
class Warm:
    """How warm a hub was over ambient after a drive, K, beyond what braking warms its axle (`usual_k`).

    Where every hub that was read is hotter than usual it may be the drive that did it: `driven_hard` is this hub's part
    of that chance, and `beyond_k` what it is over its partner all the same.
    """

    corner: Corner
    finding: str
    sentence: Sayable
    rise_k: float
    usual_k: float
    sd_k: float
    beyond_k: float
    driven_hard: float
    uses: Uses = ()

    @property
    def weighs(self) -> Hashable:
        return self.rise_k, self.usual_k, self.sd_k, self.beyond_k, self.driven_hard


@dataclass(frozen=True, eq=False)
class Isolated:
    """That a corner was isolated at all, whatever came of it: only what drags is isolated, so the wheel dragged."""

    corner: Corner
    finding: str
    sentence: Sayable
    uses: Uses = ()

    @property
    def weighs(self) -> Hashable:
        return ()


Evidence = Graded | Dragging | Worn | Tapered | Warm | Isolated

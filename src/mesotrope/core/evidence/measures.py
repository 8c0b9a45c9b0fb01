"""What was measured at each corner, worked out with its uncertainty."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass

from mesotrope.core.evidence.specification import Specification
from mesotrope.core.language.corner import Corner
from mesotrope.core.language.inspection import CornerFindings, Inspection, PadPoints
from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.language.quantity import Measure
from mesotrope.core.language.reliance import relies_on
from mesotrope.core.physics.drag import DragMeasure, combined, drag_from_hand_spin, drag_from_pull, drag_from_spin
from mesotrope.core.physics.pads import PLACES, PadMeasure, pad_measure

RELIES_ON = relies_on(
    "diagnosis", "depth_gauge_mm", "window_gauge_mm", "spin_turns", "spin_seconds", "swing_turns_per_s", "swing_log",
    "pull_relative",
)  # fmt: skip

PADS = ("inner", "outer")


@dataclass(frozen=True)
class CornerMeasures:
    """What was measured at one corner, with its uncertainty. None: not measured.

    drag : what turns and seconds say by themselves, whatever the first speed was; drag_weighed : the same as evidence,
    with how fast a hand swings a wheel.
    """

    inner: PadMeasure | None = None
    outer: PadMeasure | None = None
    drag: DragMeasure | None = None
    drag_weighed: DragMeasure | None = None

    @property
    def inner_minus_outer(self) -> Measure | None:
        return self.inner.mean - self.outer.mean if self.inner and self.outer else None

    def minus(self, partner: CornerMeasures) -> Measure | None:
        """This corner's lining less its partner's, over the pads measured on both sides; None where none is."""
        pairs = [
            (mine.mean, theirs.mean)
            for mine, theirs in ((self.inner, partner.inner), (self.outer, partner.outer))
            if mine and theirs
        ]
        if not pairs:
            return None
        differences = [mine - theirs for mine, theirs in pairs]
        value = sum(difference.value for difference in differences) / len(differences)
        return Measure(value, math.hypot(*(difference.sd for difference in differences)) / len(differences))

    @property
    def thinnest_mm(self) -> float | None:
        places = [pad.thinnest_mm for pad in (self.inner, self.outer) if pad]
        return min(places) if places else None


@dataclass(frozen=True)
class SinceLast:
    """Wear of an axle's pads since the last visit: the distance, and for each corner inner and outer, mm."""

    km: float
    worn: Mapping[Corner, tuple[Measure, Measure]]


def measure_pad(found: CornerFindings, side: str, knowledge: Knowledge) -> PadMeasure | None:
    """Work out one pad: as measured on the bench, else as seen through the window; None where neither was done."""
    seen: float | None = getattr(found.window_pad_mm, side) if found.window_pad_mm else None
    return pad_of(measured_places_mm(found, side), seen, knowledge)


def measured_places_mm(found: CornerFindings, side: str) -> dict[str, float]:
    """The places at which one pad was measured on the bench."""
    points: PadPoints | None = getattr(found.pad_mm, side) if found.pad_mm else None
    return {place: mm for place in PLACES if (mm := getattr(points, place)) is not None} if points else {}


def widest_gap_mm(found: CornerFindings) -> float | None:
    """The wider of the gaps seen at a corner's pads; None where none was looked at."""
    gaps = [gap for side in PADS if (gap := getattr(found.pad_gap_mm, side, None)) is not None]
    return max(gaps, default=None)


def pad_of(points_mm: Mapping[str, float], seen_mm: float | None, knowledge: Knowledge) -> PadMeasure | None:
    """One pad from its measured places, else from what was seen through the window; None where neither is known."""
    if points_mm:
        return pad_measure(points_mm, knowledge.gauge["depth_gauge_mm"], knowledge.wear.unseen_taper_sd_mm)
    if seen_mm is None:
        return None
    return PadMeasure(Measure(seen_mm, knowledge.gauge["window_gauge_mm"]), seen_mm, None, None)


def measure_corner(found: CornerFindings, specification: Specification, knowledge: Knowledge) -> CornerMeasures:
    """Work out pads and drag of one corner. Raises `InvalidInput` for figures that no wheel can give."""
    gauge = knowledge.gauge
    inner, outer = (measure_pad(found, side, knowledge) for side in PADS)
    readings, weighed = [], []
    spin = found.spin
    if spin and spin.turns is not None and spin.tells:
        turned = spin.turns, spin.seconds or 0.0
        wheel = specification.wheel_inertia_kg_m2, specification.inertia_relative_sd
        seconds_sd, least_nm = gauge["spin_seconds"], knowledge.drag.held_fast_nm
        swing = gauge["swing_turns_per_s"], gauge["swing_log"]
        within = gauge["spin_turns"] / math.sqrt(3)  # plus or minus a quarter turn are limits: [jcgm-100] 4.3.7
        readings.append(drag_from_spin(*turned, *wheel, gauge["spin_turns"], seconds_sd, least_nm))
        weighed.append(drag_from_hand_spin(*turned, *wheel, within, seconds_sd, least_nm, *swing))
    if found.pull_n is not None and found.pull_radius_mm is not None:
        pulled = drag_from_pull(found.pull_n, found.pull_radius_mm, gauge["pull_relative"])
        readings.append(pulled)
        weighed.append(pulled)
    return CornerMeasures(inner, outer, combined(readings), combined(weighed))


def measure_all(
    inspection: Inspection, specification: Specification, knowledge: Knowledge
) -> dict[Corner, CornerMeasures]:
    return {
        corner: measure_corner(inspection.corner(corner), specification, knowledge) for corner in specification.corners
    }

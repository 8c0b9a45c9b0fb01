"""From findings to evidence: what was found at each corner, as the diagnosis weighs it and a sentence says it.

A finding that was not made yields nothing here, so it can contribute nothing.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np

from mesotrope.core.drag import DragMeasure, combined, drag_from_pull, drag_from_spin
from mesotrope.core.findings import CornerFindings, Inspection, PadPoints, leaves
from mesotrope.core.model import Knowledge, Likelihood
from mesotrope.core.pads import PadMeasure, pad_measure
from mesotrope.core.quantity import Measure
from mesotrope.core.space import Floats
from mesotrope.core.specification import AxleSpecification, Specification

PADS = ("inner", "outer")

#: Keys of the specification that a piece of evidence stands on, said when they are defaults.
Uses = tuple[str, ...]


@dataclass(frozen=True, eq=False)
class Graded:
    """One value of one finding: how likely each grade makes it."""

    corner: str
    finding: str
    sentence: str
    likelihood: Likelihood
    emission: Floats
    uses: Uses = ()


@dataclass(frozen=True, eq=False)
class Dragging:
    """How hard the wheel is held back. On a shared wheel the drag is that of both its corners."""

    corner: str
    finding: str
    sentence: str
    measure: DragMeasure
    shared_wheel: bool
    uses: Uses = ()


@dataclass(frozen=True, eq=False)
class Worn:
    """How far each lining of a corner has worn, mm; None for a pad that was not measured."""

    corner: str
    finding: str
    sentence: str
    inner: Measure | None
    outer: Measure | None
    uses: Uses = ()


@dataclass(frozen=True, eq=False)
class Tapered:
    """Taper of a corner's pads along (`fore_aft`) or across (`radial`) the lining, mm."""

    corner: str
    finding: str
    sentence: str
    direction: str
    tapers: tuple[Measure, ...]
    uses: Uses = ()


Evidence = Graded | Dragging | Worn | Tapered


@dataclass(frozen=True)
class CornerMeasures:
    """What was measured at one corner, with its uncertainty. None: not measured."""

    inner: PadMeasure | None = None
    outer: PadMeasure | None = None
    drag: DragMeasure | None = None

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


def partner_of(corner: str) -> str | None:
    """The corner on the other side of the axle; None for a wheel in the middle.

    >>> partner_of("rear_left"), partner_of("rear")
    ('rear_right', None)
    """
    axle, _, side = corner.partition("_")
    return {"left": f"{axle}_right", "right": f"{axle}_left"}.get(side)


def in_words(corner: str) -> str:
    return corner.replace("_", " ")


def shares_wheel(specification: Specification, corner: str) -> bool:
    """Whether both corners of this axle brake one and the same wheel (a motorcycle's front)."""
    return specification.kind == "motorcycle" and partner_of(corner) is not None


def measure_corner(found: CornerFindings, specification: Specification, knowledge: Knowledge) -> CornerMeasures:
    """Work out pads and drag of one corner. Raises `InvalidInput` for figures that no wheel can give."""
    gauge = knowledge.gauge
    pads: dict[str, PadMeasure | None] = {}
    for side in PADS:
        points: PadPoints | None = getattr(found.pad_mm, side) if found.pad_mm else None
        seen: float | None = getattr(found.window_pad_mm, side) if found.window_pad_mm else None
        measured = dict(leaves(points))
        if measured:
            pads[side] = pad_measure(measured, gauge["depth_gauge_mm"], knowledge.wear.fore_aft_sd_mm)
        elif seen is not None:
            pads[side] = PadMeasure(Measure(seen, gauge["window_gauge_mm"]), seen, None, None)
        else:
            pads[side] = None
    readings = []
    spin = found.spin
    if spin and spin.turns is not None and (spin.seconds or spin.turns == 0):
        readings.append(
            drag_from_spin(
                spin.turns,
                spin.seconds or 0.0,
                specification.wheel_inertia_kg_m2,
                specification.inertia_relative_sd,
                gauge["spin_turns"],
                gauge["spin_seconds"],
                knowledge.drag.held_fast_nm,
            )
        )
    if found.pull_n is not None and found.pull_radius_mm is not None:
        readings.append(drag_from_pull(found.pull_n, found.pull_radius_mm, gauge["pull_relative"]))
    return CornerMeasures(pads["inner"], pads["outer"], combined(readings))


def measure_all(
    inspection: Inspection, specification: Specification, knowledge: Knowledge
) -> dict[str, CornerMeasures]:
    return {
        corner: measure_corner(inspection.corner(corner), specification, knowledge) for corner in specification.corners
    }


def collect(
    inspection: Inspection,
    specification: Specification,
    measures: Mapping[str, CornerMeasures],
    knowledge: Knowledge,
) -> list[Evidence]:
    """Everything that was found at the corners that are diagnosed, in the order of the vocabulary."""
    out: list[Evidence] = []
    for corner in specification.corners:
        axle = specification.axle_of(corner)
        if axle.has("disc"):
            found = inspection.corner(corner)
            out += _dragging(corner, measures, found, specification)
            out += _wear(corner, measures, found, axle)
            out += _tapers(corner, measures[corner])
            out += _graded(corner, found, axle, knowledge)
    return out


def _dragging(
    corner: str, measures: Mapping[str, CornerMeasures], found: CornerFindings, specification: Specification
) -> list[Evidence]:
    drag = measures[corner].drag
    if drag is None:
        return []
    partner = partner_of(corner)
    shared = shares_wheel(specification, corner)
    if shared and corner.endswith("right") and partner and measures[partner].drag:
        return []  # the same wheel, said at its left corner
    spin = found.spin
    if drag.held_fast:
        sentence = f"{in_words(corner)} cannot be turned by hand: at least {drag.torque_nm:.0f} N·m"
    elif spin and spin.turns is not None and spin.seconds is not None:
        turns = f"{spin.turns:g} turn{'s' if spin.turns != 1 else ''}"
        sentence = (
            f"{in_words(corner)} stopped after {turns} in {spin.seconds:g} s: "
            f"{drag.torque_nm:.1f} ± {drag.sd_nm:.1f} N·m"
        )
    else:
        sentence = f"{in_words(corner)} needs {drag.torque_nm:.1f} ± {drag.sd_nm:.1f} N·m to turn"
    if partner and not shared and partner in measures and measures[partner].drag:
        other = measures[partner].drag
        assert other is not None
        sentence += f"; its partner {other.torque_nm:.1f} N·m"
    finding = "spin" if spin and spin.turns is not None else "pull_n"
    uses = ("wheel_inertia_kg_m2", "driven") if finding == "spin" else ("driven",)
    return [Dragging(corner, finding, sentence, drag, shared, uses)]


def difference_in_words(difference: Measure) -> str:
    """Say a difference with its size against gauge error.

    >>> difference_in_words(Measure(-3.4, 0.2))
    '3.4 mm thinner (17 × gauge error)'
    >>> difference_in_words(Measure(0.1, 0.2))
    'alike within gauge error'
    """
    if not difference.beyond_gauge_error:
        return "alike within gauge error"
    word = "thinner" if difference.value < 0 else "thicker"
    return f"{abs(difference.value):.1f} mm {word} ({difference.sds_from_zero:.0f} × gauge error)"


def _wear(
    corner: str, measures: Mapping[str, CornerMeasures], found: CornerFindings, axle: AxleSpecification
) -> list[Evidence]:
    here = measures[corner]
    pads = {side: getattr(here, side) for side in PADS if getattr(here, side)}
    if not pads:
        return []
    sentence = f"{in_words(corner)} " + ", ".join(f"{side} {pad.mean.value:.1f} mm" for side, pad in pads.items())
    split = here.inner_minus_outer
    if split:
        alike = not split.beyond_gauge_error
        sentence += f": {'inner and outer' if alike else 'inner'} {difference_in_words(split)}"
    partner = partner_of(corner)
    against = here.minus(measures[partner]) if partner and partner in measures else None
    if against:
        sentence += f"; this corner against its partner: {difference_in_words(against)}"
    worn = {side: Measure(axle.pad_new_mm - pad.mean.value, pad.mean.sd) for side, pad in pads.items()}
    uses = (f"{corner.split('_')[0]}.pad_new_mm",)
    finding = "pad_mm" if found.pad_mm and dict(leaves(found.pad_mm)) else "window_pad_mm"
    return [Worn(corner, finding, sentence, worn.get("inner"), worn.get("outer"), uses)]


def _tapers(corner: str, here: CornerMeasures) -> list[Evidence]:
    out: list[Evidence] = []
    for direction, thin_low, thin_high in (
        ("fore_aft", "leading end", "trailing end"),
        ("radial", "rim edge", "hub edge"),
    ):
        tapers = {
            side: taper
            for side in PADS
            if (pad := getattr(here, side)) and (taper := getattr(pad, direction)) is not None
        }
        if tapers:
            parts = [
                f"{side} pad {abs(taper.value):.1f} mm thinner at its {thin_low if taper.value < 0 else thin_high}"
                if taper.beyond_gauge_error
                else f"{side} pad has no {'end-to-end' if direction == 'fore_aft' else 'rim-to-hub'} taper"
                for side, taper in tapers.items()
            ]
            sentence = f"{in_words(corner)} " + ", ".join(parts)
            out.append(Tapered(corner, "pad_mm", sentence, direction, tuple(tapers.values())))
    return out


def _graded(corner: str, found: CornerFindings, axle: AxleSpecification, knowledge: Knowledge) -> list[Evidence]:
    given: dict[str, Any] = dict(leaves(found))
    uses: dict[str, Uses] = {}
    pistons = [knowledge.likelihood["piston_pushback.worst"].order.index(v) for v in found.piston_pushback or [] if v]
    if pistons:
        order = knowledge.likelihood["piston_pushback.worst"].order
        given["piston_pushback.worst"] = order[max(pistons)]
        if len(pistons) > 1:
            given["piston_pushback.best"] = order[min(pistons)]
    places = [place for place in found.rotor_mm or [] if place is not None]
    if places:
        given["rotor_margin_mm"] = min(places) - axle.rotor_discard_mm
        uses["rotor_margin_mm"] = (f"{corner.split('_')[0]}.rotor_discard_mm",)
        if len(places) > 2:
            given["rotor_variation_mm"] = max(places) - min(places)
    out: list[Evidence] = []
    for likelihood in knowledge.likelihoods:
        value = given.get(likelihood.key)
        if value is not None and not _out_of_place(likelihood, axle):
            sentence = f"{in_words(corner)} {finding_in_words(likelihood, value, knowledge)}"
            emission = emission_of(likelihood, value)
            out.append(Graded(corner, likelihood.name, sentence, likelihood, emission, uses.get(likelihood.key, ())))
    return out


def _out_of_place(likelihood: Likelihood, axle: AxleSpecification) -> bool:
    """Whether this finding cannot be made on this axle (a slide pin on a fixed caliper)."""
    return likelihood.name.startswith("pin") and not axle.has("floating")


def emission_of(likelihood: Likelihood, value: Any) -> Floats:
    """How likely each grade makes the value: 1 and 0 for a word, a density per mm for a figure."""
    if likelihood.mean is None or likelihood.sd is None:
        return (np.array(likelihood.order) == value).astype(float)
    sd = np.hypot(np.array(likelihood.sd), likelihood.gauge_sd)
    z = (value - np.array(likelihood.mean)) / sd
    return np.exp(-0.5 * z**2) / (sd * np.sqrt(2 * np.pi)) + 1e-4


def finding_in_words(likelihood: Likelihood, value: Any, knowledge: Knowledge) -> str:
    """Say one finding: its name and its value, in the trade's words."""
    if likelihood.key == "rotor_margin_mm":
        side = "over" if value > 0 else "under"
        return f"rotor at its thinnest place {abs(value):.2f} mm {side} its discard thickness"
    if likelihood.key == "rotor_variation_mm":
        return f"rotor thickness varies by {value:.3f} mm"
    field = knowledge.corner_field.get(likelihood.key) or knowledge.corner_field[likelihood.name]
    label = field.label
    if likelihood.key == "piston_pushback.best":
        label = "the best of its pistons back into the bore"
    elif likelihood.key == "piston_pushback.worst":
        label = "piston back into its bore"
    said = field.values.get(value, value) if isinstance(value, str) else f"{value:g} {field.unit}"
    return f"{label}: {said}"

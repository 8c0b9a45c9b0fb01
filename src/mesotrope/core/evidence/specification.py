"""The specification that results stand on: what is known of the vehicle, the rest from marked defaults."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Any

from mesotrope.core.language.corner import AXLES, Axle, Corner
from mesotrope.core.language.inspection import Inspection
from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.language.reliance import relies_on
from mesotrope.core.language.vocabulary import VocabularyField
from mesotrope.core.language.work import Action
from mesotrope.core.physics.drag import wheel_inertia_kg_m2

RELIES_ON = relies_on("diagnosis", "ambient_c")


@dataclass(frozen=True)
class AxleSpecification:
    """Brake specification of one axle, complete."""

    caliper: str
    pistons: int
    piston_diameter_mm: tuple[float, ...]
    pad_new_mm: float
    pad_limit_mm: float
    pad_length_mm: float
    pad_height_mm: float
    rotor_new_mm: float
    rotor_discard_mm: float
    rotor_mass_kg: float
    rotor_diameter_mm: float
    effective_radius_mm: float
    parking_brake: str
    driven: bool
    pads_fitted_odometer_km: float | None

    @property
    def worn_out_unseen(self) -> float:
        """Chance that a lining of which nothing is known is at its limit: any wear is as likely as another."""
        return self.pad_limit_mm / self.pad_new_mm

    def has(self, need: str) -> bool:
        """Whether this axle has what a fault needs to be possible.

        Raises KeyError for a need that is not one of the table below.
        """
        return self._has[need]

    @cached_property
    def _has(self) -> Mapping[str, bool]:
        disc = self.caliper != "drum"
        return {
            "disc": disc,
            "floating": self.caliper == "floating",
            "fixed": self.caliper == "fixed",
            "several_pistons": disc and self.pistons > 1,
            "any_parking_brake": self.parking_brake != "none",
            "parking_brake": disc and self.parking_brake not in ("none", "lever_on_drum"),
            "parking_brake_in_caliper": self.parking_brake in ("integral_cable", "electric_on_caliper"),
            "no_parking_brake_at_disc": self.parking_brake in ("none", "lever_on_drum"),
            "parking_brake_by_cable": self.parking_brake == "integral_cable",
            "parking_brake_by_hand": self.parking_brake != "electric_on_caliper",
            "parking_brake_electric": self.parking_brake == "electric_on_caliper",
            "parking_brake_in_drum": self.parking_brake == "drum_in_hat",
            "shoes": self.parking_brake in ("drum_in_hat", "lever_on_drum"),
        }


@dataclass(frozen=True)
class Specification:
    """A vehicle's complete specification; `defaulted` names every figure that is a default.

    circuit_splits : how its circuits may be split, and the chance of each way; one, where it is known.
    """

    kind: str
    circuit_split: str
    circuit_splits: Mapping[str, float]
    wheel_radius_mm: float
    wheel_inertia_kg_m2: float
    inertia_relative_sd: float
    axles: Mapping[Axle, AxleSpecification]
    corners: tuple[Corner, ...]
    ambient_c: float
    defaulted: frozenset[str]

    def shares_wheel(self, corner: Corner) -> bool:
        """Whether both corners of this axle brake one and the same wheel (a motorcycle's front)."""
        return self.kind == "motorcycle" and corner.partner is not None

    def speaks_for_wheel(self, corner: Corner) -> bool:
        """Whether what is found of a wheel is said at this corner: a shared wheel is spoken of at its left."""
        return not (self.shares_wheel(corner) and corner.side == "right")

    def has(self, need: str) -> bool:
        """Whether any axle has something. Raises KeyError as `AxleSpecification.has`."""
        return any(axle.has(need) for axle in self.axles.values())

    def asks(self, field: VocabularyField, corner: Corner | None = None) -> bool:
        """Whether a finding can be made on this vehicle, at a corner or of the whole."""
        if self.kind in field.not_of:
            return False
        if corner is None:
            return all(map(self.has, field.needs))
        if field.of_wheel and not self.speaks_for_wheel(corner):
            return False
        return all(map(self.axle_of(corner).has, field.needs))

    @property
    def circuits_are_apart(self) -> bool:
        """Whether each circuit has a master cylinder of its own, as a motorcycle's lever and pedal."""
        return self.kind == "motorcycle" and self.circuit_split == "front_rear"

    def can_have(self, action: Action, phase: str) -> bool:
        """Whether an action can be done on this vehicle at all."""
        braked = phase != "parking_brake" or self.has("any_parking_brake")
        return braked and self.kind not in action.not_of and (not action.needs or self.has(action.needs))

    def axle_of(self, corner: Corner) -> AxleSpecification:
        return self.axles[corner.axle]

    def has_disc(self, corner: Corner) -> bool:
        return self.axle_of(corner).has("disc")

    @property
    def discs(self) -> tuple[Corner, ...]:
        """The corners with a disc: those with a drum are recorded, not diagnosed."""
        return tuple(filter(self.has_disc, self.corners))

    def corners_on(self, axle: str) -> tuple[Corner, ...]:
        return tuple(corner for corner in self.corners if corner.axle == axle)

    def circuit_of(self, corner: Corner, split: str = "") -> str:
        """Which of two brake circuits feeds a corner, split as the vehicle's are or in another way."""
        rear, right = corner.axle == "rear", corner.side == "right"
        split = split or self.circuit_split
        if split == "single":
            return "circuit_1"
        first = rear == right if split == "diagonal" else not rear
        return "circuit_1" if first else "circuit_2"


def corners_of(inspection: Inspection, kind: str) -> tuple[Corner, ...]:
    """The corners this vehicle has; a motorcycle's front may have one disc or two."""
    if kind != "motorcycle":
        return Corner.FRONT_LEFT, Corner.FRONT_RIGHT, Corner.REAR_LEFT, Corner.REAR_RIGHT
    discs = inspection.vehicle.front_discs
    found = inspection.findings.corners
    if discs is None:
        two = found is not None and (found.front_left is not None or found.front_right is not None)
        discs = 2 if two or found is None or found.front is None else 1
    fronts = (Corner.FRONT_LEFT, Corner.FRONT_RIGHT) if discs == 2 else (Corner.FRONT,)
    return *fronts, Corner.REAR


def _shown_by_findings(
    inspection: Inspection, corners: Sequence[Corner], axle: str, usual: Mapping[str, Any]
) -> dict[str, Any]:
    """What the findings of an axle show of its parts, against what is usual: slide pins are a floating caliper's, shoes
    those of a drum in the rotor's hat."""
    found = [inspection.corner(corner) for corner in corners if corner.axle == axle]
    out: dict[str, Any] = {}
    if usual["caliper"] == "fixed" and any(one.has_slide_pins for one in found):
        out |= {"caliper": "floating", "pistons": len(usual["piston_diameter_mm"])}
    if any(one.parking_shoes for one in found):
        out["parking_brake"] = "drum_in_hat"
    return out


class Known:
    """Takes what is given, or its default; keeps which were defaults.

    >>> known = Known()
    >>> known("bore_mm", None, 22.2), known("stroke_mm", 30.0, 32.0), known.defaulted
    (22.2, 30.0, {'bore_mm'})
    """

    def __init__(self) -> None:
        self.defaulted: set[str] = set()

    def __call__(self, name: str, given: Any, default: Any) -> Any:
        if given is None:
            self.defaulted.add(name)
            return default
        return given


def complete_specification(inspection: Inspection, knowledge: Knowledge) -> Specification:
    """Fill what is not known of the vehicle, and of the day, from the defaults of its kind, and say which.

    >>> from mesotrope.knowledge import knowledge
    >>> spec = complete_specification(Inspection(), knowledge())
    >>> spec.kind, spec.axles["front"].pad_new_mm, "front.pad_new_mm" in spec.defaulted
    ('car', 11.0, True)
    """
    vehicle, defaults = inspection.vehicle, knowledge.specification
    known = Known()
    kind = known("kind", vehicle.kind, "car")
    table = defaults[kind]
    driven = known("driven", vehicle.driven, table["driven"])
    radius_mm = known("wheel_radius_mm", vehicle.wheel_radius_mm, table["wheel_radius_mm"])
    ring = defaults["inertia"]
    inertia = known(
        "wheel_inertia_kg_m2",
        vehicle.wheel_inertia_kg_m2,
        wheel_inertia_kg_m2(
            table["wheel_mass_kg"], radius_mm, ring["ring_radius_share"], table["hub_and_rotor_inertia_kg_m2"]
        ),
    )
    inertia_known = vehicle.wheel_inertia_kg_m2 is not None
    axles, corners = {}, corners_of(inspection, kind)
    for name in AXLES:
        given = vehicle.axles and getattr(vehicle.axles, name)
        usual = {**table[name], **_shown_by_findings(inspection, corners, name, table[name])}
        figures = {
            key: known(f"{name}.{key}", given and getattr(given, key), default) for key, default in usual.items()
        }
        diameters = tuple(figures.pop("piston_diameter_mm"))
        axles[name] = AxleSpecification(
            **figures,
            piston_diameter_mm=diameters,
            driven=driven in (name, "all"),
            pads_fitted_odometer_km=given.pads_fitted_odometer_km if given else None,
        )
    split = known("circuit_split", vehicle.circuit_split, table["circuit_split"])
    return Specification(
        kind=kind,
        circuit_split=split,
        circuit_splits={split: 1.0} if vehicle.circuit_split else table["circuit_splits"],
        wheel_radius_mm=radius_mm,
        wheel_inertia_kg_m2=inertia,
        inertia_relative_sd=ring["relative_sd_known" if inertia_known else "relative_sd_default"],
        axles=axles,
        corners=corners,
        ambient_c=known("ambient_c", inspection.visit.ambient_c, knowledge.limit["ambient_c"]),
        defaulted=frozenset(known.defaulted),
    )

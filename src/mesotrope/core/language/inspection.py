"""The vocabulary of an inspection: the open format ``mesotrope-inspection``, version 1.

The models check *shape* (names, kinds of value, permitted words). Whether a figure is physically
possible is checked by `mesotrope.core.language.entries`, whose ranges are data.

Every value is optional: *not looked at* (``None``) is different from *looked at and found fine*.
"""

from __future__ import annotations

import datetime
from typing import Annotated, Any, Literal, get_args

from pydantic import BaseModel, ConfigDict, Field, ValidationError, field_validator

from mesotrope.core.language.corner import Corner, Place
from mesotrope.core.language.paths import leaves
from mesotrope.core.language.saying import marked, said, verbatim
from mesotrope.errors import InvalidDocument, InvalidInput

FORMAT = "mesotrope-inspection"
VERSION = 1

Kind = Literal["car", "light_truck", "motorcycle"]

#: The stages of the work, in the order they are worked.
Stage = Literal["intake", "road", "pedal", "bonnet", "lift", "wheel_off", "isolate", "strip", "measure"]
STAGES: tuple[Stage, ...] = get_args(Stage)

Text = Annotated[str, Field(max_length=2000)]
Word = Annotated[str, Field(max_length=120)]


class _Shape(BaseModel):
    model_config = ConfigDict(extra="forbid", strict=True, frozen=True, allow_inf_nan=False)


class MasterCylinder(_Shape):
    bore_mm: float | None = None
    stroke_mm: float | None = None
    pedal_ratio: float | None = None


class Reservoir(_Shape):
    min_to_max_ml: float | None = None
    max_to_brim_ml: float | None = None


class Axle(_Shape):
    """Brake specification of one axle; what is left out is filled from marked defaults."""

    caliper: Literal["floating", "fixed", "drum"] | None = None
    pistons: Annotated[int, Field(ge=1, le=8)] | None = None
    piston_diameter_mm: Annotated[list[float], Field(min_length=1, max_length=8)] | None = None
    pad_new_mm: float | None = None
    pad_limit_mm: float | None = None
    pad_length_mm: float | None = None
    pad_height_mm: float | None = None
    rotor_new_mm: float | None = None
    rotor_discard_mm: float | None = None
    rotor_mass_kg: float | None = None
    rotor_diameter_mm: float | None = None
    effective_radius_mm: float | None = None
    parking_brake: Literal["none", "drum_in_hat", "integral_cable", "electric_on_caliper", "lever_on_drum"] | None = (
        None
    )
    pads_fitted_odometer_km: float | None = None


class Axles(_Shape):
    front: Axle | None = None
    rear: Axle | None = None


class Vehicle(_Shape):
    label: Word | None = None
    kind: Kind | None = None
    registration: Word | None = None
    vin: Word | None = None
    model_year: Annotated[int, Field(ge=1900, le=2100)] | None = None
    mass_kg: float | None = None
    front_brake_share: float | None = None
    driven: Literal["front", "rear", "all"] | None = None
    circuit_split: Literal["front_rear", "diagonal", "single"] | None = None
    steering_side: Literal["left", "right"] | None = None
    wheel_radius_mm: float | None = None
    wheel_inertia_kg_m2: float | None = None
    front_discs: Literal[1, 2] | None = None
    master_cylinder: MasterCylinder | None = None
    reservoir: Reservoir | None = None
    fluid_grade: Literal["DOT 3", "DOT 4", "DOT 5", "DOT 5.1", "ISO class 6"] | None = None
    axles: Axles | None = None


RecentWork = Literal[
    "pads", "pads_front", "pads_rear", "rotors", "calipers", "hoses", "hydraulics", "fluid", "parking_brake"
]


Usage = Literal["motorway", "mixed", "town", "mountains", "towing"]


class InnerOuterMm(_Shape):
    inner: float | None = None
    outer: float | None = None


class EarlierPads(_Shape):
    """Mean lining thickness at each corner at an earlier visit, and how far the vehicle had gone then."""

    odometer_km: float
    front_left: InnerOuterMm | None = None
    front_right: InnerOuterMm | None = None
    rear_left: InnerOuterMm | None = None
    rear_right: InnerOuterMm | None = None
    front: InnerOuterMm | None = None
    rear: InnerOuterMm | None = None


#: The years in which a vehicle comes to a workshop with this.
EARLIEST_YEAR, LATEST_YEAR = 1980, 2200


class Visit(_Shape):
    date: str | None = None
    odometer_km: float | None = None
    ambient_c: float | None = None
    usage: Usage | None = None
    recent_work: list[RecentWork] | None = None
    complaint: Text | None = None
    earlier_pads: EarlierPads | None = None

    @field_validator("date")
    @classmethod
    def _date(cls, value: str | None) -> str | None:
        if value is not None:
            year = datetime.date.fromisoformat(value).year
            if not EARLIEST_YEAR <= year <= LATEST_YEAR:
                raise ValueError(f"the year {year} is not one of {EARLIEST_YEAR} to {LATEST_YEAR}")
        return value


class Spin(_Shape):
    turns: float | None = None
    seconds: float | None = None

    @property
    def tells(self) -> bool:  # no turn at all tells by itself
        return self.turns is not None and (bool(self.seconds) or self.turns == 0)


class PadPoints(_Shape):
    """Lining thickness at the four corners of a pad: leading or trailing end, toward rim or hub."""

    lead_rim: float | None = None
    lead_hub: float | None = None
    trail_rim: float | None = None
    trail_hub: float | None = None


class PadsMm(_Shape):
    inner: PadPoints | None = None
    outer: PadPoints | None = None


Response = Literal["moves_and_returns", "moves_and_stays", "still"]
Face = Literal["smooth", "glazed", "scored", "grooved", "blued", "cracked", "rust_scaled"]
Fit = Literal["free", "tight", "bound"]
Condition = Literal["sound", "glazed", "cracked", "delaminated", "oiled", "metal_to_metal", "backwards"]
Slide = Literal["free", "stiff", "seized"]
Pushback = Literal["easy", "firm", "immovable"]
Freed = Literal["frees", "no_change"]


class PedalResponse(_Shape):
    inner: Response | None = None
    outer: Response | None = None


class RotorFace(_Shape):
    inner: Face | None = None
    outer: Face | None = None


class PadFit(_Shape):
    inner: Fit | None = None
    outer: Fit | None = None


class PadCondition(_Shape):
    inner: Condition | None = None
    outer: Condition | None = None


class Pin(_Shape):
    upper: Slide | None = None
    lower: Slide | None = None


class PinCondition(_Shape):
    upper: Literal["greased", "dry", "corroded", "pitted"] | None = None
    lower: Literal["greased", "dry", "corroded", "pitted"] | None = None


class PinBoot(_Shape):
    upper: Literal["sound", "torn", "missing"] | None = None
    lower: Literal["sound", "torn", "missing"] | None = None


class CornerFindings(_Shape):
    spin: Spin | None = None
    pull_n: float | None = None
    pull_radius_mm: float | None = None
    hub_temperature_c: float | None = None
    noise: Literal["none", "scrape", "squeal", "grind", "rumble", "click"] | None = None
    window_pad_mm: InnerOuterMm | None = None
    pad_gap_mm: InnerOuterMm | None = None
    pedal_response: PedalResponse | None = None
    hose: Literal["sound", "cracked", "swollen", "twisted", "kinked"] | None = None
    leak: Literal["none", "seep", "drip"] | None = None
    leak_at: Literal["bleeder", "hose_union", "piston", "line"] | None = None
    bleeder: Literal["sound", "rusted", "seized", "low"] | None = None
    rotor_face: RotorFace | None = None
    rotor_lip_mm: float | None = None
    wear_sensor: Literal["none", "intact", "cut"] | None = None
    bleeder_opened: Freed | None = None
    line_loosened_at_master: Freed | None = None
    caliper_bolts_slackened: Freed | None = None
    parking_cable_slackened: Freed | None = None
    pad_mm: PadsMm | None = None
    pad_fit: PadFit | None = None
    pad_condition: PadCondition | None = None
    pad_material: Word | None = None
    pin: Pin | None = None
    pin_condition: PinCondition | None = None
    pin_boot: PinBoot | None = None
    retaining_pin: Slide | None = None
    piston_pushback: Annotated[list[Pushback | None], Field(min_length=1, max_length=8)] | None = None
    piston_boot: Literal["sound", "torn", "wet"] | None = None
    bracket_lands: Literal["clean", "rusted", "grooved", "pitted"] | None = None
    hardware: Literal["complete", "clip_missing", "clip_reversed", "spring_missing", "shim_missing"] | None = None
    rotor_mm: Annotated[list[float | None], Field(min_length=1, max_length=12)] | None = None
    rotor_runout_mm: float | None = None
    parking_lever: Literal["returns", "slow", "stuck"] | None = None
    parking_shoes: Literal["sound", "worn", "delaminated", "tight"] | None = None
    shield: Literal["clear", "touching", "rotten"] | None = None
    bearing: Literal["quiet", "rough", "play"] | None = None

    @property
    def has_slide_pins(self) -> bool:
        """Whether anything was found of slide pins, so that the caliper floats."""
        return any(map(leaves, (self.pin, self.pin_condition, self.pin_boot)))

    @property
    def has_firm_piston(self) -> bool:
        """Whether a piston went home only firmly."""
        return "firm" in (self.piston_pushback or ())

    @property
    def rotor_places_mm(self) -> list[float]:
        """The rotor's thickness at every place where it was measured, mm.

        >>> CornerFindings(rotor_mm=[22.1, None, 21.9]).rotor_places_mm, CornerFindings().rotor_places_mm
        ([22.1, 21.9], [])
        """
        return [place for place in self.rotor_mm or [] if place is not None]

    @property
    def thinnest_rotor_mm(self) -> float | None:
        """The rotor's thickness where it is thinnest, mm; none where it was not measured.

        >>> CornerFindings(rotor_mm=[22.1, None, 21.9]).thinnest_rotor_mm
        21.9
        """
        return min(self.rotor_places_mm, default=None)


class BrakeForces(_Shape):
    front_left: float | None = None
    front_right: float | None = None
    rear_left: float | None = None
    rear_right: float | None = None
    front: float | None = None
    rear: float | None = None


class SystemFindings(_Shape):
    pull_braking: Literal["none", "left", "right"] | None = None
    pull_coasting: Literal["none", "left", "right"] | None = None
    pedal_travel: float | None = None
    pedal_feel: Literal["firm", "spongy", "hard"] | None = None
    pedal_hold: Literal["holds", "sinks"] | None = None
    pedal_pump: Literal["no_change", "rises"] | None = None
    pedal_on_engine_start: Literal["drops", "no_change"] | None = None
    pedal_release: Literal["full", "slow", "no_free_play"] | None = None
    fluid_level: float | None = None
    topped_up_since_service: Literal["yes", "no", "unknown"] | None = None
    fluid_colour: Literal["clear", "amber", "brown", "black", "cloudy"] | None = None
    fluid_water_percent: float | None = None
    fluid_boiling_c: float | None = None
    fluid_copper_ppm: float | None = None
    fluid_age_months: float | None = None
    cap_seal: Literal["sound", "swollen"] | None = None
    visible_leak: Literal["none", "under_bonnet", "underbody", "at_wheel"] | None = None
    smell: Literal["none", "hot"] | None = None
    vibration: Literal["none", "pedal", "steering"] | None = None
    warning_lamp: Literal["none", "brake", "abs", "wear"] | None = None
    parking_brake_holds: Literal["yes", "weak", "no"] | None = None
    brake_force_n: BrakeForces | None = None


class Corners(_Shape):
    front_left: CornerFindings | None = None
    front_right: CornerFindings | None = None
    rear_left: CornerFindings | None = None
    rear_right: CornerFindings | None = None
    front: CornerFindings | None = None
    rear: CornerFindings | None = None


class Findings(_Shape):
    system: SystemFindings | None = None
    corners: Corners | None = None


class Inspection(_Shape):
    """One inspection document: vehicle, visit, findings."""

    format: Literal["mesotrope-inspection"] = "mesotrope-inspection"
    version: Literal[1] = 1
    vehicle: Vehicle = Vehicle()
    visit: Visit = Visit()
    findings: Findings = Findings()

    @property
    def age_years(self) -> float | None:
        """How old the vehicle was at this visit; None where its model year or the date is not known."""
        if self.vehicle.model_year is None or self.visit.date is None:
            return None
        return max(0.0, datetime.date.fromisoformat(self.visit.date).year - self.vehicle.model_year)

    def corner(self, name: Corner) -> CornerFindings:
        """Return the findings of a corner; an empty set where the corner was not looked at."""
        corners = self.findings.corners
        return (corners and getattr(corners, name)) or CornerFindings()

    @property
    def system(self) -> SystemFindings:
        """The findings of the whole vehicle; an empty set where none were made."""
        return self.findings.system or SystemFindings()

    def at(self, place: Place) -> CornerFindings | SystemFindings:
        """The findings of a corner, or of the whole vehicle."""
        return self.corner(place) if isinstance(place, Corner) else self.system


def parse_inspection(text: str | bytes) -> Inspection:
    """Read one inspection document.

    Raises `InvalidDocument` naming every field, its value and what is allowed; nothing is taken then.

    >>> parse_inspection('{"findings": {"corners": {"rear_left": {"pin": {"upper": "loose"}}}}}')
    Traceback (most recent call last):
        ...
    mesotrope.errors.InvalidDocument: findings.corners.rear_left.pin.upper: 'loose' cannot be used; \
allowed: 'free', 'stiff' or 'seized'
    """
    try:
        return Inspection.model_validate_json(text)
    except ValidationError as error:
        raise InvalidDocument([_explained(part) for part in error.errors(include_url=False)]) from None


def _explained(part: Any) -> InvalidInput:
    """Turn one of Pydantic's findings into field, value and what is allowed."""
    name = ".".join(str(step + 1 if isinstance(step, int) else step) for step in part["loc"]) or "document"
    context = part.get("ctx") or {}
    kind = part["type"]
    if kind == "literal_error":
        requirement = f"allowed: {context['expected']}"
    elif kind == "extra_forbidden":
        requirement = marked("there is no field of this name here; see docs/format.md for the names")
    elif kind == "json_invalid":
        return InvalidInput(
            "document", "the text", said("it must be JSON in UTF-8: {context}", context=verbatim(context["error"]))
        )
    elif kind == "finite_number":
        requirement = marked("a finite number is needed")
    elif kind in ("float_type", "int_type", "int_from_float"):
        whole = "whole " if kind != "float_type" else ""
        requirement = f"a {whole}number is needed, without quotation marks"
    elif kind in ("model_type", "model_attributes_type", "dict_type"):
        requirement = marked("an object of named fields is needed")
    elif kind == "list_type":
        requirement = marked("a list is needed")
    elif kind == "value_error" and part["loc"][-1:] == ("date",):
        requirement = f"a date written YYYY-MM-DD is needed, of the years {EARLIEST_YEAR} to {LATEST_YEAR}"
    else:
        requirement = part["msg"][0].lower() + part["msg"][1:]
    return InvalidInput(name, part["input"], requirement)

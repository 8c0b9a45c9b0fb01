"""The form of a vehicle's specification: every field with what is known, or the default that stands in for it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any, get_args

from mesotrope.core.language.inspection import Inspection, RecentWork, Usage
from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.language.paths import nest
from mesotrope.core.language.saying import Sayable, marked, one_of, said
from mesotrope.core.language.units import KEPT_AS
from mesotrope.errors import InvalidInput
from mesotrope.words import Speaker

USES: tuple[str, ...] = get_args(Usage)

#: Words of the specification that are not the words of the format.
SAID = {
    "light_truck": marked("light truck"),
    "front_rear": marked("front and rear"),
    "drum_in_hat": marked("drum in the rotor's hat"),
    "integral_cable": marked("in the caliper, by cable"),
    "electric_on_caliper": marked("in the caliper, electric"),
    "lever_on_drum": marked("on the drum"),
    "none": marked("none"),
}

#: Whole-vehicle fields in the order they are asked: key, label, unit, choices.
VEHICLE_FIELDS: tuple[tuple[str, str, str, tuple[str, ...]], ...] = (
    ("label", marked("Name, as you call it"), "", ()),
    ("registration", marked("Plate"), "", ()),
    ("vin", marked("VIN"), "", ()),
    ("model_year", marked("Model year"), "", ()),
    ("kind", marked("Kind"), "", ("car", "light_truck", "motorcycle")),
    ("driven", marked("Driven axle"), "", ("front", "rear", "all")),
    ("circuit_split", marked("Circuits split"), "", ("front_rear", "diagonal", "single")),
    ("steering_side", marked("Master cylinder on the"), "", ("left", "right")),
    ("mass_kg", marked("Mass"), "kg", ()),
    ("front_brake_share", marked("Share of braking at the front"), "", ()),
    ("wheel_radius_mm", marked("Wheel radius"), "mm", ()),
    ("wheel_inertia_kg_m2", marked("Inertia of one wheel"), "kg·m²", ()),
    ("front_discs", marked("Front discs (motorcycle)"), "", ("1", "2")),
    (
        "fluid_grade",
        marked("Fluid grade"),
        "",
        ("DOT 3", "DOT 4", "DOT 5", "DOT 5.1", "ISO class 6"),
    ),
    ("master_cylinder.bore_mm", marked("Master cylinder bore"), "mm", ()),
    ("master_cylinder.stroke_mm", marked("Master cylinder stroke"), "mm", ()),
    ("master_cylinder.pedal_ratio", marked("Pedal ratio"), "", ()),
    ("reservoir.min_to_max_ml", marked("Reservoir from MIN to MAX"), "mL", ()),
    ("reservoir.max_to_brim_ml", marked("Reservoir from MAX to the brim"), "mL", ()),
)

AXLE_FIELDS: tuple[tuple[str, str, str, tuple[str, ...]], ...] = (
    ("caliper", marked("Caliper"), "", ("floating", "fixed", "drum")),
    ("pistons", marked("Pistons (floating: one side; fixed: all)"), "", ()),
    ("piston_diameter_mm", marked("Piston diameters of one side"), "mm", ()),
    ("pad_new_mm", marked("Lining when new"), "mm", ()),
    ("pad_limit_mm", marked("Lining limit"), "mm", ()),
    ("pad_length_mm", marked("Pad length"), "mm", ()),
    ("pad_height_mm", marked("Pad height"), "mm", ()),
    ("rotor_new_mm", marked("Rotor when new"), "mm", ()),
    ("rotor_discard_mm", marked("Rotor discard thickness"), "mm", ()),
    ("rotor_mass_kg", marked("Rotor mass"), "kg", ()),
    ("rotor_diameter_mm", marked("Rotor diameter"), "mm", ()),
    ("effective_radius_mm", marked("Effective radius"), "mm", ()),
    ("parking_brake", marked("Parking brake"), "",
     ("none", "drum_in_hat", "integral_cable", "electric_on_caliper", "lever_on_drum")),
    ("pads_fitted_odometer_km", marked("Pads fitted at"), "km", ()),
)  # fmt: skip

WHOLE = ("model_year", "pistons", "front_discs")


@dataclass(frozen=True)
class FormField:
    """One field: what is known of it (`value`), else the default that stands in (`default`)."""

    name: str
    label: str
    unit: str
    value: str
    default: str
    options: tuple[tuple[str, str], ...]


@dataclass(frozen=True)
class SpecificationForm:
    vehicle: tuple[FormField, ...]
    axles: tuple[tuple[str, tuple[FormField, ...]], ...]
    visit: tuple[FormField, ...]
    work: tuple[tuple[str, str, bool], ...]

    @property
    def fields(self) -> tuple[tuple[str, FormField], ...]:
        """Every field with where it is: the axle's name, or nothing."""
        of_axles = ((axle, field) for axle, fields in self.axles for field in fields)
        return (*(("", field) for field in (*self.visit, *self.vehicle)), *of_axles)

    @property
    def lines(self) -> dict[str, str]:
        """What stands in every field, as a browser sends it."""
        work = {f"visit.work.{name}": "yes" if chosen else "" for name, _, chosen in self.work}
        return {field.name: field.value for _, field in self.fields} | work

    @property
    def labels(self) -> dict[str, Sayable]:
        """What every field is called."""
        work: dict[str, Sayable] = {f"visit.work.{name}": words for name, words, _ in self.work}
        for axle, field in self.fields:
            work[field.name] = said("{axle} axle: {field}", axle=axle, field=field.label) if axle else field.label
        return work


def _dig(table: Mapping[str, Any], path: str) -> Any:
    value: Any = table
    for step in path.split("."):
        value = value.get(step) if isinstance(value, Mapping) else None
    return value


def specification_form(
    inspection: Inspection, knowledge: Knowledge, say: Speaker, typed: Mapping[str, str] | None = None
) -> SpecificationForm:
    """Put the form together, with what was typed where it is shown again."""
    known = inspection.vehicle.model_dump()
    visit = inspection.visit.model_dump()
    defaults = knowledge.specification[inspection.vehicle.kind or "car"]

    def field(
        prefix: str, key: str, label: str, unit: str, options: tuple[str, ...], value: Any, default: Any
    ) -> FormField:
        name = f"{prefix}{key}"
        lining = key in LININGS
        shown = (typed or {}).get(name, _shown(value, unit, say, lining))
        choices = tuple((option, say(SAID.get(option, option))) for option in options)
        return FormField(
            name,
            say(label),
            say.unit(unit),
            shown,
            _default(default, unit, say, lining),
            choices,
        )

    work = visit.get("recent_work") or []
    if typed is not None:
        work = [name for name in get_args(RecentWork) if typed.get(f"visit.work.{name}")]
    return SpecificationForm(
        vehicle=tuple(field("", *f, _dig(known, f[0]), _dig(defaults, f[0])) for f in VEHICLE_FIELDS),
        axles=tuple(
            (
                say(name),
                tuple(
                    field(f"{name}.", *f, _dig(known, f"axles.{name}.{f[0]}"), _dig(defaults, f"{name}.{f[0]}"))
                    for f in AXLE_FIELDS
                ),
            )
            for name in ("front", "rear")
        ),
        visit=(
            field("visit.", "odometer_km", marked("Distance"), "km", (), visit.get("odometer_km"), ""),
            field("visit.", "ambient_c", marked("Outside"), "°C", (), visit.get("ambient_c"), ""),
            field("visit.", "usage", marked("Use"), "", USES, visit.get("usage"), ""),
            field(
                "visit.", "complaint", marked("Complaint, in the driver’s words"), "", (), visit.get("complaint"), ""
            ),
        ),
        work=tuple((w, say(w.replace("_", " ")), w in work) for w in get_args(RecentWork)),
    )


#: Lengths that are linings', which are read in 32nds of an inch where others are read in decimals of it.
LININGS = ("pad_new_mm", "pad_limit_mm")


def _default(value: Any, unit: str, say: Speaker, lining: bool) -> str:
    """What stands in where nothing is known; a choice in words."""
    if isinstance(value, str):
        return say(SAID.get(value, value))
    return _shown(value, unit, say, lining)


def _shown(value: Any, unit: str, say: Speaker, lining: bool = False) -> str:
    if value is None or value == "":
        return ""
    if isinstance(value, list | tuple):
        return ", ".join(_shown(item, unit, say, lining) for item in value)
    if isinstance(value, str):
        return value
    kept = KEPT_AS.get(unit)
    return (
        say.units.shown(value, kept, fine=not lining).replace("\u00a0", "")
        if kept and say.units.unit_for(kept, not lining) != kept
        else f"{value:g}"
    )


def read_form(
    typed: Mapping[str, str], inspection: Inspection, knowledge: Knowledge, say: Speaker
) -> tuple[dict[str, Any], dict[str, Any]]:
    """Turn the form back into vehicle and visit as the open format writes them. Raises `InvalidInput`."""
    given: dict[str, Any] = {}
    for key, label, unit, options in VEHICLE_FIELDS:
        given[key] = _read(typed.get(key, ""), key, label, unit, options, say)
    for name in ("front", "rear"):
        for key, label, unit, options in AXLE_FIELDS:
            said = f"{name} axle, {label.lower()}"
            given[f"axles.{name}.{key}"] = _read(typed.get(f"{name}.{key}", ""), key, said, unit, options, say)
    specification = nest({path: value for path, value in given.items() if value is not None})
    visit: dict[str, Any] = {"recent_work": [w for w in get_args(RecentWork) if typed.get(f"visit.work.{w}")]}
    for key, label, unit, options in (
        ("odometer_km", "distance", "km", ()), ("ambient_c", "outside", "°C", ()), ("usage", "use", "", USES),
        ("complaint", "complaint", "", ()),
    ):  # fmt: skip
        visit[key] = _read(typed.get(f"visit.{key}", ""), key, label, unit, options, say)
    return specification, visit


def _read(text: str, key: str, label: str, unit: str, options: tuple[str, ...], say: Speaker) -> Any:
    text = text.strip()
    if not text:
        return None
    if options and text not in options:
        raise InvalidInput(label, text, one_of(options))
    if key in WHOLE:
        if not (text.isascii() and text.isdigit() and len(text) < 6):
            raise InvalidInput(label, text, "a whole number is needed")
        return int(text)
    if options or key in ("label", "registration", "vin", "complaint"):
        return text
    kept, fine = KEPT_AS.get(unit, ""), key not in LININGS
    if key == "piston_diameter_mm":
        parts = [part for part in text.replace(";", " ").replace(", ", " ").split() if part]
        return [say.units.read(part.strip(","), "mm", name=label, fine=fine) for part in parts]
    return say.units.read(text.replace(" ", "") if kept == "km" else text, kept, name=label, fine=fine)

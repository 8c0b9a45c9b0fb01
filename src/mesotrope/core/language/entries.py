"""Whether a figure is physically possible, and how an entry is read: by the ranges of the vocabulary."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from pydantic import BaseModel, ValidationError

from mesotrope.core.language.inspection import Axle, CornerFindings, Inspection, SystemFindings
from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.language.paths import leaves, nest
from mesotrope.core.language.quantity import parse_quantity
from mesotrope.core.language.saying import marked, said, verbatim
from mesotrope.core.language.units import KEPT, Units
from mesotrope.core.language.vocabulary import VocabularyField
from mesotrope.errors import InvalidDocument, InvalidInput, Surprising, shown


def nearest_field(path: str, by_key: Mapping[str, VocabularyField]) -> VocabularyField | None:
    """The vocabulary's field for a path, among fields by their key: its own, or that of the finding it is a part of.

    >>> from mesotrope.knowledge import knowledge
    >>> nearest_field("pad_mm.inner.lead_rim", knowledge().corner_field).key
    'pad_mm'
    """
    while (found := by_key.get(path)) is None and "." in path:
        path = path.rpartition(".")[0]
    return found


def _range_in_words(low: float, high: float, unit: str) -> str:
    return f"allowed: {low:g} to {high:g} {unit}".rstrip()


def check(inspection: Inspection, knowledge: Knowledge) -> None:
    """Hold every figure of a document against what is physically possible. Raises `InvalidDocument`.

    >>> from mesotrope.core.language.inspection import parse_inspection
    >>> from mesotrope.knowledge import knowledge
    >>> check(parse_inspection('{"vehicle": {"mass_kg": -3}}'), knowledge())
    Traceback (most recent call last):
        ...
    mesotrope.errors.InvalidDocument: vehicle.mass_kg: -3.0 cannot be used; allowed: 50 to 12000
    """
    faults: list[InvalidInput] = []

    def hold(model: BaseModel | None, where: str, by_key: Mapping[str, VocabularyField]) -> None:
        for path, value in leaves(model):
            if not isinstance(value, (int, float)):
                continue
            field = nearest_field(path, by_key)
            if field and field.possible:
                low, high = field.possible
                if not low <= value <= high:
                    words = _range_in_words(low, high, field.unit)
                    faults.append(InvalidInput(f"{where}.{path}", value, words))

    vehicle = inspection.vehicle
    hold(vehicle.model_copy(update={"axles": None}), "vehicle", knowledge.vehicle_field)
    for name in ("front", "rear"):
        axle: Axle | None = getattr(vehicle.axles, name) if vehicle.axles else None
        hold(axle, f"vehicle.axles.{name}", knowledge.axle_field)
        if axle and axle.rotor_new_mm and axle.rotor_discard_mm and axle.rotor_discard_mm > axle.rotor_new_mm:
            where = f"vehicle.axles.{name}.rotor_discard_mm"
            faults.append(InvalidInput(where, axle.rotor_discard_mm, "it must not be above rotor_new_mm"))
        if axle and axle.pad_new_mm and axle.pad_limit_mm and axle.pad_limit_mm >= axle.pad_new_mm:
            where = f"vehicle.axles.{name}.pad_limit_mm"
            faults.append(InvalidInput(where, axle.pad_limit_mm, "it must be below pad_new_mm"))
    hold(inspection.visit.model_copy(update={"earlier_pads": None}), "visit", knowledge.visit_field)
    faults += _earlier_faults(inspection, knowledge)
    hold(inspection.findings.system, "findings.system", knowledge.system_field)
    corners = inspection.findings.corners
    for name in type(corners).model_fields if corners else ():
        found: CornerFindings | None = getattr(corners, name)
        where = f"findings.corners.{name}"
        hold(found, where, knowledge.corner_field)
        if found and found.spin and found.spin.turns and found.spin.seconds == 0:
            words = marked("a wheel that turned took some time: more than 0 s is needed")
            faults.append(InvalidInput(f"{where}.spin.seconds", 0, words))
    if faults:
        raise InvalidDocument(faults)


def _earlier_faults(inspection: Inspection, knowledge: Knowledge) -> list[InvalidInput]:
    """What cannot be in the figures of an earlier visit: the same ranges hold as for those of today."""
    distance = knowledge.visit_field["odometer_km"]
    faults = []
    for path, value in leaves(inspection.visit.earlier_pads):
        field = distance if path == "odometer_km" else knowledge.corner_field["pad_mm"]
        assert field.possible
        if not field.possible[0] <= value <= field.possible[1]:
            words = _range_in_words(*field.possible, field.unit)
            faults.append(InvalidInput(f"visit.earlier_pads.{path}", value, words))
    return faults


def read_entry(
    model: type[CornerFindings] | type[SystemFindings],
    path: str,
    text: str,
    knowledge: Knowledge,
    *,
    units: Units = KEPT,
    confirmed: bool = False,
) -> Any:
    """Read what a person typed or picked for one finding; an empty text takes the finding back (None).

    Raises `InvalidInput` for what cannot be, `Surprising` for a figure outside the likely range that has not
    been confirmed, with the range in the message.

    >>> from mesotrope.knowledge import knowledge
    >>> read_entry(CornerFindings, "pad_mm.inner.lead_rim", "7,5", knowledge())
    7.5
    >>> read_entry(CornerFindings, "pad_mm.inner.lead_rim", "75", knowledge())
    Traceback (most recent call last):
        ...
    mesotrope.errors.InvalidInput: lining thickness: '75' cannot be used; allowed: 0 to 40 mm
    """
    field = nearest_field(path, knowledge.corner_field if model is CornerFindings else knowledge.system_field)
    if field is None:
        raise InvalidInput("finding", path, "there is no finding of this name; see docs/format.md for the names")
    text = text.strip()
    if not text:
        require_place(model, path, None)
        return None
    if len(text) > 120:
        raise InvalidInput(field.label, shown(text, 40), "at most 120 characters are allowed")
    if field.values:
        if text not in field.values:
            raise InvalidInput(field.label, text, "allowed: " + ", ".join(field.values.values()))
        return require_place(model, path, text)
    if field.possible is None:
        return require_place(model, path, text)
    if field.said:
        text = _said_as_figure(text, field)
    unit = {"mm": "mm", "N": "N", "s": "s", "°C": "C"}.get(field.unit, "")
    plain = text if unit else text.removesuffix(field.unit)  # a meter may send its own unit: "3.2 %"
    fine = not field.lining
    value = units.read(plain, unit, name=field.label, fine=fine)
    low, high = field.possible
    if not low <= value <= high:
        raise InvalidInput(
            field.label, text, said("allowed: {fine}", fine=verbatim(units.between(low, high, field.unit, fine)))
        )
    if field.likely and not field.likely[0] <= value <= field.likely[1] and not confirmed:
        usual = units.between(*field.likely, field.unit, fine)
        raise Surprising(field.label, text, said("usual: {usual}. Enter it again to keep it", usual=verbatim(usual)))
    return require_place(model, path, value)


def _said_as_figure(text: str, field: VocabularyField) -> str:
    """A figure that was said in words, or as a percentage, as a plain figure.

    >>> level = VocabularyField(key="fluid_level", label="level", said={"max": 1.0, "half": 0.5})
    >>> [_said_as_figure(text, level) for text in ("MAX", "half", "75 %", "0.8")]
    ['1', '0.5', '0.75', '0.8']
    """
    if text.lower() in field.said:
        return f"{field.said[text.lower()]:g}"
    if text.endswith("%"):
        return f"{parse_quantity(text[:-1], '', name=field.label) / 100:g}"
    return text


#: As many places of a list are numbered.
MOST_PLACES = 12


def require_place(model: type[CornerFindings] | type[SystemFindings], path: str, value: Any) -> Any:
    """Return the value that is to stand at a path of the vocabulary, whoever brings it: a hand, a table, an archive.

    Raises `InvalidInput` for a path that the vocabulary does not have, even one that begins like a finding's.

    >>> require_place(CornerFindings, "rotor_mm.100000000", 22.0)
    Traceback (most recent call last):
        ...
    mesotrope.errors.InvalidInput: finding: 'rotor_mm.100000000' cannot be used; places in a list are numbered 1 to 12
    """
    steps = path.split(".")
    numbered = [step for step in steps if any(character.isnumeric() for character in step)]
    if numbered and not (numbered == [steps[-1]] and steps[-1] in _NUMBERS):
        raise InvalidInput(
            "finding",
            shown(path, 40)[1:-1],
            said("places in a list are numbered 1 to {most}", most=verbatim(MOST_PLACES)),
        )
    try:
        model.model_validate(nest({path: value}))
    except (ValidationError, AttributeError, TypeError):
        raise InvalidInput("finding", path, "there is no such finding; see docs/format.md for the names") from None
    return value


_NUMBERS = frozenset(str(number) for number in range(1, MOST_PLACES + 1))

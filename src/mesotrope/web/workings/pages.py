"""What the workings' screens show."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from urllib.parse import quote, urlencode

from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.language.quantity import parse_quantity
from mesotrope.core.language.saying import Sayable, said, verbatim
from mesotrope.core.language.units import WRITTEN
from mesotrope.core.workings import WORKINGS, Result, compute
from mesotrope.core.workings.model import FoundFigure, Given, Working
from mesotrope.errors import InvalidInput
from mesotrope.web.plate.pen import Plate
from mesotrope.web.workings.drawings import draw
from mesotrope.words import PLAINLY, Speaker


@dataclass(frozen=True)
class Field:
    name: str
    label: str
    symbol: str
    unit: str
    value: str
    placeholder: Sayable
    options: tuple[str, ...]


@dataclass(frozen=True)
class Line:
    """One figure that was found, in words."""

    label: str
    symbol: str
    value: str
    unit: str
    spread: str


@dataclass(frozen=True)
class WorkingPage:
    working: Working
    fields: tuple[Field, ...]
    lines: tuple[Line, ...]
    warnings: tuple[str, ...]
    defaults: tuple[str, ...]
    drawing: Plate | None
    message: str
    link: str
    example: str
    examples_answer: str
    source: str


def groups() -> list[tuple[str, list[Working]]]:
    """All workings, by group, in the order of the catalogue."""
    out: dict[str, list[Working]] = {}
    for working in WORKINGS:
        out.setdefault(working.group, []).append(working)
    return list(out.items())


def _example(given: Given, working: Working, say: Speaker) -> str:
    """The example's figure as this person would type it."""
    text = working.example.get(given.name, given.default or "")
    fine = not given.lining
    mine = say.units.unit_for(given.unit, fine)
    if not text or given.kind not in ("number", "numbers") or mine == given.unit:
        return text
    parts = [
        say.units.shown(parse_quantity(part.strip(), given.unit), given.unit, fine=fine) for part in text.split(",")
    ]
    return ", ".join(part.replace("\u00a0", "") for part in parts)


def working_page(working: Working, typed: Mapping[str, str], knowledge: Knowledge, say: Speaker) -> WorkingPage:
    """Put a working's page together: what was typed (or the example), what is found, and the drawing."""
    shown = dict(typed) if typed else {given.name: _example(given, working, say) for given in working.given}
    result, message = None, ""
    try:
        result = compute(working, shown, knowledge, say.units)
    except InvalidInput as error:
        message = say.refusal(error)
    example = compute(working, working.example, knowledge)
    first = working.found[0]
    return WorkingPage(
        working=working,
        fields=tuple(_field(given, shown.get(given.name, ""), say) for given in working.given),
        lines=tuple(_lines(result, say)) if result else (),
        warnings=tuple(say(words) for words in result.warnings if words) if result else (),
        defaults=result.defaults if result else (),
        drawing=draw(result, say) if result else None,
        message=message,
        link=_link(result) if result else "",
        example=", ".join(f"{name} = {value}" for name, value in working.example.items()),
        examples_answer=_said(first, example.values[first.name], PLAINLY)[0] + " " + _written(first, PLAINLY),
        source=knowledge.cite(working.source),
    )


def _field(given: Given, value: str, say: Speaker) -> Field:
    unit = (
        ""
        if given.kind in ("word", "text")
        else WRITTEN.get(say.units.unit_for(given.unit), say.units.unit_for(given.unit))
    )
    placeholder: Sayable = ""
    if given.default:
        placeholder = said("default: {value}", value=verbatim(given.default))
    elif given.default is not None:
        placeholder = said("may be left out")
    return Field(given.name, say(given.label), given.symbol, unit, value, placeholder, given.words)


def _written(found: FoundFigure, say: Speaker) -> str:
    return say.unit(found.unit) if found.unit else ""


def _said(found: FoundFigure, value: object, say: Speaker) -> tuple[str, str]:
    """A figure in this person's units, and as a plain word where it is none."""
    if isinstance(value, bool):
        return (say("yes") if value else say("no")), ""
    if isinstance(value, float):
        fine = not found.lining
        return say.units.shown(
            value, found.unit, found.digits, fine=fine
        ) if found.unit else f"{value:.{found.digits}f}", ""
    words = str(value).replace("_", " ")
    return (say(words) if len(words) > 1 else words), ""


def _lines(result: Result, say: Speaker) -> list[Line]:
    out = []
    for found in result.working.found:
        value = result.values.get(found.name)
        if value is None:
            continue
        spread = result.uncertainty.get(found.name, 0.0)
        shown_spread = ""
        if spread:
            unit = "K" if found.unit == "C" else found.unit
            same = say.units.unit_for(unit) == unit
            fine = not found.lining
            shown_spread = (
                f"{spread:.{found.digits}f}" if same else say.units.shown(spread, unit, found.digits, fine=fine)
            )
        out.append(
            Line(say(found.label), found.symbol, _said(found, value, say)[0], _written(found, say), shown_spread)
        )
    return out


def _link(result: Result) -> str:
    """An address that carries the inputs with their units, so that anybody reads the same working."""
    carried = {}
    for given in result.working.given:
        value = result.given[given.name]
        if value is None:
            continue
        if given.kind == "numbers":
            carried[given.name] = ";".join(f"{item:.12g}{given.unit}" for item in value)
        elif given.kind == "number":
            carried[given.name] = f"{value:.12g} {given.unit}".strip()
        else:
            carried[given.name] = str(value)
    return f"/workings/{result.working.name}?{urlencode(carried, quote_via=quote)}"

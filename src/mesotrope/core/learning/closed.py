"""A closed case: an inspection, and what was really found once everything was apart."""

from __future__ import annotations

import json
from collections.abc import Iterable
from dataclasses import dataclass
from typing import Any, Literal

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from mesotrope.core.language.corner import CORNERS, VEHICLE, Corner, Place, place_named
from mesotrope.core.language.entries import check
from mesotrope.core.language.inspection import Inspection, parse_inspection
from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.language.saying import said, verbatim
from mesotrope.errors import InvalidInput

#: How it is known what was found: seen in the parts, cured by the work, or only guessed, which teaches nothing.
Certain = Literal["seen", "cured", "guessed"]


class FoundOne(BaseModel):
    """One fault that was found; `corner` null: of the whole system."""

    model_config = ConfigDict(extra="forbid")

    corner: str | None = None
    fault: str = Field(max_length=60)


class ClosedDocument(BaseModel):
    """A closed case as it is written, one a line."""

    model_config = ConfigDict(extra="forbid")

    inspection: dict[str, Any]
    found: list[FoundOne] = Field(max_length=60)
    certain: Certain = "seen"
    unknown: list[str | None] = Field(default=[], max_length=10)


@dataclass(frozen=True)
class ClosedCase:
    """A closed case that was checked. `known` are the places of which everything was found out: every other fault was
    not there."""

    inspection: Inspection
    found: frozenset[tuple[Place, str]]
    known: frozenset[Place]
    teaches: bool

    def at(self, place: Place) -> frozenset[str]:
        """The faults that were found at a place."""
        return frozenset(fault for where, fault in self.found if where == place)


def read_closed(text: str, knowledge: Knowledge) -> ClosedCase:
    """Read one closed case. Raises `InvalidInput` naming what is wrong and what is allowed."""
    try:
        document = ClosedDocument.model_validate_json(text)
    except ValidationError as error:
        first = error.errors()[0]
        where = ".".join(str(step) for step in first["loc"]) or "document"
        raise InvalidInput(where, first.get("input"), first["msg"][0].lower() + first["msg"][1:]) from None
    inspection = parse_inspection(json.dumps(document.inspection))
    check(inspection, knowledge)
    found = frozenset(_found(one, knowledge) for one in document.found)
    unknown = {_place(name, "unknown") for name in document.unknown}
    everywhere: tuple[Place, ...] = (VEHICLE, *CORNERS)
    known = frozenset(place for place in everywhere if place not in unknown)
    if beyond := [place for place, _ in found if place not in known]:
        raise InvalidInput("unknown", str(beyond[0]), "something was found there, so it is known")
    return ClosedCase(inspection, found, known, document.certain != "guessed")


def _place(name: str | None, field: str) -> Place:
    place = VEHICLE if name is None else place_named(name)
    if place is not VEHICLE and not isinstance(place, Corner):
        raise InvalidInput(field, name, said("allowed: null, {choices}", choices=verbatim(", ".join(CORNERS))))
    return place


def _found(one: FoundOne, knowledge: Knowledge) -> tuple[Place, str]:
    place = _place(one.corner, "corner")
    fault = knowledge.fault.get(one.fault)
    scope = "system" if place is VEHICLE else "corner"
    if fault is None or fault.scope != scope:
        allowed = ", ".join(fault.id for fault in knowledge.faults if fault.scope == scope)
        raise InvalidInput(
            "fault",
            one.fault,
            said(
                "allowed {scope}: {allowed}",
                scope=verbatim("of the system" if scope == "system" else "there"),
                allowed=verbatim(allowed),
            ),
        )
    return place, one.fault


def read_all_closed(lines: Iterable[str], knowledge: Knowledge) -> list[ClosedCase]:
    """Read closed cases, one a line. Raises `InvalidInput` naming the line; then none is taken."""
    out = []
    for number, line in enumerate(lines, start=1):
        if line.strip():
            try:
                out.append(read_closed(line, knowledge))
            except InvalidInput as error:
                raise InvalidInput(
                    said("line {number}", number=verbatim(number)), "the closed case", str(error)
                ) from None
    return out

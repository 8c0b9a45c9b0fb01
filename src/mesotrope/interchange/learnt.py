"""What was learnt, as a file: counts and how they stand; no inspection, plate or person is in it."""

from __future__ import annotations

import json
import math
from typing import Any

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.language.saying import said, verbatim
from mesotrope.core.learning.closed import ClosedDocument
from mesotrope.core.learning.counts import Counts
from mesotrope.core.learning.figures import is_figure
from mesotrope.core.learning.prequential import Standing
from mesotrope.core.learning.tables import row_width
from mesotrope.errors import InvalidInput
from mesotrope.interchange.inspections import published
from mesotrope.services.learning import Learnt

FORMAT, VERSION = "mesotrope-learnt", 1
CLOSED_SCHEMA_NAME = "mesotrope-closed-1.schema.json"


class _Counts(BaseModel):
    model_config = ConfigDict(extra="forbid")

    cases: float = Field(ge=0)
    there: dict[str, tuple[float, float]]
    rows: dict[str, dict[str, list[float]]]
    figures: dict[str, tuple[float, float, float]] = {}


class _Learnt(BaseModel):
    model_config = ConfigDict(extra="forbid")

    format: str
    version: int
    counts: _Counts
    standing: dict[str, Any]
    prior_weight: float = 1.0
    origin: str = Field(default="", max_length=32, pattern="^[0-9a-f]*$")


def write_learnt(learnt: Learnt, origin: str = "") -> str:
    """The file as text. origin : a number for the workshop that shares it."""
    document: dict[str, Any] = {
        "format": FORMAT,
        "version": VERSION,
        "counts": learnt.counts.document(),
        "standing": learnt.standing.document(),
        "prior_weight": learnt.prior_weight,
    }
    if origin:
        document["origin"] = origin
    return json.dumps(document, ensure_ascii=False, indent=1, allow_nan=False) + "\n"


def read_learnt(text: str, knowledge: Knowledge) -> Learnt:
    """Read the file back. Raises `InvalidInput` for what does not fit the product's tables."""
    try:
        document = _Learnt.model_validate_json(text)
        held = Standing(**document.standing)
    except (ValidationError, TypeError) as error:
        words = error.errors()[0]["msg"].lower() if isinstance(error, ValidationError) else str(error)
        raise InvalidInput("learnt tables", "the file", words) from None
    if (document.format, document.version) != (FORMAT, VERSION):
        raise InvalidInput(
            "learnt tables",
            f"{document.format} {document.version}",
            said("{format} {version} is needed", format=verbatim(FORMAT), version=verbatim(VERSION)),
        )
    counts = document.counts
    for fault, pair in counts.there.items():
        if fault not in knowledge.fault or min(pair) < 0:
            raise InvalidInput("counts.there", fault, "a fault of the product's, and counts from 0 on, are needed")
    for table, rows in counts.rows.items():
        for row, values in rows.items():
            _require_row(table, row, values, knowledge)
    kept = {table: {row: tuple(seen) for row, seen in of.items()} for table, of in counts.rows.items()}
    for figure, told in counts.figures.items():
        if not is_figure(figure, knowledge) or told[0] < 0 or not all(math.isfinite(one) for one in told):
            raise InvalidInput("counts.figures", figure, "a figure of the product's wear or drag is needed")
    own = Counts(counts.cases, counts.there, kept, counts.figures)
    return Learnt(own, held, document.prior_weight, document.origin)


def _require_row(table: str, row: str, values: list[float], knowledge: Knowledge) -> None:
    width = row_width(knowledge, table, row)
    if not width or len(values) != width or not all(0 <= value < 1e9 for value in values):
        raise InvalidInput("counts.rows", f"{table}, {row}", "a row of the product's tables with a count of each value")


def closed_schema() -> dict[str, Any]:
    """The JSON Schema of a closed case."""
    return published(ClosedDocument, "mesotrope-closed, version 1")

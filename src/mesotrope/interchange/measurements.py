"""Measurements as a table (CSV): one row a figure, in the unit it is kept in.

Columns: corner, finding, value, unit, entered_by, entered_at (UTC). Reading needs the first three.
"""

from __future__ import annotations

import csv
import datetime
import io
from collections.abc import Iterable
from dataclasses import dataclass
from typing import Any

from mesotrope.core.language.entries import read_entry
from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.language.saying import said, verbatim
from mesotrope.errors import InvalidDocument, InvalidInput
from mesotrope.interchange.cells import defused, undefused
from mesotrope.interchange.inspections import text_of
from mesotrope.services.exchange import KeptEntry
from mesotrope.services.findings import field_at, model_of
from mesotrope.services.job_rows import FindingKey

COLUMNS = ("corner", "finding", "value", "unit", "entered_by", "entered_at")
NEEDED = COLUMNS[:3]
MOST_ROWS = 5_000


@dataclass(frozen=True)
class Row:
    """One figure or word with who entered it and when."""

    corner: str
    finding: str
    value: Any
    entered_by: str = ""
    entered_at: datetime.datetime | None = None


def standing_rows(history: Iterable[KeptEntry]) -> list[Row]:
    """A job's history as rows: the latest entry of each place, those taken back left out."""
    latest = {(entry.corner, entry.path): entry for entry in history}
    return [Row(e.corner, e.path, e.value, e.entered_by, e.entered_at) for e in latest.values() if e.value is not None]


def write_measurements(rows: Iterable[Row], knowledge: Knowledge) -> str:
    """The table as text."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\r\n")
    writer.writerow(COLUMNS)
    for row in rows:
        field = field_at((row.corner, row.finding), knowledge)
        unit = field.unit if field and isinstance(row.value, int | float) else ""
        at = row.entered_at.isoformat(timespec="seconds") if row.entered_at else ""
        writer.writerow([row.corner, row.finding, defused(row.value), unit, defused(row.entered_by), at])
    return out.getvalue()


def read_measurements(data: bytes, knowledge: Knowledge) -> dict[FindingKey, Any]:
    """Read a table back: the last row of each place stands. All rows are checked before any is returned.

    Raises `InvalidDocument` naming row, column, value and what is allowed.
    """
    text = text_of(data)
    try:
        lines = list(csv.reader(io.StringIO(text, newline=""), delimiter=_delimiter(text)))
    except csv.Error as error:  # a cell over 131,072 characters, say
        raise InvalidInput(
            "file", "its table", said("it cannot be read as a table: {error}", error=verbatim(error))
        ) from None
    header = [cell.strip().lower() for cell in lines[0]] if lines else []
    missing = [name for name in NEEDED if name not in header]
    if missing:
        raise InvalidInput(
            "header",
            ", ".join(header) or "nothing",
            said("these columns are needed: {choices}", choices=verbatim(", ".join(NEEDED))),
        )
    if len(lines) > MOST_ROWS + 1:
        raise InvalidInput("file", f"{len(lines) - 1} rows", said("up to {most} are allowed", most=verbatim(MOST_ROWS)))
    out: dict[FindingKey, Any] = {}
    faults: list[InvalidInput] = []
    for number, cells in enumerate(lines[1:], start=2):
        if not any(cell.strip() for cell in cells):
            continue
        row = dict(zip(header, (undefused(cell.strip()) for cell in cells), strict=False))
        try:
            place, value = _read_row(row, knowledge)
            out[place] = value
        except InvalidInput as error:
            faults.append(
                InvalidInput(
                    said("row {number}, {name}", number=verbatim(number), name=verbatim(error.name)),
                    error.value,
                    error.requirement,
                )
            )
    if faults:
        raise InvalidDocument(faults[:20])
    if not out:
        raise InvalidInput("file", "no rows", "at least one figure is needed")
    return out


def _delimiter(text: str) -> str:
    """Spreadsheets of countries with a decimal comma write semicolons."""
    first = text.splitlines()[0] if text.strip() else ""
    return ";" if first.count(";") > first.count(",") else ","


def _read_row(row: dict[str, str], knowledge: Knowledge) -> tuple[FindingKey, Any]:
    corner, finding = row.get("corner", ""), row.get("finding", "")
    model = model_of(corner)
    text, unit = row.get("value", ""), row.get("unit", "")
    if not text:
        raise InvalidInput("value", text, "a value is needed in every row; leave the row out instead")
    field = field_at((corner, finding), knowledge)
    joined = f"{text} {unit}" if unit and field and field.possible else text
    return (corner, finding), read_entry(model, finding, joined, knowledge, confirmed=True)

"""Vehicles and their owners as a table (CSV): read whatever separates its columns, and written."""

from __future__ import annotations

import csv
import io
from collections.abc import Iterable
from dataclasses import dataclass, fields

from mesotrope.core.language.saying import said, verbatim
from mesotrope.errors import InvalidDocument, InvalidInput
from mesotrope.interchange.cells import defused, undefused

#: More lines, and more bytes, are not taken at once.
MOST_LINES, MOST_BYTES = 20_000, 5_000_000


@dataclass(frozen=True)
class VehicleLine:
    """One line of the table; what is empty is not known."""

    plate: str = ""
    vin: str = ""
    name: str = ""
    kind: str = ""
    owner: str = ""
    telephone: str = ""
    email: str = ""
    allowed: str = ""


COLUMNS = tuple(field.name for field in fields(VehicleLine))


def read_vehicle_table(data: bytes) -> list[tuple[int, VehicleLine]]:
    """The lines of a table with their numbers in the file; columns may be in any order, some may be missing.

    Raises `InvalidInput` for what is no such table, with what is allowed.

    >>> read_vehicle_table(b"name;plate\\nBlue van;0-AB-1\\n")[0][1].plate
    '0-AB-1'
    """
    if len(data) > MOST_BYTES:
        raise InvalidInput(
            "table", f"{len(data):,} bytes", said("at most {most} bytes are allowed", most=verbatim(f"{MOST_BYTES:,}"))
        )
    try:
        text = data.decode("utf-8-sig")
    except UnicodeDecodeError:
        raise InvalidInput("table", "the file", "it must be text in UTF-8 (save it as CSV UTF-8)") from None
    first = text.split("\n", 1)[0]
    separator = max(",;\t", key=first.count)
    rows = csv.reader(io.StringIO(text, newline=""), delimiter=separator)
    try:
        head = [cell.strip().lower() for cell in next(rows, [])]
        strange = [cell for cell in head if cell not in COLUMNS]
        if not head or strange or len(set(head)) != len(head) or not {"name", "plate", "vin"} & set(head):
            words = f"its first line names the columns, of these: {', '.join(COLUMNS)}; name, plate or vin among them"
            raise InvalidInput("table", ", ".join(strange or head), words)
        out, wrong = [], []
        for row in rows:
            if not any(cell.strip() for cell in row):
                continue
            if len(row) > len(head):
                wrong.append(
                    InvalidInput(
                        said("line {line_num}", line_num=verbatim(rows.line_num)),
                        len(row),
                        said("it has more than {head} cells", head=verbatim(len(head))),
                    )
                )
                continue
            cells = dict(zip(head, (undefused(cell.strip()) for cell in row), strict=False))
            out.append((rows.line_num, VehicleLine(**cells)))
            if len(out) > MOST_LINES:
                raise InvalidInput(
                    "table", "its lines", said("at most {most} are taken at once", most=verbatim(f"{MOST_LINES:,}"))
                )
    except csv.Error as error:
        raise InvalidInput(
            "table", "the file", said("it is not a table that can be read: {error}", error=verbatim(error))
        ) from None
    if wrong:
        raise InvalidDocument(wrong[:20])
    return out


def write_vehicle_table(lines: Iterable[VehicleLine]) -> str:
    """The table as `read_vehicle_table` reads it; no cell is taken for a formula by a spreadsheet."""
    out = io.StringIO()
    table = csv.writer(out)
    table.writerow(COLUMNS)
    for line in lines:
        table.writerow([defused(getattr(line, column)) for column in COLUMNS])
    return out.getvalue()

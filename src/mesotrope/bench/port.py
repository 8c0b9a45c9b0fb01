"""How an instrument hands over a reading, simulated or real: one line of text, a value and its unit.

``7.52 mm``, ``23.895 mm``, ``41 N``, ``3.2 %``, ``158 °C``; a decimal comma and inches are understood too. A real
instrument with a keyboard wedge types the line and Enter into the field under the cursor. One with a serial line is
read line by line; every line stands for itself, and one that cannot be read is refused with its reason.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from typing import Protocol

from mesotrope.core.language.quantity import parse_quantity
from mesotrope.core.language.saying import said, verbatim
from mesotrope.core.simulator.instruments import Reading
from mesotrope.errors import InvalidInput

#: The units an instrument may send, and how each is kept. Others are refused.
UNITS = {"mm": "mm", "in": "in", "N": "N", "lbf": "lbf", "°C": "C", "C": "C", "°F": "F", "F": "F", "N.m": "N.m",
         "N·m": "N.m", "lbf.ft": "lbf.ft", "lb·ft": "lbf.ft", "%": "%", "ppm": "ppm", "s": "s"}  # fmt: skip

_LINE = re.compile(r"^\s*(?P<value>[-+−]?[\d.,/ ]*\d[\d.,/]*)\s*(?P<unit>[^\d\s][^\d]*)?\s*$")


class Instrument(Protocol):
    """Anything that can be asked for a reading of one place."""

    name: str
    unit: str

    def read(self, corner: str, place: str) -> Reading: ...


@dataclass(frozen=True)
class Line:
    """A line that was read: its value in the unit it came in."""

    value: float
    unit: str


def read_line(text: str) -> Line:
    """Read one line of an instrument. Raises `InvalidInput` naming what is wrong and what is allowed.

    >>> read_line("7,52 mm"), read_line("3.2 %").unit
    (Line(value=7.52, unit='mm'), '%')
    """
    match = _LINE.match(text)
    if match is None:
        raise InvalidInput("reading", text.strip(), "a line is a value and its unit, for example 7.52 mm")
    unit = (match["unit"] or "").strip()
    if unit and unit not in UNITS:
        raise InvalidInput(
            "reading",
            text.strip(),
            said("the unit is one of {choices}", choices=verbatim(", ".join(sorted(set(UNITS))))),
        )
    return Line(parse_quantity(match["value"].strip(), "", name="reading"), UNITS.get(unit, ""))


def read_lines(lines: Iterable[str]) -> Iterator[Line]:
    """Read what a serial line sends, line by line; empty lines are passed over. Raises `InvalidInput`."""
    for line in lines:
        if line.strip():
            yield read_line(line)

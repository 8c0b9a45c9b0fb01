"""Quantities as people write them, and figures that carry their uncertainty.

Unit factors come from a units library, never from hand-kept tables.
"""

from __future__ import annotations

import math
import re
from dataclasses import dataclass
from fractions import Fraction
from functools import lru_cache
from typing import Any, NamedTuple

from mesotrope.core.language.saying import marked, said, verbatim
from mesotrope.errors import InvalidInput

#: How units are written here -> how the units library writes them.
UNITS = {
    "mm": "millimeter", "in": "inch", "32nds": "thirtysecond_inch", "cm": "centimeter",
    "N": "newton", "lbf": "pound_force", "kgf": "kilogram_force",
    "N.m": "newton*meter", "lbf.ft": "pound_force*foot", "lbf.in": "pound_force*inch",
    "bar": "bar", "psi": "psi", "kPa": "kilopascal",
    "mL": "milliliter", "fl_oz": "US_fluid_ounce",
    "km": "kilometer", "mi": "mile", "C": "degC", "F": "degF", "s": "second",
    "K": "delta_degree_Celsius", "dF": "delta_degree_Fahrenheit",
    "kg": "kilogram", "lb": "pound", "km/h": "kilometer/hour", "mph": "mile/hour",
}  # fmt: skip

#: Other ways people write them.
SPELLINGS = {
    '"': "in", "''": "in", "inch": "in", "inches": "in", "/32": "32nds", "nm": "N.m", "n·m": "N.m",
    "lb·ft": "lbf.ft", "lbft": "lbf.ft", "lb-ft": "lbf.ft", "ft-lb": "lbf.ft", "lb·in": "lbf.in",
    "ml": "mL", "fl oz": "fl_oz", "miles": "mi", "°c": "C", "°f": "F", "sec": "s", "n": "N", "kpa": "kPa",
    "kmh": "km/h", "c": "C", "f": "F",
}  # fmt: skip

#: Chances that agree in so many digits are alike: which of them comes first is not left to rounding.
ALIKE = 9

_WRITTEN = re.compile(
    r"""^\s*(?P<sign>[-+−]?)\s*
    (?: (?:(?P<whole>\d{1,6})\s+)?(?P<over>\d{1,6})\s*/\s*(?P<under>\d{1,6})
      | (?P<decimal>\d{0,12}(?:[.,]\d{0,20})?) )
    \s*(?P<unit>[^\d\s.,+−-][^\d]{0,9}|32nds)?\s*$""",
    re.VERBOSE,
)


#: Units of how far a vehicle has come: three digits behind a mark may be thousands, so it is asked.
DISTANCES = ("km", "mi")
_THOUSANDS = re.compile(r"\d{1,3}[.,]\d{3}")


@lru_cache(maxsize=1)
def _registry() -> Any:
    import pint  # half a second to import: only where a unit is met

    registry: Any = pint.UnitRegistry(cache_folder=None)
    registry.define("thirtysecond_inch = inch / 32")
    return registry


def convert(value: float, unit_from: str, unit_to: str) -> float:
    """Convert `value` between two units of the same kind, temperatures included.

    Units are written as in `UNITS`. Raises `InvalidInput` for an unknown unit, or two of different kinds.
    Source: the factors are the units library's, which follow [nist-811].

    >>> round(convert(9 / 32, "in", "mm"), 5)
    7.14375
    >>> round(convert(100.0, "lbf.ft", "N.m"), 4)
    135.5818
    >>> round(convert(212.0, "F", "C"), 6)
    100.0
    """
    for name, unit in (("from", unit_from), ("to", unit_to)):
        if unit not in UNITS:
            raise InvalidInput(name, unit, said("units are written {choices}", choices=verbatim(", ".join(UNITS))))
    if unit_from == unit_to:
        return value
    registry = _registry()
    source = registry.Unit(UNITS[unit_from])
    target = registry.Unit(UNITS[unit_to])
    if source.dimensionality != target.dimensionality:
        raise InvalidInput(
            "to",
            unit_to,
            said("{unit_from} cannot be turned into it: they measure different things", unit_from=verbatim(unit_from)),
        )
    return float(registry.Quantity(value, source).to(target).magnitude)


def parse_quantity(text: str, unit: str, *, name: str = "value", written_in: str | None = None) -> float:
    """Read a figure as people write it and return it in `unit`.

    Takes ``7.5``, ``7,5``, ``9/32``, ``1 1/4"``, ``.295"``, ``7.5 mm``. A bare figure is in `written_in`
    (default: `unit`); a bare fraction of a length is in inches, as pads are read. Raises `InvalidInput`.

    >>> parse_quantity("7,5", "mm")
    7.5
    >>> round(parse_quantity("9/32", "mm"), 3), round(parse_quantity('.295"', "mm"), 3)
    (7.144, 7.493)
    >>> round(parse_quantity("9", "mm", written_in="32nds"), 3)
    7.144
    """
    example = marked("write for example 7.5, 7,5 or 9/32") + (marked(", with or without its unit") if unit else "")
    match = _WRITTEN.match(text.replace("\u00a0", ""))
    if match is None or match["decimal"] in ("", ".", ","):
        raise InvalidInput(name, text, said("a number is needed: {example}", example=verbatim(example)))
    if unit in DISTANCES and _THOUSANDS.fullmatch(match["decimal"] or ""):
        plain, small = re.sub(r"[.,]", "", match["decimal"]), match["decimal"].replace(",", ".")
        raise InvalidInput(
            name,
            text,
            said(
                "is it {plain} or {small}? write it without the mark between the digits",
                plain=verbatim(plain),
                small=verbatim(small),
            ),
        )
    if match["over"]:
        if int(match["under"]) == 0:
            raise InvalidInput(name, text, "a fraction cannot be over zero")
        number = float(int(match["whole"] or 0) + Fraction(int(match["over"]), int(match["under"])))
    else:
        number = float(match["decimal"].replace(",", "."))
    if match["sign"] in ("-", "−"):
        number = -number
    suffix = (match["unit"] or "").strip()
    if suffix:
        given = suffix if suffix in UNITS else SPELLINGS.get(suffix.lower(), "")
        if not given or not unit:
            raise InvalidInput(
                name,
                text,
                said(
                    "the unit {suffix} is not known here; {example}",
                    suffix=verbatim(f"{suffix!r}"),
                    example=verbatim(example),
                ),
            )
    elif match["over"] and unit == "mm":
        given = "in"
    else:
        given = written_in or unit
    return convert(number, given, unit) if given and unit else number


def require_positive(**figures: float) -> None:
    """Raise `InvalidInput` naming the first figure that is not a finite number above 0.

    >>> require_positive(radius_mm=0.0)
    Traceback (most recent call last):
        ...
    mesotrope.errors.InvalidInput: radius_mm: 0.0 cannot be used; a number above 0 is needed
    """
    for name, value in figures.items():
        if not (math.isfinite(value) and value > 0):
            raise InvalidInput(name, value, "a number above 0 is needed")


def require_at_least(least: float, **figures: float) -> None:
    """Raise `InvalidInput` naming the first figure that is not a finite number of at least `least`."""
    for name, value in figures.items():
        if not (math.isfinite(value) and value >= least):
            raise InvalidInput(name, value, said("a number of {least} or more is needed", least=verbatim(f"{least:g}")))


def percent(chance: float) -> str:
    """A chance as people read it: never 0 % or 100 %, which nobody can know.

    >>> percent(0.934), percent(0.9991), percent(0.002)
    ('93 %', 'over 99 %', 'under 1 %')
    """
    if chance > 0.99:
        return "over 99 %"
    return "under 1 %" if chance < 0.01 else f"{100 * chance:.0f} %"


def decibans_shown(weight: float) -> str:
    """A weight of evidence, decibans, as people read it.

    >>> decibans_shown(3.2), decibans_shown(-12.6)
    ('+3', '−13')
    """
    return f"{weight:+.0f}".replace("-", "−")


@dataclass(frozen=True, slots=True)
class Measure:
    """A figure with its standard uncertainty ([jcgm-100]), both in the same unit.

    >>> Measure(7.0, 0.15) - Measure(3.6, 0.2)
    Measure(value=3.4, sd=0.25)
    """

    value: float
    sd: float

    def __sub__(self, other: Measure) -> Measure:
        return Measure(self.value - other.value, math.hypot(self.sd, other.sd))

    @property
    def sds_from_zero(self) -> float:
        """How many standard uncertainties the figure lies from zero."""
        return abs(self.value) / self.sd

    @property
    def beyond_gauge_error(self) -> bool:
        """Whether the figure differs from zero by more than twice its standard uncertainty."""
        return self.sds_from_zero > 2


class Slips(NamedTuple):
    """How readings of a lining slip, and how flat it is without.

    misread : chance of a slip at one place; sd_mm : how exactly a slip makes tapers and twist alike; reach_mm : it may
    be any over so many; flat_sd_mm : the twist of a flat lining; not_flat, not_flat_sd_mm : how often, and by how much,
    one is not.
    """

    misread: float
    sd_mm: float
    reach_mm: float
    flat_sd_mm: float
    not_flat: float
    not_flat_sd_mm: float

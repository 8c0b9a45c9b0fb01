"""The units a person reads and writes in. Everything is kept in one unit; this is only how it is shown and typed."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import asdict, dataclass, fields
from fractions import Fraction

from mesotrope.core.language.quantity import UNITS, convert, parse_quantity
from mesotrope.core.language.saying import one_of, said, verbatim
from mesotrope.errors import InvalidInput

#: What can be chosen for each quantity; the first is what figures are kept in.
CHOICES: Mapping[str, tuple[str, ...]] = {
    "length": ("mm", "32nds", "in"),
    "torque": ("N.m", "lbf.ft"),
    "temperature": ("C", "F"),
    "distance": ("km", "mi"),
    "volume": ("mL", "fl_oz"),
    "force": ("N", "lbf"),
    "pressure": ("bar", "psi"),
    "mass": ("kg", "lb"),
}

#: How each unit is written for people.
WRITTEN: Mapping[str, str] = {
    "mm": "mm", "32nds": "/32 in", "in": "in", "N.m": "N·m", "lbf.ft": "lb·ft", "C": "°C", "F": "°F", "km": "km",
    "mi": "miles", "mL": "mL", "fl_oz": "fl oz", "K": "°C", "dF": "°F", "km/h": "km/h", "mph": "mph",
    "N": "N", "lbf": "lbf", "bar": "bar", "psi": "psi", "kg": "kg", "lb": "lb",
}  # fmt: skip

#: Units that follow a person's choice of another quantity: differences of temperature, and speeds.
FOLLOWING: Mapping[str, tuple[str, Mapping[str, str]]] = {
    "K": ("temperature", {"F": "dF"}),
    "km/h": ("distance", {"mi": "mph"}),
}

#: How a unit that is written out is kept, for those that a person may read otherwise.
KEPT_AS: Mapping[str, str] = {"mm": "mm", "°C": "C", "km": "km", "mL": "mL", "N": "N", "kg": "kg", "bar": "bar"}

#: A month, days: a twelfth of a year.
MONTH_DAYS = 365.25 / 12

#: Between thousands: a space that does not break.
THOUSANDS = "\u00a0"

_KEPT_IN = {options[0]: quantity for quantity, options in CHOICES.items()}


@dataclass(frozen=True)
class Units:
    """One person's choice of units.

    >>> Units().length, Units(length="32nds").shown(7.14375, "mm")
    ('mm', '9/32')
    """

    length: str = "mm"
    torque: str = "N.m"
    temperature: str = "C"
    distance: str = "km"
    volume: str = "mL"
    force: str = "N"
    pressure: str = "bar"
    mass: str = "kg"

    def __post_init__(self) -> None:
        for quantity, options in CHOICES.items():
            given = getattr(self, quantity)
            if given not in options:
                raise InvalidInput(
                    said("unit of {quantity}", quantity=verbatim(quantity)),
                    given,
                    one_of(options),
                )

    @classmethod
    def of(cls, kept: Mapping[str, str] | None) -> Units:
        """Read a kept choice; what is not in it stays at its default. Raises `InvalidInput`."""
        return cls(**{field.name: kept[field.name] for field in fields(cls) if kept and field.name in kept})

    def kept(self) -> dict[str, str]:
        return asdict(self)

    def unit_for(self, unit: str, fine: bool = False) -> str:
        """The unit this person uses where figures are kept in `unit`; the same where there is no choice.

        fine : a length that is no lining's: never read or written in 32nds.

        >>> Units(length="32nds").unit_for("mm"), Units(length="32nds").unit_for("mm", fine=True)
        ('32nds', 'in')
        """
        unit = KEPT_AS.get(unit, unit)
        if unit in FOLLOWING:
            quantity, others = FOLLOWING[unit]
            return others.get(getattr(self, quantity), unit)
        mine: str = getattr(self, _KEPT_IN[unit]) if unit in _KEPT_IN else unit
        return "in" if fine and mine == "32nds" else mine

    def read(self, text: str, unit: str, *, name: str = "value", fine: bool = False) -> float:
        """Read what this person typed, in the unit it is kept in: a bare figure is in this person's own.

        Raises `InvalidInput`.

        >>> american = Units(length="32nds")
        >>> round(american.read("9", "mm"), 3), round(american.read("0.9", "mm", fine=True), 2)
        (7.144, 22.86)
        """
        return parse_quantity(text, unit, name=name, written_in=self.unit_for(unit, fine) if unit else None)

    def between(self, low: float, high: float, unit: str, fine: bool = False) -> str:
        """A range as this person reads it; `unit` may be written out, or be none that can be chosen.

        >>> Units(length="in").between(0.0, 40.0, "mm"), Units().between(-2.0, 3.0, ""), Units().between(0, 8, "%")
        ('0 to 1.575 in', '-2 to 3', '0 to 8 %')
        """
        kept = KEPT_AS.get(unit, unit)
        turned = kept in UNITS and self.unit_for(kept, fine) != kept
        said = [self.shown(end, kept, fine=fine) if turned and end else f"{end:g}" for end in (low, high)]
        if kept == "C" and turned:
            said = [self.shown(end, kept, 0) for end in (low, high)]
        return f"{' to '.join(said)} {self.written(unit)}".rstrip()

    def shown(self, value: float, unit: str, digits: int | None = None, *, fine: bool = False) -> str:
        """A figure kept in `unit` as this person reads it, without its unit.

        Lengths in inches come with three decimals, in 32nds as a fraction to the nearest half; `fine` ones, which are
        no lining's, are never fractions. Negative `digits` are of a figure that is only about so much.

        >>> Units(length="32nds").shown(23.9, "mm", fine=True)
        '0.941'
        >>> Units(distance="mi").shown(50.0, "km/h", -1), Units().shown(65.0, "km/h", -1)
        ('30', '65')
        >>> Units(temperature="F").shown(100.0, "C"), Units(distance="mi").shown(84210, "km")
        ('212', '52\xa0326')
        """
        unit = KEPT_AS.get(unit, unit)
        mine = self.unit_for(unit, fine)
        if value < 0 and unit != "C":
            return "−" + self.shown(-value, unit, digits, fine=fine)
        turned = convert(value, unit, mine) if mine != unit else value
        if mine == "32nds":
            halves = round(turned * 2)
            return f"{halves // 2}/32" if halves % 2 == 0 else f"{Fraction(halves, 2).numerator}/64"
        if mine in ("km", "mi"):
            turned = round(turned, digits) if digits is not None and digits < 0 and mine != unit else turned
            return f"{turned:,.0f}".replace(",", THOUSANDS)
        if digits is not None and digits < 0:
            return f"{round(turned, digits):.0f}" if mine != unit else f"{turned:g}"
        if digits is not None:
            finer = {"in": min(4, digits + 2), "fl_oz": digits + 1}.get(mine, digits)
            return f"{turned:.{finer}f}"
        return f"{turned:.3f}" if mine == "in" else f"{turned:.4g}" if mine != unit else f"{turned:g}"

    def written(self, unit: str) -> str:
        """How this person's unit is written, for a figure kept in `unit`, itself written out or not.

        >>> Units(temperature="F").written("C"), Units(temperature="F").written("°C"), Units().written("%")
        ('°F', '°F', '%')
        """
        mine = self.unit_for(KEPT_AS.get(unit, unit))
        return "in" if mine == "32nds" else WRITTEN.get(mine, mine)

    def per_distance(self, value: float, km: float) -> float:
        """What comes in so many km, for as many of this person's distances.

        >>> Units().per_distance(0.1, 1000), round(Units(distance="mi").per_distance(0.1, 1000), 4)
        (0.1, 0.1609)
        """
        return value * convert(km, self.distance, "km") / km

    def with_unit(self, value: float, unit: str, digits: int | None = None, *, fine: bool = False) -> str:
        """A figure with its unit.

        >>> Units().with_unit(7.5, "mm"), Units(length="32nds").with_unit(7.5, "mm")
        ('7.5 mm', '19/64 in')
        >>> Units(temperature="F").with_unit(70.0, "°C", 0)  # the unit may be written out
        '158 °F'
        """
        return f"{self.shown(value, unit, digits, fine=fine)} {self.written(unit)}"


#: What everything is kept in.
KEPT = Units()

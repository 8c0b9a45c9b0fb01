"""A speaker says what the core states, in one language and one person's units."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from gettext import NullTranslations

from mesotrope.core.language.corner import Axle, Corner, Whole
from mesotrope.core.language.quantity import percent
from mesotrope.core.language.saying import Figure, Joined, Said, Sayable
from mesotrope.core.language.units import KEPT, Units
from mesotrope.words.dates import Dates


@dataclass(frozen=True)
class Speaker:
    """Says sentences and figures.

    >>> from mesotrope.core.language.saying import mm, said
    >>> thin = said("lining {left} at its thinnest, limit {limit}", left=mm(2.9), limit=mm(3.0))
    >>> Speaker()(thin)
    'lining 2.9 mm at its thinnest, limit 3.0 mm'
    >>> Speaker(Units(length="in"))(thin)
    'lining 0.114 in at its thinnest, limit 0.118 in'
    """

    units: Units = KEPT
    language: NullTranslations = field(default_factory=NullTranslations)
    dates: Dates = field(default_factory=Dates)
    #: What a sentence is on the kind of vehicle that is spoken of, where it differs.
    own: Mapping[str, str] = field(default_factory=dict)

    def __call__(self, what: Sayable) -> str:
        """Say anything that can be said."""
        if isinstance(what, Said):
            return self.gettext(what.message).format(**{name: self(part) for name, part in what.gaps})
        if isinstance(what, Joined):
            return what.between.join(map(self, what.parts))
        if isinstance(what, Figure):
            return self.figure(what)
        if isinstance(what, Corner | Whole | Axle):
            return self.gettext(what.words)
        return self.gettext(what) if what else ""

    def figure(self, figure: Figure) -> str:
        """A figure in this person's unit, with its uncertainty and its unit.

        >>> Speaker(Units(torque="lbf.ft")).figure(Figure(7.1, "N.m", 1, 3.0))
        '5.2 ± 2.2 lb·ft'
        >>> Speaker(Units(temperature="F")).figure(Figure(30.0, "K", 0)), Speaker().figure(Figure(30.0, "K", 0))
        ('54 °F', '30 °C')
        >>> Speaker().figure(Figure(0.93, "chance")), Speaker(Units(distance="mi")).figure(Figure(50.0, "km/h", 0))
        ('93 %', '31 mph')
        """
        if figure.unit == "chance":
            return percent(figure.value)
        parts = [self._number(figure.value, figure)]
        if figure.sd is not None:
            parts.append(self._number(figure.sd, figure, spread=True))
        return f"{' ± '.join(parts)} {self.units.written(figure.unit)}".rstrip()

    def _number(self, value: float, figure: Figure, *, spread: bool = False) -> str:
        unit = "K" if spread and figure.unit == "C" else figure.unit
        if self.units.unit_for(unit) == unit:
            if value < 0 and unit != "C":
                return f"−{self._number(-value, figure, spread=spread)}"
            return f"{value:g}" if figure.digits is None or figure.digits < 0 else f"{value:.{figure.digits}f}"
        return self.units.shown(value, unit, figure.digits, fine=figure.fine, grouped=False)

    def gettext(self, message: str) -> str:
        """A message in the words of the vehicle and in the language.

        >>> Speaker(own={"pump the pedal": "pump lever and pedal"})("pump the pedal")
        'pump lever and pedal'
        """
        return self.language.gettext(self.own.get(message, message))

    def ngettext(self, one: str, several: str, count: int) -> str:
        """A message of a page that counts something."""
        return self.language.ngettext(one, several, count)


#: In English, in the units that figures are kept in.
PLAINLY = Speaker()

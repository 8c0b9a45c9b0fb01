"""A speaker says what the core states, in one language and one person's units."""

from __future__ import annotations

from collections.abc import Hashable, Mapping
from dataclasses import dataclass, field, replace
from gettext import NullTranslations
from typing import cast

from mesotrope.core.language.corner import Axle, Corner, Whole
from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.language.quantity import percent
from mesotrope.core.language.saying import AsWritten, Figure, Joined, Said, Sayable, marked
from mesotrope.core.language.units import KEPT, Units
from mesotrope.errors import InvalidDocument, InvalidInput, MesotropeError
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
    #: What stands between a figure and its unit: on a page, what no line is broken at.
    between: str = " "

    @property
    def code(self) -> str:
        """Which language it is, as a page says of itself.

        >>> Speaker().code
        'en'
        """
        return str(self.language.info().get("language") or "en")

    @property
    def voice(self) -> Hashable:
        """What makes two speakers say the same."""
        return self.units, self.language, self.dates, tuple(self.own.items()), self.between

    def __call__(self, what: Sayable) -> str:
        """Say anything that can be said."""
        if type(what) is str:  # nearly always
            return self.gettext(what) if what else ""
        if isinstance(what, Said):
            return self.gettext(what.message).format(**{name: self(part) for name, part in what.gaps})
        if isinstance(what, Joined):
            return what.between.join(map(self, what.parts))
        if isinstance(what, Figure):
            return self.figure(what)
        if isinstance(what, AsWritten):
            return what.text
        if isinstance(what, Corner | Whole | Axle):
            return self.gettext(what.words)
        return self.gettext(what) if what else ""

    def begin(self, what: Sayable) -> str:
        """Say something at the beginning of a line.

        >>> Speaker().begin("whole system")
        'Whole system'
        """
        text = self(what)
        return text[:1].upper() + text[1:]

    def refusal(self, error: MesotropeError) -> str:
        """An error, as it is said to whoever caused it: every fault of a document on a line of its own.

        >>> from mesotrope.errors import InvalidInput
        >>> Speaker().refusal(InvalidInput("corner", "roof", "choose one of the list"))
        "corner: 'roof' cannot be used; choose one of the list"
        """
        if isinstance(error, InvalidDocument):
            return "\n".join(map(self.refusal, error.faults))
        gaps = {
            name: str(part) if name in error.quoted else self(cast(Sayable, part))
            for name, part in error.gaps().items()
        }
        return self.gettext(error.message).format(**gaps)

    def requirement(self, error: InvalidInput) -> str:
        """What is allowed where something was refused, said by itself."""
        return self(cast(Sayable, error.requirement))

    def figure(self, figure: Figure) -> str:
        r"""A figure in this person's unit, with its uncertainty and its unit.

        >>> Speaker(Units(torque="lbf.ft")).figure(Figure(7.1, "N.m", 1, 3.0))
        '5.2 ± 2.2 lb·ft'
        >>> Speaker(Units(temperature="F")).figure(Figure(30.0, "K", 0)), Speaker().figure(Figure(30.0, "K", 0))
        ('54 °F', '30 °C')
        >>> Speaker().figure(Figure(0.93, "chance")), Speaker(Units(distance="mi")).figure(Figure(50.0, "km/h", 0))
        ('93 %', '31 mph')
        >>> Speaker(between="\u00a0").figure(Figure(7.1, "N.m", 1, 3.0))  # on a page
        '7.1\xa0±\xa03.0\xa0N·m'
        >>> Speaker().figure(Figure(94764.2, "km", 0))  # as distances are written everywhere
        '94\xa0764 km'
        """
        if figure.unit == "chance":
            return self.chance(figure.value)
        parts = [self._number(figure.value, figure)]
        if figure.sd is not None:
            parts.append(self._number(figure.sd, figure, spread=True))
        return f"{' ± '.join(parts)} {self.unit(figure.unit)}".rstrip(" ").replace(" ", self.between)

    def chance(self, value: float) -> str:
        """A chance, never 0 % or 100 %.

        >>> Speaker().chance(0.934), Speaker().chance(0.9991)
        ('93 %', 'over 99 %')
        """
        words = percent(value)
        return (words if words[0].isdigit() else self.gettext(words)).replace(" ", self.between)

    def unit(self, unit: str) -> str:
        """How this person's unit is written, for a figure kept in `unit`.

        >>> Speaker(Units(length="in")).unit("mm"), Speaker().unit("months")
        ('in', 'months')
        """
        written = self.units.written(unit)
        return self.gettext(written) if " " in written or (written.isalpha() and len(written) > 3) else written

    def _number(self, value: float, figure: Figure, *, spread: bool = False) -> str:
        unit = "K" if spread and figure.unit == "C" else figure.unit
        return self.units.shown(value, unit, figure.digits, fine=figure.fine)

    def gettext(self, message: str) -> str:
        """A message in the words of the vehicle and in the language.

        >>> Speaker(own={"pump the pedal": "pump lever and pedal"})("pump the pedal")
        'pump lever and pedal'
        """
        return self.language.gettext(self.own.get(message, message))

    def ngettext(self, one: str, several: str, count: int) -> str:
        """A message of a page that counts something."""
        return self.language.ngettext(one, several, count)


#: Chances that nobody can know, as `percent` says them.
UNKNOWABLE = (marked("over 99 %"), marked("under 1 %"))

#: In English, in the units that figures are kept in.
PLAINLY = Speaker()


def plainly_of(kind: str, knowledge: Knowledge) -> Speaker:
    """The same, in the words of a kind of vehicle.

    >>> from mesotrope.knowledge import knowledge
    >>> plainly_of("car", knowledge())("wheel nuts"), plainly_of("motorcycle", knowledge())("wheel nuts")
    ('wheel nuts', 'axle nut and pinch bolts')
    """
    return replace(PLAINLY, own=knowledge.own_words.get(kind, {}))

"""What the core says: which sentence it is, and the figures and words that stand in its gaps.

The core states; it never writes a figure into a sentence. Words, a person's units and a language are put together at
the edge, by `mesotrope.words.Speaker`. The key of a sentence is its English, as in any catalogue of messages.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from typing import TYPE_CHECKING, TypeAlias

from mesotrope.core.language.corner import Axle, Corner, Place

if TYPE_CHECKING:
    from mesotrope.core.language.quantity import Measure


@dataclass(frozen=True, slots=True)
class Figure:
    """A figure in the unit it is kept in, with its uncertainty where it has one.

    unit : as in `quantity.UNITS`; "K" is a difference of temperature, "chance" a chance. digits : after the point;
    None: as short as the figure is; -1: only about so much, in other units to the nearest ten. fine : no lining's
    thickness, so never shown as a fraction of an inch.
    """

    value: float
    unit: str = ""
    digits: int | None = None
    sd: float | None = None
    fine: bool = False

    def __str__(self) -> str:
        shown = f"{self.value:g}" if self.digits is None or self.digits < 0 else f"{self.value:.{self.digits}f}"
        return f"{shown} {self.unit}".rstrip()


@dataclass(frozen=True, slots=True)
class Said:
    """One sentence or phrase with what stands in its gaps, by their names."""

    message: str
    gaps: tuple[tuple[str, Sayable], ...] = ()

    def __str__(self) -> str:
        """In plain English, for logs and for whoever reads an error without a speaker."""
        return self.message.format(**{name: _in_english(part) for name, part in self.gaps})


@dataclass(frozen=True, slots=True)
class AsWritten:
    """What somebody wrote, or what is written the same in every language: no message of a catalogue."""

    text: str

    def __str__(self) -> str:
        return self.text


@dataclass(frozen=True, slots=True)
class Joined:
    """Several parts one after the other."""

    parts: tuple[Sayable, ...]
    between: str = "; "

    def __str__(self) -> str:
        return self.between.join(map(_in_english, self.parts))


#: What can be said. A plain string is a word or sentence of the knowledge, without gaps.
Sayable: TypeAlias = "Said | Joined | Figure | AsWritten | Corner | Axle | Place | str"


def _in_english(part: Sayable) -> str:
    return part.words if isinstance(part, Corner | Axle | Place) else str(part)


def said(message: str, **gaps: Sayable) -> Said:
    """A sentence with what stands in its gaps.

    >>> said("lining {left}", left=mm(2.9)).gaps
    (('left', Figure(value=2.9, unit='mm', digits=1, sd=None, fine=False)),)
    """
    return Said(message, tuple(gaps.items()))


def marked(message: str) -> str:
    """A message that is said later: marked here, so that the catalogue of a language has it.

    >>> marked("seized")
    'seized'
    """
    return message


def verbatim(text: object) -> AsWritten:
    """What stands as it is, whatever the language.

    >>> verbatim(3).text
    '3'
    """
    return AsWritten(str(text))


def joined(parts: Iterable[Sayable], between: str = "; ") -> Sayable:
    """Several parts as one; a single one stays as it is."""
    given = tuple(part for part in parts if part != "")
    return given[0] if len(given) == 1 else Joined(given, between)


def one_of(choices: Iterable[Sayable]) -> Said:
    """What is allowed, of a few.

    >>> str(one_of(["free", "stiff"]))
    'allowed: free, stiff'
    """
    return said("allowed: {choices}", choices=joined(choices, ", "))


def at_most_characters(most: int) -> Said:
    """How long a text may be.

    >>> str(at_most_characters(80))
    'at most 80 characters are allowed'
    """
    return said("at most {most} characters are allowed", most=verbatim(most))


def placed(place: Place, what: Sayable) -> Sayable:
    """Something with the corner that it is about before it; of the whole vehicle, as it is."""
    return said("{place} {what}", place=place, what=what) if isinstance(place, Corner) else what


def mm(value: float, digits: int | None = 1) -> Figure:
    """A length that a depth gauge or a rule reads."""
    return Figure(value, "mm", digits)


def fine_mm(value: float, digits: int | None = 2) -> Figure:
    """A length that a micrometer or a dial gauge reads."""
    return Figure(value, "mm", digits, fine=True)


def nm(value: float, digits: int | None = 1) -> Figure:
    return Figure(value, "N.m", digits)


def ml(value: float, digits: int | None = 0) -> Figure:
    return Figure(value, "mL", digits)


def chance_of(value: float) -> Figure:
    return Figure(value, "chance")


def plain(value: float, unit: str = "", digits: int | None = None) -> Figure:
    return Figure(value, unit, digits)


def spread(measure: Measure, unit: str, digits: int) -> Figure:
    """A measure with its uncertainty."""
    return Figure(measure.value, unit, digits, measure.sd)

"""What every piece of knowledge is made of: chances, a basis, a name, a value with its provenance."""

from __future__ import annotations

import re
from collections.abc import Mapping
from functools import cached_property
from typing import Annotated, Any, Literal, Self

from pydantic import BaseModel, ConfigDict, Field

from mesotrope.core.language.saying import Figure, Sayable, said

Chance = Annotated[float, Field(gt=0, lt=1)]
Chances = tuple[Chance, ...]

#: As `Chances`, where a cause may add nothing to a value.
Shares = tuple[Annotated[float, Field(ge=0, le=1)], ...]
Basis = Literal["common practice", "published", "physics"]


class Known(BaseModel):
    """A piece of knowledge: frozen, nothing beside its named fields."""

    model_config = ConfigDict(extra="forbid", frozen=True, ignored_types=(cached_property,))

    def model_copy(self, *, update: Mapping[str, Any] | None = None, deep: bool = False) -> Self:
        """Copy with changes, and without what was worked out from the values before the change."""
        copied = super().model_copy(update=update, deep=deep)
        for name in set(copied.__dict__) - set(type(self).model_fields):
            del copied.__dict__[name]
        return copied


class Named(Known):
    id: str
    words: str


class Worded(Known):
    """Something in words, with figures in the gaps of them: by name, each with the unit that it is kept in.

    >>> Worded(words="from {fast} on", figures={"fast": (50, "km/h")}).said.gaps
    (('fast', Figure(value=50.0, unit='km/h', digits=-1, sd=None, fine=False)),)
    """

    words: str
    figures: dict[str, tuple[float, str]] = {}

    @property
    def said(self) -> Sayable:
        gaps = {name: Figure(value, unit, -1) for name, (value, unit) in self.figures.items()}
        return said(self.words, **gaps) if gaps else self.words


class Value(Known):
    """A limit or a gauge error with its provenance."""

    id: str
    value: float
    basis: Basis
    source: str = ""
    note: str = ""


class Threshold(Known):
    """How sure is sure enough for something: a chance, a weight or a number; common practice."""

    id: str
    value: float
    note: str


class Odds(Known):
    """What a chance is called from `least` on; common practice."""

    least: float
    words: str


class TriedOut(Known):
    """What is tried out on the suspect board of findings that have no words."""

    spins: tuple[tuple[float, float], ...]
    thick_share: float
    thin_share: float
    rotor_over_mm: float
    rotor_under_mm: float


class Source(Known):
    """Something that is cited, by its key."""

    key: str
    title: str
    author: str = ""
    year: int | None = None
    basis: Literal["from memory", "common practice", "physics"] = "from memory"

    @property
    def words(self) -> str:
        """How it is cited in full.

        >>> Source(key="good", author="Good", title="Probability and the Weighing of Evidence", year=1950).words
        'Good, Probability and the Weighing of Evidence, 1950'
        """
        return ", ".join(str(part) for part in (self.author, self.title, self.year) if part)


#: How a text cites: the key in square brackets.
CITED = re.compile(r"\[([a-z][a-z0-9-]+)\]")

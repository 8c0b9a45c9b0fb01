"""A weight of evidence in words, with decibans as the small figure for who asks."""

from __future__ import annotations

from mesotrope.core.language.saying import marked

#: From these weights on something speaks plainly, and strongly, decibans; under the least it says nothing.
LEAST, SOME, HEAVY = 0.5, 1.5, 6.0


def strength(decibans: float) -> str:
    """How strongly a weight speaks: heavy, some, light, or nothing.

    >>> [strength(weight) for weight in (12.0, -2.0, 0.7, 0.2)]
    ['heavy', 'some', 'light', '']
    """
    size = abs(decibans)
    return "heavy" if size >= HEAVY else "some" if size >= SOME else "light" if size >= LEAST else ""


def said_of(decibans: float) -> str:
    """What a weight says of a suspect.

    >>> [said_of(weight) for weight in (12.0, -2.0, 0.7, 0.2)]
    ['for, strongly', 'against', 'for, a little', '']
    """
    return _SAID[strength(decibans)][decibans < 0]


_SAID = {
    "heavy": (marked("for, strongly"), marked("against, strongly")), "some": (marked("for"), marked("against")),
    "light": (marked("for, a little"), marked("against, a little")), "": ("", ""),
}  # fmt: skip

"""Who relies on which value: declared by each module that asks for one by its name, told on the Sources page.

A module that uses limits or gauge errors says so once, under its imports:
`RELIES_ON = relies_on("verdict", "drag_unsafe_nm")`.
A test hands out values that note which module reads them, and holds that none is read undeclared.
"""

from __future__ import annotations

_USED_IN: dict[str, dict[str, None]] = {}


def relies_on(part: str, *values: str) -> frozenset[str]:
    """Declare that a part of the product, as it is called on the screen, uses values of these names; returns them."""
    for value in values:
        _USED_IN.setdefault(value, {})[part] = None
    return frozenset(values)


def used_in(value: str) -> tuple[str, ...]:
    """The parts of the product that declared to use a value.

    >>> _ = relies_on("an example", "example_mm")
    >>> used_in("example_mm"), used_in("no_such_value")
    (('an example',), ())
    """
    return tuple(_USED_IN.get(value, ()))

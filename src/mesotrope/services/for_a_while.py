"""Working something out while somebody waits: for a while, and the rest the next time."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from time import monotonic
from typing import TypeVar

Thing = TypeVar("Thing")


def for_a_while(things: Sequence[Thing], seconds: float | None) -> Iterator[Thing]:
    """Things one after the other: at least one, and no more once the time is over; None: all of them.

    >>> list(for_a_while(["a", "b"], None)), list(for_a_while(["a", "b"], 0.0))
    (['a', 'b'], ['a'])
    """
    begun = monotonic()
    for number, thing in enumerate(things):
        if seconds is not None and number and monotonic() - begun > seconds:
            return
        yield thing

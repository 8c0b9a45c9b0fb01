"""The latest of something that takes time to make, by what it is made of."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable, Hashable
from threading import Lock
from typing import Generic, TypeVar

Kept = TypeVar("Kept")


class Latest(Generic[Kept]):
    """The latest of something that is made from a key; the oldest is forgotten. Safe for several threads.

    >>> squares: Latest[int] = Latest(2)
    >>> [squares.of(number, lambda: print("made", number) or number**2) for number in (3, 3, 4)]
    made 3
    made 4
    [9, 9, 16]
    """

    def __init__(self, most: int) -> None:
        self._kept: OrderedDict[Hashable, Kept] = OrderedDict()
        self._most = most
        self._lock = Lock()

    def of(self, key: Hashable, make: Callable[[], Kept]) -> Kept:
        with self._lock:
            if key in self._kept:
                self._kept.move_to_end(key)
                return self._kept[key]
        made = make()
        with self._lock:
            self._kept[key] = made
            while len(self._kept) > self._most:
                self._kept.popitem(last=False)
        return made

    def forget(self, *keys: Hashable) -> None:
        """Forget what was made from some keys; without any, everything.

        >>> halves: Latest[float] = Latest(2)
        >>> _ = halves.of(3, lambda: 1.5), halves.of(4, lambda: 2.0)
        >>> halves.forget(3)
        >>> halves.of(4, lambda: print("made") or 2.0), halves.of(3, lambda: print("made") or 1.5)
        made
        (2.0, 1.5)
        """
        with self._lock:
            for key in keys or tuple(self._kept):
                self._kept.pop(key, None)

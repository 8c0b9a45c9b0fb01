"""A chance that does not play: with it every instrument shows the truth, and every eye sees it."""

from __future__ import annotations

from typing import Any

import numpy as np


class Steady(np.random.Generator):
    """Draws the middle of everything.

    >>> steady = Steady(np.random.PCG64(0))
    >>> steady.normal(3.0, 0.5), steady.uniform(1.0, 2.0), steady.random() > 0.9
    (3.0, 1.5, True)
    """

    def normal(self, loc: Any = 0.0, scale: Any = 1.0, size: Any = None) -> Any:
        return loc

    def uniform(self, low: Any = 0.0, high: Any = 1.0, size: Any = None) -> Any:
        return (low + high) / 2

    def random(self, *args: Any, **named: Any) -> Any:  # nothing rare happens
        return 0.99

    def choice(self, a: Any, *args: Any, **named: Any) -> Any:
        return a[0]


def steady() -> Steady:
    return Steady(np.random.PCG64(0))

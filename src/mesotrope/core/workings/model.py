"""What a working is made of."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any

from mesotrope.core.language.knowledge import Knowledge

Values = dict[str, Any]


@dataclass(frozen=True)
class Given:
    """One figure or word that is given. `unit` is how it is kept; `sd` and `relative_sd` its standard uncertainty; a
    `lining` is read in 32nds of an inch where other lengths are read in decimals of it.

    A `default` is used where nothing is given, and said to be one; "" marks what may be left out altogether.
    """

    name: str
    label: str
    symbol: str = ""
    unit: str = ""
    kind: str = "number"
    words: tuple[str, ...] = ()
    default: str | None = None
    low: float = 0.0
    high: float = 1e9
    sd: float = 0.0
    relative_sd: float = 0.0
    lining: bool = False


@dataclass(frozen=True)
class FoundFigure:
    """One figure that is found, in `unit`, shown to `digits` decimals."""

    name: str
    label: str
    unit: str = ""
    digits: int = 2
    symbol: str = ""
    lining: bool = False


@dataclass(frozen=True)
class Working:
    """A whole working. `run` takes the values that were read, and returns those that are found by name."""

    name: str
    title: str
    group: str
    formula: str
    given: tuple[Given, ...]
    found: tuple[FoundFigure, ...]
    run: Callable[[Values, Knowledge], Values]
    source: str
    example: Mapping[str, str]
    tells: str = ""
    estimate: bool = False

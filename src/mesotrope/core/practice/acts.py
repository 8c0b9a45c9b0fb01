"""What is done in a bay, and what it comes to."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from typing import Any, Literal

from mesotrope.core.language.corner import VEHICLE, Place
from mesotrope.core.language.saying import Sayable

Value = float | str


@dataclass(frozen=True)
class Act:
    """One thing done: a test made, a reading written down, the pedal pressed, a corner put together, a hint asked for.

    what : the finding; of a hint, which one. read : what was read off an instrument, by path.
    """

    kind: Literal["test", "read", "press", "together", "hint"]
    what: str = ""
    place: Place = VEHICLE
    read: tuple[tuple[str, Value], ...] = ()


@dataclass(frozen=True)
class Step:
    """What an act came to: its minutes and what the clock says after it, and what was found, by path.

    shown : what the instrument showed, where that is to be read off a picture. spoiled : why the reading is not what it
    would have been; mishap : what went wrong. held : what held the wheel then, by cause, N·m.
    """

    act: Act
    minutes: float
    clock: float
    found: Mapping[str, Value] = field(default_factory=dict)
    shown: Mapping[str, Value] = field(default_factory=dict)
    spoiled: Sayable = ""
    mishap: Sayable = ""
    held: Mapping[str, float] = field(default_factory=dict)


def flat(value: Any, path: str) -> Iterator[tuple[str, Value]]:
    """A reading laid out by path, as findings are kept.

    >>> dict(flat({"inner": 1.5, "outer": 2.0}, "window_pad_mm"))
    {'window_pad_mm.inner': 1.5, 'window_pad_mm.outer': 2.0}
    >>> dict(flat(["easy"], "piston_pushback"))
    {'piston_pushback.1': 'easy'}
    """
    if isinstance(value, Mapping):
        for name, part in value.items():
            yield from flat(part, f"{path}.{name}")
    elif isinstance(value, list):
        for number, part in enumerate(value, start=1):
            yield from flat(part, f"{path}.{number}")
    else:
        yield path, value

"""One step of a work card."""

from __future__ import annotations

from dataclasses import dataclass

from mesotrope.core.language.corner import Axle, Place
from mesotrope.core.language.saying import Sayable


@dataclass(frozen=True)
class CardStep:
    """One step of the work: its phase, what is done and where, and what to mind."""

    id: str
    phase: str
    words: Sayable
    where: tuple[Place | Axle, ...] = ()
    notes: tuple[Sayable, ...] = ()

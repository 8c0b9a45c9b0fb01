"""One step of a work card."""

from __future__ import annotations

from dataclasses import dataclass

from mesotrope.core.language.corner import Axle, Place
from mesotrope.core.language.saying import Sayable


@dataclass(frozen=True)
class CardStep:
    """One step of the work: its phase, what is done and where, what to mind, and the planned work (as
    `came_since.written`) that it follows: where more comes to that, the step is to be done again."""

    id: str
    phase: str
    words: Sayable
    where: tuple[Place | Axle, ...] = ()
    notes: tuple[Sayable, ...] = ()
    follows: frozenset[str] = frozenset()

    @property
    def done_for(self) -> frozenset[str]:
        """What it is done for once it is done: its places, and the work that it follows."""
        return self.follows | frozenset(map(str, self.where))

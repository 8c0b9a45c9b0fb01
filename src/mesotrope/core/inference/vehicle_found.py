"""Everything that was found of the whole vehicle: some of it speaks of the faults at its corners too, the rest of its
system alone. What speaks of corners is remembered: an entry at a corner leaves it as it was."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import NamedTuple

from mesotrope.core.evidence.pieces import Graded
from mesotrope.core.inference.alike import likely
from mesotrope.core.inference.vehicle_space import Space
from mesotrope.core.inference.whole_findings import Terms, come_in, seen_together
from mesotrope.core.language.arrays import Floats
from mesotrope.core.language.corner import Corner
from mesotrope.core.language.remembering import Latest

#: More terms than this are not made of the findings of the vehicle.
MOST_TERMS = 1600

#: Of as many vehicles it is remembered: of those whose pages are worked on at once.
MOST_VEHICLES = 3


class OfCorners(NamedTuple):
    """What findings of the vehicle say of its corners.

    keys : the findings that are weighed with the corners' faults; terms : their terms, and those of who comes in;
    factors : as of `Space.factors`.
    """

    keys: frozenset[str]
    terms: Terms
    factors: Mapping[Corner, Floats]


class VehicleFound:
    """What was found of a whole vehicle."""

    def __init__(self, space: Space, items: Sequence[Graded]) -> None:
        self.space, self.items = space, items
        speaking = [item for item in items if space.speaks_of_corners(item.likelihood)]
        told = (space, tuple(item.weighs for item in speaking))
        self._with_corners, self.terms, self.factors = _latest.of(told, lambda: _of_corners(space, speaking))

    def speaks_of_corners(self, item: Graded) -> bool:
        """Whether a finding of the whole vehicle is weighed with the faults at its corners."""
        return item.likelihood.key in self._with_corners

    def terms_of(self, items: Sequence[Graded]) -> Terms:
        """The terms of who comes in, and of those of some findings that speak of corners."""
        return _terms_of(self.space, [item for item in items if self.speaks_of_corners(item)])

    def system_weight(self, items: Sequence[Graded]) -> Floats:
        """Weight of every set of faults of the system, by its prior and by those of some findings that speak of no
        corner: shape (sets,)."""
        weight = self.space.system_prior
        for item in items:
            if not self.speaks_of_corners(item):
                weight = weight * likely(self.space.chances_by_set(item.likelihood), item.emission)
        return weight


def _of_corners(space: Space, speaking: Sequence[Graded]) -> OfCorners:
    """As many findings as `MOST_TERMS` allow, the shortest first.

    Only a vehicle at which nearly every such finding is bad has more; the rest is then weighed by the system alone.
    """
    terms, keys = 2, set()
    counted = [(len(space.elementary(item.likelihood).seen(item.emission).coefficient), item) for item in speaking]
    for count, item in sorted(counted, key=lambda one: one[0]):
        if terms * count <= MOST_TERMS:
            terms *= count
            keys.add(item.likelihood.key)
    all_terms = _terms_of(space, [item for item in speaking if item.likelihood.key in keys])
    return OfCorners(frozenset(keys), all_terms, space.factors(all_terms))


def _terms_of(space: Space, items: Sequence[Graded]) -> Terms:
    start = come_in(space.corners, space.system_faults, space.knowledge.often.nothing_comes_in)
    return seen_together(start, [(space.elementary(item.likelihood), item) for item in items])


_latest: Latest[OfCorners] = Latest(MOST_VEHICLES)


def forget_vehicles() -> None:
    """Forget what was found of any vehicle: for whoever goes on with other tables."""
    _latest.forget()

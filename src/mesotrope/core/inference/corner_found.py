"""Everything that was found at one corner, moment by moment, and remembered: an entry changes one corner of a vehicle,
and what was found at the others tells the same as before."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from functools import cached_property

from mesotrope.core.evidence.pieces import Evidence
from mesotrope.core.inference.corner_table import CornerTable, FoundAtCorner, RowWeights
from mesotrope.core.inference.vehicle_space import forget_spaces
from mesotrope.core.language.arrays import Floats
from mesotrope.core.language.knowledge import KnowledgeKey
from mesotrope.core.language.remembering import Latest

#: A piece of evidence, and of a drag its density by level and drag of the axle's grid.
Taken = tuple[Evidence, Floats | None]

#: As many corners are remembered: those of as many vehicles as pages are worked on at once.
MOST_CORNERS = 12


class CornerFound:
    """What was found at a corner, group of findings by group.

    drag : what is known of its drag before any, by level and drag of the axle's grid; wears : points of the axle's
    normal wear.
    """

    def __init__(self, table: CornerTable, drag: Floats, groups: Sequence[Sequence[Taken]], wears: int) -> None:
        self._table, self._drag, self._groups, self._wears = table, drag, groups, wears

    def moments(self) -> Iterator[FoundAtCorner]:
        """What has been found before any and after each group: made anew each time, for it is much."""
        now = self._table.nothing_found(self._drag)
        yield now
        for group in self._groups:
            for item, drag in group:
                now = self._table.take(now, item) if drag is None else now._replace(drag=drag)
            yield now

    @cached_property
    def last(self) -> FoundAtCorner:
        """All that was found."""
        *_, last = self.moments()
        return last

    def weighed_at(self, moment: FoundAtCorner) -> RowWeights:
        """What every row weighs, given what had been found at a moment."""
        return self._table.weighed(moment, self._wears)

    @cached_property
    def weighed(self) -> RowWeights:
        """What every row weighs, given all that was found."""
        return self.weighed_at(self.last)


_latest: Latest[CornerFound] = Latest(MOST_CORNERS)


def corner_found(table: CornerTable, drag: Floats, groups: Sequence[Sequence[Taken]], wears: int) -> CornerFound:
    """What was found at a corner; made once for the same vehicle, knowledge and findings."""
    vehicle = (KnowledgeKey(table.knowledge), table.space, table.driven, drag.shape, drag.tobytes(), wears)
    found = tuple(
        tuple((type(item), item.weighs, None if density is None else density.tobytes()) for item, density in group)
        for group in groups
    )
    return _latest.of((vehicle, found), lambda: CornerFound(table, drag, groups, wears))


def forget_tables() -> None:
    """Forget every structure that was built and every corner: for whoever goes on with other tables."""
    forget_spaces()
    _latest.forget()

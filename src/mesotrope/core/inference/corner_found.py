"""Everything that was found at one corner, moment by moment, and remembered: an entry changes one corner of a vehicle,
and what was found at the others tells the same as before."""

from __future__ import annotations

from collections.abc import Callable, Hashable, Iterable, Iterator, Sequence
from dataclasses import dataclass
from functools import cached_property

from mesotrope.core.evidence.graded import forget_graded
from mesotrope.core.evidence.pieces import Dragging, Evidence, Tapered, Worn
from mesotrope.core.inference.corner_table import CornerTable, FoundAtCorner, PadsTold, RowWeights
from mesotrope.core.inference.elimination import Side
from mesotrope.core.inference.vehicle_found import forget_vehicles
from mesotrope.core.inference.vehicle_space import forget_spaces
from mesotrope.core.language.arrays import Floats
from mesotrope.core.language.corner import Corner
from mesotrope.core.language.knowledge import KnowledgeKey
from mesotrope.core.language.remembering import Latest

#: As many corners are remembered, each of some 2.5 MB: those of the two vehicles that were worked at last.
MOST_CORNERS = 8

#: Of as many corners, what was graded and what the pads tell, of some 0.2 and 0.3 MB: an entry changes one of the two.
MOST_PARTS = 40


@dataclass(frozen=True, eq=False)
class Shared:
    """What the corners of an axle share before anything was found at them.

    wears : points of the axle's normal wear; drag_density : how likely a measured drag is, by level and drag of the
    axle's grid; key : what that grid is made of.
    """

    wears: int
    drag_density: Callable[[Dragging], Floats]
    key: Hashable


class CornerFound:
    """What was found at a corner, group of findings by group.

    drag : what is known of its drag before any, by level and drag of the axle's grid; vehicle : names all that is known
    of it, too, before any.
    """

    def __init__(
        self,
        table: CornerTable,
        drag: Floats,
        groups: Sequence[Sequence[Evidence]],
        shared: Shared,
        vehicle: Hashable,
    ) -> None:
        self._table, self._drag, self._groups, self._shared, self._vehicle = table, drag, groups, shared, vehicle
        self._sides: dict[Corner, Side] = {}
        self._worn: dict[tuple[Worn | Tapered, ...], PadsTold | None] = {}

    def moments(self) -> Iterator[FoundAtCorner]:
        """What has been found before any and after each group: made anew each time, for it is much."""
        now = self._table.nothing_found(self._drag)
        yield now
        for group in self._groups:
            now = self._after(now, group)
            yield now

    def _after(self, now: FoundAtCorner, items: Iterable[Evidence]) -> FoundAtCorner:
        """What has been found after some more of it."""
        for item in items:
            if isinstance(item, Dragging):
                now = now._replace(drag=self._shared.drag_density(item))
            else:
                now = self._table.take(now, item)
        return now

    @cached_property
    def last(self) -> FoundAtCorner:
        """All that was found."""
        items = [item for group in self._groups for item in group]
        graded = [item for item in items if not isinstance(item, Worn | Tapered)]
        key = (self._vehicle, self._shared.key, _weigh(graded))
        found = _graded.of(key, lambda: self._after(self._table.nothing_found(self._drag), graded))
        return found._replace(pads=tuple(item for item in items if isinstance(item, Worn | Tapered)))

    def weighed_at(self, moment: FoundAtCorner) -> RowWeights:
        """What every row weighs, given what had been found at a moment."""
        if moment.pads not in self._worn:
            self._worn[moment.pads] = self._table.worn(moment.pads)
        return self._table.weighed(moment, self._worn[moment.pads], self._shared.wears)

    @cached_property
    def weighed(self) -> RowWeights:
        """What every row weighs, given all that was found."""
        pads = self.last.pads
        self._worn[pads] = _worn.of((self._vehicle, _weigh(pads)), lambda: self._table.worn(pads))
        return self.weighed_at(self.last)

    def side(self, corner: Corner, factor: Floats) -> Side:
        """A corner at which this was found, as its axle is summed; remembered for the latest factors of each."""
        side = self._sides.get(corner)
        if side is None or side.factor is not factor:
            self._sides[corner] = side = Side(corner, self.weighed.states, factor)
        return side


_latest: Latest[CornerFound] = Latest(MOST_CORNERS)
_graded: Latest[FoundAtCorner] = Latest(MOST_PARTS)
_worn: Latest[PadsTold | None] = Latest(MOST_PARTS)


def _weigh(items: Iterable[Evidence]) -> Hashable:
    """What some pieces of evidence weigh by."""
    return tuple((type(item), item.weighs) for item in items)


def corner_found(table: CornerTable, drag: Floats, groups: Sequence[Sequence[Evidence]], shared: Shared) -> CornerFound:
    """What was found at a corner; made once for the same vehicle, knowledge and findings."""
    vehicle = (KnowledgeKey(table.knowledge), table.space, table.driven, drag.shape, drag.tobytes(), shared.wears)
    found = tuple(map(_weigh, groups))
    return _latest.of((vehicle, shared.key, found), lambda: CornerFound(table, drag, groups, shared, vehicle))


def forget_found() -> None:
    """Forget everything that was found."""
    forget_graded()
    forget_vehicles()
    for latest in (_latest, _graded, _worn):
        latest.forget()


def forget_tables() -> None:
    """Forget every structure that was built, and everything that was found: for whoever goes on with other tables."""
    forget_found()
    forget_spaces()

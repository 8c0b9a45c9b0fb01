"""What could be wrong at one corner: every combination of its faults, by every mechanism, and what each does.

A *row* is one combination of mechanisms and visitors at a corner; a *state* is one combination of faults and visitors,
that is all rows that differ only by mechanism; a *visitor* is a fault of the whole system that reaches into the corner.
"""

from __future__ import annotations

from abc import ABC, abstractmethod
from dataclasses import dataclass, field
from functools import cached_property
from itertools import combinations, product

import numpy as np

from mesotrope.core.language.arrays import UNCHECKED, Floats, Ints
from mesotrope.core.language.faults import Fault, Likelihood, Mechanism
from mesotrope.core.language.knowledge import Knowledge

MOST_FAULTS = 3

#: Columns of `CornerSpace.wear_patterns`.
INNER, OUTER, SPLIT_VARIANCE, FORE_AFT_VARIANCE, RADIAL_VARIANCE, DRAG_WEARS, ANY_FAULT = range(7)

#: A fault and the mechanism by which it works.
Part = tuple[Fault, Mechanism]


def part_key(part: Part) -> str:
    fault, mechanism = part
    return f"{fault.id}/{mechanism.id}" if mechanism.id else fault.id


def worst_of(tables: list[tuple[float, ...]], leak: tuple[float, ...]) -> Floats:
    """Chances of the worst of several independent causes (noisy-MAX) with a leak.

    tables : one row of chances for each cause, values from normal to worst. Source: noisy-OR and its graded
    form, [pearl].

    >>> worst_of([(0.1, 0.9)], (0.5, 0.5)).round(3).tolist()
    [0.05, 0.95]
    """
    at_most = np.cumsum(np.array([*tables, leak]), axis=1).prod(axis=0)
    at_most[-1] = 1.0
    return np.diff(at_most, prepend=0.0)


class Cases(ABC):
    """Cases that give a finding's values their chances, in tables that are computed once."""

    _tables: dict[str, Floats]

    @abstractmethod
    def chances(self, likelihood: Likelihood) -> Floats: ...

    def best_chances(self, likelihood: Likelihood) -> Floats:
        """The greatest chance that any case gives each value of a finding, shape (values,); computed once."""
        if (key := f"best {likelihood.key}") not in self._tables:
            self._tables[key] = self.chances(likelihood).max(axis=0)
        return self._tables[key]


@dataclass(eq=False)
class CornerSpace(Cases):
    """All rows of one kind of corner and what each row does to every finding.

    Rows stand in `groups`, one for all states that have as many rows: how many rows each has, and how many states; in a
    group first one row of every state, then a second row of every state, and so on. `state_place` is a state's place
    among the states of all groups.
    """

    faults: tuple[Fault, ...]
    parts: tuple[tuple[Part, ...], ...]
    visitors: tuple[tuple[Part, ...], ...]
    share: Floats
    state_place: Ints
    groups: tuple[tuple[int, int], ...]
    state_faults: Floats
    state_size: Ints
    state_variant: Ints
    variants: tuple[tuple[Part, ...], ...]
    knowledge: Knowledge
    _tables: dict[str, Floats] = field(default_factory=dict)

    @property
    def rows(self) -> int:
        return len(self.parts)

    @property
    def states(self) -> int:
        return len(self.state_place)

    def chances(self, likelihood: Likelihood) -> Floats:
        """Chances of each value of a finding for every row, shape (rows, values); computed once."""
        if likelihood.key not in self._tables:
            if likelihood.drag:
                table = np.einsum("rl,lrv->rv", self.drag_chances, self.chances_by_drag(likelihood))
            else:
                table = self._by_faults(likelihood)
            self._tables[likelihood.key] = np.asfortranarray(table)  # read value by value
        return self._tables[likelihood.key]

    def chances_by_drag(self, likelihood: Likelihood) -> Floats:
        """As `chances`, for each level of the corner's drag, shape (levels, rows, values): the worst that the faults of
        a row or its drag give; computed once."""
        if (key := f"{likelihood.key} by drag") not in self._tables:
            levels = [likelihood.drag.get(level) for level in self.knowledge.drag.levels]
            by_drag = np.array([np.cumsum(row) if row else np.ones(len(likelihood.order)) for row in levels])
            at_most = np.cumsum(self._by_faults(likelihood), axis=1)[:, None, :] * by_drag
            at_most[..., -1] = 1.0
            table = np.diff(at_most, prepend=0.0, axis=2).swapaxes(0, 1)
            self._tables[key] = np.ascontiguousarray(table.swapaxes(1, 2)).swapaxes(1, 2)  # read value by value
        return self._tables[key]

    def _by_faults(self, likelihood: Likelihood) -> Floats:
        rows = [likelihood.row(fault.id, mechanism.id) for fault, mechanism in self._distinct]
        return self._worst(rows, likelihood.leak or likelihood.healthy, likelihood.healthy)

    @property
    def drag_chances(self) -> Floats:
        """Chances of each drag level for every row, shape (rows, levels)."""
        if "drag" not in self._tables:
            healthy = self.knowledge.drag.healthy
            self._tables["drag"] = self._worst([m.drag for _, m in self._distinct], healthy, healthy)
        return self._tables["drag"]

    @property
    def drag_shares(self) -> Floats:
        """As `drag_chances` times the row's share among the mechanisms of its state, shape (levels, rows)."""
        if "drag shares" not in self._tables:
            self._tables["drag shares"] = np.ascontiguousarray(self.drag_chances.T * self.share)
        return self._tables["drag shares"]

    def _worst(
        self, rows: list[tuple[float, ...] | None], leak: tuple[float, ...], nobody: tuple[float, ...]
    ) -> Floats:
        """`worst_of` for every row at once: the logarithms of "at most this bad" add up over its causes.

        rows : what each distinct part does, None where it is silent; nobody : where no cause of a row speaks.
        """
        speaks = np.array([row is not None for row in rows], dtype=float)
        at_most = np.array([np.log(np.cumsum(row)) if row else np.zeros(len(leak)) for row in rows])
        together = np.exp(self._membership @ at_most + np.log(np.cumsum(leak)))
        together[:, -1] = 1.0
        table: Floats = np.diff(together, prepend=0.0, axis=1)
        table[self._membership @ speaks == 0] = nobody
        return table

    @cached_property
    def _distinct(self) -> list[Part]:
        """Every part that acts in any row."""
        return list({part_key(part): part for parts in self._causes() for part in parts}.values())

    @cached_property
    def _membership(self) -> Floats:
        """1 where a part acts in a row, shape (rows, distinct parts)."""
        place = {part_key(part): number for number, part in enumerate(self._distinct)}
        out = np.zeros((self.rows, len(place)))
        for row, parts in enumerate(self._causes()):
            out[row, [place[part_key(part)] for part in parts]] = 1.0
        return out

    def _causes(self) -> list[tuple[Part, ...]]:
        return [(*parts, *visitors) for parts, visitors in zip(self.parts, self.visitors, strict=True)]

    @cached_property
    def wear_patterns(self) -> tuple[Floats, Ints]:
        """What every row does to the pads: the distinct patterns and, for each row, which one it has.

        The columns are named beside `SPLIT_VARIANCE`; variances of tapers in mm².
        """
        table = np.array([_wear_pattern(parts) for parts in self._causes()]).round(9)
        patterns, row_pattern = np.unique(table, axis=0, return_inverse=True)
        return patterns, row_pattern.reshape(-1)

    @cached_property
    def taper_patterns(self) -> dict[str, tuple[Floats, Ints]]:
        """What every row does to the tapers along the lining (`fore_aft`) and across it (`radial`): the distinct
        patterns, columns added variance, mm², and whether anything is wrong; and which pattern each row has."""
        patterns, row_pattern = self.wear_patterns
        out = {}
        for direction, column in (("fore_aft", FORE_AFT_VARIANCE), ("radial", RADIAL_VARIANCE)):
            distinct, again = np.unique(patterns[:, [column, ANY_FAULT]], axis=0, return_inverse=True)
            out[direction] = distinct, again.reshape(-1)[row_pattern]
        return out

    @cached_property
    def rows_by_mechanism(self) -> dict[str, dict[str, Ints]]:
        """For every fault and the words of each of its mechanisms, the rows that hold it."""
        out: dict[str, dict[str, list[int]]] = {}
        for row, parts in enumerate(self.parts):
            for part, mechanism in parts:
                if mechanism.words:
                    out.setdefault(part.id, {}).setdefault(mechanism.words, []).append(row)
        return {fault: {words: np.array(rows) for words, rows in by.items()} for fault, by in out.items()}

    @cached_property
    def state_members(self) -> Floats:
        """1 where a state has a fault, shape (states, faults + 1); the last column marks nothing at all."""
        nothing = (self.state_size == 0) & (self.state_variant == 0)
        return np.column_stack([self.state_faults, nothing])

    @property
    def row_faults(self) -> Floats:
        """As `state_members`, for every row."""
        return self.state_members[self.state_of_row]

    @cached_property
    def state_of_row(self) -> Ints:
        by_place, start, out = np.argsort(self.state_place), 0, []
        for rows_each, count in self.groups:
            out.append(np.tile(by_place[start : start + count], rows_each))
            start += count
        return np.concatenate(out)

    def _in_groups(self, row_values: Floats) -> list[Floats]:
        """Values of rows, the last axis, group by group: the last axes are then rows of a state, and states."""
        out, start = [], 0
        for rows_each, count in self.groups:
            end = start + rows_each * count
            out.append(row_values[..., start:end].reshape(*row_values.shape[:-1], rows_each, count))
            start = end
        return out

    def _in_order(self, grouped: Floats) -> Floats:
        """States, the last axis, from the order of the groups into their own."""
        return grouped.take(self.state_place, axis=-1, mode=UNCHECKED)

    def add_up(self, row_values: Floats) -> Floats:
        """Add up rows, the last axis, into states as they are."""
        return self._in_order(np.concatenate([part.sum(axis=-2) for part in self._in_groups(row_values)], axis=-1))

    def add_up_with_wear(self, by_level: Floats, worn: Floats) -> Floats:
        """Add up the products of two tables of rows into states.

        by_level : shape (moments, levels, rows); worn : shape (levels, wears, rows). Returns shape (moments, levels,
        wears, states).
        """
        out = np.empty((*by_level.shape[:2], worn.shape[1], self.states), by_level.dtype)
        start = 0
        for here, there in zip(self._in_groups(by_level), self._in_groups(worn), strict=True):
            end = start + here.shape[-1]
            np.einsum("mlrs,lwrs->mlws", here, there, out=out[..., start:end])
            start = end
        return self._in_order(out)


def _wear_pattern(parts: tuple[Part, ...]) -> tuple[float, ...]:
    mechanisms = [mechanism for _, mechanism in parts]
    return (
        sum(m.inner for m in mechanisms),
        sum(m.outer for m in mechanisms),
        sum(m.split_sd**2 for m in mechanisms),
        sum(m.fore_aft_sd_mm**2 for m in mechanisms),
        sum(m.radial_sd_mm**2 for m in mechanisms),
        float(any(not m.spares_pads for m in mechanisms)),
        float(bool(mechanisms)),
    )


def all_sets(parts: list[list[Part]], most: int) -> list[tuple[Part, ...]]:
    """Every choice of up to `most` faults, each by each of its mechanisms; smaller sets first."""
    return [chosen for size in range(most + 1) for faults in combinations(parts, size) for chosen in product(*faults)]


def corner_space(knowledge: Knowledge, parts: list[list[Part]], variants: tuple[tuple[Part, ...], ...]) -> CornerSpace:
    faults = tuple(mechanisms[0][0] for mechanisms in parts)
    place = {fault.id: index for index, fault in enumerate(faults)}
    total = {fault.id: sum(m.share for _, m in mechanisms) for fault, mechanisms in zip(faults, parts, strict=True)}
    rows: list[tuple[Part, ...]] = []
    visitors: list[tuple[Part, ...]] = []
    share: list[float] = []
    starts: list[int] = []
    members: list[list[float]] = []
    sizes: list[int] = []
    state_variant: list[int] = []
    for variant, visiting in enumerate(variants):
        previous: tuple[str, ...] | None = None
        for chosen in all_sets(parts, MOST_FAULTS - len(visiting)):
            ids = tuple(fault.id for fault, _ in chosen)
            if ids != previous:
                starts.append(len(rows))
                row = [0.0] * len(faults)
                for fault_id in ids:
                    row[place[fault_id]] = 1.0
                members.append(row)
                sizes.append(len(ids))
                state_variant.append(variant)
                previous = ids
            rows.append(chosen)
            visitors.append(visiting)
            share.append(float(np.prod([m.share / total[fault.id] for fault, m in chosen])))
    start = np.array(starts)
    count = np.diff(np.append(start, len(rows)))
    by_count = np.argsort(-count, kind="stable")
    groups, places = [], []
    for rows_each in sorted(set(count.tolist()), reverse=True):
        alike = start[count == rows_each]
        groups.append((rows_each, len(alike)))
        places.append((np.arange(rows_each)[:, None] + alike).reshape(-1))
    order = np.concatenate(places)
    return CornerSpace(
        faults=faults,
        parts=tuple(rows[row] for row in order),
        visitors=tuple(visitors[row] for row in order),
        share=np.array(share)[order],
        state_place=np.argsort(by_count),
        groups=tuple(groups),
        state_faults=np.array(members).reshape(len(starts), len(faults)),
        state_size=np.array(sizes),
        state_variant=np.array(state_variant),
        variants=variants,
        knowledge=knowledge,
    )

"""What could be wrong: every set of up to three simultaneous faults of one vehicle, with its prior.

The structure depends only on what the vehicle has (corners, calipers, parking brakes, circuits), never on what
was found, so it is built once for each kind of vehicle and kept.

Words used here: a *mechanism* is one way in which a fault works; a *visitor* is a fault of the whole system
that reaches into a corner (a master cylinder that does not release drags it); a *row* is one combination of
mechanisms and visitors at a corner; a *state* is one combination of faults and visitors at a corner, that is
all rows that differ only by mechanism; an *axle state* pairs the states of its two corners.
"""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Iterable
from dataclasses import dataclass, field
from functools import cached_property, lru_cache
from itertools import combinations, groupby, product
from typing import Literal, Protocol

import numpy as np
from numpy.typing import NDArray

from mesotrope.core.model import Fault, Knowledge, Likelihood, Mechanism
from mesotrope.core.specification import Specification, axle_name

MOST_FAULTS = 3

#: How places that are known to be there are taken from an array: numpy then does not check each, in half the time.
UNCHECKED: Literal["clip"] = "clip"

Floats = NDArray[np.float64]
Ints = NDArray[np.intp]

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
    form, Pearl 1988 (from memory).

    >>> worst_of([(0.1, 0.9)], (0.5, 0.5)).round(3).tolist()
    [0.05, 0.95]
    """
    at_most = np.cumsum(np.array([*tables, leak]), axis=1).prod(axis=0)
    at_most[-1] = 1.0
    return np.diff(at_most, prepend=0.0)


class _Cases(ABC):
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
class CornerSpace(_Cases):
    """All rows of one kind of corner and what each row does to every finding.

    Rows stand in `layers`: first one row of every state, then a second row of those states that have two, and so on,
    the states with most rows first in each; `state_place` is a state's place in its layers.
    """

    faults: tuple[Fault, ...]
    parts: tuple[tuple[Part, ...], ...]
    visitors: tuple[tuple[Part, ...], ...]
    share: Floats
    state_place: Ints
    layers: tuple[int, ...]
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
        table = np.diff(together, prepend=0.0, axis=1)
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
        by_place = np.argsort(self.state_place)
        return np.concatenate([by_place[:size] for size in self.layers])

    def add_up(self, row_values: Floats) -> Floats:
        """Add up rows, the last axis, into states as they are."""
        flat = row_values.reshape(-1, self.rows)
        start = self.layers[0]
        out = flat[:, :start].copy()
        for size, alike in groupby(self.layers[1:]):
            count = len(list(alike))
            layers = flat[:, start : start + count * size]
            out[:, :size] += layers.reshape(-1, count, size).sum(axis=1) if count > 1 else layers
            start += count * size
        return out.take(self.state_place, axis=1, mode=UNCHECKED).reshape(*row_values.shape[:-1], self.states)


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


@dataclass(eq=False)
class AxleSpace:
    """All axle states: pairs of states of its corners that together hold at most three faults."""

    left: Ints
    right: Ints
    size: Ints
    weight: Floats
    patterns: tuple[tuple[int, int], ...]
    pattern: Ints
    blocks: tuple[tuple[slice, slice], ...]

    def pair(self, left: Floats, right: Floats, out: Floats | None = None) -> Floats:
        """Sum over the points of left times right, for every axle state; into `out`, where that is given.

        left, right : shape (..., points, states of that corner). States stand in the order of `blocks`, in which every
        state on the left meets the same run of states on the right.
        """
        cases, turned = left.shape[:-2], left.swapaxes(-1, -2)
        met = [(turned[..., lefts, :] @ right[..., rights]).reshape(*cases, -1) for lefts, rights in self.blocks]
        if out is None:
            out = np.empty((*cases, len(self.left)))
        return np.concatenate(met, axis=-1, out=out)


class _Combining(Protocol):
    """How causes of a finding of the whole vehicle combine: each adds a row of figures."""

    def nothing(self) -> Floats: ...
    def part(self, fault: Fault, corner: str) -> Floats: ...


@dataclass(frozen=True)
class _Held:
    """How many of some faults are held: wherever they are, or, where corners are given, at each of these."""

    faults: tuple[str, ...]
    corners: tuple[str, ...]

    def nothing(self) -> Floats:
        return np.zeros(len(self.faults) * max(1, len(self.corners)))

    def part(self, fault: Fault, corner: str) -> Floats:
        out = self.nothing()
        if fault.id in self.faults and (corner in self.corners or not self.corners):
            place = self.corners.index(corner) if self.corners else 0
            out[place * len(self.faults) + self.faults.index(fault.id)] = 1.0
        return out


@dataclass(frozen=True)
class _Worst:
    """The worst that any cause gives (noisy-MAX): logarithms of "at most this bad"; the last counts causes."""

    likelihood: Likelihood

    def nothing(self) -> Floats:
        return np.zeros(len(self.likelihood.order) + 1)

    def part(self, fault: Fault, corner: str) -> Floats:
        row = self.likelihood.rows.get(fault.id)
        return np.append(np.log(np.cumsum(row)), 1.0) if row else self.nothing()

    def chances(self, total: Floats) -> Floats:
        healthy = np.array(self.likelihood.healthy)
        leak = np.array(self.likelihood.leak or healthy)
        at_most = np.exp(total[:, :-1] + np.log(np.cumsum(leak)))
        at_most[:, -1] = 1.0
        out = np.diff(at_most, prepend=0.0, axis=1)
        out[total[:, -1] == 0] = healthy
        return out


@dataclass(frozen=True)
class _Sided:
    """A pull to one side: logarithms of "not to the left" and "not to the right". Both at once: either, evenly."""

    likelihood: Likelihood

    def nothing(self) -> Floats:
        return np.zeros(2)

    def part(self, fault: Fault, corner: str) -> Floats:
        row = self.likelihood.rows.get(fault.id)
        side = corner.rpartition("_")[2]
        if row is None or side not in ("left", "right"):
            return self.nothing()
        share = 1.0 if corner.startswith("front") else REAR_PULLS
        away, toward = np.log(1 - share * np.array(row))
        return np.array([toward, away]) if side == "left" else np.array([away, toward])

    def chances(self, total: Floats) -> Floats:
        _, leak_left, leak_right = self.likelihood.healthy
        left = 1 - np.exp(total[:, 0]) * (1 - leak_left)
        right = 1 - np.exp(total[:, 1]) * (1 - leak_right)
        both = left * right / 2
        return np.column_stack([(1 - left) * (1 - right), left * (1 - right) + both, right * (1 - left) + both])


#: A fault at a rear corner pulls the vehicle less than one at the front; common practice.
REAR_PULLS = 0.25


@dataclass(eq=False)
class Space(_Cases):
    """Every hypothesis about one kind of vehicle: axle states and a set of system faults, with its prior."""

    corners: dict[str, CornerSpace]
    axles: dict[str, tuple[str, str | None]]
    axle_spaces: dict[str, AxleSpace]
    system_sets: tuple[tuple[Part, ...], ...]
    system_faults: tuple[Fault, ...]
    system_members: Floats
    front: Ints
    rear: Ints
    system: Ints
    prior: Floats
    knowledge: Knowledge
    outcomes: dict[str, tuple[Floats, Floats]] = field(default_factory=dict)
    _tables: dict[str, Floats] = field(default_factory=dict)
    _kinds: dict[bool, tuple[Ints, Ints]] = field(default_factory=dict)

    def chances(self, likelihood: Likelihood) -> Floats:
        """Chances of each value of a finding of the whole vehicle for every kind of hypothesis, shape (kinds, values).

        The logarithms of what each cause leaves undone add up, over the faults of all corners and of the system; once,
        for one hypothesis of each kind.
        """
        if likelihood.key not in self._tables:
            rule = _Sided(likelihood) if likelihood.sided else _Worst(likelihood)
            first = self._kinds_of(likelihood.sided)[0]
            self._tables[likelihood.key] = np.asfortranarray(
                rule.chances(self._added_up(rule, first))
            )  # value by value
        return self._tables[likelihood.key]

    def kinds(self, sided: bool) -> Ints:
        """The kind of every hypothesis, a row of `chances` of any (not) sided finding, shape (hypotheses,).

        Hypotheses are of one kind where they hold the same faults that speak to any such finding: for a pull to one
        side at the same corners, else as many of each, wherever they are.
        """
        return self._kinds_of(sided)[1]

    def told(self, tellings: Iterable[tuple[Likelihood, Floats]], live: Ints | slice = slice(None)) -> Floats:
        """How likely findings of the whole vehicle are together, for the hypotheses `live`; each is given by kind."""
        by_rule: dict[bool, Floats] = {}
        for likelihood, telling in tellings:
            by_rule[likelihood.sided] = by_rule.get(likelihood.sided, 1.0) * telling
        out = np.ones(len(self.system[live]))
        for sided, together in by_rule.items():
            out *= together.take(self.kinds(sided)[live], mode=UNCHECKED)
        return out

    def _kinds_of(self, sided: bool) -> tuple[Ints, Ints]:
        """The first hypothesis of each kind, and the kind of every hypothesis; computed once."""
        if sided not in self._kinds:
            alike = [row for row in self.knowledge.system_likelihoods if row.sided == sided]
            corners = tuple(self.corners) if sided else ()
            held = _Held(tuple(dict.fromkeys(fault for row in alike for fault in row.rows)), corners)
            counts = self._added_up(held, np.arange(len(self.prior))).astype(np.int8)
            _, first, kind = np.unique(counts, axis=0, return_index=True, return_inverse=True)
            self._kinds[sided] = first, kind.reshape(-1)
        return self._kinds[sided]

    def _added_up(self, rule: _Combining, hypotheses: Ints) -> Floats:
        """What the causes of some hypotheses add up to: those of the system, and those at the corners."""
        total = self._by_set(rule)[self.system[hypotheses]]
        for axle, index in (("front", self.front), ("rear", self.rear)):
            if axle in self.axle_spaces:
                total = total + self._by_axle_state(axle, rule)[index[hypotheses]]
        return total

    def axle_members(self, axle: str) -> Floats:
        """1 where an axle state has a fault at a corner, and for each corner last where it has nothing at all.

        Shape (axle states, columns), the columns of the left corner first; computed once.
        """
        if (key := f"members {axle}") not in self._tables:
            corners, space = self.axles[axle], self.axle_spaces[axle]
            parts = [
                self.corners[corner].state_members[index]
                for corner, index in zip(corners, (space.left, space.right), strict=True)
                if corner
            ]
            self._tables[key] = np.hstack(parts)
        return self._tables[key]

    def _by_set(self, rule: _Combining) -> Floats:
        return np.array([sum((rule.part(f, "") for f, _ in chosen), rule.nothing()) for chosen in self.system_sets])

    def _by_axle_state(self, axle: str, rule: _Combining) -> Floats:
        pairs, space = self.axles[axle], self.axle_spaces[axle]
        total = np.zeros((len(space.left), len(rule.nothing())))
        for corner, index in zip(pairs, (space.left, space.right), strict=True):
            if corner:
                faults = self.corners[corner].faults
                table = np.array([rule.part(f, corner) for f in faults]).reshape(len(faults), -1)
                total = total + (self.corners[corner].state_faults @ table)[index]
        return total

    @cached_property
    def with_system_fault(self) -> list[Ints]:
        """For every fault of the system, the hypotheses that hold it."""
        return [np.flatnonzero(column[self.system]) for column in self.system_members.T]


def _all_sets(parts: list[list[Part]], most: int) -> list[tuple[Part, ...]]:
    """Every choice of up to `most` faults, each by each of its mechanisms; smaller sets first."""
    return [chosen for size in range(most + 1) for faults in combinations(parts, size) for chosen in product(*faults)]


def _corner_space(knowledge: Knowledge, parts: list[list[Part]], variants: tuple[tuple[Part, ...], ...]) -> CornerSpace:
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
        for chosen in _all_sets(parts, MOST_FAULTS - len(visiting)):
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
    layers = [start[by_count[count[by_count] > number]] + number for number in range(int(count.max()))]
    order = np.concatenate(layers)
    return CornerSpace(
        faults=faults,
        parts=tuple(rows[row] for row in order),
        visitors=tuple(visitors[row] for row in order),
        share=np.array(share)[order],
        state_place=np.argsort(by_count),
        layers=tuple(map(len, layers)),
        state_faults=np.array(members).reshape(len(starts), len(faults)),
        state_size=np.array(sizes),
        state_variant=np.array(state_variant),
        variants=variants,
        knowledge=knowledge,
    )


def _axle_space(
    left: CornerSpace, right: CornerSpace | None, patterns: tuple[tuple[int, int], ...], shared: list[int]
) -> AxleSpace:
    """Pair the corners' states for each pattern of visitors; `shared` counts each pattern's system faults."""
    odds = [np.array([fault.odds for fault in corner.faults]) for corner in (left, right) if corner]
    lifts = np.array([fault.both_sides_lift for fault in left.faults])
    right_size = right.state_size if right else np.zeros(1, dtype=np.intp)
    right_in = right.state_variant if right else np.zeros(1, dtype=np.intp)
    blocks: list[tuple[slice, slice]] = []
    pattern_of: list[Ints] = []
    for number, (left_variant, right_variant) in enumerate(patterns):
        room = MOST_FAULTS - shared[number]
        for size in range(room + 1):
            here = np.flatnonzero((left.state_variant == left_variant) & (left.state_size == size))
            there = np.flatnonzero((right_in == right_variant) & (right_size <= room - size))
            if len(here) and len(there):  # both are unbroken runs: states stand by variant, then by size
                blocks.append((slice(here[0], here[-1] + 1), slice(there[0], there[-1] + 1)))
                pattern_of.append(np.full(len(here) * len(there), number))
    run = [(np.arange(a.start, a.stop), np.arange(b.start, b.stop)) for a, b in blocks]
    lefts = np.concatenate([np.repeat(a, len(b)) for a, b in run])
    rights = np.concatenate([np.tile(b, len(a)) for a, b in run])
    weight = np.exp(left.state_faults[lefts] @ np.log(odds[0]))
    size = left.state_size[lefts]
    if right:
        weight = weight * np.exp(right.state_faults[rights] @ np.log(odds[1]))
        weight = weight * np.exp((left.state_faults[lefts] * right.state_faults[rights]) @ np.log(lifts))
        size = size + right.state_size[rights]
    return AxleSpace(lefts, rights, size, weight, patterns, np.concatenate(pattern_of), tuple(blocks))


def space_of(knowledge: Knowledge, specification: Specification) -> Space | None:
    """Return every hypothesis about a vehicle of this specification; None where no corner is diagnosed.

    Corners with drums are recorded, not diagnosed, and are left out.
    """
    corners = tuple(
        (
            corner,
            specification.circuit_of(corner),
            tuple(_possible(knowledge, specification, corner)),
        )
        for corner in specification.corners
        if specification.axle_of(corner).has("disc")
    )
    return _space(StructureKey(knowledge), corners) if corners else None


def _possible(knowledge: Knowledge, specification: Specification, corner: str) -> list[tuple[str, ...]]:
    """The keys of the faults (with their mechanisms) that this corner can have."""
    axle = specification.axle_of(corner)
    out = []
    for fault in knowledge.faults:
        if fault.scope == "corner" and all(axle.has(need) for need in fault.needs):
            mechanisms = tuple(m.id for m in fault.mechanism if all(axle.has(need) for need in m.needs))
            if mechanisms:
                out.append((fault.id, *mechanisms))
    return out


class KnowledgeKey:
    """Lets a cache tell knowledge apart by identity: it is frozen, and hashing all of it would be slow."""

    def __init__(self, knowledge: Knowledge) -> None:
        self.knowledge = knowledge

    def __hash__(self) -> int:
        return id(self.knowledge)

    def __eq__(self, other: object) -> bool:
        return isinstance(other, KnowledgeKey) and other.knowledge is self.knowledge


class StructureKey(KnowledgeKey):
    """As `KnowledgeKey`, where only faults and likelihoods count: a workshop's prices and limits change no space."""

    def _parts(self) -> tuple[object, ...]:
        known = self.knowledge
        return known.faults, known.likelihoods, known.system_likelihoods, known.drag, known.wear, known.count

    def __hash__(self) -> int:
        return hash(tuple(map(id, self._parts())))

    def __eq__(self, other: object) -> bool:
        return isinstance(other, StructureKey) and all(
            a is b for a, b in zip(self._parts(), other._parts(), strict=True)
        )


@lru_cache(maxsize=64)
def _space(key: StructureKey, corners: tuple[tuple[str, str, tuple[tuple[str, ...], ...]], ...]) -> Space:
    knowledge = key.knowledge
    system_faults = tuple(fault for fault in knowledge.faults if fault.scope == "system")
    system_sets = _all_sets([[(fault, m) for m in fault.mechanism] for fault in system_faults], MOST_FAULTS)

    def visiting(corner_circuit: str, system_set: tuple[Part, ...]) -> tuple[Part, ...]:
        return tuple(part for part in system_set if part[1].touches in ("all", corner_circuit))

    def visit_key(visit: tuple[Part, ...]) -> tuple[str, ...]:
        return tuple(fault.id for fault, _ in visit)

    spaces: dict[str, CornerSpace] = {}
    variant_of: dict[str, list[int]] = {}
    built: dict[tuple[object, ...], CornerSpace] = {}
    for corner, circuit, possible in corners:
        visits = [visiting(circuit, chosen) for chosen in system_sets]
        distinct = {visit_key(visit): visit for visit in reversed(visits)}
        keys = sorted(distinct, key=lambda ids: (len(ids), ids))
        build_key = (possible, tuple(keys))
        if build_key not in built:
            parts = [
                [(knowledge.fault[ids[0]], m) for m in knowledge.fault[ids[0]].mechanism if m.id in ids[1:]]
                for ids in possible
            ]
            built[build_key] = _corner_space(knowledge, parts, tuple(distinct[ids] for ids in keys))
        spaces[corner] = built[build_key]
        variant_of[corner] = [keys.index(visit_key(visit)) for visit in visits]

    axles: dict[str, tuple[str, str | None]] = {}
    for axle in ("front", "rear"):
        names = [name for name in spaces if axle_name(name) == axle]
        if names:
            axles[axle] = (names[0], names[1] if len(names) > 1 else None)
    axle_spaces: dict[str, AxleSpace] = {}
    pattern_of: dict[str, list[int]] = {}
    for axle, (left, right) in axles.items():
        pairs = list(zip(variant_of[left], variant_of[right] if right else [0] * len(system_sets), strict=True))
        patterns = tuple(dict.fromkeys(pairs))
        shared = [
            min(len(chosen) for chosen, pair in zip(system_sets, pairs, strict=True) if pair == pattern)
            for pattern in patterns
        ]
        axle_spaces[axle] = _axle_space(spaces[left], spaces[right] if right else None, patterns, shared)
        pattern_of[axle] = [patterns.index(pair) for pair in pairs]

    front, rear, system = _hypotheses(axle_spaces, pattern_of, system_sets)
    size, weight = np.array([len(chosen) for chosen in system_sets])[system], np.ones(len(system))
    weight = (
        weight
        * np.array(
            [np.prod([f.odds * m.share / sum(x.share for x in f.mechanism) for f, m in s]) for s in system_sets]
        )[system]
    )
    for axle, index in (("front", front), ("rear", rear)):
        if axle in axle_spaces:
            size = size + axle_spaces[axle].size[index]
            weight = weight * axle_spaces[axle].weight[index]
    by_count = np.bincount(size, weight, minlength=MOST_FAULTS + 1)
    chances = np.array(knowledge.count.chances)[: MOST_FAULTS + 1] * (by_count > 0)
    prior = weight * (chances / np.where(by_count > 0, by_count, 1.0) / chances.sum())[size]
    members = np.array([[any(f is fault for f, _ in s) for fault in system_faults] for s in system_sets], dtype=float)
    members = members.reshape(len(system_sets), len(system_faults))
    return Space(
        spaces, axles, axle_spaces, tuple(system_sets), system_faults, members, front, rear, system, prior, knowledge
    )


def _hypotheses(
    axle_spaces: dict[str, AxleSpace], pattern_of: dict[str, list[int]], system_sets: list[tuple[Part, ...]]
) -> tuple[Ints, Ints, Ints]:
    """Indices of front axle state, rear axle state and system set for every hypothesis."""
    nothing = np.zeros(1, dtype=np.intp)
    by_pattern_and_size = {
        axle: {
            (pattern, size): np.flatnonzero((space.pattern == pattern) & (space.size == size))
            for pattern in range(len(space.patterns))
            for size in range(MOST_FAULTS + 1)
        }
        for axle, space in axle_spaces.items()
    }

    def states(axle: str, system_set: int, size: int) -> Ints:
        if axle not in axle_spaces:
            return nothing if size == 0 else nothing[:0]
        return by_pattern_and_size[axle][pattern_of[axle][system_set], size]

    fronts: list[Ints] = []
    rears: list[Ints] = []
    systems: list[Ints] = []
    for number, chosen in enumerate(system_sets):
        room = MOST_FAULTS - len(chosen)
        for front_size in range(room + 1):
            for rear_size in range(room - front_size + 1):
                front = states("front", number, front_size)
                rear = states("rear", number, rear_size)
                fronts.append(np.repeat(front, len(rear)))
                rears.append(np.tile(rear, len(front)))
                systems.append(np.full(len(front) * len(rear), number))
    return np.concatenate(fronts), np.concatenate(rears), np.concatenate(systems)

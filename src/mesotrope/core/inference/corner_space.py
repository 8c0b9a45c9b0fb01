"""What could be wrong at one corner: every combination of its faults, by every mechanism, and what each does.

A *row* is one combination of mechanisms and visitors at a corner; a *state* is one combination of faults and
visitors, that is all rows that differ only by mechanism; a *visitor* is a fault of the whole system that reaches into
the corner; a *kind* is all states that are alike to the rest of the vehicle: they hold as many faults of every
*voice*, which is all faults that say the same to findings of the whole vehicle, or one that the sides of an axle
share. Rows stand by visitors, then by kind, then by state; see `corner_rows`.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from functools import cache, cached_property

import numpy as np

from mesotrope.core.inference.alike import Alike, cases_of, likely, together
from mesotrope.core.inference.groups import Groups, Layers, Stack, stacks_of
from mesotrope.core.inference.wear_patterns import WearPatterns, wear_patterns
from mesotrope.core.inference.worst import added_by
from mesotrope.core.language.arrays import Floats, Ints, Truths
from mesotrope.core.language.faults import Fault, Likelihood, Mechanism
from mesotrope.core.language.knowledge import Knowledge

#: A fault and the mechanism by which it works.
Part = tuple[Fault, Mechanism]


def part_key(part: Part) -> str:
    fault, mechanism = part
    return f"{fault.id}/{mechanism.id}" if mechanism.id else fault.id


def with_any(holds: Floats, faults: Sequence[Fault]) -> Callable[[tuple[str, ...]], Floats]:
    """By the names of some faults, 1 where any of them is held, shape (...,): worked out once for the same names.

    holds : 1 where one of all is, shape (..., faults).
    """

    @cache
    def held(names: tuple[str, ...]) -> Floats:
        named = [number for number, fault in enumerate(faults) if fault.id in names]
        return np.asarray(holds[..., named].max(axis=-1, initial=0.0))

    return held


@dataclass(eq=False)
class CornerSpace:
    """All rows of one kind of corner and what each row does to every finding.

    spoken : the faults that speak to the rest of the vehicle, of those that say the same the first; kind_faults : how
    many of each every kind holds.
    """

    faults: tuple[Fault, ...]
    variants: tuple[tuple[Part, ...], ...]
    parts: tuple[tuple[Part, ...], ...]
    row_variant: Ints
    share: Floats
    state_start: Ints
    state_faults: Floats
    kind_start: Ints
    spoken: tuple[str, ...]
    kind_faults: Floats
    kind_hidden: Floats
    knowledge: Knowledge
    _tables: dict[str, Alike] = field(default_factory=dict)
    #: By which of the distinct parts speak to a finding: which of them the rows hold, and the case of every row.
    _cases: dict[tuple[int, ...], tuple[Floats, Ints]] = field(default_factory=dict)

    @property
    def rows(self) -> int:
        return len(self.parts)

    @property
    def states(self) -> int:
        return len(self.state_start)

    @property
    def kinds(self) -> int:
        return len(self.kind_start)

    def visitors(self, row: int) -> tuple[Part, ...]:
        """The faults of the whole system that reach this corner in a row."""
        return self.variants[self.row_variant[row]]

    @cached_property
    def state_variant(self) -> Ints:
        return self.row_variant[self.state_start]

    @cached_property
    def kinds_of_variant(self) -> tuple[slice, ...]:
        """The kinds of every set of visitors: they stand together."""
        return self._of_variant(self.row_variant[self.kind_start])

    @cached_property
    def states_of_variant(self) -> tuple[slice, ...]:
        """The states of every set of visitors: they stand together too."""
        return self._of_variant(self.state_variant)

    def _of_variant(self, variant: Ints) -> tuple[slice, ...]:
        """Where every set of visitors stands; variant : of everything in order."""
        numbers = range(len(self.variants))
        return tuple(slice(*np.searchsorted(variant, (number, number + 1)).tolist()) for number in numbers)

    @cached_property
    def variant_start(self) -> Ints:
        """Where the rows of every set of visitors begin."""
        return np.searchsorted(self.row_variant, np.arange(len(self.variants)))

    @cached_property
    def kind_of_row(self) -> Ints:
        return np.repeat(np.arange(self.kinds), np.diff(np.append(self.kind_start, self.rows)))

    @cached_property
    def state_of_row(self) -> Ints:
        return np.repeat(np.arange(self.states), np.diff(np.append(self.state_start, self.rows)))

    @cached_property
    def rows_of_state(self) -> tuple[Stack, ...]:
        """The rows of every state, those of states with equally many together."""
        return stacks_of(self.state_of_row)

    @cached_property
    def states_of_kind(self) -> Layers:
        """The states of every kind."""
        return Layers.of(self.kind_of_state)

    @cached_property
    def groups(self) -> Groups:
        """The rows that are told alike where wear was measured."""
        return Groups.of(self.kind_of_row, self.wear_patterns.of_row, self.row_variant)

    @cached_property
    def groups_unworn(self) -> Groups:
        """The same where none was: no pattern of wear tells them apart."""
        return Groups.of(self.kind_of_row, np.zeros(self.rows, dtype=int), self.row_variant)

    @cached_property
    def kind_of_state(self) -> Ints:
        return self.kind_of_row[self.state_start]

    @cached_property
    def state_members(self) -> Floats:
        """1 where a state has a fault, shape (states, faults + 1); the last column marks nothing at all."""
        visited = np.array([bool(visitors) for visitors in self.variants])[self.state_variant]
        nothing = (self.state_faults.sum(axis=1) == 0) & ~visited
        return np.column_stack([self.state_faults, nothing])

    @cached_property
    def states_with(self) -> Callable[[tuple[str, ...]], Floats]:
        """1 where a state has any of some faults of the corner, shape (states,)."""
        return with_any(self.state_faults, self.faults)

    @cached_property
    def row_faults(self) -> Floats:
        """As `state_members`, for every row."""
        return self.state_members[self.state_of_row]

    @cached_property
    def wears_pads(self) -> Floats:
        """1 where a fault of a state, or one that visits it, wears pads, shape (states,)."""
        return np.array([
            float(any(fault.wears_pads for fault, _ in (*self.parts[row], *self.visitors(row))))
            for row in self.state_start
        ])  # fmt: skip

    @cached_property
    def prior(self) -> Floats:
        """Chance of every row, given who visits the corner, at each level of rust, shape (levels of rust, rows)."""
        often, levels = self.knowledge.often, self.knowledge.rust.levels
        weight = np.empty((len(levels), self.rows))
        for number, level in enumerate(levels):
            odds = [level.odds_of(fault, often.unit) for fault in self.faults]
            by_state = np.exp(self.state_faults @ np.log(odds))
            weight[number] = by_state[self.state_of_row] * self.share
        totals = np.array([np.bincount(self.row_variant, row) for row in weight])
        out: Floats = weight / totals[:, self.row_variant]
        return out

    def prior_of(self, fault: str) -> Floats:
        """Chance of a fault where nobody visits the corner, at each level of rust."""
        held = self.row_faults[:, [one.id for one in self.faults].index(fault)] * (self.row_variant == 0)
        return np.asarray(self.prior @ held)

    # -- what each row does to a finding ----------------------------------------------------------------------

    def chances(self, likelihood: Likelihood) -> Alike:
        """Chances of each value of a finding for every row, whatever the vehicle's rust."""
        if (key := f"{likelihood.key} whatever the rust") not in self._tables:
            by_rust, seen = self.chances_by_rust(likelihood), self.by_rust_seen @ self.knowledge.rust.chances
            shows = np.tensordot(seen, by_rust.shows, 1) if len(by_rust.shows) > 1 else by_rust.shows[0]
            self._tables[key] = Alike(shows, by_rust.case)
        return self._tables[key]

    def fit(self, believed: Floats, likelihood: Likelihood, emission: Floats) -> float:
        """How well a finding fits what is believed of the rows, where any of them explains it well; else 1.

        believed : chance of every row; emission : how likely each value makes what was found.
        """
        shown, least = self.chances(likelihood), self.knowledge.threshold["explains_share"]
        by_case = likely(shown.shows, emission)
        best = float(by_case.max())
        return float(shown.summed(believed) @ by_case) / best if best >= least * emission.max() else 1.0

    def chances_by_rust(self, likelihood: Likelihood) -> Alike:
        """As `chances`, at each level of rust seen, shape of what the rows show (levels, cases, values); one level
        stands for all where rust does nothing to the finding."""
        if likelihood.key not in self._tables:
            if likelihood.drag:
                by_faults = self._at_most(likelihood)
                (of_faults, of_drag, rubs), case = together([by_faults.case, self.drag.case, self.rubs.astype(int)])
                by_drag = self.drag.shows @ self._marks(likelihood)
                at_most = by_faults.shows[of_faults] * np.where(rubs[:, None], by_drag[of_drag], 1.0)
                table = Alike(np.diff(at_most, prepend=0.0, axis=1)[None], case)
            else:
                levels = self.knowledge.rust.seen if likelihood.rust else self.knowledge.rust.seen[:1]
                by_level = [self._by_faults(likelihood, level) for level in levels]
                table = Alike(np.array([one.shows for one in by_level]), by_level[0].case)
            self._tables[likelihood.key] = table
        return self._tables[likelihood.key]

    @cached_property
    def by_rust_seen(self) -> Floats:
        """1 where a level of what the corners share shows a level of rust, shape (levels of rust seen, levels)."""
        return np.eye(len(self.knowledge.rust.seen))[:, self.knowledge.rust.place_seen]

    def at_prior(self, by_rust: Floats) -> Floats:
        """What every row weighs by its prior and what was found, by level of what the corners share.

        by_rust : by level of rust that is seen (or one for all) and row.
        """
        return self.prior * (by_rust[self.knowledge.rust.place_seen] if len(by_rust) > 1 else by_rust)

    def likely_by_drag(self, likelihood: Likelihood, emission: Floats) -> Floats:
        """How likely what was found of a finding is for each level of the corner's drag and row, shape (levels, rows):
        the worst that the faults of a row or its drag give.

        emission : how likely each value makes what was found.
        """
        at_most, marks = self._at_most(likelihood), self._marks(likelihood)
        steps = emission - np.append(emission[1:], 0.0)
        (told,) = steps.nonzero()
        by_case = sum(steps[value] * marks[:, value, None] * at_most.shows[:, value] for value in told)
        out = np.asarray(by_case).take(at_most.case, axis=1)
        out[:, ~self.rubs] = (at_most.shows @ steps).take(at_most.case[~self.rubs])
        return out

    def _at_most(self, likelihood: Likelihood) -> Alike:
        """Chance of "at most this bad" by the faults of a row alone; computed once."""
        if (key := f"{likelihood.key} at most") not in self._tables:
            by_faults = self._by_faults(likelihood)
            at_most = np.cumsum(by_faults.shows, axis=1)
            at_most[:, -1] = 1.0
            self._tables[key] = Alike(at_most, by_faults.case)
        return self._tables[key]

    def _marks(self, likelihood: Likelihood) -> Floats:
        """Chance of "at most this bad" by what a level of drag leaves, shape (levels, values)."""
        rows = [likelihood.drag.get(level) for level in self.knowledge.drag.levels]
        out = np.array([np.cumsum(row) if row else np.ones(len(likelihood.order)) for row in rows])
        out[:, -1] = 1.0
        return out

    def _by_faults(self, likelihood: Likelihood, rust: str = "") -> Alike:
        rows = [likelihood.row(fault.id, mechanism.id) for fault, mechanism in self._distinct]
        usual = likelihood.leak or likelihood.healthy
        beside = np.cumsum(usual) * np.ones((len(self._distinct), 1))
        if likelihood.drag:
            rubs = np.array([mechanism.rubs for _, mechanism in self._distinct], bool)
            beside = beside * np.where(rubs[:, None], self._part_drag @ self._marks(likelihood), 1.0)
        now, nobody = (likelihood.rust.get(rust, row) for row in (usual, likelihood.healthy))
        return self._worst(rows, beside, now, nobody)

    @cached_property
    def rubs(self) -> Truths:
        """Whether the pads take the work of a row's drag, shape (rows,): what else holds the wheel (a bearing, shoes in
        the rotor's hat) leaves no mark on linings and faces."""
        return np.asarray(self.wear_patterns.drags[self.wear_patterns.of_row] > 0)

    @cached_property
    def _part_drag(self) -> Floats:
        """Chances of the drag's levels where one part is there alone, shape (distinct parts, levels)."""
        healthy = self.knowledge.drag.healthy
        return np.array([mechanism.drag or healthy for _, mechanism in self._distinct]).reshape(-1, len(healthy))

    @cached_property
    def drag(self) -> Alike:
        """Chances of each drag level."""
        healthy = self.knowledge.drag.healthy
        beside = np.cumsum(healthy) * np.ones((len(self._distinct), 1))
        return self._worst([m.drag for _, m in self._distinct], beside, healthy, healthy)

    @cached_property
    def drag_chances(self) -> Floats:
        """Chances of each drag level for every row, shape (rows, levels)."""
        return self.drag.of_rows()

    @cached_property
    def drag_by_level(self) -> Floats:
        """As `drag_chances`, shape (levels, rows)."""
        return np.ascontiguousarray(self.drag_chances.T)

    def _worst(
        self,
        rows: Sequence[tuple[float, ...] | None],
        beside: Floats,
        leak: tuple[float, ...],
        nobody: tuple[float, ...],
    ) -> Alike:
        """`worst_of` for all rows at once, those in which the same causes speak once: the logarithms of "at most this
        bad" add up over them.

        rows : what each distinct part does, None where it is silent; beside : what its row stands beside, cumulated;
        leak : what happens anyway; nobody : where no cause of a row speaks.
        """
        said = [row for row in rows if row is not None]
        speaking = tuple(number for number, row in enumerate(rows) if row is not None)
        if speaking not in self._cases:
            self._cases[speaking] = cases_of(self._acts[:, speaking])
        speaks, case = self._cases[speaking]
        whole = np.array([np.cumsum(row) for row in said]).reshape(-1, len(leak))
        added = added_by(whole, beside.take(speaking, axis=0))
        at_most = np.exp(speaks @ np.log(added) + np.log(np.cumsum(leak)))
        at_most[:, -1] = 1.0
        table: Floats = np.diff(at_most, prepend=0.0, axis=1)
        table[~speaks.any(axis=1)] = nobody
        return Alike(table, case)

    @cached_property
    def _distinct(self) -> list[Part]:
        """Every part that acts in any row."""
        return list({part_key(part): part for parts in self._causes for part in parts}.values())

    @cached_property
    def _acts(self) -> Truths:
        """Whether a part acts in a row, shape (rows, distinct parts)."""
        place = {part_key(part): number for number, part in enumerate(self._distinct)}
        out = np.zeros((self.rows, len(place)), bool)
        for row, parts in enumerate(self._causes):
            out[row, [place[part_key(part)] for part in parts]] = True
        return out

    @cached_property
    def _causes(self) -> list[tuple[Part, ...]]:
        return [(*parts, *self.visitors(row)) for row, parts in enumerate(self.parts)]

    @cached_property
    def wear_patterns(self) -> WearPatterns:
        """What every row does to the pads."""
        return wear_patterns(self._acts.astype(float), [mechanism for _, mechanism in self._distinct])

    @cached_property
    def rows_by_mechanism(self) -> dict[str, dict[str, Ints]]:
        """For every fault and the words of each of its mechanisms, the rows that hold it."""
        out: dict[str, dict[str, list[int]]] = {}
        for row, parts in enumerate(self.parts):
            for part, mechanism in parts:
                if mechanism.words:
                    out.setdefault(part.id, {}).setdefault(mechanism.words, []).append(row)
        return {fault: {words: np.array(rows) for words, rows in by.items()} for fault, by in out.items()}

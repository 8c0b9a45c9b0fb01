"""What could be wrong: every set of up to three simultaneous faults of one vehicle, with its prior.

The structure depends only on what the vehicle has (corners, calipers, parking brakes, circuits), never on what
was found, so it is built once for each kind of vehicle and kept.

Words used here, beside those of `corner_space`: a *mechanism* is one way in which a fault works; an *axle state* pairs
the states of its two corners; a *hypothesis* is a state of each axle with a set of faults of the system.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field
from functools import cached_property, lru_cache

import numpy as np

from mesotrope.core.evidence.specification import Specification
from mesotrope.core.inference.combining import Combining, Held, Sided, Worst
from mesotrope.core.inference.corner_space import MOST_FAULTS, Cases, CornerSpace, Part, all_sets, corner_space
from mesotrope.core.language.arrays import UNCHECKED, Floats, Ints
from mesotrope.core.language.corner import AXLES, VEHICLE, Axle, Corner
from mesotrope.core.language.faults import Fault, Likelihood
from mesotrope.core.language.knowledge import Knowledge, KnowledgeKey


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


@dataclass(eq=False)
class Space(Cases):
    """Every hypothesis about one kind of vehicle: axle states and a set of system faults, with its prior."""

    corners: dict[Corner, CornerSpace]
    axles: dict[Axle, tuple[Corner, Corner | None]]
    axle_spaces: dict[Axle, AxleSpace]
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
            rule = Sided(likelihood) if likelihood.sided else Worst(likelihood)
            first = self._kinds_of(likelihood.sided)[0]
            table = rule.chances(self._added_up(rule, first))
            self._tables[likelihood.key] = np.asfortranarray(table)  # read value by value
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
            held = Held(tuple(dict.fromkeys(fault for row in alike for fault in row.rows)), corners)
            counts = self._added_up(held, np.arange(len(self.prior))).astype(np.int8)
            _, first, kind = np.unique(counts, axis=0, return_index=True, return_inverse=True)
            self._kinds[sided] = first, kind.reshape(-1)
        return self._kinds[sided]

    def _added_up(self, rule: Combining, hypotheses: Ints) -> Floats:
        """What the causes of some hypotheses add up to: those of the system, and those at the corners."""
        total = self._by_set(rule)[self.system[hypotheses]]
        for axle, index in ((Axle.FRONT, self.front), (Axle.REAR, self.rear)):
            if axle in self.axle_spaces:
                total = total + self._by_axle_state(axle, rule)[index[hypotheses]]
        return total

    def axle_members(self, axle: Axle) -> Floats:
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

    def _by_set(self, rule: Combining) -> Floats:
        return np.array(
            [sum((rule.part(f, VEHICLE) for f, _ in chosen), rule.nothing()) for chosen in self.system_sets]
        )

    def _by_axle_state(self, axle: Axle, rule: Combining) -> Floats:
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


def _possible(knowledge: Knowledge, specification: Specification, corner: Corner) -> list[tuple[str, ...]]:
    """The keys of the faults (with their mechanisms) that this corner can have."""
    axle = specification.axle_of(corner)
    out = []
    for fault in knowledge.faults:
        if fault.scope == "corner" and all(axle.has(need) for need in fault.needs):
            mechanisms = tuple(m.id for m in fault.mechanism if all(axle.has(need) for need in m.needs))
            if mechanisms:
                out.append((fault.id, *mechanisms))
    return out


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
def _space(key: StructureKey, corners: tuple[tuple[Corner, str, tuple[tuple[str, ...], ...]], ...]) -> Space:
    knowledge = key.knowledge
    system_faults = tuple(fault for fault in knowledge.faults if fault.scope == "system")
    system_sets = all_sets([[(fault, m) for m in fault.mechanism] for fault in system_faults], MOST_FAULTS)

    def visiting(corner_circuit: str, system_set: tuple[Part, ...]) -> tuple[Part, ...]:
        return tuple(part for part in system_set if part[1].touches in ("all", corner_circuit))

    def visit_key(visit: tuple[Part, ...]) -> tuple[str, ...]:
        return tuple(fault.id for fault, _ in visit)

    spaces: dict[Corner, CornerSpace] = {}
    variant_of: dict[Corner, list[int]] = {}
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
            built[build_key] = corner_space(knowledge, parts, tuple(distinct[ids] for ids in keys))
        spaces[corner] = built[build_key]
        variant_of[corner] = [keys.index(visit_key(visit)) for visit in visits]

    axles: dict[Axle, tuple[Corner, Corner | None]] = {}
    for axle in AXLES:
        names = [name for name in spaces if name.axle == axle]
        if names:
            axles[axle] = (names[0], names[1] if len(names) > 1 else None)
    axle_spaces: dict[Axle, AxleSpace] = {}
    pattern_of: dict[Axle, list[int]] = {}
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
    for axle, index in ((Axle.FRONT, front), (Axle.REAR, rear)):
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
    axle_spaces: dict[Axle, AxleSpace], pattern_of: dict[Axle, list[int]], system_sets: list[tuple[Part, ...]]
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

    def states(axle: Axle, system_set: int, size: int) -> Ints:
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
                front = states(Axle.FRONT, number, front_size)
                rear = states(Axle.REAR, number, rear_size)
                fronts.append(np.repeat(front, len(rear)))
                rears.append(np.tile(rear, len(front)))
                systems.append(np.full(len(front) * len(rear), number))
    return np.concatenate(fronts), np.concatenate(rears), np.concatenate(systems)

"""What could be wrong with one vehicle: the rows of its corners and the sets of faults of its system.

The structure depends only on what the vehicle has (corners, calipers, parking brakes, circuits), never on what
was found, so it is built once for each kind of vehicle and kept. Corners are independent of each other, given the
vehicle's rust, what the sides of an axle share, and which faults of the system visit them.

Words used here, beside those of `corner_space`: a *visit* is what the faults of the system do at all corners: for each
corner, which of them reach it.
"""

from __future__ import annotations

from collections.abc import Callable, Collection, Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property, lru_cache, reduce

import numpy as np

from mesotrope.core.evidence.specification import AxleSpecification, Specification
from mesotrope.core.inference.alike import together
from mesotrope.core.inference.corner_rows import corner_space, sets_of
from mesotrope.core.inference.corner_space import CornerSpace, Part, with_any
from mesotrope.core.inference.whole_findings import Elementary, Terms, elementary
from mesotrope.core.language.arrays import Floats, Ints
from mesotrope.core.language.corner import AXLES, Axle, Corner
from mesotrope.core.language.faults import Fault, Likelihood
from mesotrope.core.language.knowledge import Knowledge, KnowledgeKey


@dataclass(frozen=True, eq=False)
class Looks:
    """What visits look like on an axle: those that look alike there are one look.

    variants : for each side, the variant in every look; of_visit : the look of every visit; members : 1 where a look
    holds a visit, shape (looks, visits).
    """

    variants: tuple[Ints, ...]
    of_visit: Ints
    members: Floats


@dataclass(eq=False)
class Space:
    """Everything that could be wrong with one kind of vehicle, with its prior.

    `visits` : for every visit, the number of each corner's variant, in the order of `corners`; `visit_of_set` : the
    visit that each set of faults of the system makes. A set stands once for each way in which the circuits may be
    split, where that changes whom it visits and is not known; `split_chance` : the chance of that way. `shared` : by
    axle, the faults that its two sides share.
    """

    corners: dict[Corner, CornerSpace]
    shared: Mapping[Axle, tuple[Fault, ...]]
    system_faults: tuple[Fault, ...]
    system_sets: tuple[tuple[Part, ...], ...]
    visits: tuple[tuple[int, ...], ...]
    visit_of_set: Ints
    split_chance: Floats
    knowledge: Knowledge

    @cached_property
    def axles(self) -> dict[Axle, tuple[Corner, ...]]:
        """The corners of every axle that is diagnosed, left before right."""
        by_axle = {axle: tuple(corner for corner in self.corners if corner.axle == axle) for axle in AXLES}
        return {axle: corners for axle, corners in by_axle.items() if corners}

    @cached_property
    def system_members(self) -> Floats:
        """1 where a set holds a fault of the system, shape (sets, faults)."""
        members = [[any(f is fault for f, _ in chosen) for fault in self.system_faults] for chosen in self.system_sets]
        return np.array(members, dtype=float).reshape(len(self.system_sets), len(self.system_faults))

    @cached_property
    def sets_with(self) -> Callable[[tuple[str, ...]], Floats]:
        """1 where a set holds any of some faults of the system, shape (sets,)."""
        return with_any(self.system_members, self.system_faults)

    @cached_property
    def system_hidden(self) -> Floats:
        """1 where a set holds a hidden fault, shape (sets,)."""
        hidden = np.array([not fault.condition for fault in self.system_faults], dtype=float)
        out: Floats = np.minimum(self.system_members @ hidden, 1.0)
        return out

    @cached_property
    def system_prior(self) -> Floats:
        """Chance of every set of faults of the system, each there or not by itself, shape (sets,)."""
        unit = self.knowledge.often.unit
        weight = np.array([
            np.prod([unit * f.odds * m.share / sum(x.share for x in f.mechanism) for f, m in chosen])
            for chosen in self.system_sets
        ])  # fmt: skip
        weight *= self.split_chance
        out: Floats = weight / weight.sum()
        return out

    def factors(self, terms: Terms) -> dict[Corner, Floats]:
        """By how much each kind of every corner multiplies each term by each way, shape (kinds, ways x terms).

        Of every fault that the two sides of the axle share there are two ways: that each side has it or not by itself,
        and that both have it by what they share.
        """
        out = {}
        for corner, by_term in terms.of_corners(self.corners).items():
            space = self.corners[corner]
            held = [space.kind_faults[:, space.spoken.index(fault.id)] for fault in self.shared[corner.axle]]
            by_fault = [np.column_stack([np.ones(space.kinds), has]) for has in held]
            out[corner] = reduce(_by_pairs, [*by_fault, by_term])
        return out

    def weight_of_ways(self, axle: Axle) -> Floats:
        """What every way weighs at each level of rust, shape (levels of rust, ways)."""
        by_fault = [np.column_stack([np.ones(len(times)), times]) for times in map(self.both, self.shared[axle])]
        return reduce(_by_pairs, by_fault, np.ones((len(self.knowledge.rust.levels), 1)))

    def both(self, fault: Fault) -> Floats:
        """How many times likelier two sides have a fault by what they share than each by itself, by level of rust: rust
        that brings it to both brings it once."""
        times = fault.both_sides.times if fault.both_sides else 0.0
        return np.array([times / level.likelier(fault) for level in self.knowledge.rust.levels])

    def variant_of(self, corner: Corner) -> Ints:
        """The variant of a corner in every visit."""
        place = list(self.corners).index(corner)
        return np.array([visit[place] for visit in self.visits])

    def looks_at(self, corners: tuple[Corner, ...]) -> Looks:
        """What visits look like at some corners; worked out once."""
        if corners not in self._looks:
            variants, of_visit = together([self.variant_of(corner) for corner in corners])
            members = (np.arange(len(variants[0]))[:, None] == of_visit).astype(float)
            self._looks[corners] = Looks(tuple(variants), of_visit, members)
        return self._looks[corners]

    @cached_property
    def _looks(self) -> dict[tuple[Corner, ...], Looks]:
        return {}

    @cached_property
    def visit_members(self) -> Floats:
        """1 where a set of faults of the system makes a visit, shape (visits, sets)."""
        return np.asarray(np.arange(len(self.visits))[:, None] == self.visit_of_set, dtype=float)

    def elementary(self, likelihood: Likelihood) -> Elementary:
        """The terms of a finding of the whole vehicle; worked out once."""
        if likelihood.key not in self._elementary:
            self._elementary[likelihood.key] = elementary(likelihood, self.corners, self.system_faults)
        return self._elementary[likelihood.key]

    @cached_property
    def _elementary(self) -> dict[str, Elementary]:
        return {}

    def speaks_of_corners(self, likelihood: Likelihood) -> bool:
        """Whether a fault at any corner speaks to a finding of the whole vehicle; worked out once."""
        if likelihood.key not in self._speaks_of_corners:
            faults = [(fault, corner.axle) for corner, space in self.corners.items() for fault in space.spoken]
            self._speaks_of_corners[likelihood.key] = any(likelihood.name_at(*fault) for fault in faults)
        return self._speaks_of_corners[likelihood.key]

    @cached_property
    def _speaks_of_corners(self) -> dict[str, bool]:
        return {}

    def chances_by_set(self, likelihood: Likelihood) -> Floats:
        """Chances of a finding's values by set of faults of the system, nothing being wrong at any corner.

        Shape (sets, values); worked out once.
        """
        if likelihood.key not in self._by_set:
            found = self.elementary(likelihood)
            factors = np.exp(self.system_members @ found.terms.system.T) * found.terms.coefficient
            self._by_set[likelihood.key] = np.asfortranarray(factors @ found.counts)  # read value by value
        return self._by_set[likelihood.key]

    @cached_property
    def _by_set(self) -> dict[str, Floats]:
        return {}


def _by_pairs(one: Floats, other: Floats) -> Floats:
    """The products of all columns of two tables, those of the other running fastest."""
    return np.asarray((one[:, :, None] * other[:, None, :]).reshape(len(one), -1))


def space_of(knowledge: Knowledge, specification: Specification) -> Space | None:
    """Return what could be wrong with a vehicle of this specification; None where no corner is diagnosed.

    Corners with drums are left out.
    """
    key, splits = StructureKey(knowledge), specification.circuit_splits
    corners = tuple(
        (
            corner,
            tuple(specification.circuit_of(corner, split) for split in splits),
            _possible(key, specification.axle_of(corner)),
        )
        for corner in specification.discs
    )
    shared = tuple((axle, _shared(key, of_axle)) for axle, of_axle in specification.axles.items())
    system = tuple(f.id for f in knowledge.faults if f.scope == "system" and specification.kind not in f.not_of)
    return _space(key, corners, shared, tuple(splits.values()), system) if corners else None


@lru_cache(maxsize=24)
def _possible(key: StructureKey, axle: AxleSpecification) -> tuple[tuple[str, ...], ...]:
    """The keys of the faults (with their mechanisms) that the corners of an axle can have."""
    out = []
    for fault in key.knowledge.faults:
        if fault.scope == "corner" and all(map(axle.has, fault.needs)):
            mechanisms = tuple(m.id for m in fault.mechanism if all(map(axle.has, m.needs)))
            if mechanisms:
                out.append((fault.id, *mechanisms))
    return tuple(out)


@lru_cache(maxsize=24)
def _shared(key: StructureKey, axle: AxleSpecification) -> tuple[str, ...]:
    """The faults that the two sides of an axle share, of those that its corners can have."""
    faults = [key.knowledge.fault[name] for name, *_ in _possible(key, axle)]
    return tuple(f.id for f in faults if f.both_sides and all(map(axle.has, f.both_sides.needs)))


class StructureKey(KnowledgeKey):
    """As `KnowledgeKey`, where only faults and likelihoods count: a workshop's prices and limits change no space."""

    def _parts(self) -> tuple[object, ...]:
        of = self.knowledge
        return of.faults, of.likelihoods, of.system_likelihoods, of.drag, of.wear, of.often, of.rust

    def __hash__(self) -> int:
        return hash(tuple(map(id, self._parts())))

    def __eq__(self, other: object) -> bool:
        return isinstance(other, StructureKey) and all(
            a is b for a, b in zip(self._parts(), other._parts(), strict=True)
        )


@lru_cache(maxsize=12)
def _corner_space(
    key: StructureKey, possible: tuple[tuple[str, ...], ...], variants: tuple[tuple[tuple[str, str], ...], ...]
) -> CornerSpace:
    """The rows of a kind of corner, which vehicles of many kinds have: its tables are large.

    possible : keys of the faults that it can have; variants : every set of faults of the system that can visit it,
    each fault with its mechanism.
    """
    fault = key.knowledge.fault

    def parts(name: str, mechanisms: Collection[str]) -> list[Part]:
        return [(fault[name], mechanism) for mechanism in fault[name].mechanism if mechanism.id in mechanisms]

    ways = [parts(name, mechanisms) for name, *mechanisms in possible]
    visitors = tuple(tuple(part for name, way in named for part in parts(name, (way,))) for named in variants)
    return corner_space(key.knowledge, ways, visitors)


@lru_cache(maxsize=24)
def _space(
    key: StructureKey,
    corners: tuple[tuple[Corner, tuple[str, ...], tuple[tuple[str, ...], ...]], ...],
    shared: tuple[tuple[Axle, tuple[str, ...]], ...],
    splits: tuple[float, ...],
    system: tuple[str, ...],
) -> Space:
    """As `space_of`: of every corner the circuit that feeds it by each way of splitting them, what the sides of every
    axle share, the chances of the splits, and the faults that the whole vehicle can have."""
    knowledge = key.knowledge
    system_faults = tuple(knowledge.fault[name] for name in system)
    of_faults = sets_of([[(fault, m) for m in fault.mechanism] for fault in system_faults], len(system_faults))
    system_sets, split_of_set, split_chance = [], [], []
    for chosen in of_faults:
        by_circuit = any(part[1].touches not in ("", "all") for part in chosen)
        for split, chance in enumerate(splits if by_circuit else (1.0,)):  # else either way visits the same
            system_sets.append(chosen)
            split_of_set.append(split)
            split_chance.append(chance)

    def visiting(circuit: str, chosen: Sequence[Part]) -> tuple[Part, ...]:
        return tuple(part for part in chosen if part[1].touches in ("all", circuit))

    def named(visitors: Sequence[Part]) -> tuple[str, ...]:
        return tuple(fault.id for fault, _ in visitors)

    spaces: dict[Corner, CornerSpace] = {}
    variants: list[list[int]] = []
    for corner, circuits, possible in corners:
        who = [visiting(circuits[split], chosen) for split, chosen in zip(split_of_set, system_sets, strict=True)]
        distinct = {named(visitors): visitors for visitors in reversed(who)}
        names = sorted(distinct, key=lambda ids: (len(ids), ids))
        visiting_it = tuple(tuple((fault.id, mechanism.id) for fault, mechanism in distinct[ids]) for ids in names)
        spaces[corner] = _corner_space(key, possible, visiting_it)
        variants.append([names.index(named(visitors)) for visitors in who])
    by_set = list(zip(*variants, strict=True))
    visits = tuple(dict.fromkeys(by_set))
    visit_of_set = np.array([visits.index(visit) for visit in by_set])
    sides = {axle: sum(corner.axle == axle for corner in spaces) for axle, _ in shared}
    both = {axle: tuple(knowledge.fault[f] for f in names) if sides[axle] > 1 else () for axle, names in shared}
    chances = np.array(split_chance)
    return Space(spaces, both, system_faults, tuple(system_sets), visits, visit_of_set, chances, knowledge)


def forget_spaces() -> None:
    """Forget every structure that was built: for whoever goes on with other tables."""
    _space.cache_clear()
    _possible.cache_clear()
    _shared.cache_clear()
    _corner_space.cache_clear()

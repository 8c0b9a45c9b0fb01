"""What each finding did: the weights of findings, taken in the order of the work.

A suspect's weights add up exactly: from its log-odds with everything found elsewhere on the vehicle to its posterior
log-odds. The weight of one finding is then the step it made. Points of what an axle shares that in the end hardly carry
any chance (`posterior.LEFT_OUT`) are left out, and the last step ends at the exact posterior.

Source: weight of evidence in decibans, [good].
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np

from mesotrope.core.evidence.pieces import Dragging, Evidence, Graded, Tapered, Warm, Worn
from mesotrope.core.inference.elimination import AxleSum, Side
from mesotrope.core.inference.posterior import Posterior, Suspect
from mesotrope.core.language.arrays import Floats
from mesotrope.core.language.corner import VEHICLE, Axle, Corner, Place
from mesotrope.core.language.faults import Fault


@dataclass(frozen=True, eq=False)
class StoryStep:
    """The same finding at one or both corners of an axle, with the chances of the suspects after it.

    `decibans` and `chances` have a column for each suspect, at its place in `columns`.
    """

    evidence: tuple[Evidence, ...]
    columns: Mapping[Suspect, int]
    decibans: Floats
    chances: Floats

    @cached_property
    def after(self) -> dict[Suspect, float]:
        """Chance of every suspect after this step."""
        chances = self.chances.tolist()
        return {suspect: chances[column] for suspect, column in self.columns.items()}

    def of(self, columns: Mapping[Suspect, int]) -> StoryStep:
        """The same step, of some of its suspects only."""
        return replace(self, columns=columns)

    @cached_property
    def weights(self) -> list[float]:
        """As `decibans`, in plain figures: much faster to look up one by one."""
        plain: list[float] = self.decibans.tolist()
        return plain

    def weight(self, suspect: Suspect) -> float:
        """Decibans for (or, below zero, against) a suspect."""
        column = self.columns.get(suspect)
        return 0.0 if column is None else self.weights[column]

    def said_at(self, corner: Place) -> tuple[Evidence, ...]:
        """The evidence to quote for a suspect at `corner`: its own, or its partner's where they are compared.

        For the whole system, any. Nothing where this step does not bear on that corner.
        """
        own = tuple(item for item in self.evidence if item.corner in (corner, VEHICLE))
        compared = tuple(item for item in self.evidence if isinstance(item, Worn | Dragging | Warm))
        return own or compared[:1] or (self.evidence[:1] if corner is VEHICLE else ())


def story(posterior: Posterior) -> list[StoryStep]:
    """What each finding did: those of the whole vehicle, then those of each axle."""
    return _of_whole(posterior) + [step for name in posterior.axles for step in _of_axle(posterior, name)]


def _of_whole(posterior: Posterior) -> list[StoryStep]:
    """What the findings of the whole vehicle did, with everything found at its corners known."""
    groups: dict[str, list[Graded]] = {}
    for item in posterior.of_system:
        groups.setdefault(item.finding, []).append(item)
    if not groups:
        return []
    told, so_far = [_chances(posterior, [])], []
    for items in groups.values():
        so_far += items
        speaks = any(map(posterior.speaks_of_corners, items))
        told.append(_chances(posterior, so_far, None if speaks else told[-1]))
    told[-1] = np.array([posterior.suspects()[name] for name in posterior.names])
    system_only: dict[Suspect, int] = {
        (VEHICLE, fault.id): column for column, fault in enumerate(posterior.space.system_faults)
    }
    steps = _steps([tuple(items) for items in groups.values()], posterior.names, np.array(told))
    return [
        step
        if any(posterior.speaks_of_corners(item) for item in step.evidence if isinstance(item, Graded))
        else step.of(system_only)
        for step in steps
    ]


def _chances(posterior: Posterior, items: Sequence[Graded], before: Floats | None = None) -> Floats:
    """Chances of all suspects, given all that was found at the corners and some of the findings of the vehicle.

    before : chances up to the last of these findings, where that does not speak of corners: theirs are then kept.
    """
    terms = posterior.terms_of(items)
    sums = posterior.mattering_sums(terms)
    vehicle = posterior.whole(items, terms, sums)
    sets = vehicle.sets.sum(axis=1)
    of_system = sets @ posterior.space.system_members / sets.sum()
    if before is not None:
        return np.concatenate([of_system, before[len(of_system) :]])
    out = [of_system]
    for name, one in sums.items():
        for side, told in zip(one.sides, one.back(vehicle.around(name)), strict=True):
            by_row = told[posterior.space.corners[side.corner].kind_of_row]
            out.append(_marginals(posterior, side.corner, posterior.mattering_weights[side.corner], by_row))
    return np.concatenate(out)


def _marginals(posterior: Posterior, corner: Corner, by_row: Floats, told: Floats) -> Floats:
    """Chances of a corner's faults, from the weights of its rows by point and what the rest says of each."""
    chances = np.einsum("rp,rp->r", by_row, told)
    out: Floats = chances @ posterior.space.corners[corner].row_faults / chances.sum()
    return out


def _of_axle(posterior: Posterior, name: Axle) -> list[StoryStep]:
    """What was found at the corners of an axle, with everything found elsewhere known."""
    axle, space = posterior.axles[name], posterior.space
    if not axle.groups:
        return []
    points, around = posterior.mattering[name], posterior.vehicle.around(name)
    by_set = posterior.vehicle.by_set
    others = posterior.rust_chance[:, None, None] * posterior.terms.coefficient
    for other, weight in posterior.vehicle.axles.items():
        if other != name:
            others = others * weight
    others = others * np.ones((1, len(space.visits), 1))
    factors = [posterior.terms.of_kinds(corner, at := space.corners[corner])[at.kind_of_row] for corner in axle.corners]
    rows: list[Floats] = []
    told = []
    for number, moment in enumerate(axle.moments):
        items = axle.groups[number - 1] if number else ()
        for place, (corner, found) in enumerate(zip(axle.corners, moment, strict=True)):
            table = axle.tables[corner]
            here = [item for item in items if item.corner == corner]
            simple = all(isinstance(item, Graded) and not item.likelihood.drag for item in here)
            if not number:
                rows.append(table.weights(found, points))
            elif here and simple:
                for item in here:
                    assert isinstance(item, Graded)
                    by_rust = table.tells(item)
                    rows[place] = rows[place] * (by_rust[points.rust] if len(by_rust) > 1 else by_rust).T
                rows[place] /= rows[place].max()
            elif here or axle.shared_wheel:
                rows[place] = table.weights(found, points)
        sides = [
            Side(corner, by_row, factor, space.corners[corner].rows_of_variant)
            for corner, by_row, factor in zip(axle.corners, rows, factors, strict=True)
        ]
        one = AxleSum(space, points, len(posterior.rust_chance), sides)
        of_visits = (others * one.weight).sum(axis=0)
        sets = np.einsum("st,st->s", by_set, of_visits[space.visit_of_set])
        chances = []
        for corner, by_row, told_of in zip(axle.corners, rows, one.back(around), strict=True):
            chances.append(_marginals(posterior, corner, by_row, told_of))
        told.append(np.concatenate([*chances, sets @ space.system_members / sets.sum()]))
    names = [suspect for corner in axle.corners for suspect in posterior.names_at(corner)]
    names += [(VEHICLE, fault.id) for fault in space.system_faults]
    exact = posterior.suspects()
    told[-1] = np.array([exact[suspect] for suspect in names])  # what the few points left out would have added
    return _steps(axle.groups, names, np.array(told))


def _steps(groups: Sequence[tuple[Evidence, ...]], names: Sequence[Suspect], chances: Floats) -> list[StoryStep]:
    """A step for every group; chances: of the suspects before any and after each, shape (groups + 1, suspects)."""
    odds = np.clip(chances, LEAST_CHANCE, 1 - LEAST_CHANCE)
    weights = np.diff(10 * np.log10(odds / (1 - odds)), axis=0)
    columns = {suspect: column for column, suspect in enumerate(names)}
    return [
        StoryStep(items, columns, weight, after)
        for items, weight, after in zip(groups, weights, chances[1:], strict=True)
    ]


def speaks_to(item: Evidence, fault: Fault) -> bool:
    """Whether a piece of evidence bears on a fault by itself, not only by what it says of its rivals."""
    if isinstance(item, Graded):
        drags = bool(item.likelihood.drag) and any(mechanism.drag for mechanism in fault.mechanism)
        return drags or any(item.likelihood.row(fault.id, mechanism.id) for mechanism in fault.mechanism)
    if isinstance(item, Tapered):
        column = "fore_aft" if item.direction == "fore_aft" else "radial"
        return any(getattr(mechanism, column) for mechanism in fault.mechanism)
    return any(mechanism.drag for mechanism in fault.mechanism)


#: Chances are never nearer to none or all than this when their odds are taken.
LEAST_CHANCE = 1e-12


def decibans(chance: float, chance_without: float) -> float:
    """Weight of evidence: how far a finding moved a suspect's odds, in decibans (tenths of a power of ten).

    Source: [good].

    >>> round(decibans(10 / 11, 1 / 2), 6)
    10.0
    """

    def log_odds(p: float) -> float:
        p = min(max(p, LEAST_CHANCE), 1 - LEAST_CHANCE)
        return 10 * math.log10(p / (1 - p))

    return log_odds(chance) - log_odds(chance_without)

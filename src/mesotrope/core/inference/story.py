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
from itertools import groupby

import numpy as np

from mesotrope.core.evidence.pieces import Evidence, Graded, Tapered
from mesotrope.core.inference.alike import likely
from mesotrope.core.inference.corner_table import FoundAtCorner
from mesotrope.core.inference.posterior import Posterior, Suspect
from mesotrope.core.language.arrays import Floats
from mesotrope.core.language.corner import VEHICLE, Corner, Place
from mesotrope.core.language.faults import Fault


@dataclass(frozen=True, eq=False)
class StoryStep:
    """One finding at a corner, or of the whole vehicle, with all its parts, and the chances of the suspects after it.

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

    def weight(self, suspect: Suspect) -> float:
        """Decibans for (or, below zero, against) a suspect."""
        column = self.columns.get(suspect)
        return 0.0 if column is None else float(self.decibans[column])

    def said_at(self, corner: Place) -> tuple[Evidence, ...]:
        """The evidence to quote for a suspect at `corner`: its own or the vehicle's; for the whole system, any."""
        own = tuple(item for item in self.evidence if item.corner in (corner, VEHICLE))
        return own or (self.evidence[:1] if corner is VEHICLE else ())


def story(posterior: Posterior) -> list[StoryStep]:
    """What each finding did: those of the whole vehicle, then those of each corner."""
    return _of_whole(posterior) + [step for corner in posterior.space.corners for step in _of_corner(posterior, corner)]


def _of_whole(posterior: Posterior) -> list[StoryStep]:
    """What the findings of the whole vehicle did, with everything found at its corners known."""
    groups: dict[str, list[Graded]] = {}
    for item in posterior.found.items:
        groups.setdefault(item.finding, []).append(item)
    if not groups:
        return []
    space = posterior.space
    speaking: list[Graded] = []
    by_set, at_corners = _with_findings_that_speak_of_corners(posterior, speaking)
    told = [np.concatenate([by_set @ space.system_members / by_set.sum(), at_corners])]
    direct = np.ones(len(by_set))
    for items in groups.values():
        more = [item for item in items if posterior.found.speaks_of_corners(item)]
        for item in items:
            if item not in more:
                direct = direct * likely(space.chances_by_set(item.likelihood), item.emission)
        if more:
            speaking += more
            by_set, at_corners = _with_findings_that_speak_of_corners(posterior, speaking)
        now = by_set * direct
        told.append(np.concatenate([now @ space.system_members / now.sum(), at_corners]))
    told[-1] = np.array([posterior.suspects()[name] for name in posterior.names])
    system_only: dict[Suspect, int] = {(VEHICLE, fault.id): n for n, fault in enumerate(space.system_faults)}
    return [
        step if any(map(posterior.found.speaks_of_corners, items)) else step.of(system_only)
        for items, step in zip(
            groups.values(),
            _steps([tuple(items) for items in groups.values()], posterior.names, np.array(told)),
            strict=True,
        )
    ]


def _with_findings_that_speak_of_corners(posterior: Posterior, items: Sequence[Graded]) -> tuple[Floats, Floats]:
    """Weight of every set of faults of the system, and chances of the corners' faults, given all that was found at the
    corners and some of the findings of the vehicle that speak of them."""
    terms = posterior.found.terms_of(items)
    vehicle = posterior.as_it_would_matter(items, terms)
    at_corners = [said.chances() @ said.side.space.state_members for said in vehicle.said.values()]
    return vehicle.sets.sum(axis=1), np.concatenate(at_corners)


def _of_corner(posterior: Posterior, corner: Corner) -> list[StoryStep]:
    """What was found at a corner, with everything found elsewhere known, at its partner too.

    What the findings of the vehicle and the partner say of its kinds is taken as it turned out.
    """
    axle, space = posterior.axles[corner.axle], posterior.space.corners[corner]
    found, said = axle.at[corner], posterior.mostly_said_of_rows(corner)
    groups: list[tuple[Evidence, ...]] = []
    first, *after = found.moments()
    moments = [first]
    for items, moment in zip(axle.groups, after, strict=True):
        if here := tuple(item for item in items if item.corner == corner):
            groups.append(here)
            moments.append(moment)
    if not groups:
        return []
    by_moment = []
    for _, run in groupby(moments, key=_by_point):
        same = list(run)
        weights = found.weighed_at(same[0])
        by_moment.append(weights.at_moments(weights.said_of_rows(said), same))
    chances = np.concatenate(by_moment)
    chances /= chances.sum(axis=1, keepdims=True)
    visited = np.add.reduceat(chances, space.variant_start, axis=1)
    told = np.hstack([chances @ space.row_faults, visited @ posterior.faults_by_variant(corner)])
    names = [*posterior.names_at(corner), *((VEHICLE, fault.id) for fault in posterior.space.system_faults)]
    exact = posterior.suspects()
    told[-1] = [exact[suspect] for suspect in names]  # what the few points left out would have added
    return _steps(groups, names, told)


def _by_point(moment: FoundAtCorner) -> tuple[int, ...]:
    """What of a corner's findings stands by points of its axle: the same as long as nothing of it was found."""
    return id(moment.pads), id(moment.drag), id(moment.held)


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
        marks = bool(item.likelihood.drag) and any(mechanism.rubs for mechanism in fault.mechanism)
        told = any(item.likelihood.row(fault.id, mechanism.id) for mechanism in fault.mechanism)
        return marks or told or bool(item.likelihood.rows_of(fault.id))
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

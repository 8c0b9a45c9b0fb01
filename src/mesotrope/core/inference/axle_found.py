"""What was found at the corners of an axle, moment by moment in the order of the work, and the points they share."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np

from mesotrope.core.evidence.pieces import Dragging, Evidence, Graded, Worn
from mesotrope.core.evidence.specification import Specification
from mesotrope.core.inference.corner_found import Shared, corner_found
from mesotrope.core.inference.corner_table import CornerTable, FoundAtCorner, Points
from mesotrope.core.inference.densities import Driven, axle_grid, drag_density, level_torques_nm
from mesotrope.core.inference.vehicle_space import Space
from mesotrope.core.language.arrays import Floats
from mesotrope.core.language.corner import Axle, Corner
from mesotrope.core.language.inspection import STAGES
from mesotrope.core.language.knowledge import Knowledge


class AxleFound:
    """The corners of an axle and what was found there.

    `groups` are the pieces of evidence that are taken in between one moment of each corner (`at`) and the next.
    """

    def __init__(
        self,
        knowledge: Knowledge,
        specification: Specification,
        space: Space,
        name: Axle,
        evidence: Sequence[Evidence],
        km_since_fitted: Mapping[Axle, float | None],
        usage: str | None,
    ) -> None:
        self.knowledge = knowledge
        self.name = name
        self.corners = space.axles[name]
        driven = Driven.of(knowledge, specification, name, km_since_fitted, usage)
        self.grid = grid = axle_grid(knowledge, specification, name, driven)
        self.torque_nm = torque_nm = level_torques_nm(knowledge, specification)
        evidence = [item for item in evidence if item.corner in self.corners]
        self.shared_wheel = shared_wheel = len(self.corners) > 1 and specification.shares_wheel(self.corners[0])
        self.tables = {corner: CornerTable(knowledge, space.corners[corner], driven) for corner in self.corners}
        any_worn = any(isinstance(item, Worn) for item in evidence)
        any_drag = any(isinstance(item, Dragging) for item in evidence)
        levels = len(knowledge.drag.levels)
        drag_chance = grid.driveline_chance if any_drag else np.ones(1)
        drags = [np.ones((levels, len(drag_chance)))] * len(self.corners)
        if any_drag and self.shared_wheel:
            # The grid's drags are pairs: the driveline's, and the drag level of the right corner.
            drag_chance = np.repeat(drag_chance, levels)
            same_level = np.tile(np.eye(levels)[:, None, :], (1, len(grid.driveline_nm), 1))
            drags = [np.ones((levels, len(drag_chance))), same_level.reshape(levels, -1)]
        wear_chance = grid.wear_chance if any_worn else np.ones(1)
        self.wears = len(wear_chance)
        rusts = len(knowledge.rust.levels)
        self.points = Points.grid(rusts, drag_chance, wear_chance)
        self.groups = _side_by_side(evidence, knowledge)
        shared = Shared(
            self.wears,
            lambda item: _drag_density(knowledge, torque_nm, grid.driveline_nm, item, shared_wheel),
            (torque_nm.tobytes(), grid.driveline_nm.tobytes(), shared_wheel),
        )
        taken: dict[Corner, list[list[Evidence]]] = {corner: [[] for _ in self.groups] for corner in self.corners}
        for number, group in enumerate(self.groups):
            for item in group:
                taken[self._corner_of(item)][number].append(item)
        self.at = {
            corner: corner_found(self.tables[corner], drag, taken[corner], shared)
            for corner, drag in zip(self.corners, drags, strict=True)
        }

    def found(self, corner: Corner) -> FoundAtCorner:
        """Everything that was found at a corner."""
        return self.at[corner].last

    def _corner_of(self, item: Evidence) -> Corner:
        """The corner at which a piece of evidence is taken in: a shared wheel's drag at its left one."""
        assert isinstance(item.corner, Corner)
        return self.corners[0] if self.shared_wheel and isinstance(item, Dragging) else item.corner


def _drag_density(
    knowledge: Knowledge, torque_nm: Floats, driveline_nm: Floats, item: Dragging, shared_wheel: bool
) -> Floats:
    """How likely a measured drag is, by level and drag of the axle's grid."""
    if not shared_wheel:
        return drag_density(knowledge, torque_nm, item, driveline_nm, np.zeros(1), np.zeros(1))
    other_nm = torque_nm[None, :]
    other_log_sd = np.array(knowledge.drag.torque_log_sd)[None, :]
    joint = drag_density(knowledge, torque_nm, item, driveline_nm[:, None], other_nm, other_log_sd)
    return joint.reshape(len(joint), -1)


def _side_by_side(evidence: Sequence[Evidence], knowledge: Knowledge) -> list[tuple[Evidence, ...]]:
    """The same finding of both sides together, with all its parts, in the order of the work: compared, not queued."""
    groups: dict[tuple[object, ...], list[Evidence]] = {}
    for item in evidence:
        key = item.finding if isinstance(item, Graded) else getattr(item, "direction", "")
        groups.setdefault((type(item), key), []).append(item)

    def order(items: list[Evidence]) -> tuple[int, int, str]:
        first = items[0]
        field = knowledge.corner_finding.get(first.finding)
        row = knowledge.likelihood_place[first.likelihood.key] if isinstance(first, Graded) else -1
        return STAGES.index(field.stage if field else STAGES[0]), row, type(first).__name__

    return [tuple(items) for items in sorted(groups.values(), key=order)]

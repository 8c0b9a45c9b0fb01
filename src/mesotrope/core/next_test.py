"""What to check next: the tests not yet made, by how much each can be expected to tell for its minutes.

Source: expected information, Shannon 1948; value of information, Howard 1966 (both from memory).
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from itertools import combinations

import numpy as np

from mesotrope.core.diagnosis import Posterior, wear_grid_mm, wear_model
from mesotrope.core.evidence import CornerMeasures, emission_of, in_words, shares_wheel
from mesotrope.core.findings import STAGES, Inspection, leaves
from mesotrope.core.model import Knowledge, Likelihood, VocabularyField
from mesotrope.core.space import CornerSpace, Floats
from mesotrope.core.specification import AxleSpecification, Specification
from mesotrope.core.vocabulary import field_of

#: Less than this is not worth anybody's minutes.
LEAST_BITS = 0.02


@dataclass(frozen=True)
class NextTest:
    """A test worth making: what it is expected to tell, what it takes, and which suspects it settles."""

    finding: str
    corner: str
    bits: float
    minutes: float
    because: str


def information_bits(row_chance: Floats, state_of_row: np.ndarray, outcome_chance: Floats) -> float:
    """Bits that a test's outcome tells of the state: H(outcome) − Σ p(state) H(outcome | state).

    row_chance : (rows,); state_of_row : which state each row belongs to; outcome_chance : (rows, outcomes).

    >>> half = np.array([0.5, 0.5])
    >>> information_bits(half, np.array([0, 1]), np.array([[1.0, 0.0], [0.0, 1.0]]))
    1.0
    >>> information_bits(half, np.array([0, 1]), np.array([[0.5, 0.5], [0.5, 0.5]]))
    0.0
    """
    joint = np.zeros((state_of_row.max() + 1, outcome_chance.shape[1]))
    np.add.at(joint, state_of_row, row_chance[:, None] * outcome_chance)
    joint = joint / joint.sum()

    def plogp(p: Floats) -> float:
        return float((p[p > 0] * np.log2(p[p > 0])).sum())

    return max(0.0, plogp(joint) - plogp(joint.sum(axis=0)) - plogp(joint.sum(axis=1)))


def next_tests(
    posterior: Posterior,
    inspection: Inspection,
    specification: Specification,
    measures: Mapping[str, CornerMeasures],
    knowledge: Knowledge,
    most: int = 6,
) -> list[NextTest]:
    """The tests not yet made at the corners, best information for their minutes first.

    A test that this axle cannot have is never offered, nor one that tells only while the wheel drags where it
    does not. Getting at a corner (wheel off, parts out) is counted once, until something was found there.
    """
    out: list[NextTest] = []
    for corner, space in posterior.space.corners.items():
        axle = specification.axle_of(corner)
        found = dict(leaves(inspection.corner(corner)))
        done = {path.split(".")[0] for path in found}
        reached = max((_stage_rank(path, knowledge) for path in found), default=0)
        rows = posterior.row_chances(corner)
        state_of_row = np.repeat(np.arange(space.states), np.diff(np.append(space.state_start, space.rows)))
        drags = _drags(space, rows, measures[corner], knowledge)
        for finding, tables in _tests(space, axle, specification, corner, knowledge).items():
            field = _field(finding, knowledge)
            if finding in done or (field.while_dragging and not drags) or not all(map(axle.has, field.needs)):
                continue
            outcomes = _joint(tables)
            bits = information_bits(rows, state_of_row, outcomes)
            if bits >= LEAST_BITS:
                access = 0.0 if _rank(field.stage) <= reached else knowledge.access_minutes.get(field.stage, 0.0)
                because = _settles(space, rows, outcomes, knowledge)
                out.append(NextTest(finding, corner, bits, field.minutes + access, because))
    out.sort(key=lambda test: (-test.bits / test.minutes, test.corner, test.finding))
    return out[:most]


def _rank(stage: str) -> int:
    return STAGES.index(stage)  # type: ignore[arg-type]


def _stage_rank(path: str, knowledge: Knowledge) -> int:
    field = field_of(path, knowledge.corner_fields)
    return _rank(field.stage) if field else 0


def _field(finding: str, knowledge: Knowledge) -> VocabularyField:
    return next(field for field in knowledge.corner_fields if field.key.split(".")[0] == finding)


def _drags(space: CornerSpace, rows: Floats, measured: CornerMeasures, knowledge: Knowledge) -> bool:
    if measured.drag is not None:
        return measured.drag.torque_nm >= knowledge.limit["drag_free_nm"]
    return float(rows @ space.drag_chances[:, 2:].sum(axis=1)) >= 0.5


def _tests(
    space: CornerSpace,
    axle: AxleSpecification,
    specification: Specification,
    corner: str,
    knowledge: Knowledge,
) -> dict[str, list[Floats]]:
    """For every test: chances of the outcomes of each of its parts, by row."""
    out: dict[str, list[Floats]] = {}
    for likelihood in knowledge.likelihoods:
        if likelihood.key == "piston_pushback.best" and axle.pistons < 2:
            continue
        out.setdefault(likelihood.name, []).append(_outcomes(space, likelihood))
    if not (shares_wheel(specification, corner) and corner.endswith("right")):
        out["spin"] = [_spin_outcomes(space, knowledge)]
    out["pad_mm"] = [_pad_outcomes(space, axle, knowledge)]
    return out


def _outcomes(space: CornerSpace, likelihood: Likelihood) -> Floats:
    chances = space.chances(likelihood)
    if likelihood.mean is None or likelihood.sd is None:
        return chances
    spread = np.hypot(np.array(likelihood.sd), likelihood.gauge_sd)
    low = (np.array(likelihood.mean) - 2 * spread).min()
    high = (np.array(likelihood.mean) + 2 * spread).max()
    seen = np.array([emission_of(likelihood, value) for value in np.linspace(low, high, 9)])
    return chances @ (seen / seen.sum(axis=0)).T


def _spin_outcomes(space: CornerSpace, knowledge: Knowledge) -> Floats:
    drag = knowledge.drag
    level, spread = np.log(drag.torque_nm)[:, None], np.hypot(drag.torque_log_sd, 0.25)[:, None]
    seen = np.exp(-0.5 * ((np.linspace(-0.5, 4.0, 10)[None, :] - level) / spread) ** 2)
    return space.drag_chances @ (seen / seen.sum(axis=1, keepdims=True))


def _pad_outcomes(space: CornerSpace, axle: AxleSpecification, knowledge: Knowledge) -> Floats:
    """Inner against outer of half-worn pads, in nine steps: what the comparison of two pads can show."""
    model = wear_model(space, axle.pad_new_mm)
    half = len(wear_grid_mm(knowledge, axle.pad_new_mm)) // 2
    split = model.inner_mm[:, :, half] - model.outer_mm[:, :, half]
    var = model.inner_var[:, :, half] + model.outer_var[:, :, half] - 2 * model.covariance[:, :, half]
    sd = np.sqrt(var + 2 * knowledge.gauge["depth_gauge_mm"] ** 2)
    steps = np.linspace(-0.6, 0.6, 9) * axle.pad_new_mm
    seen = np.exp(-0.5 * ((steps - split[:, :, None]) / sd[:, :, None]) ** 2) / sd[:, :, None] + 1e-6
    seen = seen / seen.sum(axis=2, keepdims=True)
    return np.einsum("rl,rlo->ro", space.drag_chances, seen[1:][model.row_pattern])


def _joint(tables: list[Floats]) -> Floats:
    """Outcomes of several parts of one test together: independent, given the row."""
    out = tables[0]
    for table in tables[1:]:
        out = (out[:, :, None] * table[:, None, :]).reshape(len(out), -1)
    return out


def _settles(space: CornerSpace, rows: Floats, outcomes: Floats, knowledge: Knowledge) -> str:
    """Name the two explanations that this test tells apart best, weighed by their chances."""
    views: list[tuple[str, float, Floats]] = []
    none = np.array([not parts and not visitors for parts, visitors in zip(space.parts, space.visitors, strict=True)])
    members = {
        fault.id: np.array([any(f is fault for f, _ in parts) for parts in space.parts]) for fault in space.faults
    }
    for name, has in {**members, knowledge.none.id: none}.items():
        weight = rows * has
        if weight.sum() > 0.02:
            views.append((knowledge.words(name), float(weight.sum()), weight @ outcomes / weight.sum()))
    pairs = [
        (min(p, q) * float(np.abs(a - b).sum()), first, second)
        for (first, p, a), (second, q, b) in combinations(views, 2)
    ]
    if not pairs:
        return "confirms what is suspected"
    _, first, second = max(pairs)
    return f"tells “{first}” from “{second}”"


def in_order_words(test: NextTest, knowledge: Knowledge) -> str:
    """Say a test as an instruction: where and what."""
    return f"{in_words(test.corner)}: {_field(test.finding, knowledge).label}"

"""What a test can show, and how many bits its outcome tells."""

from __future__ import annotations

from collections.abc import Sequence
from functools import lru_cache, reduce
from typing import NamedTuple

import numpy as np

from mesotrope.core.decision.foretold import SPINS, STEPS, seen_in_steps
from mesotrope.core.evidence.measures import CornerMeasures
from mesotrope.core.evidence.specification import AxleSpecification
from mesotrope.core.inference.alike import Alike, together
from mesotrope.core.inference.corner_space import CornerSpace
from mesotrope.core.inference.densities import Driven, wear_grid_mm, wear_model
from mesotrope.core.language.arrays import Floats, Ints
from mesotrope.core.language.faults import Likelihood
from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.language.reliance import relies_on
from mesotrope.core.language.saying import Sayable, marked

RELIES_ON = relies_on("check next", "depth_gauge_mm", "infrared_c", "temperature_fault_k", "temperature_look_k")


def told_bits(chance: Floats, outcomes: Floats, entropy: Floats | None = None) -> float:
    """Bits that a test's outcome tells of what is the case: H(outcome) less what stays unknown when the case is known.

    chance : of every case; outcomes : chances of the outcomes in every case, shape (cases, outcomes); entropy : of
    every row of `outcomes`, where it was worked out before. Source: [shannon].

    >>> told_bits(np.array([0.5, 0.5]), np.array([[1.0, 0.0], [0.0, 1.0]]))
    1.0
    >>> told_bits(np.array([0.5, 0.5]), np.array([[0.5, 0.5], [0.5, 0.5]]))
    0.0
    """
    known = entropy_bits(outcomes) if entropy is None else entropy
    whole = chance @ outcomes / chance.sum()
    return max(0.0, float(entropy_bits(whole[None, :])[0] - chance @ known / chance.sum()))


def entropy_bits(chances: Floats) -> Floats:
    """Entropy of every row of chances, bits.

    >>> entropy_bits(np.array([[0.5, 0.5], [1.0, 0.0]])).tolist()
    [1.0, 0.0]
    """
    out: Floats = -(chances * np.log2(np.where(chances > 0, chances, 1.0))).sum(axis=1)
    return np.abs(out)


#: Steps of the logarithm of a torque in N·m that a spin can show.
SPIN_STEPS = np.linspace(-0.5, 4.0, 10)

#: How far over what braking itself does a hub can be, K: alike, warmer, hot, very hot.
HUB_STEPS_K = np.array([-18.0, 0.0, 15.0, 35.0, 60.0, 90.0, 130.0, 180.0, 240.0])

#: A measured finding of the whole vehicle is seen in as many steps.
SYSTEM_STEPS = 5


class Shows(NamedTuple):
    """What a test would show: its parts, which are independent given the row, and the entropy of each part's cases."""

    parts: tuple[Alike, ...]
    entropies: tuple[Floats, ...]

    @classmethod
    def of(cls, *parts: Alike) -> Shows:
        return cls(parts, tuple(entropy_bits(part.shows) for part in parts))

    def at(self, rows: Ints | slice = slice(None)) -> tuple[Floats, Floats]:
        """Chances of the outcomes of all parts together at all rows, or some, shape (rows, outcomes), and the entropy
        of each."""
        outcomes = joint([part.of_rows(rows) for part in self.parts])
        of_each = (bits[part.case[rows]] for part, bits in zip(self.parts, self.entropies, strict=True))
        return outcomes, reduce(np.add, of_each)


def corner_tests(space: CornerSpace, axle: AxleSpecification, driven: Driven) -> dict[str, Shows]:
    """What every test at a corner would show.

    driven : the axle's pads, of which nothing is known but what they are.
    """
    return {**_graded_tests(space, axle.pistons > 1), "pad_mm": _pad_test(space, driven)}


@lru_cache(maxsize=4)
def _graded_tests(space: CornerSpace, several_pistons: bool) -> dict[str, Shows]:
    """All but the comparing of pads: the same for every corner that can have the same faults."""
    knowledge = space.knowledge
    parts: dict[str, list[Alike]] = {}
    for finding in dict.fromkeys(row.name for row in knowledge.likelihoods):
        parts[finding] = [_outcomes(space, row) for row in likelihoods_of(finding, several_pistons, knowledge)]
    parts["spin"] = [_spin_outcomes(space, knowledge)]
    parts["hub_temperature_c"] = [_hub_outcomes(space, knowledge)]
    return {finding: Shows.of(*tables) for finding, tables in parts.items()}


@lru_cache(maxsize=12)
def _pad_test(space: CornerSpace, driven: Driven) -> Shows:
    return Shows.of(_pad_outcomes(space, driven))


def _outcomes(space: CornerSpace, likelihood: Likelihood) -> Alike:
    chances = space.chances(likelihood)
    return Alike(stepped(chances.shows, likelihood), chances.case)


def stepped(chances: Floats, likelihood: Likelihood, steps: int = STEPS) -> Floats:
    """Chances of outcomes from chances of grades: a measured quantity is seen in some steps over its range."""
    if likelihood.mean is None or likelihood.sd is None:
        return chances
    return chances @ seen_in_steps(likelihood, steps).T


def spin_answers(knowledge: Knowledge) -> list[Sayable]:
    """How a hand would say each step of a spin: as the level of drag whose torque is the nearest.

    >>> from mesotrope.knowledge import knowledge
    >>> [str(words) for words in spin_answers(knowledge())][1::3]
    ['turns freely', 'drags lightly', 'drags hard']
    """
    apart = np.log(knowledge.drag.torque_nm)[:, None] - SPIN_STEPS[None, :]
    return [SPINS[knowledge.drag.levels[level]] for level in np.abs(apart).argmin(axis=0)]


def _spin_outcomes(space: CornerSpace, knowledge: Knowledge) -> Alike:
    drag = knowledge.drag
    level, spread = np.log(drag.torque_nm)[:, None], np.hypot(drag.torque_log_sd, 0.25)[:, None]
    seen = np.exp(-0.5 * ((SPIN_STEPS[None, :] - level) / spread) ** 2)
    return Alike(space.drag.shows @ (seen / seen.sum(axis=1, keepdims=True)), space.drag.case)


def hub_answers(knowledge: Knowledge) -> list[Sayable]:
    """How each step of a hub's warmth is said: by the limits at which a difference is worth a look, and a fault.

    >>> from mesotrope.knowledge import knowledge
    >>> [str(words) for words in hub_answers(knowledge())][::3]
    ['as warm as usual', 'warmer than usual', 'far too hot']
    """
    usual, warm, hot = marked("as warm as usual"), marked("warmer than usual"), marked("far too hot")
    look_k, fault_k = knowledge.limit["temperature_look_k"], knowledge.limit["temperature_fault_k"]
    return [usual if k < look_k else warm if k < fault_k else hot for k in HUB_STEPS_K]


def _hub_outcomes(space: CornerSpace, knowledge: Knowledge) -> Alike:
    known = knowledge.warmth
    spread = np.hypot(np.array(known.rise_sd_k), known.beside_partner_share * known.usual_sd_k)
    spread = np.hypot(spread, knowledge.gauge["infrared_c"])[:, None]
    seen = np.exp(-0.5 * ((HUB_STEPS_K[None, :] - np.array(known.rise_k)[:, None]) / spread) ** 2) + 1e-6
    seen *= np.gradient(HUB_STEPS_K)
    return Alike(space.drag.shows @ (seen / seen.sum(axis=1, keepdims=True)), space.drag.case)


def _pad_outcomes(space: CornerSpace, driven: Driven) -> Alike:
    """Inner against outer of half-worn pads, in nine steps: what the comparison of two pads can show."""
    knowledge, patterns = space.knowledge, space.wear_patterns
    model = wear_model(knowledge, patterns, driven)
    half = len(wear_grid_mm(knowledge, driven.new_mm)) // 2
    then = model.wear == half
    split = (model.inner_mm - model.outer_mm)[:, then]
    var = (model.inner_var + model.outer_var - 2 * model.covariance)[:, then]
    sd = np.sqrt(var + 2 * knowledge.gauge["depth_gauge_mm"] ** 2)[..., None]
    steps = np.linspace(-0.6, 0.6, 9) * driven.new_mm
    seen = np.exp(-0.5 * ((steps - split[..., None]) / sd) ** 2) / sd + 1e-6
    by_level = np.einsum("la,lapo->lpo", model.chance[:, half, then], seen / seen.sum(axis=-1, keepdims=True))
    (drag, pattern), case = together([space.drag.case, patterns.of_row])
    return Alike(np.einsum("rl,lro->ro", space.drag.shows[drag], by_level[:, pattern]), case)


def joint(tables: Sequence[Floats]) -> Floats:
    """Outcomes of several parts of one test together: independent, given the row."""
    out = tables[0]
    for table in tables[1:]:
        out = (out[:, :, None] * table[:, None, :]).reshape(len(out), -1)
    return out


def likelihoods_of(finding: str, several_pistons: bool, knowledge: Knowledge) -> list[Likelihood]:
    """The rows that a test answers at a caliper of one piston or of several, in the order of its outcomes."""
    return [
        row
        for row in knowledge.likelihoods
        if row.name == finding and (row.key != "piston_pushback.best" or several_pistons)
    ]


def with_lining_left(outcomes: Floats, measured: CornerMeasures, knowledge: Knowledge) -> Floats:
    """What a look at both linings would show, where some were measured: none that is there shows bare metal.

    outcomes : by case and outcome, shape (cases, outcomes), inner by outer, of `pad_condition`.

    >>> from mesotrope.core.language.quantity import Measure
    >>> from mesotrope.core.physics.pads import PadMeasure
    >>> from mesotrope.knowledge import knowledge
    >>> thick = PadMeasure(Measure(8.0, 0.1), 8.0, None, None)
    >>> seen = with_lining_left(np.full((1, 49), 1 / 49), CornerMeasures(inner=thick), knowledge())
    >>> [round(float(share), 3) for share in seen.reshape(7, 7).sum(axis=1)]
    [0.167, 0.167, 0.167, 0.167, 0.167, 0.0, 0.167]
    """
    rows = [knowledge.likelihood[f"pad_condition.{side}"] for side in ("inner", "outer")]
    seen = outcomes.reshape(len(outcomes), *(len(row.order) for row in rows)).copy()
    for axis, (row, pad) in enumerate(zip(rows, (measured.inner, measured.outer), strict=True), start=1):
        if pad is not None and pad.thinnest_mm > knowledge.threshold["lining_left_mm"]:
            np.moveaxis(seen, axis, 0)[row.order.index("metal_to_metal")] = 0.0
    left = seen.reshape(outcomes.shape)
    out: Floats = left / left.sum(axis=1, keepdims=True)
    return out

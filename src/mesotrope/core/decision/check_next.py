"""What to check next: the tests not yet made, by how much each can be expected to tell for its minutes.

Source: expected information, [shannon]; value of information, [howard].
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from functools import lru_cache
from itertools import combinations

import numpy as np

from mesotrope.core.decision.access import access_minutes, rank
from mesotrope.core.decision.complaint import pointed_at
from mesotrope.core.decision.costs import left_cost, saved_by_knowing, work_cost
from mesotrope.core.decision.foretold import Foretold, answers_of, foretell, seen_in_steps
from mesotrope.core.decision.outcomes import (
    SYSTEM_STEPS,
    corner_tests,
    entropy_bits,
    likelihoods_of,
    spin_answers,
    told_bits,
    with_lining_left,
)
from mesotrope.core.evidence.measures import CornerMeasures
from mesotrope.core.evidence.specification import Specification
from mesotrope.core.inference.corner_space import CornerSpace
from mesotrope.core.inference.densities import Driven
from mesotrope.core.inference.posterior import Foreseen, Posterior
from mesotrope.core.inference.vehicle_space import Space
from mesotrope.core.language.arrays import Floats
from mesotrope.core.language.corner import VEHICLE, Corner, Place, listed
from mesotrope.core.language.faults import Fault, Likelihood
from mesotrope.core.language.inspection import Inspection
from mesotrope.core.language.knowledge import Knowledge, KnowledgeKey
from mesotrope.core.language.paths import leaves
from mesotrope.core.language.reliance import relies_on
from mesotrope.core.language.saying import Sayable, marked, said
from mesotrope.core.language.vocabulary import VocabularyField

RELIES_ON = relies_on("check next", "drag_free_nm")

#: Rows rarer than this are left out of what a test could tell.
FAR_FETCHED_ROW = 1e-6

#: As many of the best tests say what they tell apart; the others only count for the order of work.
MOST_EXPLAINED = 12

#: As many of the best tests tell what each answer would do.
MOST_FORETOLD = 3


@dataclass(frozen=True)
class NextTest:
    """A test worth making: what it is expected to tell, what it takes, and which suspects it settles.

    `saves` is the money that knowing its answer is expected to save in the decision at hand; `worth` the money for
    every minute it takes, with what the bits are worth for the decisions that follow.
    """

    finding: str
    corner: Place
    bits: float
    minutes: float
    because: Sayable
    stage: str
    decides: bool
    saves: float = 0.0
    worth: float = 0.0
    foretold: tuple[Foretold, ...] = ()


@dataclass(frozen=True, eq=False)
class _Candidate:
    finding: str
    corner: Corner
    bits: float
    minutes: float
    stage: str
    here: _Believed
    outcomes: Floats

    @property
    def space(self) -> CornerSpace:
        return self.here.space

    @property
    def rows(self) -> Floats:
        return self.here.rows


@dataclass(frozen=True, eq=False)
class _Believed:
    """What is now believed of one corner: chances of its rows, of the faults in each row, and of each fault."""

    space: CornerSpace
    rows: Floats
    weights: Floats
    now: Floats


def next_tests(
    posterior: Posterior,
    inspection: Inspection,
    specification: Specification,
    measures: Mapping[Corner, CornerMeasures],
    knowledge: Knowledge,
) -> list[NextTest]:
    """The tests not yet made at the corners: those that could change the decision first, then by bits a minute.

    Among the first, those come before that are made where an unexplained complaint points at.

    A test could change the decision where an outcome that is not far-fetched leads to other work; one whose answers
    all lead to the same work could not. A test that this axle cannot have is never offered, nor one that tells only
    while the wheel drags where it does not. Getting at a corner (wheel off, parts out) is counted once, until something
    was found there; putting it together again, for a test that needs its caliper in place, is counted too.
    """
    found = {corner: dict(leaves(inspection.corner(corner))) for corner in specification.corners}
    reached = {
        corner: max((_stage_rank(name, knowledge) for name in {p.split(".")[0] for p in paths}), default=0)
        for corner, paths in found.items()
    }
    off_the_road = max(reached.values()) >= rank("wheel_off")
    candidates: list[_Candidate] = []
    for corner, space in posterior.space.corners.items():
        axle = specification.axle_of(corner)
        done = {path.split(".")[0] for path in found[corner]}
        driven = Driven.of(knowledge, specification, corner.axle, {}, None)
        rows = posterior.row_chances(corner)
        live = np.flatnonzero(rows > FAR_FETCHED_ROW)
        rows = rows[live]
        weights = rows[:, None] * space.row_faults[live]
        here = _Believed(space, rows, weights, weights.sum(axis=0))
        drag = np.einsum("r,rl->l", rows, space.drag_chances[live])
        drags = _drags(drag, measures[corner], knowledge)
        for finding, (outcomes, entropy) in corner_tests(space, axle, driven).items():
            outcomes, entropy = outcomes[live], entropy[live]
            if finding not in knowledge.corner_names:
                continue  # made by comparing, or before the vehicle came
            field = _field(finding, knowledge)
            impossible = (field.while_dragging and not drags) or (off_the_road and field.stage == "road")
            if finding in done or impossible or not specification.asks(field, corner):
                continue
            if finding == "pad_condition":
                outcomes = with_lining_left(outcomes, measures[corner], knowledge)
                entropy = entropy_bits(outcomes)
            bits = told_bits(rows, outcomes, entropy)
            if bits >= knowledge.threshold["least_bits"]:
                access = access_minutes(field.stage, reached[corner], knowledge)
                if field.assembled and reached[corner] >= rank("strip"):
                    access += knowledge.access_minutes["strip"]  # put together again first
                candidates.append(
                    _Candidate(finding, corner, bits, field.minutes + access, field.stage, here, outcomes)
                )
    foreseen = _foreseen_of_system(posterior, inspection, specification, knowledge, off_the_road)
    out = _system_tests(posterior.space, foreseen, knowledge)
    out += [NextTest(t.finding, t.corner, t.bits, t.minutes, "", t.stage, *_weighed(t, knowledge)) for t in candidates]
    a_bit = knowledge.money.bit_of_knowing
    elsewhere = knowledge.threshold["elsewhere_share"] if _a_corner_is_unsettled(posterior, found, knowledge) else 1.0
    out = [
        replace(t, worth=(t.saves + a_bit * t.bits * (elsewhere if t.corner is VEHICLE else 1.0)) / t.minutes)
        for t in out
    ]
    least = knowledge.money.labour_per_minute
    out = [replace(t, decides=t.decides or (t.saves > 0 and t.worth > least)) for t in out]
    pointed = pointed_at(inspection, specification, posterior.suspects(), knowledge)
    out.sort(
        key=lambda t: (not t.decides, bool(pointed) and t.corner not in pointed, -t.worth, listed(t.corner), t.finding)
    )
    by_place: dict[tuple[Place, str], _Candidate] = {(t.corner, t.finding): t for t in candidates}
    first = [
        replace(t, because=_settles(by_place[t.corner, t.finding], knowledge))
        if (t.corner, t.finding) in by_place
        else t
        for t in out[:MOST_EXPLAINED]
    ]
    told = [
        replace(t, foretold=_foretold(by_place[t.corner, t.finding], specification, knowledge))
        if (t.corner, t.finding) in by_place
        else replace(t, foretold=_foretold_of_system(posterior.space, t.finding, foreseen[t.finding].by_set, knowledge))
        for t in first[:MOST_FORETOLD]
    ]
    return told + first[MOST_FORETOLD:] + out[MOST_EXPLAINED:]


def _a_corner_is_unsettled(
    posterior: Posterior, found: Mapping[Corner, Mapping[str, object]], knowledge: Knowledge
) -> bool:
    """Whether something is wrong at a corner that was looked at and it is not settled what: nobody is then sent to the
    pedal first, unless that saves more."""
    known, chances = knowledge.threshold, posterior.suspects()
    for corner, space in posterior.space.corners.items():
        accused = chances[corner, knowledge.none.id] < known["named_chance"]
        leading = max(chances[corner, fault.id] for fault in space.faults)
        if found.get(corner) and accused and leading < known["settled_chance"]:
            return True
    return False


def _foreseen_of_system(
    posterior: Posterior,
    inspection: Inspection,
    specification: Specification,
    knowledge: Knowledge,
    off_the_road: bool,
) -> dict[str, Foreseen]:
    """What every test of the whole vehicle not yet made would show, where it can be made."""
    done = {path.split(".")[0] for path, _ in leaves(inspection.system)}
    out = {}
    for finding, field in knowledge.system_finding.items():
        if finding in done or not specification.asks(field) or (off_the_road and field.stage == "road"):
            continue
        if rows := _rows_of(finding, knowledge):
            out[finding] = _seen_in_steps(posterior.foresee(rows), rows)
    return out


def _rows_of(finding: str, knowledge: Knowledge) -> list[Likelihood]:
    return [row for row in knowledge.system_likelihoods if row.name == finding]


def _system_tests(space: Space, foreseen: Mapping[str, Foreseen], knowledge: Knowledge) -> list[NextTest]:
    """The tests of the whole vehicle, by the most that they tell of any one place."""
    out = []
    for finding, shows in foreseen.items():
        field = knowledge.system_finding[finding]
        bits = max(map(_bits_of, (shows.by_set, *shows.by_kind.values())))
        if bits >= knowledge.threshold["least_bits"]:
            decides, because, saves = _system_decides(space, shows.by_set, knowledge)
            out.append(NextTest(finding, VEHICLE, bits, field.minutes, because, field.stage, decides, saves))
    return out


def _seen_in_steps(foreseen: Foreseen, rows: Sequence[Likelihood]) -> Foreseen:
    """The same, a measured finding seen in a few steps over its range."""
    seen: Floats = np.ones((1, 1))
    for row in rows:
        steps = np.eye(len(row.order)) if row.mean is None else seen_in_steps(row, SYSTEM_STEPS)
        seen = np.asarray(np.kron(seen, steps))
    return Foreseen(foreseen.by_set @ seen.T, {corner: kinds @ seen.T for corner, kinds in foreseen.by_kind.items()})


def _bits_of(together: Floats) -> float:
    """Bits that an outcome tells of a case: their chances together, shape (cases, outcomes)."""
    by_case = together.sum(axis=1)
    live = by_case > 0
    return told_bits(by_case[live], together[live] / by_case[live, None])


def _system_decides(space: Space, together: Floats, knowledge: Knowledge) -> tuple[bool, Sayable, float]:
    """Whether an outcome that is not far-fetched leads to other work on the system, of which fault it speaks, and what
    knowing it saves."""
    whole = together.sum(axis=0)
    after = (together.T @ space.system_members) / np.where(whole > 0, whole, 1.0)[:, None]
    now = whole @ after
    likely = whole >= knowledge.threshold["far_fetched_chance"]
    work = [frozenset(knowledge.cure[fault.id].actions) for fault in space.system_faults]
    decides = leads_elsewhere(now, after[likely].T, work, False, knowledge.threshold["named_chance"])
    moved = np.abs(after[likely] - now).max(axis=0) if likely.any() else np.zeros(len(now))
    words = knowledge.words(space.system_faults[int(moved.argmax())].id)
    saves = saved_by_knowing(now, after, whole, *_prices(space.system_faults, knowledge))
    return decides, said("speaks for or against “{fault}”", fault=words), saves


@lru_cache(maxsize=64)
def _costs(faults: tuple[str, ...], key: KnowledgeKey) -> tuple[Floats, Floats]:
    knowledge = key.knowledge
    work = [work_cost(knowledge.cure[fault].actions, knowledge) for fault in faults]
    return np.array(work), np.array([left_cost(fault, knowledge) for fault in faults])


def _prices(faults: tuple[Fault, ...], knowledge: Knowledge) -> tuple[Floats, Floats]:
    """What it costs to put each fault right, and to leave it."""
    return _costs(tuple(fault.id for fault in faults), KnowledgeKey(knowledge))


def _weighed(test: _Candidate, knowledge: Knowledge) -> tuple[bool, float]:
    """Whether a test could change what is to be done at the corner or settle it, and what knowing its answer saves."""
    weights, now = test.here.weights, test.here.now
    total, by_outcome = _total(test.rows), test.rows @ test.outcomes
    chances = (weights.T @ test.outcomes) / np.where(by_outcome > 0, by_outcome, 1.0)
    saves = saved_by_knowing(
        now[:-1] / total, chances[:-1].T, by_outcome / total, *_prices(test.space.faults, knowledge)
    )
    return _decides(test, chances, by_outcome, knowledge), saves


def _decides(test: _Candidate, chances: Floats, by_outcome: Floats, knowledge: Knowledge) -> bool:
    """Whether a likely outcome leads to other work at the corner: other than what is planned there now or, while the
    corner is not settled, than what its leading explanation asks for."""
    total = _total(test.rows)
    now = test.here.now / total
    work = [frozenset(knowledge.cure[fault.id].actions) for fault in test.space.faults] + [frozenset[str]()]
    likely = by_outcome >= knowledge.threshold["far_fetched_chance"] * by_outcome.sum()
    unsettled = bool(now.max() < knowledge.threshold["settled_chance"])
    return leads_elsewhere(now, chances[:, likely], work, unsettled, knowledge.threshold["named_chance"])


def leads_elsewhere(now: Floats, after: Floats, work: Sequence[frozenset[str]], unsettled: bool, named: float) -> bool:
    """Whether any answer to a test leads to other work than what is known without it.

    now : chances of the explanations, shape (explanations,); after : the same once an answer is known, shape
    (explanations, answers); work : what each explanation asks for. While it is `unsettled` which of them it is, the
    leading one's work counts too, also where none is likely enough to be acted on.

    >>> pads, hose = frozenset({"replace_pads"}), frozenset({"replace_hose"})
    >>> now, after = np.array([0.6, 0.4]), np.array([[0.9, 0.2], [0.1, 0.8]])
    >>> leads_elsewhere(now, after, [pads, hose], True, 0.5), leads_elsewhere(now, after, [pads, pads], True, 0.5)
    (True, False)
    """

    def planned(chances: Floats) -> frozenset[str]:
        return frozenset().union(*(does for does, p in zip(work, chances, strict=True) if p >= named))

    plan = planned(now)
    (moves,) = ((after >= named) != (now >= named)[:, None]).any(axis=0).nonzero()
    if any(planned(after[:, answer]) != plan for answer in moves):
        return True
    leading = work[int(now.argmax())]
    return unsettled and any(work[first] != leading for first in after.argmax(axis=0))


def _total(rows: Floats) -> float:
    return float(rows.sum())


def _stage_rank(finding: str, knowledge: Knowledge) -> int:
    return rank(_field(finding, knowledge).stage)


def _field(finding: str, knowledge: Knowledge) -> VocabularyField:
    return knowledge.corner_finding[finding]


def _drags(levels: Floats, measured: CornerMeasures, knowledge: Knowledge) -> bool:
    if measured.drag is not None:
        return measured.drag.torque_nm >= knowledge.limit["drag_free_nm"]
    return float(levels[2:].sum()) >= 0.5


def _foretold(test: _Candidate, specification: Specification, knowledge: Knowledge) -> tuple[Foretold, ...]:
    """What each answer to a test at a corner would do there."""
    axle = specification.axle_of(test.corner)
    if test.finding == "spin":
        answers: Sequence[Sayable] = spin_answers(knowledge)
    elif test.finding == "pad_mm":
        answers = (
            [marked("outer pad thinner")] * 3 + [marked("both pads alike")] * 3 + [marked("inner pad thinner")] * 3
        )
    else:
        answers = answers_of(likelihoods_of(test.finding, axle.pistons > 1, knowledge), knowledge)
    names = [*(knowledge.words(fault.id) for fault in test.space.faults), knowledge.none.words]
    weights = np.column_stack([test.here.weights, test.rows])
    return foretell(answers, test.outcomes, weights, names, knowledge.threshold["told_rise"])


def _foretold_of_system(space: Space, finding: str, together: Floats, knowledge: Knowledge) -> tuple[Foretold, ...]:
    """What each answer to a test of the whole vehicle would do; together : its `Foreseen.by_set`."""
    members = space.system_members
    by_set = together.sum(axis=1)
    outcomes = together / np.where(by_set > 0, by_set, 1.0)[:, None]
    nothing = (members.sum(axis=1) == 0).astype(float)
    weights = by_set[:, None] * np.column_stack([members, nothing, np.ones(len(members))])
    names = [
        *(knowledge.words(fault.id) for fault in space.system_faults),
        marked("nothing wrong with the whole system"),
    ]
    rise = knowledge.threshold["told_rise"]
    return foretell(answers_of(_rows_of(finding, knowledge), knowledge, SYSTEM_STEPS), outcomes, weights, names, rise)


def _settles(test: _Candidate, knowledge: Knowledge) -> Sayable:
    """What a test is for: the two explanations that it tells apart best, weighed by their chances; where it hardly
    tells any apart, the fault that it could bring to light."""
    known, total = knowledge.threshold, _total(test.rows)
    names = [knowledge.words(name) for name in (*(fault.id for fault in test.space.faults), knowledge.none.id)]
    now, expected = test.here.now, test.here.weights.T @ test.outcomes
    views = [
        (n, now[n] / total, expected[n] / now[n])
        for n in range(len(names))
        if now[n] > known["far_fetched_chance"] * total
    ]
    pairs = [(min(p, q) * float(np.abs(a - b).sum()), n, m) for (n, p, a), (m, q, b) in combinations(views, 2)]
    apart, first, second = max(pairs, default=(0.0, 0, 0))
    if apart >= known["told_apart_share"]:
        return said("tells “{one}” from “{other}”", one=names[first], other=names[second])
    shown = test.rows @ test.outcomes
    likely = shown >= known["far_fetched_chance"] * total
    if likely.any():
        risen = (expected[:-1, likely] / shown[likely] - (now[:-1] / total)[:, None]).max(axis=1)
        if risen.max() >= known["told_rise"]:
            return said("would bring “{fault}” to light", fault=names[int(risen.argmax())])
    return marked("would show what has not shown itself yet")

"""What to check next: the tests not yet made, by how much each can be expected to tell for its minutes.

Source: expected information, [shannon]; value of information, [howard].
"""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import replace
from itertools import combinations

import numpy as np

from mesotrope.core.decision.access import access_minutes, rank, reach_of
from mesotrope.core.decision.foretold import Foretold, answers_of, foretell, seen_in_steps
from mesotrope.core.decision.in_question import InQuestion, in_question
from mesotrope.core.decision.outcomes import (
    SYSTEM_STEPS,
    corner_tests,
    entropy_bits,
    hub_answers,
    likelihoods_of,
    spin_answers,
    told_bits,
    with_lining_left,
)
from mesotrope.core.decision.verdict import Decision
from mesotrope.core.decision.worth_of_a_test import (
    Believed,
    Candidate,
    Known,
    NextTest,
    system_decides,
    total_of,
    weighed,
)
from mesotrope.core.evidence.measures import CornerMeasures
from mesotrope.core.evidence.specification import Specification
from mesotrope.core.inference.densities import Driven
from mesotrope.core.inference.posterior import Foreseen, Posterior
from mesotrope.core.inference.vehicle_space import Space
from mesotrope.core.language.arrays import Floats
from mesotrope.core.language.corner import VEHICLE, Corner, Place, listed
from mesotrope.core.language.faults import Likelihood
from mesotrope.core.language.inspection import Inspection
from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.language.paths import by_finding
from mesotrope.core.language.quantity import ALIKE
from mesotrope.core.language.reliance import relies_on
from mesotrope.core.language.saying import Sayable, marked, said
from mesotrope.core.language.vocabulary import VocabularyField

RELIES_ON = relies_on("check next", "drag_free_nm")

#: Rows rarer than this are left out of what a test could tell.
FAR_FETCHED_ROW = 1e-6

#: Why a test is offered that could hardly change anything.
BEFORE_IT_GOES = marked("on every vehicle: it shows what nobody may drive with")

#: As many of the best tests say what they tell apart; the others only count for the order of work.
MOST_EXPLAINED = 12

#: As many of the best tests tell what each answer would do.
MOST_FORETOLD = 3


def next_tests(
    posterior: Posterior,
    inspection: Inspection,
    specification: Specification,
    measures: Mapping[Corner, CornerMeasures],
    knowledge: Knowledge,
    decided: Decision | None,
) -> list[NextTest]:
    """The tests not yet made: those that could change the decision first, of these what the table of what is due names
    for what is open, then the best for whatever is open, then by what they are worth a minute; where nothing is in
    question a test is worth less. A named test that is long waits until the best was made. What is compared is made at
    the other side too, where nothing more has to come off for it. What is made on every vehicle before it goes follows
    those that could change anything.

    decided : by what was found so far; None where nothing was decided yet.

    A test could change the decision where an outcome that is not far-fetched leads to other work; one whose answers
    all lead to the same work could not. A test that this axle cannot have is never offered, nor one that tells only
    while the wheel drags where it does not, or only of a wheel that turns where none does, nor a drive with a vehicle
    that is not safe. Getting at a corner (wheel off, parts out) is counted once, until something was found there;
    putting it together again, for a test that needs its caliper in place, is counted too.
    """
    made = {corner: by_finding(inspection.corner(corner)) for corner in specification.corners}
    reached = {
        corner: max((reach_of(_field(name, knowledge)) for name in names), default=0) for corner, names in made.items()
    }
    left_open, unsafe = (decided.open, decided.verdict == "unsafe") if decided else ((), False)
    off_the_road = unsafe or max(reached.values()) >= rank("wheel_off")
    beside: set[tuple[Place, str]] = set()
    asked = in_question(left_open, posterior, inspection, specification, knowledge)
    candidates: list[Candidate] = []
    for corner, space in posterior.space.corners.items():
        axle = specification.axle_of(corner)
        driven = Driven.of(knowledge, specification, corner.axle, {}, None)
        rows = posterior.row_chances(corner)
        live = np.flatnonzero(rows > FAR_FETCHED_ROW)
        rows = rows[live]
        members = space.row_faults[live]
        weights = rows[:, None] * members
        here = Believed(space, rows, members, weights, weights.sum(axis=0))
        drag = np.einsum("r,rl->l", rows, space.drag_chances[live])
        drags, measured = _drags(drag, measures[corner], knowledge), measures[corner].drag
        held_fast = measured is not None and measured.held_fast
        for finding, shows in corner_tests(space, axle, driven).items():
            if finding not in knowledge.corner_names:
                continue  # made by comparing, or before the vehicle came
            field = _field(finding, knowledge)
            firm = field.after_firm_piston and inspection.corner(corner).has_firm_piston
            impossible = (
                (field.while_dragging and not drags and not firm)
                or (field.turning and held_fast)
                or (off_the_road and field.stage == "road")
            )
            if finding in made[corner] or impossible or not specification.asks(field, corner):
                continue
            outcomes, entropy = shows.at(live)
            if finding == "pad_condition":
                outcomes = with_lining_left(outcomes, measures[corner], knowledge)
                entropy = entropy_bits(outcomes)
            bits = told_bits(rows, outcomes, entropy)
            access = access_minutes(reach_of(field), reached[corner], knowledge)
            way = 0.0 if any(finding in names for names in made.values()) else field.way_minutes
            if field.assembled and not firm and reached[corner] >= rank("strip"):
                access += knowledge.access_minutes["strip"]  # put together again first
            at = corner, finding
            if field.compared and not access and corner.partner and finding in made.get(corner.partner, ()):
                beside.add(at)
            if bits >= knowledge.threshold["least_bits"] or at in asked.named or at in beside:
                minutes = field.minutes + access + way
                candidates.append(Candidate(finding, corner, bits, minutes, field.stage, here, outcomes, way))
    foreseen = _foreseen_of_system(posterior, inspection, specification, knowledge, off_the_road)
    out = _system_tests(posterior.space, foreseen, asked, knowledge)
    out += [weighed(candidate, asked, knowledge) for candidate in candidates]
    least = knowledge.money.labour_per_minute
    out = [
        replace(t, decides=t.decides or (t.saves > 0 and t.worth > least) or (t.corner, t.finding) in asked.named)
        for t in out
    ]
    best = {(test.corner, test.finding) for places in asked.open_at if (test := best_at(places, out, knowledge))}
    out = [replace(t, decides=t.decides or (t.corner, t.finding) in best | beside) for t in out]
    out = [replace(t, because=BEFORE_IT_GOES) if t.before_it_goes and not t.decides else t for t in out]

    def turn(test: NextTest) -> int:
        """Whose turn it is: what the other side is held against or what is named, the best for what is open, what is
        named and long, any other that could change the work, what is made on every vehicle, the rest."""
        if not test.decides:
            return 4 if test.before_it_goes else 5
        at = test.corner, test.finding
        named = at in asked.named
        if at in beside or (named and test.minutes <= knowledge.threshold["short_test_minutes"]):
            return 0
        return 1 if at in best else 2 if named else 3

    out.sort(key=lambda t: (turn(t), -round(t.worth, ALIKE), listed(t.corner), t.finding))
    by_place: dict[tuple[Place, str], Candidate] = {(t.corner, t.finding): t for t in candidates}
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


def best_at(places: Collection[Place], tests: Sequence[NextTest], knowledge: Knowledge) -> NextTest | None:
    """The best test that tells of what would explain something open at some places: one that could change the work,
    where there is any; it is offered also where it might not, for the open is not explained before."""
    telling = [t for t in tests if t.corner in places and t.asked >= knowledge.threshold["least_bits"]]
    return max(telling, key=lambda t: (t.decides, round(t.worth, ALIKE)), default=None)


def _foreseen_of_system(
    posterior: Posterior,
    inspection: Inspection,
    specification: Specification,
    knowledge: Knowledge,
    off_the_road: bool,
) -> dict[str, Foreseen]:
    """What every test of the whole vehicle not yet made would show, where it can be made."""
    done = by_finding(inspection.system)
    out = {}
    for finding, field in knowledge.system_finding.items():
        if finding in done or not specification.asks(field) or (off_the_road and field.stage == "road"):
            continue
        if rows := [row for row in _rows_of(finding, knowledge) if row.unless not in done]:
            out[finding] = _seen_in_steps(posterior.foresee(rows), rows)
    return out


def _rows_of(finding: str, knowledge: Knowledge) -> list[Likelihood]:
    return [row for row in knowledge.system_likelihoods if row.name == finding]


def _system_tests(
    space: Space, foreseen: Mapping[str, Foreseen], asked: InQuestion, knowledge: Knowledge
) -> list[NextTest]:
    """The tests of the whole vehicle, by the most that they tell of any one place."""
    out = []
    for finding, shows in foreseen.items():
        field = knowledge.system_finding[finding]
        bits = max(map(_bits_of, (shows.by_set, *shows.by_kind.values())))
        if bits >= knowledge.threshold["least_bits"] or (VEHICLE, finding) in asked.named or field.before_it_goes:
            by_set = shows.by_set.sum(axis=1)
            outcomes = shows.by_set / np.where(by_set > 0, by_set, 1.0)[:, None]
            members = space.system_members
            known = Known(space.system_faults, members, by_set[:, None] * members, by_set, outcomes)
            decides, because = system_decides(known, knowledge)
            saves, worth, told = known.worth(VEHICLE, bits, asked, knowledge)
            worth /= field.minutes
            test = NextTest(finding, VEHICLE, bits, field.minutes, because, field.stage, decides, saves, worth, told)
            out.append(replace(test, before_it_goes=field.before_it_goes))
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


def _field(finding: str, knowledge: Knowledge) -> VocabularyField:
    return knowledge.corner_finding[finding]


def _drags(levels: Floats, measured: CornerMeasures, knowledge: Knowledge) -> bool:
    if measured.drag is not None:
        return measured.drag.torque_nm >= knowledge.limit["drag_free_nm"]
    return float(levels[knowledge.drag.first_felt :].sum()) >= 0.5


def _foretold(test: Candidate, specification: Specification, knowledge: Knowledge) -> tuple[Foretold, ...]:
    """What each answer to a test at a corner would do there."""
    axle = specification.axle_of(test.corner)
    if test.finding == "spin":
        answers: Sequence[Sayable] = spin_answers(knowledge)
    elif test.finding == "hub_temperature_c":
        answers = hub_answers(knowledge)
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


def _settles(test: Candidate, knowledge: Knowledge) -> Sayable:
    """What a test is for: the two explanations that it tells apart best, weighed by their chances; where it hardly
    tells any apart, the fault that it could bring to light."""
    known, total = knowledge.threshold, total_of(test.rows)
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

"""The path through a mystery vehicle: what each test told the engine, which were needless, and which path the engine
takes when it knows only what was found so far."""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from functools import lru_cache

from mesotrope.core.answer.answer import overview
from mesotrope.core.decision.access import rank
from mesotrope.core.decision.check_next import next_tests
from mesotrope.core.decision.worth_of_a_test import NextTest
from mesotrope.core.inference.posterior import Suspect
from mesotrope.core.language.corner import Place
from mesotrope.core.language.faults import NO_FAULT
from mesotrope.core.language.knowledge import Knowledge, KnowledgeKey
from mesotrope.core.language.remembering import Latest
from mesotrope.core.language.vocabulary import VocabularyField
from mesotrope.core.practice.acts import Act, Step
from mesotrope.core.practice.bay import Bay
from mesotrope.core.practice.vehicle import Mystery, mystery_of

#: Nobody makes more tests than this on one vehicle.
MOST_TESTS = 120

#: More than this a single test is not said to have told, decibans.
MOST_WEIGHT_DB = 40.0

#: A chance is counted as no nearer to certainty than this.
FAR_FETCHED = 1e-5


@dataclass(frozen=True)
class Told:
    """What a step told: the chance of every true fault after it, the strongest suspect that is not there, the one that
    leads, and by how much it moved the belief in the truth, decibans.

    needless : before it nothing that it could have shown would have changed what is to be done.
    """

    step: Step
    truth: tuple[float, ...]
    wrong: tuple[Suspect, float] | None
    leading: tuple[Suspect, float] | None
    weight_db: float
    needless: bool
    settled: bool
    tells: bool


@dataclass(frozen=True)
class Path:
    """A path taken; `enough` tells whether at its end nothing was left that could have changed what is to be done."""

    told: tuple[Told, ...]
    enough: bool

    @property
    def minutes(self) -> float:
        return self.told[-1].step.clock if self.told else 0.0

    @property
    def settling(self) -> Told | None:
        """The first step that told something after which the truth stood settled to its end."""
        last = None
        for one in reversed(self.told):
            if not one.settled:
                break
            if last is None or one.tells:
                last = one
        return last


@dataclass(frozen=True)
class Known:
    """What the engine makes of what was found so far: its chances, and the tests it offers, the best first."""

    chances: Mapping[Suspect, float]
    tests: tuple[NextTest, ...]


#: As many moments are remembered as a path can have: the path taken, and the best one, begin alike.
_known: Latest[Known] = Latest(MOST_TESTS)


def known_by_now(bay: Bay, knowledge: Knowledge) -> Known:
    """What the engine makes of what was found in a bay; worked out once for the same findings."""
    inspection = bay.inspection()

    def made() -> Known:
        short = overview(inspection, knowledge)
        if short.posterior is None:
            return Known(short.chances, ())
        tests = next_tests(
            short.posterior, inspection, short.specification, short.measures, knowledge, short.decision
        )  # fmt: skip
        return Known(short.chances, tuple(test for test in tests if test.offered))

    return _known.of((inspection.model_dump_json(exclude_none=True), KnowledgeKey(knowledge)), made)


def offered(bay: Bay, knowledge: Knowledge) -> list[NextTest]:
    """The tests that could change what is to be done and that can be made now, the best first."""
    can = {(place, test.finding): test for place, test in bay.tests()}
    return [
        test
        for test in known_by_now(bay, knowledge).tests
        if (field := can.get((test.corner, test.finding))) and not bay.why_not(test.corner, field)
    ]


def path_taken(mystery: Mystery, acts: Iterable[Act], knowledge: Knowledge, *, pictures: bool = False) -> Path:
    """What every act of somebody told the engine, as it would have believed then."""
    bay, told = Bay(mystery, knowledge, pictures=pictures), []
    for act in acts:
        before = known_by_now(bay, knowledge).chances
        wanted = {(test.corner, test.finding) for test in offered(bay, knowledge)}
        again = act.kind == "test" and bay.made(act.place, act.what)  # in place of a reading that was spoiled
        step = bay.do(act)
        needless = act.kind == "test" and not again and (act.place, act.what) not in wanted
        told.append(_told(mystery, step, before, known_by_now(bay, knowledge).chances, needless, knowledge))
    return Path(tuple(told), not offered(bay, knowledge))


@lru_cache(maxsize=64)
def _best_path(number: int, key: KnowledgeKey) -> Path:
    return _worked_by_the_engine(mystery_of(number, key.knowledge), key.knowledge)


def best_path(mystery: Mystery, knowledge: Knowledge) -> Path:
    """The engine's path through a vehicle: see `_worked_by_the_engine`."""
    return _best_path(mystery.number, KnowledgeKey(knowledge))


def _worked_by_the_engine(mystery: Mystery, knowledge: Knowledge) -> Path:
    """The path of who always makes the test that the engine offers first, knowing only what was found, until enough is
    known. The pedal is pressed before the first wheel is spun, and what is to be felt at it comes before a caliper is
    off; once one is off, only where it is worth putting it together."""
    bay, told = Bay(mystery, knowledge), list[Told]()
    while len(told) < MOST_TESTS:
        acts = _next_acts(bay, knowledge)
        if not acts:
            break
        for act in acts:
            before = known_by_now(bay, knowledge).chances
            step = bay.do(act)
            told.append(_told(mystery, step, before, known_by_now(bay, knowledge).chances, False, knowledge))
    return Path(tuple(told), len(told) < MOST_TESTS)


def _next_acts(bay: Bay, knowledge: Knowledge) -> list[Act]:
    """The test that is made next, with what has to be done before it; nothing where enough is known."""
    tests, fields = offered(bay, knowledge), {(place, t.finding): t for place, t in bay.tests()}
    at_the_pedal = [test for test in tests if bay.presses(fields[test.corner, test.finding])]
    others = [test for test in tests if test not in at_the_pedal]
    strips = others and rank(fields[others[0].corner, others[0].finding].stage) >= rank("strip")
    together = [Act("together", place=corner) for corner in bay.stripped]
    if together:
        extra = len(together) * knowledge.access_minutes["strip"]
        rate = knowledge.money.labour_per_minute
        worth_it = [t for t in at_the_pedal if t.worth * t.minutes / (t.minutes + extra) > rate]
        first = (others or worth_it)[:1]
        before = together if first and first[0] in worth_it else []
    else:
        first = (at_the_pedal if strips and at_the_pedal else tests)[:1]
        before = []
    pressed = any(step.act.kind == "press" or _pressing(step.act, fields, bay) for step in bay.steps)
    if first and not pressed and _turns_wheel(first[0].finding, knowledge):
        before = [Act("press")]
    return [*before, *(Act("test", test.finding, test.corner) for test in first)]


def _pressing(act: Act, fields: Mapping[tuple[Place, str], VocabularyField], bay: Bay) -> bool:
    return act.kind == "test" and bay.presses(fields[act.place, act.what])


def _turns_wheel(finding: str, knowledge: Knowledge) -> bool:
    """Whether a test turns the wheel, so that the pedal is pressed before."""
    field = knowledge.corner_finding.get(finding)
    return bool(field and field.of_wheel)


def fixed_order(mystery: Mystery, knowledge: Knowledge, *, truthful: bool = False) -> Bay:
    """The bay after the whole order of work: every test that can be made, stage by stage."""
    bay = Bay(mystery, knowledge, truthful=truthful)
    bay.do(Act("press"))
    for place, test in sorted(bay.tests(), key=lambda one: rank(one[1].stage)):
        if not bay.why_not(place, test):
            bay.do(Act("test", test.finding, place))
    return bay


def _told(
    mystery: Mystery, step: Step, before: Mapping[Suspect, float], after: Mapping[Suspect, float], needless: bool,
    knowledge: Knowledge,
) -> Told:  # fmt: skip
    suspects = {suspect: p for suspect, p in after.items() if suspect[1] != NO_FAULT}
    truth = mystery.truth
    others = {suspect: p for suspect, p in suspects.items() if suspect not in truth}
    believed, settled = _believed(truth, after), knowledge.threshold["settled_chance"]
    places = {place for place, _ in truth}  # a suspicion elsewhere unsettles nothing there
    rivals = (p for (place, _), p in others.items() if not truth or place in places)
    clear = all(p < knowledge.threshold["named_chance"] for p in rivals)
    weight_db = _weight_db(_believed(truth, before), believed)
    return Told(
        step, believed, _strongest(others), _strongest(suspects), weight_db, needless,
        clear and all(p >= settled for p in believed), abs(weight_db) >= knowledge.threshold["least_decibans"],
    )  # fmt: skip


def _strongest(suspects: Mapping[Suspect, float]) -> tuple[Suspect, float] | None:
    return max(suspects.items(), key=lambda one: one[1]) if suspects else None


def _believed(truth: Sequence[Suspect], chances: Mapping[Suspect, float]) -> tuple[float, ...]:
    """The chance of each true fault; of a vehicle without any, that nothing is wrong."""
    if truth:
        return tuple(chances.get(suspect, 0.0) for suspect in truth)
    wrong = [p for (_, fault), p in chances.items() if fault != NO_FAULT]
    return (1 - max(wrong, default=0.0),)


def _weight_db(before: Sequence[float], after: Sequence[float]) -> float:
    """By how much the odds of the truth moved, decibans: the mean over its faults."""
    moved = [_decibans(p) - _decibans(q) for q, p in zip(before, after, strict=True)]
    return max(-MOST_WEIGHT_DB, min(MOST_WEIGHT_DB, sum(moved) / len(moved)))


def _decibans(chance: float) -> float:
    kept = min(1 - FAR_FETCHED, max(FAR_FETCHED, chance))
    return 10 * math.log10(kept / (1 - kept))

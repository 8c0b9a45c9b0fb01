"""The core's whole answer to an inspection: suspects with reasons, what is cleared, measures, next tests, decision."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from weakref import WeakKeyDictionary

from mesotrope.core.answer.fits import (
    contradictions_of,
    fits_nothing_of,
    let_go_of,
    off_plane_of,
    unlike_through_window_of,
)
from mesotrope.core.answer.reasons import (
    Cleared,
    SuspectAnswer,
    cleared_with_reasons,
    in_doubt_of,
    suspects_with_reasons,
    suspects_without_reasons,
    weigh,
)
from mesotrope.core.decision.answered import AnyOf, Open
from mesotrope.core.decision.check_next import best_at, next_tests
from mesotrope.core.decision.in_question import asked_at, named_tests
from mesotrope.core.decision.open_words import open_under
from mesotrope.core.decision.verdict import Decision, decide
from mesotrope.core.decision.worth_of_a_test import NextTest
from mesotrope.core.evidence.collect import collect
from mesotrope.core.evidence.measures import CornerMeasures, measure_all
from mesotrope.core.evidence.pieces import Evidence
from mesotrope.core.evidence.since_last import since_last_visit
from mesotrope.core.evidence.specification import Specification, complete_specification
from mesotrope.core.evidence.worn_out import chance_lining_worn_out
from mesotrope.core.inference.axle_beliefs import AxleBeliefs, beliefs_of
from mesotrope.core.inference.posterior import Posterior, Suspect
from mesotrope.core.inference.story import StoryStep, decibans, story
from mesotrope.core.inference.vehicle_space import Space, space_of
from mesotrope.core.language.corner import VEHICLE, Axle, Corner, Place, listed
from mesotrope.core.language.entries import check
from mesotrope.core.language.inspection import CornerFindings, Inspection
from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.language.paths import by_finding, leaves
from mesotrope.core.language.saying import Sayable, marked, placed, said


@dataclass(frozen=True)
class Overview:
    """The short answer: what was measured, how likely each fault is, and the decision; no reasons."""

    specification: Specification
    measures: Mapping[Corner, CornerMeasures]
    evidence: Sequence[Evidence]
    posterior: Posterior | None
    chances: Mapping[Suspect, float]
    decision: Decision
    knowledge: Knowledge


@dataclass(frozen=True)
class Answer:
    """The whole answer, with the knowledge that gave it."""

    specification: Specification
    suspects: tuple[SuspectAnswer, ...]
    likeliest: tuple[SuspectAnswer, ...]
    cleared: tuple[Cleared, ...]
    chances: Mapping[Suspect, float]
    believed: Mapping[Suspect, float]
    beliefs: Mapping[Axle, AxleBeliefs]
    measures: Mapping[Corner, CornerMeasures]
    tests: tuple[NextTest, ...]
    story: tuple[StoryStep, ...]
    decision: Decision
    defaults_used: tuple[str, ...]
    contradictions: tuple[Sayable, ...]
    fits_nothing: tuple[Sayable, ...]
    notes: tuple[Sayable, ...]
    knowledge: Knowledge

    @property
    def in_doubt(self) -> tuple[SuspectAnswer, ...]:
        """Corners that findings speak against while no single fault is likely enough to be listed."""
        return tuple(one for one in in_doubt_of(self.suspects, self.knowledge) if one.reasons_against)

    @property
    def next_tests(self) -> tuple[NextTest, ...]:
        """The few tests to be made next, behind them what is looked at before the vehicle goes. There are none where no
        answer could change what is to be done, and all of that was looked at."""
        return tuple(test for test in self.tests if test.offered)[: int(self.knowledge.threshold["offered_most"])]

    @property
    def enough_is_known(self) -> bool:
        """Whether no test could change what is to be done; what is looked at before the vehicle goes may be left."""
        return not any(test.decides for test in self.tests)


def overview(inspection: Inspection, knowledge: Knowledge) -> Overview:
    """Answer an inspection shortly. Raises `InvalidDocument` for figures that cannot be."""
    check(inspection, knowledge)
    specification = complete_specification(inspection, knowledge)
    measures = measure_all(inspection, specification, knowledge)
    lately = since_last_visit(inspection, specification, measures, knowledge)
    evidence = collect(inspection, specification, measures, knowledge, lately)
    space = space_of(knowledge, specification)
    posterior, chances = None, {}
    if space is not None:
        since = _km_since_fitted(inspection, specification) | {name: axle.km for name, axle in lately.items()}
        posterior = Posterior(
            knowledge, specification, space, evidence, since, inspection.visit.usage, inspection.age_years
        )
        if evidence:
            chances = _with_worn_linings(posterior, inspection, specification, measures, knowledge)
    decision = decide(
        inspection, specification, measures, chances, knowledge, _any_of(posterior, chances) if posterior else None
    )
    return Overview(specification, measures, evidence, posterior, chances, decision, knowledge)


@dataclass(frozen=True)
class Reasons:
    """What each finding did; the suspects, the likeliest fault of every place without any, and the cleared."""

    story: tuple[StoryStep, ...] = ()
    suspects: tuple[SuspectAnswer, ...] = ()
    likeliest: tuple[SuspectAnswer, ...] = ()
    cleared: tuple[Cleared, ...] = ()


def reasons_of(short: Overview) -> Reasons:
    """The reasons behind a short answer."""
    posterior = short.posterior
    if posterior is None:
        return Reasons()
    knowledge = posterior.knowledge
    steps = story(posterior) if short.evidence else []
    weighed = weigh(steps, knowledge)
    suspects, likeliest = suspects_with_reasons(
        short.chances, weighed, posterior, short.measures, short.specification, knowledge
    )
    return Reasons(tuple(steps), suspects, likeliest, cleared_with_reasons(short.chances, weighed, knowledge))


def suspects_of(short: Overview) -> tuple[SuspectAnswer, ...]:
    """The suspects of a short answer, with no reasons yet: all that are likely enough to be listed."""
    if short.posterior is None:
        return ()
    return suspects_without_reasons(short.chances, short.posterior, short.knowledge)


#: What is believed of a kind of vehicle by its age, before anything is found at one; gone with what it is made from.
_before: WeakKeyDictionary[Space, dict[float | None, dict[Suspect, float]]] = WeakKeyDictionary()


def moved_decibans(short: Overview, suspect: Suspect) -> float:
    """How far everything that was found moved a suspect's odds, of a short answer that has suspects.

    What findings speak for has moved up, nearly always; the reasons, when they are worked out, say for certain.
    """
    posterior, (place, fault) = short.posterior, suspect
    assert posterior is not None
    if fault == short.knowledge.worn.id and isinstance(place, Corner):
        return decibans(short.chances[suspect], short.specification.axle_of(place).worn_out_unseen)
    space, age_years = posterior.space, posterior.age_years
    by_age = _before.setdefault(space, {})
    if age_years not in by_age:
        untouched = Posterior(short.knowledge, posterior.specification, space, (), {}, age_years=age_years)
        by_age[age_years] = untouched.suspects()
    return decibans(short.chances[suspect], by_age[age_years][suspect])


def diagnose(inspection: Inspection, knowledge: Knowledge) -> Answer:
    """Answer an inspection whole. Raises `InvalidDocument` for figures that cannot be.

    >>> from mesotrope.core.language.inspection import parse_inspection
    >>> from mesotrope.knowledge import knowledge
    >>> diagnose(parse_inspection("{}"), knowledge()).suspects   # nothing looked at, nothing claimed
    ()
    """
    return whole_answer(inspection, overview(inspection, knowledge))


def whole_answer(inspection: Inspection, short: Overview) -> Answer:
    """The whole answer to an inspection that was answered shortly."""
    knowledge, reasons = short.knowledge, reasons_of(short)
    specification, measures, posterior = short.specification, short.measures, short.posterior
    tests = next_tests(posterior, inspection, specification, measures, knowledge, short.decision) if posterior else []
    fits = [(item, posterior.fit(item)) for item in short.evidence] if posterior else []
    return Answer(
        specification=specification,
        suspects=reasons.suspects,
        likeliest=reasons.likeliest,
        cleared=reasons.cleared,
        chances=short.chances,
        believed=_believed(short),
        beliefs=beliefs_of(posterior) if posterior and short.chances else {},
        measures=measures,
        tests=tuple(tests),
        story=reasons.story,
        decision=_with_next_tests(short, inspection, tests),
        defaults_used=_defaults_used(short.evidence, specification),
        contradictions=(
            *let_go_of(short.decision.figures, knowledge),
            *off_plane_of(specification.corners, inspection, knowledge),
            *unlike_through_window_of(specification.corners, inspection, knowledge),
            *contradictions_of(fits, knowledge),
        ),
        fits_nothing=fits_nothing_of(fits, knowledge),
        notes=_not_weighed(inspection, specification),
        knowledge=knowledge,
    )


def _believed(short: Overview) -> dict[Suspect, float]:
    """Chance of every fault of every corner that is diagnosed and of the system, and of none at each corner."""
    if short.posterior is None or not short.evidence:
        return {}
    return {**short.posterior.suspects(), **short.chances}


def _with_next_tests(short: Overview, inspection: Inspection, tests: Sequence[NextTest]) -> Decision:
    """What is open, each with the test for it: what the table of what is due names, where it can be made and is short,
    else the best where it would be explained. Who is to find a cause is told the same."""
    knowledge, decision = short.knowledge, short.decision
    chances = short.posterior.suspects() if short.posterior else {}
    hardly = knowledge.threshold["elsewhere_share"] * knowledge.threshold["least_bits"]

    def told_next(one: Open) -> Open:
        """With its next test; where nothing else would tell more, what was found itself, once more."""
        places = asked_at(one, chances, inspection, short.specification, knowledge)
        here = [test for test in tests if test.corner in places and test.asked >= hardly]
        named = named_tests(one, places, inspection, short.specification, knowledge)
        first = next((test for test in tests if (test.corner, test.finding) in named), None)
        short_one = first and first.minutes <= knowledge.threshold["short_test_minutes"]
        best = first if short_one else best_at(places, tests, knowledge) or next(iter(here), None)
        if best:
            return replace(one, next_test=best.finding, next_place=best.corner, next_minutes=best.minutes)
        if named:
            place, name = min(named, key=lambda it: (it[1], it[0] != one.place, listed(it[0])))
            return made_next(one, name, place)
        made = by_finding(inspection.at(one.place))
        could = one.next_tests if one.place is VEHICLE else knowledge.made_again
        again = one.finding or next((name for name in could if name in made), "")
        judged = one.place is VEHICLE or short.specification.has_disc(one.place)
        return replace(made_next(one, again, one.place), once_more=True) if again and judged else one

    def made_next(one: Open, name: str, place: Place) -> Open:
        minutes = knowledge.field_of_finding[name].minutes
        return replace(one, next_test=name, next_place=place, next_minutes=minutes)

    found = tuple(map(told_next, decision.open))
    left_open = tuple(_as_its_cause(one, found) for one in found)
    told = {one.place: open_under(one, knowledge) for one in reversed(left_open)}
    actions = tuple(
        replace(one, because=told[one.corner]) if one.action == "find_the_cause" and one.corner in told else one
        for one in decision.actions
    )
    return replace(decision, open=left_open, actions=actions)


def _as_its_cause(one: Open, all_open: Sequence[Open]) -> Open:
    """A complaint with the next test of what was found, where both may come from one fault before any other."""
    if not one.is_complaint or not one.explained_by:
        return one
    leading = one.explained_by[0][:2]
    same = (it for it in all_open if not it.is_complaint and it.explained_by and it.explained_by[0][:2] == leading)
    other = next(same, one)
    return replace(one, next_test=other.next_test, next_place=other.next_place, next_minutes=other.next_minutes)


def _any_of(posterior: Posterior, chances: Mapping[Suspect, float]) -> AnyOf:
    """Chance of any of some faults, linings that are merely worn among them."""

    def any_of(place: Place, faults: Sequence[str]) -> float:
        out = 1 - posterior.any_of(place, faults)
        for corner in posterior.space.corners:
            if posterior.knowledge.worn.id in faults and place in (VEHICLE, corner):
                out *= 1 - chances.get((corner, posterior.knowledge.worn.id), 0.0)
        return 1 - out

    return any_of


def _not_weighed(inspection: Inspection, specification: Specification) -> tuple[Sayable, ...]:
    """What is recorded and tells nothing here: drums, and slide pins where the caliper is known to be fixed."""
    drums = [name for name, axle in specification.axles.items() if not axle.has("disc")]
    pins = [
        corner
        for corner in specification.corners
        if specification.axle_of(corner).caliper == "fixed" and inspection.corner(corner).has_slide_pins
    ]
    return (
        *(said("the {axle} axle has drums: recorded, not diagnosed here", axle=name) for name in drums),
        *(said("{place} slide pins: recorded, not weighed, for a fixed caliper has none", place=c) for c in pins),
        *(placed(c, words) for c in specification.corners for words in _half_said(inspection.corner(c))),
    )


def _half_said(found: CornerFindings) -> Iterator[Sayable]:
    """What tells nothing because only half of it is written."""
    if found.pull_n is not None and found.pull_radius_mm is None:
        yield marked("pull on a spring scale: recorded, not weighed, for the radius it was read at is missing")
    if found.spin and not found.spin.tells:
        yield marked("spin: recorded, not weighed, for turns and seconds tell the drag only together")
    if found.leak_at and found.leak is None:
        yield marked("where it leaks: recorded, not weighed, for it is not said that anything leaks")


def _km_since_fitted(inspection: Inspection, specification: Specification) -> dict[Axle, float | None]:
    now = inspection.visit.odometer_km
    return {
        name: now - axle.pads_fitted_odometer_km
        if now is not None and axle.pads_fitted_odometer_km is not None
        else None
        for name, axle in specification.axles.items()
    }


def _with_worn_linings(
    posterior: Posterior,
    inspection: Inspection,
    specification: Specification,
    measures: Mapping[Corner, CornerMeasures],
    knowledge: Knowledge,
) -> dict[Suspect, float]:
    """Add worn_out_normally, and take it out of no_fault; drop corners at which nothing was looked at.

    A lining is worn out normally where it is at its limit and nothing at its corner wears pads.
    """
    out = dict(posterior.suspects())
    for corner in specification.corners:
        none = (corner, knowledge.none.id)
        if none not in out:
            continue
        worn = chance_lining_worn_out(measures[corner], specification.axle_of(corner).pad_limit_mm)
        if worn is not None:
            out[corner, knowledge.worn.id] = worn * posterior.not_worn_by_a_fault(corner)
            out[none] *= 1 - worn
        if not leaves(inspection.corner(corner)):
            del out[none]
    return out


def _defaults_used(evidence: Sequence[Evidence], specification: Specification) -> tuple[str, ...]:
    used = {use for item in evidence for use in item.uses}
    if evidence:
        used |= {"kind"} | {f"{item.corner.split('_')[0]}.caliper" for item in evidence}
    return tuple(sorted(used & specification.defaulted))

"""What an owner is told: what was wrong and what it did, what was done, what was measured, what remains.

It speaks to a person who does not know what a bracket is: every word is the knowledge's for owners. Basis: common
practice.
"""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Literal

from mesotrope.core.answer.answer import Answer
from mesotrope.core.evidence.measures import CornerMeasures
from mesotrope.core.evidence.specification import Specification
from mesotrope.core.language.corner import VEHICLE, Corner, Place, listed
from mesotrope.core.language.faults import NO_FAULT
from mesotrope.core.language.inspection import Inspection
from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.language.saying import marked
from mesotrope.core.language.work import Done
from mesotrope.core.plan.hand_back import Check, MeasuredInspection


@dataclass(frozen=True)
class Wrong:
    """What was wrong at a place, and what it did."""

    where: Place
    what: str
    did: str


@dataclass(frozen=True)
class WorkTold:
    """One action in words for an owner, with its places."""

    what: str
    where: tuple[Place, ...]


@dataclass(frozen=True)
class Proved:
    """One thing that was measured again, in words for an owner."""

    where: Place
    name: str
    words: str
    good: bool


@dataclass(frozen=True)
class Gauge:
    """A figure before and after the work on one scale with its limit; `worse` is the side of it that is not good."""

    where: Corner
    name: str
    unit: str
    before: float | None
    after: float | None
    limit: float
    full: float
    worse: Literal["under", "over"]


@dataclass(frozen=True)
class OwnerFacts:
    wrong: tuple[Wrong, ...]
    done: tuple[WorkTold, ...]
    remains: tuple[WorkTold, ...]
    watched: tuple[WorkTold, ...]
    proved: tuple[Proved, ...]
    gauges: tuple[Gauge, ...]


#: Which words of the knowledge a check is told in, by the last part of its name.
TOLD_AS = {"drag": "drag", "warmth": "warmth", "hold": "hold", "feel": "feel", "level": "level", "nuts": "nuts",
           "lining": "lining", "rotor": "rotor", "parking_brake": "parking_brake"}  # fmt: skip


def owner_facts(
    answer: Answer,
    found: Mapping[Place, Sequence[str]],
    work: Iterable[Done],
    done: Collection[Done],
    checks: Sequence[Check],
    before: Inspection,
    after: MeasuredInspection,
    knowledge: Knowledge,
    *,
    stands: bool = True,
) -> OwnerFacts:
    """Put together what an owner is told.

    found : by place, the faults that were seen once the parts were open; where nobody looked, the suspects stand.
    work : what was planned, `done` what of it was ticked off; stands : somebody chose or signed it. Only what was
    proved is told of the checks.
    """
    work = tuple(work)
    left = [one for one in work if one not in done]
    left = left if stands else _whatever_the_cause(left, answer, knowledge)
    remaining = _with_partners(_against_something(answer, left, knowledge), left)
    worked = {place.axle for place, _ in work if isinstance(place, Corner)}

    def in_words(told: Sequence[Done], past: bool) -> tuple[WorkTold, ...]:
        return tuple(
            WorkTold(
                knowledge.owner.action[name].done if past else knowledge.owner.action[name].to_do,
                tuple(place for place, action in told if action == name),
            )
            for name in sorted({action for _, action in told}, key=lambda name: knowledge.order_of_work[name])
        )

    return OwnerFacts(
        wrong=_wrong(answer, found, work, knowledge),
        done=in_words([one for one in work if one in done], past=True),
        remains=in_words(remaining, past=False),
        watched=_watched(answer, work),
        proved=tuple(_proved(check, knowledge) for check in checks if check.state != "open"),
        gauges=tuple(
            gauge for gauge in _gauges(answer, before, after, knowledge) if gauge.where.axle in worked or _beyond(gauge)
        ),
    )


def _wrong(
    answer: Answer, found: Mapping[Place, Sequence[str]], work: tuple[Done, ...], knowledge: Knowledge
) -> tuple[Wrong, ...]:
    """Place by place, the faults that were found; where none was, what the work there was done against."""
    least = knowledge.threshold["named_chance"]
    named: dict[Place, list[str]] = {}
    for suspect in answer.suspects:
        seen = found.get(suspect.corner)
        if seen is None and suspect.fault in knowledge.owner.fault and suspect.probability >= least:
            named.setdefault(suspect.corner, []).append(suspect.fault)
    on_vehicle: tuple[Place, ...] = (*answer.specification.corners, VEHICLE)
    for place in on_vehicle:
        if seen := found.get(place):
            named[place] = [fault for fault in seen if fault != NO_FAULT]
    against_something = _against_something(answer, work, knowledge)
    out: list[Wrong] = []
    places = sorted({*named, *(place for place, _ in work)}, key=listed)
    for place in places:
        faults = [knowledge.owner.fault[fault] for fault in named.get(place, ()) if fault in knowledge.owner.fault]
        out += [Wrong(place, told.wrong, told.did) for told in faults]
        if not faults:
            against = dict.fromkeys(
                knowledge.owner.action[action].why for at, action in against_something if at == place
            )
            out += [Wrong(place, why, "") for why in against]
    return tuple(out)


def _against_something(answer: Answer, work: Iterable[Done], knowledge: Knowledge) -> list[Done]:
    """The work that is done against something; not what a side gets because its partner does, nor what other work
    brings with it: clips with pads, bleeding after hydraulics were opened (but pads that go with a rotor are told: they
    are a good part of what is paid). What was decided has its own reason, or that
    of the work that brings it; what was chosen instead has none."""
    work, paid = list(work), knowledge.actions_that["bedded"]
    decided = {(one.corner, one.action): one for one in answer.decision.actions}
    bad = {one.place for one in answer.decision.answered if one.how != "watch"}
    bad |= {one.place for one in answer.decision.open}
    brought_by: dict[Done, list[Done]] = {}
    for place, action in work:
        for companion in knowledge.action[action].brings:
            for at in (place, VEHICLE):
                brought_by.setdefault((at, companion), []).append((place, action))
        if action in knowledge.opening_actions:
            brought_by.setdefault((VEHICLE, "bleed_system"), []).append((place, action))

    def with_its_partner(place: Place, action: str) -> bool:
        return isinstance(place, Corner) and (place.partner, action) in work

    def against_something(one: Done) -> bool:
        known, bringing = decided.get(one), [] if one[1] in paid else brought_by.get(one, [])
        if known is None:
            sound = isinstance(one[0], Corner) and one[0] not in bad and one[0].partner in bad
            return not bringing and not (sound and with_its_partner(*one))
        if known.for_other_work:
            return not bringing and not with_its_partner(*one)
        return known.because not in {decided[other].because for other in bringing if other in decided}

    return [one for one in work if against_something(one)]


def _whatever_the_cause(work: Sequence[Done], answer: Answer, knowledge: Knowledge) -> list[Done]:
    """The work that is due whatever is found yet: where something is open nobody is told of a part that it may not
    need, nor of what that part would bring along."""
    decision = answer.decision
    still_open = {one.place for one in decision.open if isinstance(one.place, Corner)}
    asked = {(one.corner, one.action) for one in decision.actions if not one.for_other_work}
    in_doubt = {
        (place, action)
        for place, action in work
        if place in still_open and action != "find_the_cause" and (action, place) not in decision.due
    }
    sure = [one for one in work if one not in in_doubt]

    def needed(one: Done) -> bool:
        place, action = one
        if one in asked or not in_doubt:
            return True
        if isinstance(place, Corner):
            return (place.partner, action) not in in_doubt
        return any(action in knowledge.action[other].brings for _, other in sure)

    return [one for one in sure if needed(one)]


def _with_partners(told: Sequence[Done], work: Sequence[Done]) -> list[Done]:
    """The same, with the other side where it gets it too: pads are needed on both sides of an axle."""
    both = {(place.partner, action) for place, action in told if isinstance(place, Corner)}
    return [one for one in work if one in told or one in both]


def _watched(answer: Answer, work: Iterable[Done]) -> tuple[WorkTold, ...]:
    """What was noted and is no fault yet, once for all its places; not what the planned work makes an end of."""
    places: dict[str, list[Place]] = {}
    planned = {(action, place) for place, action in work}
    for one in answer.decision.watched:
        if not one.ended_by(planned):
            places.setdefault(one.row.owner, []).append(one.place)
    return tuple(WorkTold(words, tuple(at)) for words, at in places.items())


def _proved(check: Check, knowledge: Knowledge) -> Proved:
    kind = str(check.id).rpartition("/")[2]
    words = knowledge.owner.check[("dry" if check.where is VEHICLE else "leak") if kind == "leak" else TOLD_AS[kind]]
    good = check.state == "good"
    return Proved(check.where, words.name, words.good if good else words.bad, good)


def _gauges(answer: Answer, before: Inspection, after: MeasuredInspection, knowledge: Knowledge) -> Iterable[Gauge]:
    """Linings, rotors and drag that were measured, each before and after on one scale with its limit."""
    specification = answer.specification
    for corner in specification.corners:
        then, now = answer.measures[corner], after.measures[corner]
        yield from _pad_and_rotor(corner, specification, then, now, before, after)
        drags = [side.drag.torque_nm if side.drag else None for side in (then, now)]
        if any(drag is not None for drag in drags):
            limit = knowledge.limit["drag_fault_nm"]
            full = max(2 * limit, *(drag for drag in drags if drag is not None))
            yield Gauge(corner, marked("effort to turn the wheel"), "", drags[0], drags[1], limit, full, "over")


def _beyond(gauge: Gauge) -> bool:
    """Whether a figure lies on the wrong side of its limit."""
    known = [figure for figure in (gauge.before, gauge.after) if figure is not None]
    return any(figure <= gauge.limit if gauge.worse == "under" else figure > gauge.limit for figure in known)


def _pad_and_rotor(
    corner: Corner,
    specification: Specification,
    then: CornerMeasures,
    now: CornerMeasures,
    before: Inspection,
    after: MeasuredInspection,
) -> Iterable[Gauge]:
    axle = specification.axle_of(corner)
    yield from _thickness(
        corner,
        marked("brake pad, thinnest place"),
        then.thinnest_mm,
        now.thinnest_mm,
        axle.pad_limit_mm,
        axle.pad_new_mm,
    )
    was, is_now = (visit.corner(corner).thinnest_rotor_mm for visit in (before, after.inspection))
    yield from _thickness(
        corner, marked("brake disc, thinnest place"), was, is_now, axle.rotor_discard_mm, axle.rotor_new_mm
    )


def _thickness(
    corner: Corner, name: str, was: float | None, now: float | None, limit: float, new: float
) -> Iterable[Gauge]:
    known = [figure for figure in (was, now) if figure is not None]
    if known:
        yield Gauge(corner, name, "mm", was, now, limit, max(new, *known), "under")

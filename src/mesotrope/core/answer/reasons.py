"""Suspects and the cleared, each with the findings that speak for and against."""

from __future__ import annotations

import math
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass

from mesotrope.core.evidence.measures import CornerMeasures
from mesotrope.core.evidence.pieces import Evidence, Graded
from mesotrope.core.evidence.specification import Specification
from mesotrope.core.evidence.worn_out import chance_lining_worn_out
from mesotrope.core.inference.posterior import Posterior, Suspect
from mesotrope.core.inference.story import StoryStep, decibans, speaks_to
from mesotrope.core.language.corner import VEHICLE, Corner, Place, listed
from mesotrope.core.language.faults import NO_FAULT
from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.language.odds import likely
from mesotrope.core.language.quantity import ALIKE
from mesotrope.core.language.saying import Sayable, joined, mm, placed, said


@dataclass(frozen=True)
class Reason:
    """One finding's weight; `told` says it without the corner, for where a heading names it."""

    finding: str
    corner: Place
    decibans: float
    told: Sayable

    @property
    def because(self) -> Sayable:
        return placed(self.corner, self.told)

    def under(self, heading: Place) -> Sayable:
        """The reason as it is said under a heading that names a place."""
        return self.told if self.corner == heading else self.because


@dataclass(frozen=True)
class SuspectAnswer:
    """A suspect with its chance, its reasons for and against, and the mechanism that the findings fit."""

    corner: Place
    fault: str
    words: str
    probability: float
    mechanism: str
    reasons_for: tuple[Reason, ...]
    reasons_against: tuple[Reason, ...]


@dataclass(frozen=True)
class Cleared:
    corner: Place
    fault: str
    words: str
    probability: float
    because: Sayable


#: For every suspect, the steps that weigh on it, each with its weight, the heaviest first.
Weighed = Mapping[Suspect, Sequence[tuple[float, StoryStep]]]


def weigh(steps: Sequence[StoryStep], knowledge: Knowledge) -> Weighed:
    least = knowledge.threshold["least_decibans"]
    out: dict[Suspect, list[tuple[float, StoryStep]]] = {}
    for step in steps:
        weights = step.decibans.tolist()  # much faster to look up one by one
        for suspect, place in step.columns.items():
            if abs(weight := weights[place]) >= least:
                out.setdefault(suspect, []).append((weight, step))
    for steps_of in out.values():
        steps_of.sort(key=lambda one: -abs(one[0]))
    return out


def _reasons(suspect: Suspect, weighed: Weighed, knowledge: Knowledge) -> Iterator[Reason]:
    """Every finding's weight for a suspect, the heaviest first."""
    for weight, step in weighed.get(suspect, ()):
        if reason := _reason(suspect, weight, step, knowledge):
            yield reason


def _reason(
    suspect: Suspect, weight: float, step: StoryStep, knowledge: Knowledge, direct: bool = False
) -> Reason | None:
    """What a step says of a suspect; of a fault of the whole system, or `direct`, only what bears on it itself."""
    corner, fault = suspect
    known = knowledge.fault.get(fault)
    items = step.said_at(corner)
    if known and (direct or corner is VEHICLE):
        items = tuple(item for item in items if speaks_to(item, known))
    if not items:
        return None
    told = joined(_told(item, items[0].corner) for item in items)
    whys = [why for item in items if isinstance(item, Graded) and (why := item.likelihood.why_of(fault))]
    if weight > 0 and whys:
        told = said("{finding} ({why})", finding=told, why=whys[0])
    return Reason(items[0].finding, items[0].corner, weight, told)


def _told(item: Evidence, at: Place) -> Sayable:
    """A piece of evidence beside others: its corner is said where it is another."""
    return item.sentence if item.corner == at else placed(item.corner, item.sentence)


def suspects_with_reasons(
    chances: Mapping[Suspect, float],
    weighed: Weighed,
    posterior: Posterior,
    measures: Mapping[Corner, CornerMeasures],
    specification: Specification,
    knowledge: Knowledge,
) -> tuple[tuple[SuspectAnswer, ...], tuple[SuspectAnswer, ...]]:
    """The suspects that are likely enough to be listed, and the likeliest fault of every place that has none listed.

    A fault for which nothing found speaks is not listed: it is no suspect, only not looked at.
    """
    least = knowledge.threshold["listed_chance"]

    def told(suspect: Suspect) -> SuspectAnswer:
        reasons = _all_reasons(suspect, weighed, measures, specification, knowledge)
        if beside := _of_partner(suspect, chances, weighed, posterior):
            reasons = sorted([*reasons, beside], key=lambda reason: -abs(reason.decibans))
        return _suspect_answer(suspect, chances[suspect], reasons, posterior, knowledge)

    out = [one for suspect, chance in chances.items() if chance >= least and _spoken_for(one := told(suspect))]

    examined = {where for where, fault in chances if fault == knowledge.none.id} | {VEHICLE}
    accused = {one.corner for one in out if one.fault != knowledge.none.id}
    likeliest: list[SuspectAnswer] = []
    for place in sorted(examined - accused, key=listed):
        faults = [suspect for suspect in chances if suspect[0] == place and suspect[1] != knowledge.none.id]
        if faults:
            likeliest.append(told(max(faults, key=lambda suspect: round(chances[suspect], ALIKE))))
    return tuple(sorted(out, key=_rank)), tuple(likeliest)


def _rank(suspect: SuspectAnswer) -> tuple[object, ...]:
    """Likely faults first, then the corners that are likely sound, then the rest."""
    tier = (suspect.fault == NO_FAULT) if suspect.probability >= 0.5 else 2
    return tier, -round(suspect.probability, ALIKE), listed(suspect.corner), suspect.fault


def suspects_without_reasons(
    chances: Mapping[Suspect, float], posterior: Posterior, knowledge: Knowledge
) -> tuple[SuspectAnswer, ...]:
    """All that are likely enough to be listed, before their reasons are worked out."""
    least = knowledge.threshold["listed_chance"]
    likely = ((suspect, chance) for suspect, chance in chances.items() if chance >= least)
    return tuple(sorted((_suspect_answer(*one, (), posterior, knowledge) for one in likely), key=_rank))


def in_doubt_of(suspects: Sequence[SuspectAnswer], knowledge: Knowledge) -> tuple[SuspectAnswer, ...]:
    """The corners that are not likely sound while no fault of theirs is likely enough to be listed."""
    least = knowledge.threshold["listed_chance"]
    faulty = {one.corner for one in suspects if one.fault != NO_FAULT and one.probability >= least}
    return tuple(
        suspect
        for suspect in suspects
        if suspect.fault == NO_FAULT
        and suspect.corner not in faulty
        and suspect.probability < knowledge.threshold["in_doubt_chance"]
    )


def _mechanism(suspect: Suspect, posterior: Posterior) -> str:
    """The words of the mechanism that the findings fit; nothing for what is no fault of a corner."""
    place, fault = suspect
    if isinstance(place, Corner) and fault in posterior.knowledge.fault:
        return posterior.mechanism(place, fault)
    return ""


def _spoken_for(suspect: SuspectAnswer) -> bool:
    return suspect.fault == NO_FAULT or bool(suspect.reasons_for)


def _suspect_answer(
    suspect: Suspect, chance: float, reasons: Sequence[Reason], posterior: Posterior, knowledge: Knowledge
) -> SuspectAnswer:
    """One suspect with its reasons and the mechanism that the findings fit."""
    return SuspectAnswer(
        *suspect,
        knowledge.words(suspect[1]),
        chance,
        _mechanism(suspect, posterior),
        tuple(reason for reason in reasons if reason.decibans > 0),
        tuple(reason for reason in reasons if reason.decibans < 0),
    )


def _all_reasons(
    suspect: Suspect,
    weighed: Weighed,
    measures: Mapping[Corner, CornerMeasures],
    specification: Specification,
    knowledge: Knowledge,
) -> list[Reason]:
    """The reasons for and against a suspect; a lining that is merely worn is seen as a corner without a fault, once its
    thickness speaks for it."""
    corner, fault = suspect
    if fault != knowledge.worn.id or not isinstance(corner, Corner):
        return list(_reasons(suspect, weighed, knowledge))
    thin = _thin_lining(corner, measures, specification)
    return [thin, *_reasons((corner, knowledge.none.id), weighed, knowledge)] if thin.decibans > 0 else [thin]


def _of_partner(
    suspect: Suspect, chances: Mapping[Suspect, float], weighed: Weighed, posterior: Posterior
) -> Reason | None:
    """What was found at the other side of the axle, where the two share what brings the fault to both."""
    corner, fault = suspect
    known = posterior.knowledge.fault.get(fault)
    if not known or not known.both_sides or not isinstance(corner, Corner) or not corner.partner:
        return None
    partner = (corner.partner, fault)
    if partner not in weighed or partner not in chances:
        return None
    weight = 10 * math.log10(posterior.share_of_partner(corner, fault))
    if abs(weight) < posterior.knowledge.threshold["least_decibans"]:
        return None
    chance, (_, step) = likely(chances[partner], posterior.knowledge), weighed[partner][0]
    told = said("{fault}: {chance} ({why})", fault=known.words, chance=chance, why=known.both_sides.why)
    return Reason(step.evidence[0].finding, corner.partner, weight, told)


def _thin_lining(corner: Corner, measures: Mapping[Corner, CornerMeasures], specification: Specification) -> Reason:
    """The weight of a lining at or under its limit."""
    axle = specification.axle_of(corner)
    thin = chance_lining_worn_out(measures[corner], axle.pad_limit_mm) or 0.0
    weight = decibans(thin, axle.worn_out_unseen)
    thinnest = measures[corner].thinnest_mm
    told = said("lining {left} at its thinnest, limit {limit}", left=mm(thinnest or 0.0), limit=mm(axle.pad_limit_mm))
    return Reason("pad_mm", corner, weight, told)


def cleared_with_reasons(
    chances: Mapping[Suspect, float], weighed: Weighed, knowledge: Knowledge
) -> tuple[Cleared, ...]:
    """Faults that the findings speak against clearly enough to strike them out, and by what."""
    clearing_at = knowledge.threshold["clearing_decibans"]
    out = []
    for (corner, fault), chance in chances.items():
        if chance < knowledge.threshold["cleared_chance"] and fault in knowledge.fault:
            clearing = (one for one in weighed.get((corner, fault), ()) if one[0] <= clearing_at)
            told = (_reason((corner, fault), weight, step, knowledge, direct=True) for weight, step in clearing)
            against = next(filter(None, told), None)
            if against:
                out.append(Cleared(corner, fault, knowledge.words(fault), chance, against.because))
    return tuple(sorted(out, key=lambda cleared: (listed(cleared.corner), round(cleared.probability, ALIKE))))

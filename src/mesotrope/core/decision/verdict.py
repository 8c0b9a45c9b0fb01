"""A first decision: verdict and actions for each corner, from the hard rules and from what is most likely."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field

from mesotrope.core.decision.rules import corner_demands, system_demands
from mesotrope.core.evidence.measures import CornerMeasures
from mesotrope.core.evidence.specification import Specification
from mesotrope.core.inference.posterior import Suspect
from mesotrope.core.language.corner import VEHICLE, Corner, Place
from mesotrope.core.language.entries import field_of
from mesotrope.core.language.inspection import Inspection
from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.language.paths import leaves
from mesotrope.core.language.saying import Sayable, chance_of, said

#: The four verdicts, from mild to grave.
VERDICTS = ("sound", "service", "replace", "unsafe")

#: How the chance of a fault is said that is acted on.
LIKELY = "{fault}: {chance} likely"

#: What is planned, with why: by action and place.
Planned = dict[tuple[str, Place], Sayable]


@dataclass(frozen=True)
class PlannedAction:
    action: str
    corner: Place
    because: Sayable


@dataclass(frozen=True)
class CornerVerdict:
    """`verdict` is None where too little was found to say. `settled`: what is acted on is more likely than not."""

    verdict: str | None
    reasons: tuple[Sayable, ...] = ()
    settled: bool = False


@dataclass(frozen=True)
class Decision:
    verdict: str | None
    corners: Mapping[Corner, CornerVerdict]
    actions: tuple[PlannedAction, ...]
    unsafe: tuple[Sayable, ...]
    cautions: tuple[str, ...]


def worst_of(verdicts: Iterable[str | None]) -> str | None:
    """The gravest of some verdicts; None where there is none: an axle has the worse of its two corners.

    >>> worst_of(["sound", None, "replace"]), worst_of([None])
    ('replace', None)
    """
    return max((verdict for verdict in verdicts if verdict), key=VERDICTS.index, default=None)


@dataclass
class _Draft:
    verdict: str | None = None
    reasons: list[Sayable] = field(default_factory=list)
    settled: bool = False

    def demand(self, verdict: str, reason: Sayable) -> None:
        if self.verdict is None or VERDICTS.index(verdict) > VERDICTS.index(self.verdict):
            self.verdict = verdict
        if reason not in self.reasons:
            self.reasons.append(reason)


def decide(
    inspection: Inspection,
    specification: Specification,
    measures: Mapping[Corner, CornerMeasures],
    suspects: Mapping[Suspect, float],
    knowledge: Knowledge,
) -> Decision:
    """Decide from the hard rules first, then from every suspect that is more likely than not.

    What goes as an axle set, or would pull if done on one side, is planned for both sides. A corner at which
    nothing was looked at gets no verdict.
    """
    least = knowledge.threshold["named_chance"]
    drafts: dict[Corner, _Draft] = {}
    planned: Planned = {}
    unsafe: list[Sayable] = []
    looked_at = {corner: any(True for _ in leaves(inspection.corner(corner))) for corner in specification.corners}

    def plan(actions: tuple[str, ...], corner: Place, because: Sayable) -> None:
        for action in actions:
            planned.setdefault((action, corner), because)

    def danger(words: Sayable, where: Place) -> None:
        told = words if where is VEHICLE else said("{place}: {danger}", place=where, danger=words)
        if told not in unsafe:
            unsafe.append(told)

    for corner in specification.corners:
        draft = drafts[corner] = _Draft()
        for demand in corner_demands(corner, inspection, measures[corner], specification, knowledge):
            draft.demand(demand.verdict, demand.because)
            draft.settled = True
            plan(demand.actions, corner, demand.because)
            if demand.unsafe:
                danger(demand.unsafe, corner)
        named = {fault: p for (where, fault), p in suspects.items() if where == corner and p >= least}
        for fault, chance in sorted(named.items(), key=lambda item: -item[1]):
            if cure := knowledge.cure.get(fault):
                reason = said(LIKELY, fault=knowledge.words(fault), chance=chance_of(chance))
                draft.demand(cure.verdict, reason)
                draft.settled = True
                plan(cure.actions, corner, reason)
                if cure.unsafe:
                    draft.demand("unsafe", cure.unsafe)
                    danger(cure.unsafe, corner)
        if draft.verdict is None and looked_at[corner]:
            _lean(draft, corner, suspects, knowledge)

    overall = _Draft()
    for demand in system_demands(inspection):
        overall.demand(demand.verdict, demand.because)
        plan(demand.actions, VEHICLE, demand.because)
        danger(demand.unsafe, VEHICLE)
    for (where, fault), chance in suspects.items():
        if where is VEHICLE and chance >= knowledge.threshold["named_chance"]:
            cure = knowledge.cure[fault]
            overall.demand(cure.verdict, knowledge.words(fault))
            plan(
                cure.actions,
                VEHICLE,
                said(LIKELY, fault=knowledge.words(fault), chance=chance_of(chance)),
            )
            if cure.unsafe:
                danger(cure.unsafe, VEHICLE)
    _both_sides(planned, specification, knowledge)
    _not_twice(planned)
    for draft in drafts.values():
        if draft.verdict:
            overall.demand(draft.verdict, "")
    actions = tuple(PlannedAction(action, corner, because) for (action, corner), because in planned.items())
    return Decision(
        verdict=overall.verdict,
        corners={c: CornerVerdict(d.verdict, tuple(d.reasons), d.settled) for c, d in drafts.items()},
        actions=actions or _leave_alone(overall.verdict),
        unsafe=tuple(unsafe),
        cautions=_cautions(inspection, specification, actions, knowledge),
    )


def _lean(draft: _Draft, corner: Corner, suspects: Mapping[Suspect, float], knowledge: Knowledge) -> None:
    """Give a corner where no single suspect is named the verdict that its chances lean to."""
    none = suspects.get((corner, knowledge.none.id), 0.0)
    if none >= knowledge.threshold["named_chance"]:
        draft.demand("sound", said("nothing wrong found: {chance} likely", chance=chance_of(none)))
        draft.settled = none >= knowledge.threshold["settled_chance"]
        return
    here = {fault: p for (where, fault), p in suspects.items() if where == corner and fault in knowledge.cure}
    if here:
        graver = sum(p for fault, p in here.items() if knowledge.cure[fault].verdict != "service")
        top = max(here, key=lambda fault: here[fault])
        draft.demand(
            "replace" if graver >= knowledge.threshold["named_chance"] else "service",
            said("not settled yet; first {fault}", fault=knowledge.words(top)),
        )


def _both_sides(planned: Planned, specification: Specification, knowledge: Knowledge) -> None:
    for (action, corner), _ in list(planned.items()):
        known = knowledge.action[action]
        partner = corner.partner if isinstance(corner, Corner) else None
        if known.both_sides and partner in specification.corners:
            planned.setdefault((action, partner), said("as on the other side: {why}", why=known.both_sides))


def _not_twice(planned: Planned) -> None:
    """A replaced caliper is not rebuilt, a replaced bracket not cleaned, and the system is bled once."""
    for action, corner in list(planned):
        if action == "rebuild_caliper" and ("replace_caliper", corner) in planned:
            del planned[action, corner]
        if action == "clean_bracket_lands" and ("replace_bracket", corner) in planned:
            del planned[action, corner]
        if action == "bleed_system" and corner is not VEHICLE:
            because = planned.pop((action, corner))
            planned.setdefault((action, VEHICLE), said("hydraulics opened; {why}", why=because))


def _leave_alone(verdict: str | None) -> tuple[PlannedAction, ...]:
    return (PlannedAction("no_action", VEHICLE, "nothing found that needs work"),) if verdict == "sound" else ()


def _cautions(
    inspection: Inspection,
    specification: Specification,
    actions: tuple[PlannedAction, ...],
    knowledge: Knowledge,
) -> tuple[str, ...]:
    occasions = {"always"} | {action.action for action in actions}
    for corner in specification.corners:
        paths = [path for path, _ in leaves(inspection.corner(corner))]
        occasions |= {f.stage for path in paths if (f := field_of(path, knowledge.corner_fields))}
        worked_on = any(action.corner == corner for action in actions)
        if worked_on and specification.axle_of(corner).has("parking_brake_in_caliper"):
            occasions.add("parking_brake_in_caliper")
    return tuple(c.words for c in knowledge.cautions if occasions & set(c.when))


def stage_cautions(stage: str, knowledge: Knowledge) -> tuple[str, ...]:
    """The cautions that belong to a stage of the work."""
    return tuple(caution.words for caution in knowledge.cautions if stage in caution.when)

"""A first decision: verdict and actions for each corner, from the hard rules and from what is most likely."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field

from mesotrope.core.decision.answered import (
    Answered,
    AnyOf,
    Finding,
    Open,
    Planned,
    acting_at,
    answers_to,
    bad_findings,
    by_work,
    complaint_answered,
    together,
)
from mesotrope.core.decision.before_master_cylinder import BeforeMasterCylinder
from mesotrope.core.decision.brought_along import FOR_OTHER_WORK, complete
from mesotrope.core.decision.cures import Cures, puts_right
from mesotrope.core.decision.due_figures import Figures, figures_of
from mesotrope.core.decision.open_words import open_under
from mesotrope.core.decision.unsettled import NOT_SETTLED, Unsettled, could_be, due_of
from mesotrope.core.decision.watched import Watched, as_answered, watched
from mesotrope.core.evidence.measures import CornerMeasures
from mesotrope.core.evidence.specification import Specification
from mesotrope.core.inference.posterior import Suspect
from mesotrope.core.language.corner import VEHICLE, Corner, Place
from mesotrope.core.language.entries import nearest_field
from mesotrope.core.language.inspection import Inspection
from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.language.odds import likely
from mesotrope.core.language.paths import leaves
from mesotrope.core.language.reliance import relies_on
from mesotrope.core.language.saying import Said, Sayable, marked, said
from mesotrope.core.language.work import Cure

RELIES_ON = relies_on(marked("verdict"), "rotor_lip_mm")

#: The four verdicts, from mild to grave.
VERDICTS = ("sound", "service", "replace", "unsafe")

#: How a fault is said that is acted on.
LIKELY = marked("{fault}: {likely}")
EITHER = marked("{fault} or {other}")


@dataclass(frozen=True)
class PlannedAction:
    action: str
    corner: Place
    because: Sayable

    @property
    def for_other_work(self) -> bool:
        """Whether it is done only because its partner gets it, or the hydraulics are opened elsewhere."""
        return isinstance(self.because, Said) and self.because.message in FOR_OTHER_WORK


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
    open: tuple[Open, ...] = ()
    answered: tuple[Answered, ...] = ()
    watched: tuple[Watched, ...] = ()
    #: What it was made from: all that is bad of what was found, and the figures that this was judged by.
    findings: tuple[Finding, ...] = ()
    figures: Mapping[Place, Figures] = field(default_factory=dict)
    #: What is due by what was found, whatever the cause may be.
    due: frozenset[tuple[str, Place]] = frozenset()


def worst_of(verdicts: Iterable[str | None]) -> str | None:
    """The gravest of some verdicts; None where there is none: an axle has the worse of its two corners.

    >>> worst_of(["sound", None, "replace"]), worst_of([None])
    ('replace', None)
    """
    return max((verdict for verdict in verdicts if verdict), key=VERDICTS.index, default=None)


@dataclass
class _Opinion:
    """What a place comes to so far, and why."""

    verdict: str | None = None
    reasons: list[Sayable] = field(default_factory=list)
    settled: bool = False

    def demand(self, verdict: str, reason: Sayable) -> None:
        if self.verdict is None or VERDICTS.index(verdict) > VERDICTS.index(self.verdict):
            self.verdict = verdict
        if reason not in self.reasons:
            self.reasons.append(reason)


@dataclass
class _Draft:
    """A decision in the making: what each place comes to, what is planned, and what nobody may drive with."""

    opinions: dict[Place, _Opinion]
    planned: Planned = field(default_factory=dict)
    unsafe: list[Sayable] = field(default_factory=list)

    def demand(self, place: Place, verdict: str, actions: Iterable[str], because: Sayable) -> None:
        """Let a place come to at least this verdict, and plan what it asks for."""
        self.opinions[place].demand(verdict, because)
        for action in actions:
            self.planned.setdefault((action, place), because)

    def settle(self, place: Place, verdict: str, actions: Iterable[str], because: Sayable) -> None:
        """The same, for what is as good as certain."""
        self.demand(place, verdict, actions, because)
        self.opinions[place].settled = True

    def danger(self, place: Place, words: Sayable) -> None:
        told = words if place is VEHICLE else said("{place}: {danger}", place=place, danger=words)
        if told not in self.unsafe:
            self.unsafe.append(told)

    def overall(self) -> str | None:
        """The gravest verdict of all places."""
        return worst_of(opinion.verdict for opinion in self.opinions.values())


def decide(
    inspection: Inspection,
    specification: Specification,
    measures: Mapping[Corner, CornerMeasures],
    suspects: Mapping[Suspect, float],
    knowledge: Knowledge,
    any_of: AnyOf | None = None,
) -> Decision:
    """Decide: every bad finding is acted on, explained or left open; then every suspect more likely than not.

    What goes as an axle set, or would pull if done on one side, is planned for both sides. A corner at which nothing
    was looked at, or at which something is open and nothing is due, gets no verdict: it is never called sound.
    any_of : chance that any of some faults is there, at a corner or anywhere; from the suspects' where none is given.
    """
    figures = figures_of(inspection, specification, measures, knowledge)
    findings = bad_findings(inspection, specification, measures, figures, knowledge)
    places: tuple[Place, ...] = (*specification.corners, VEHICLE)
    draft = _Draft({place: _Opinion() for place in places})
    cures = Cures(inspection, specification, knowledge)
    before = BeforeMasterCylinder(inspection, specification, suspects, knowledge)
    _act_on_findings(draft, findings)
    due = due_of(draft.planned, knowledge)
    _act_on_suspects(draft, suspects, cures, knowledge)
    _act_where_opened(draft, findings, knowledge)
    planned = draft.planned

    answered, left_open = answers_to(findings, suspects, any_of or _any_of(suspects), knowledge)
    tied, unexplained = complaint_answered(inspection, specification, findings, suspects, knowledge, figures[VEHICLE])
    left_open += unexplained
    left_open += _dangers_not_ruled_out(inspection, suspects, planned, knowledge)
    left_open += before.pushrod_not_looked_at() + before.condemned_too_soon(planned)
    left_open += _leaning(draft, inspection, suspects, left_open, cures)
    unsettled = Unsettled(due, suspects, cures)
    left_open += unsettled.at_corners(planned, left_open) + unsettled.of_vehicle(left_open)

    causes: Planned = {("find_the_cause", one.place): open_under(one, knowledge) for one in reversed(left_open)}
    planned = before.first(causes | planned)
    before.leak_where_it_was_found(planned)
    complete(planned, left_open, inspection, specification, knowledge)

    verdict = draft.overall()
    verdict = None if left_open and verdict == "sound" else verdict
    actions = tuple(PlannedAction(action, corner, because) for (action, corner), because in planned.items())
    noted = watched(inspection, specification, measures, figures, findings, planned, knowledge)
    answered += tied
    answered += as_answered(noted, answered)
    corners = {corner: draft.opinions[corner] for corner in specification.corners}
    return Decision(
        verdict=verdict,
        corners={c: CornerVerdict(o.verdict, tuple(o.reasons), o.settled) for c, o in corners.items()},
        actions=actions or _leave_alone(verdict),
        unsafe=tuple(draft.unsafe),
        cautions=_cautions(inspection, specification, actions, knowledge),
        open=tuple(left_open),
        answered=tuple(answered),
        watched=noted,
        findings=tuple(findings),
        figures=figures,
        due=due,
    )


def _act_on_findings(draft: _Draft, findings: Iterable[Finding]) -> None:
    """What was found demands by itself."""
    for finding in findings:
        if demand := finding.demand:
            draft.settle(finding.place, demand.verdict, demand.actions, demand.because)
            if demand.unsafe:
                draft.danger(finding.place, demand.unsafe)


def _act_on_suspects(draft: _Draft, suspects: Mapping[Suspect, float], cures: Cures, knowledge: Knowledge) -> None:
    """What puts right every fault that is more likely than not, alone or with others that ask for the same work."""
    for (where, fault), chance in sorted(suspects.items(), key=lambda item: -item[1]):
        cure = cures.at(where, fault) if fault in knowledge.cure else None
        if cure and chance >= knowledge.threshold["named_chance"]:
            reason = said(LIKELY, fault=knowledge.words(fault), likely=likely(chance, knowledge))
            milder, instead_of = _demanded_way(cure, where, draft.planned, knowledge) or ("", "")
            if milder and fault in knowledge.conditions:
                continue  # what was found of it says what it is due
            actions = [milder if action == instead_of else action for action in cure.actions]
            draft.settle(where, cure.verdict, actions, reason)
            if cure.unsafe:
                draft.demand(where, "unsafe", (), cure.unsafe)
                draft.danger(where, cure.unsafe)
    for where, first, other, chance in _only_together(suspects, knowledge):
        cure, told = cures.at(where, first), said(EITHER, fault=knowledge.words(first), other=knowledge.words(other))
        draft.settle(where, cure.verdict, cure.actions, said(LIKELY, fault=told, likely=likely(chance, knowledge)))


def _act_where_opened(draft: _Draft, findings: Iterable[Finding], knowledge: Knowledge) -> None:
    """What was found demands once the hydraulics there are opened anyway."""
    for finding in findings:
        demand = finding.demand
        if demand and demand.when_opened and _opened_at(finding.place, draft.planned, knowledge):
            draft.demand(finding.place, "replace", demand.when_opened, demand.because)


def _demanded_way(cure: Cure, place: Place, planned: Planned, knowledge: Knowledge) -> tuple[str, str] | None:
    """The milder way that what was found at a place demands by itself, where that puts a fault right more likely than
    not (an overhaul, of a piston that hangs), and what it is done in place of; None where nothing demands one."""
    least = knowledge.threshold["named_chance"]
    cures = knowledge.remedy[cure.fault].cures if cure.fault in knowledge.remedy else {}
    for action in cure.actions:
        for milder in knowledge.action[action].stands_in_for:
            if (milder, place) in planned and (action, place) not in planned and cures.get(milder, 0.0) >= least:
                return milder, action
    return None


def _only_together(suspects: Mapping[Suspect, float], knowledge: Knowledge) -> Iterator[tuple[Place, str, str, float]]:
    """Where several faults of a place that ask for the same work are together likely enough to be acted on and none is
    alone: the place, the two likeliest, and the chance of any."""
    least = knowledge.threshold["named_chance"]
    for alike in by_work(((*who, p) for who, p in suspects.items()), knowledge):
        (where, first, most), *others = sorted(alike, key=lambda one: (-one[2], one[1]))
        if together(alike) >= least > most:
            yield where, first, others[0][1], together(alike)


def _opened_at(place: Place, planned: Planned, knowledge: Knowledge) -> bool:
    """Whether the hydraulics of a place are opened: by what is done there, or to the whole vehicle's fluid."""
    return any(where in (place, VEHICLE) and knowledge.action[action].opens_hydraulics for action, where in planned)


def _any_of(suspects: Mapping[Suspect, float]) -> AnyOf:
    """Chance of any of some faults, as if those of a place were never there together."""

    def any_of(place: Place, faults: Sequence[str]) -> float:
        return min(1.0, sum(p for (at, f), p in suspects.items() if f in faults and (place in (VEHICLE, at))))

    return any_of


def _dangers_not_ruled_out(
    inspection: Inspection, suspects: Mapping[Suspect, float], planned: Planned, knowledge: Knowledge
) -> list[Open]:
    """Faults that nobody may drive with, too unlikely to be acted on and too likely to be forgotten, where anything was
    found and what is planned there does not put them right: each is open until it is ruled out."""
    known, out = knowledge.threshold, []
    for (where, fault), chance in sorted(suspects.items(), key=lambda item: -item[1]):
        unsettled = known["danger_chance"] <= chance < known["named_chance"]
        cure = knowledge.cure.get(fault) if unsettled else None
        if not (cure and cure.unsafe and leaves(inspection.at(where))):
            continue
        if not puts_right(planned, where, fault, knowledge):
            what = marked("a danger that is not ruled out")
            out.append(Open(where, what, ((where, fault, chance),), about=(fault,)))
    return out


def _leaning(
    draft: _Draft, inspection: Inspection, suspects: Mapping[Suspect, float], left_open: Sequence[Open], cures: Cures
) -> list[Open]:
    """What is open at the corners that were looked at, have nothing due, and nothing open yet."""
    out: list[Open] = []
    for corner in cures.specification.discs:
        opinion = draft.opinions[corner]
        answered = opinion.verdict is not None or any(one.place == corner for one in left_open)
        if leaves(inspection.corner(corner)) and not answered:
            out += _lean(opinion, corner, suspects, cures)
    return out


def _lean(opinion: _Opinion, corner: Corner, suspects: Mapping[Suspect, float], cures: Cures) -> list[Open]:
    """Call a corner sound where its chances lean to it clearly; as bad as the system's fault that holds it, where one
    does; else it is open what is wrong there."""
    knowledge = cures.knowledge
    known = knowledge.threshold
    none = suspects.get((corner, knowledge.none.id), 0.0)
    if none >= known["sound_chance"]:
        opinion.demand("sound", said("nothing wrong found: {likely}", likely=likely(none, knowledge)))
        opinion.settled = none >= known["settled_chance"]
        return []
    acting = acting_at(corner, suspects, knowledge)
    left_open = could_be(corner, NOT_SETTLED, acting)
    if not left_open:
        return []
    place, leading, chance = left_open[0].explained_by[0]
    if place is VEHICLE and chance >= known["named_chance"] and 1 - none >= known["explained_chance"]:
        words = said("the whole system: {fault}", fault=knowledge.words(leading))
        opinion.demand(cures.at(VEHICLE, leading).verdict, said(LIKELY, fault=words, likely=likely(chance, knowledge)))
        opinion.settled = True
        return []
    return left_open


def _leave_alone(verdict: str | None) -> tuple[PlannedAction, ...]:
    return (PlannedAction("no_action", VEHICLE, marked("nothing found that needs work")),) if verdict == "sound" else ()


def _cautions(
    inspection: Inspection,
    specification: Specification,
    actions: tuple[PlannedAction, ...],
    knowledge: Knowledge,
) -> tuple[str, ...]:
    occasions = {"always"} | {action.action for action in actions}
    for corner in specification.corners:
        paths = [path for path, _ in leaves(inspection.corner(corner))]
        occasions |= {f.stage for path in paths if (f := nearest_field(path, knowledge.corner_field))}
        worked_on = any(action.corner == corner for action in actions)
        if worked_on and specification.axle_of(corner).has("parking_brake_in_caliper"):
            occasions.add("parking_brake_in_caliper")
    return tuple(c.words for c in knowledge.cautions if occasions & set(c.when))


def stage_cautions(stage: str, knowledge: Knowledge) -> tuple[str, ...]:
    """The cautions that belong to a stage of the work."""
    return tuple(caution.words for caution in knowledge.cautions if stage in caution.when)

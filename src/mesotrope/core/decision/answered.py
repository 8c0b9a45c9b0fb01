"""Every finding gets its answer: acted on, explained, or open. Nothing that was found wrong is left without one.

The table of what is due is the knowledge's (`due.toml`); here it is read against one inspection. Source: [practice].
"""

from __future__ import annotations

import math
from collections.abc import Callable, Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

from mesotrope.core.decision.complaint import complaints_in, explaining, is_routine, pointed_at
from mesotrope.core.decision.due_figures import Figures
from mesotrope.core.decision.rules import CornerFacts, Demand, corner_demands
from mesotrope.core.evidence.measures import CornerMeasures
from mesotrope.core.evidence.specification import AxleSpecification, Specification
from mesotrope.core.language.corner import VEHICLE, Axle, Corner, Place
from mesotrope.core.language.inspection import Inspection
from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.language.paths import by_finding
from mesotrope.core.language.quantity import ALIKE
from mesotrope.core.language.reliance import relies_on
from mesotrope.core.language.saying import Sayable, marked, said, verbatim
from mesotrope.core.language.work import Due

#: The limits that the table of what is due is read against.
RELIES_ON = relies_on(
    marked("verdict"),
    "all_hubs_hot_k",
    "boils_low_k",
    "copper_change_ppm",
    "differs",
    "drag_fault_nm",
    "drag_free_nm",
    "drag_unsafe_nm",
    "fluid_age_months",
    "fluid_low",
    "fluid_over",
    "hub_alone_look_c",
    "hub_unsafe_c",
    "imbalance_dangerous_steered_percent",
    "imbalance_major_percent",
    "inner_outer_fault_mm",
    "pad_gap_mm",
    "pedal_long",
    "pedal_unsafe",
    "rotor_lip_mm",
    "runout_mm",
    "taper_fault_mm",
    "temperature_look_k",
    "variation_mm",
    "water_change_percent",
)

#: Chance that any of some faults is there, at a corner (those of the system that reach it included) or anywhere.
AnyOf = Callable[[Place, Sequence[str]], float]

#: What is planned, with why: by action and place.
Planned = dict[tuple[str, Place], Sayable]

#: A suspect and how likely it is.
Share = tuple[Place, str, float]


@dataclass(frozen=True)
class Finding:
    """One bad value: where, which finding, what it is due by itself (nothing, where it must only be explained).

    `due` : the row of the table that speaks of it; None where a rule of several values does. `explained_by` : the
    faults that would explain it, `by_partner` those of its partner that would; `explained` : what is neither a fault
    nor acted on and does explain it.
    """

    place: Place
    name: str
    because: Sayable
    demand: Demand | None
    due: Due | None = None
    explained_by: tuple[str, ...] = ()
    by_partner: tuple[str, ...] = ()
    explained: str = ""

    @property
    def must_be_explained(self) -> bool:
        return self.due is not None and not self.due.outside and (bool(self.explained_by) or self.demand is None)


@dataclass(frozen=True)
class Open:
    """Something found, or complained of, that is not explained with reasonable odds: what would explain it, and the
    finding that would tell more.

    `explained_by` : the likeliest explanations with their chances; `about` : every fault that would be one, on one
    `axle` or any; `next_tests` : what is named to tell more, in order; `next_test` : what is made next and `next_place`
    where, once known: the `finding` itself `once_more`, where nothing else would tell more. `next_minutes` : what it
    takes, with getting at it.
    """

    place: Place
    what: Sayable
    explained_by: tuple[Share, ...]
    next_tests: tuple[str, ...] = ()
    about: tuple[str, ...] = ()
    axle: str = ""
    is_complaint: bool = False
    next_test: str = ""
    next_place: Place | None = None
    next_minutes: float = 0.0
    finding: str = ""
    once_more: bool = False


@dataclass(frozen=True)
class Answered:
    """How a finding was answered: by an action, by a fault or condition that explains it, or it is open or outside."""

    place: Place
    finding: str
    how: str
    because: Sayable


def bad_findings(
    inspection: Inspection,
    specification: Specification,
    measures: Mapping[Corner, CornerMeasures],
    figures: Mapping[Place, Figures],
    knowledge: Knowledge,
) -> list[Finding]:
    """Every bad value of an inspection with what it is due, corner by corner, then of the whole vehicle.

    figures : of all these, as `figures_of` makes them.
    """
    out: list[Finding] = []
    for corner in specification.corners:
        axle, found = specification.axle_of(corner), inspection.corner(corner)
        given = by_finding(found)
        demands = corner_demands(CornerFacts(found, given, measures[corner], axle, specification.kind, knowledge))
        here = [Finding(corner, demand.finding, demand.because, demand) for demand in demands]
        here += _due_at(corner, given, figures[corner], specification.kind, {corner.axle: axle}, knowledge)
        if specification.shares_wheel(corner):
            here = [_of_one_wheel(one, knowledge) for one in here]
        out += (
            here if axle.has("disc") else [_at_drum(one, knowledge) for one in here if one.name in knowledge.at_drums]
        )
    given = by_finding(inspection.system)
    return out + _due_at(VEHICLE, given, figures[VEHICLE], specification.kind, specification.axles, knowledge)


def _due_at(
    place: Place,
    given: Mapping[str, list[tuple[str, Any]]],
    figures: Figures,
    kind: str,
    axles: Mapping[Axle, AxleSpecification],
    knowledge: Knowledge,
) -> list[Finding]:
    """The bad values of a place that rows of the table speak of. given : what was found there, by finding."""
    scope, dues_on = "system" if place is VEHICLE else "corner", knowledge.dues_on
    dues = dict(due for name in (*given, *figures) for due in dues_on.get((scope, name), ()))
    found = ((dues[number], _found(dues[number], place, given, figures, knowledge)) for number in sorted(dues))
    return [bad for due, bad in found if bad and _is_for(due, kind, axles)]


def _of_one_wheel(finding: Finding, knowledge: Knowledge) -> Finding:
    """A finding at one of two discs on the same wheel: what holds the wheel is explained by either."""
    held = knowledge.field_of_finding[finding.name].of_wheel
    return replace(finding, by_partner=finding.explained_by) if held else finding


def _at_drum(finding: Finding, knowledge: Knowledge) -> Finding:
    """A finding at a wheel with a drum: it has no caliper, and a cause is looked for where nothing is diagnosed."""
    demand = finding.demand
    if demand:
        actions = tuple(action for action in demand.actions if not knowledge.action[action].caliper)
        demand = replace(demand, actions=actions, when_opened=())
    because = finding.because
    if finding.must_be_explained or (demand and "find_the_cause" in demand.actions):
        because = said("{why}; look into the drum, which is not diagnosed here", why=because)
    return replace(finding, demand=demand, because=because)


def _is_for(due: Due, kind: str, axles: Mapping[Axle, AxleSpecification]) -> bool:
    """Whether a row of the table is for a kind of vehicle, and for what one of the axles that it means has."""
    meant = [axle for name, axle in axles.items() if due.axle in ("", name)]
    needed = all(any(axle.has(need) for axle in meant) for need in due.needs)
    return kind not in due.not_of and bool(meant) and needed


def _found(
    due: Due, place: Place, given: Mapping[str, list[tuple[str, Any]]], figures: Figures, knowledge: Knowledge
) -> Finding | None:
    """The finding that a row of the table speaks of, where it was made and is bad."""
    if due.without and due.without in given:
        return None
    which, shown = "", None
    if due.figure:
        figure = figures.get(due.figure)
        if figure is None or not figure.beyond(knowledge.limit[due.over or due.under], over=bool(due.over)):
            return None
        shown = figure.shown
    else:
        parts = [(path, value) for path, value in given.get(due.finding, ()) if value in due.values]
        if not parts:
            return None
        which, shown = parts[0][0].partition(".")[2], str(parts[0][1]).replace("_", " ")
    because = said(due.because, which=which, value=shown or "")
    demand = None
    if due.verdict:
        demand = Demand(due.verdict, due.actions, because, due.unsafe, due.finding, due.when_opened)
    if (explained := explained_already(due.explained_when, figures, knowledge)) and due.then_actions:
        because = said(due.then_because, which=which, value=shown or "")
        demand = Demand(
            due.then_verdict or due.verdict or "service", due.then_actions, because, due.unsafe, due.finding
        )
    by = knowledge.faults_in(due.explained_by)
    return Finding(place, due.finding, because, demand, due, by, due.partner_explains, explained)


def explained_already(when: Mapping[str, str], figures: Figures, knowledge: Knowledge) -> str:
    """What explains something by a figure that is a chance and is high enough; nothing where none is."""
    least = knowledge.threshold["explained_chance"]
    return next((what for name, what in when.items() if name in figures and figures[name].value >= least), "")


#: As many explanations are told of what is open.
MOST_SHARES = 4


def likeliest(shares: Iterable[Share]) -> tuple[Share, ...]:
    """The likeliest few of what would explain something."""
    return tuple(sorted(shares, key=lambda one: -round(one[2], ALIKE))[:MOST_SHARES])


@dataclass(frozen=True)
class _Explained:
    """What would explain a finding, the likeliest first, and how likely it is that any of it is there."""

    shares: tuple[Share, ...]
    together: float

    def settled(self, knowledge: Knowledge) -> bool:
        """Whether the odds are reasonable, and the leading explanation is likely enough to be acted on, with those that
        ask for the same work at the same place."""
        known = knowledge.threshold
        leads = most_of_one_work(self.shares, knowledge) >= known["named_chance"]
        return leads and self.together >= known["explained_chance"]


def by_work(shares: Iterable[Share], knowledge: Knowledge) -> list[list[Share]]:
    """Suspects by their place and what is done about them."""
    out: dict[tuple[Place, tuple[str, ...]], list[Share]] = {}
    for share in shares:
        place, fault, _ = share
        if fault in knowledge.cure:
            out.setdefault((place, knowledge.cure[fault].actions), []).append(share)
    return list(out.values())


def most_of_one_work(shares: Iterable[Share], knowledge: Knowledge) -> float:
    """Chance of the suspects that ask for one and the same work, where that is most."""
    return max(map(together, by_work(shares, knowledge)), default=0.0)


def together(shares: Iterable[Share]) -> float:
    """Chance that any of some suspects is there, each by itself."""
    return 1 - math.prod(1 - chance for _, _, chance in shares)


def _explained(
    finding: Finding, due: Due, chances: Mapping[tuple[Place, str], float], any_of: AnyOf, least: float
) -> _Explained:
    """What explains a finding: faults where it was made and of the system, or, where so, of its partner."""
    place, partner = finding.place, finding.place.partner if isinstance(finding.place, Corner) else None
    corners = dict.fromkeys(where for where, _ in chances if isinstance(where, Corner))
    here = [corner for corner in corners if due.axle in ("", corner.axle)] if place is VEHICLE else [place]
    places = {*here, VEHICLE}
    shares = likeliest(
        (where, fault, chance)
        for (where, fault), chance in chances.items()
        if chance >= least
        and ((fault in finding.explained_by and where in places) or (where == partner and fault in finding.by_partner))
    )
    asked = here if place is VEHICLE and due.axle else [place]
    none = math.prod(1 - any_of(at, finding.explained_by) for at in asked) if finding.explained_by else 1.0
    if partner and finding.by_partner:
        none *= 1 - any_of(partner, finding.by_partner)
    return _Explained(shares, 1 - none)


def _condition(finding: Finding, due: Due, acted_on: Collection[tuple[Place, str]]) -> str:
    """What was found at the same corner, or for the whole vehicle anywhere, explains it and is acted on."""
    return next((name for name in due.condition_explains if (finding.place, name) in acted_on), "")


def answers_to(
    findings: Sequence[Finding],
    chances: Mapping[tuple[Place, str], float],
    any_of: AnyOf,
    knowledge: Knowledge,
) -> tuple[list[Answered], list[Open]]:
    """How every bad value is answered, and what is left open.

    A value that must be explained is, where the faults that would explain it have reasonable odds together and one of
    them is likely enough to be acted on: else the leading one would change what is to be done and is not settled.
    """
    answered: list[Answered] = []
    left_open: list[Open] = []
    acted_on = {(place, one.name) for one in findings if one.demand for place in (one.place, VEHICLE)}
    for finding in findings:
        due = finding.due
        how = finding.demand.actions[0] if finding.demand and finding.demand.actions else ""
        why = ""
        if due and due.outside:
            how = "outside"
        elif due and (told := finding.explained or _condition(finding, due, acted_on)):
            why = f"explained by {told}"
        elif due and finding.must_be_explained:
            by = _explained(finding, due, chances, any_of, knowledge.threshold["told_share"])
            why = f"explained by {by.shares[0][1]}" if by.settled(knowledge) else "open"
            if why == "open":
                about, tests = finding.explained_by, due.next_tests
                one = Open(finding.place, finding.because, by.shares, tests, about, due.axle, finding=finding.name)
                _open_once(left_open, one, bool(finding.demand and finding.demand.unsafe))
        if why and how in ("", "find_the_cause"):
            how = why
        answered.append(Answered(finding.place, finding.name, how, finding.because))
    return answered, left_open


def _open_once(left_open: list[Open], one: Open, unsafe: bool) -> None:
    """Leave something open, in the words of the gravest that is said of one finding and asks for the same cause."""
    for number, other in enumerate(left_open):
        if (other.place, other.finding, other.about) == (one.place, one.finding, one.about):
            if unsafe:
                left_open[number] = one
            return
    left_open.append(one)


def acting_at(corner: Corner, chances: Mapping[tuple[Place, str], float], knowledge: Knowledge) -> list[Share]:
    """What could be the matter at a corner: its own faults, and those of the system that hold brakes on."""
    return [
        (place, fault, chance)
        for (place, fault), chance in chances.items()
        if (place == corner and fault != knowledge.none.id)
        or (place is VEHICLE and knowledge.fault[fault].acts_at_corners)
    ]


def complaint_answered(
    inspection: Inspection,
    specification: Specification,
    findings: Sequence[Finding],
    chances: Mapping[tuple[Place, str], float],
    knowledge: Knowledge,
    figures: Figures,
) -> tuple[list[Answered], list[Open]]:
    """What the driver complains of: tied to the likeliest fault that explains it and is named, to what was found that
    explains it and is acted on, or open. A corner that the complaint does not point at explains nothing of it; what is
    said in words that nothing here knows is open too.

    findings : those that are bad; figures : of the whole vehicle.
    """
    complaint, rows = inspection.visit.complaint, complaints_in(inspection, knowledge)
    if not complaint or (not rows and is_routine(inspection, knowledge)):
        return [], []
    what = said("the complaint: {complaint}", complaint=verbatim(complaint))
    if rows and all(row.outside for row in rows):
        return [Answered(VEHICLE, "complaint", "outside", what)], []
    faults = explaining(rows, knowledge)
    pointed = pointed_at(inspection, specification.corners, knowledge)
    anywhere = VEHICLE in pointed
    shares = likeliest(
        (where, fault, p)
        for (where, fault), p in chances.items()
        if fault in faults and (anywhere or where is VEHICLE or where in pointed)
    )
    if shares and shares[0][2] >= knowledge.threshold["named_chance"]:
        place, fault, _ = shares[0]
        tied = said("{place}: {fault}", place=place, fault=knowledge.words(fault))
        return [Answered(VEHICLE, "complaint", f"explained by {fault}", tied)], []
    conditions = {name for row in rows for name in row.condition_explains}
    if told := explained_already(
        {name: what for row in rows for name, what in row.explained_when.items()}, figures, knowledge
    ):
        return [Answered(VEHICLE, "complaint", f"explained by {told}", what)], []
    for finding in findings:
        here = anywhere or finding.place is VEHICLE or finding.place in pointed
        if finding.demand and finding.name in conditions and here:
            tied = said("{place}: {fault}", place=finding.place, fault=finding.because)
            return [Answered(VEHICLE, "complaint", f"explained by {finding.name}", tied)], []
    shares = tuple(one for one in shares if one[2] >= knowledge.threshold["told_share"])
    seen = tuple(dict.fromkeys(test for row in rows for test in row.next_tests))
    left_open = Open(VEHICLE, what, shares, seen, about=faults, is_complaint=True)
    return [Answered(VEHICLE, "complaint", "open", what)], [left_open]

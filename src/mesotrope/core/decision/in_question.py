"""Where the next test belongs: the places at which something found, or complained of, is not explained yet.

A technician whose wheel drags looks at that wheel before the rest of the vehicle. Common practice.
"""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass

from mesotrope.core.decision.answered import Open, acting_at, most_of_one_work
from mesotrope.core.decision.complaint import pointed_at
from mesotrope.core.evidence.specification import Specification
from mesotrope.core.inference.posterior import Posterior, Suspect
from mesotrope.core.language.corner import VEHICLE, Corner, Place
from mesotrope.core.language.inspection import Inspection
from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.language.paths import by_finding, leaves

#: A place is asked too where what is open would be explained at least this much as likely as where it is likeliest.
NEARLY_AS_LIKELY = 0.6


@dataclass(frozen=True)
class InQuestion:
    """What is asked where: by place the faults that would explain what is open there.

    `named` : the tests that the table of what is due names for what is open; `open_at` : where each of it would be
    explained. Nothing about anywhere: all is asked.
    """

    about: Mapping[Place, frozenset[str]]
    named: frozenset[tuple[Place, str]]
    open_at: tuple[frozenset[Place], ...]


def in_question(
    left_open: Sequence[Open],
    posterior: Posterior,
    inspection: Inspection,
    specification: Specification,
    knowledge: Knowledge,
) -> InQuestion:
    """What is open and where it would be explained; at a corner that is accused and not settled, every fault."""
    chances = posterior.suspects()
    about: dict[Place, frozenset[str]] = {}
    named: set[tuple[Place, str]] = set()
    open_at: list[frozenset[Place]] = []

    def ask(place: Place, faults: Iterable[str]) -> None:
        about[place] = about.get(place, frozenset()) | frozenset(faults)

    for one in left_open:
        places = asked_at(one, chances, inspection, specification, knowledge)
        open_at.append(places)
        for place in places:
            ask(place, one.about or _faults_at(place, posterior))
        named |= named_tests(one, places, inspection, specification, knowledge)
    for corner in posterior.space.corners:
        if is_unsettled(corner, chances, inspection, knowledge):
            ask(corner, _faults_at(corner, posterior))
    return InQuestion(about, frozenset(named), tuple(open_at))


def named_tests(
    one: Open,
    places: Collection[Place],
    inspection: Inspection,
    specification: Specification,
    knowledge: Knowledge,
) -> set[tuple[Place, str]]:
    """What is made next of the tests that are named for what is open: the first that is not made yet, of the whole
    vehicle or at the places; where it is held against the other side and was made here, there; where it belongs to none
    of these, at every corner that can have it."""
    for name in one.next_tests:
        if name in knowledge.system_finding:
            where: list[Place] = [VEHICLE] if name not in by_finding(inspection.system) else []
        else:
            field = knowledge.corner_finding[name]
            left = [
                corner
                for corner in specification.corners
                if specification.asks(field, corner) and name not in by_finding(inspection.corner(corner))
            ]
            at = [corner for corner in left if corner in places]
            beside = [corner for corner in left if field.compared and corner.partner in places]
            where = [*(at or beside or left * (one.place is VEHICLE))]
        if where:
            return {(place, name) for place in where}
    return set()


def _faults_at(place: Place, posterior: Posterior) -> tuple[str, ...]:
    space = posterior.space
    return tuple(fault.id for fault in (space.system_faults if place is VEHICLE else space.corners[place].faults))


def asked_at(
    one: Open,
    chances: Mapping[Suspect, float],
    inspection: Inspection,
    specification: Specification,
    knowledge: Knowledge,
) -> frozenset[Place]:
    """Where what is open would be explained: at its own corner, or by the system where that would explain it too; for
    the whole vehicle, wherever what would explain it is likeliest, or nearly as likely as there; a complaint,
    where it points."""
    if one.is_complaint:
        return pointed_at(inspection, specification.corners, knowledge)
    if one.place is not VEHICLE:
        of_system = specification.has_disc(one.place) and any(
            fault in knowledge.fault and knowledge.fault[fault].scope == "system" for fault in one.about
        )
        return frozenset({one.place, VEHICLE} if of_system else {one.place})
    at: dict[Place, float] = {}
    for (place, fault), chance in chances.items():
        if fault in one.about and (place is VEHICLE or one.axle in ("", place.axle)):
            at[place] = at.get(place, 0.0) + chance
    most = max(at.values(), default=0.0)
    return frozenset(place for place, chance in at.items() if chance >= NEARLY_AS_LIKELY * most)


def sound_but_for_wear(corner: Corner, chances: Mapping[Suspect, float], knowledge: Knowledge) -> float:
    """Chance that nothing is wrong at a corner, or that its linings are merely worn; 1 where nothing is known of it."""
    return chances.get((corner, knowledge.none.id), 1.0) + chances.get((corner, knowledge.worn.id), 0.0)


def is_unsettled(
    corner: Corner, chances: Mapping[Suspect, float], inspection: Inspection, knowledge: Knowledge
) -> bool:
    """Whether something is wrong at a corner that was looked at, be it of the system, and it is not settled what: no
    work alone is likely enough to be what it asks for, or to be what is hidden beside a condition that is plain to see.
    Linings that are merely worn are no cause to look for."""
    known = knowledge.threshold
    sound = chances.get((corner, knowledge.none.id), 1.0) >= known["named_chance"]
    merely_worn = sound_but_for_wear(corner, chances, knowledge) >= known["sound_chance"]
    if sound or merely_worn or not leaves(inspection.corner(corner)):
        return False
    acting = acting_at(corner, chances, knowledge)
    hidden = [one for one in acting if one[1] not in knowledge.conditions and one[1] != knowledge.worn.id]
    any_hidden = sum(chance for *_, chance in hidden)  # they compete to explain what was found
    asked = [acting, hidden] if any_hidden >= known["named_chance"] else [acting]
    return any(most_of_one_work(shares, knowledge) < known["settled_chance"] for shares in asked)

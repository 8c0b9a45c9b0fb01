"""What the outcome page asks and shows, place by place."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from mesotrope.core.answer.answer import Answer
from mesotrope.core.language.corner import VEHICLE, Place, listed
from mesotrope.core.language.inspection import Inspection
from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.language.paths import leaves
from mesotrope.errors import InvalidInput
from mesotrope.services.outcomes import HOW, FoundAt, OutcomeOfJob

#: From which chance on a fault is part of what was suspected; where none is so likely, the first suspect from here on.
LIKELY, FIRST_SUSPECT = 0.5, 0.25

#: So many suspects stand first among what else it may have been.
SUSPECTS_FIRST = 4

#: What is answered of a place.
AS_SUSPECTED, NOTHING, NOT_FOUND_OUT, ELSE = "as_suspected", "nothing", "not_found_out", "else"


@dataclass(frozen=True)
class PlaceAsked:
    """One place that was opened: what was suspected there, and what else it may have been, suspects first."""

    place: Place
    suspected: tuple[str, ...]
    suspected_words: str
    suspects: tuple[tuple[str, str], ...]
    others: tuple[tuple[str, str], ...]

    @property
    def words(self) -> str:
        return self.place.words


def places_asked(answer: Answer, inspection: Inspection, knowledge: Knowledge) -> list[PlaceAsked]:
    """The corners at which anything was found, all of them where none was, and the whole system."""
    corners = answer.specification.corners
    opened = [corner for corner in corners if any(True for _ in leaves(inspection.corner(corner)))]
    return [_asked(place, answer, knowledge) for place in (*(opened or corners), VEHICLE)]


def _asked(place: Place, answer: Answer, knowledge: Knowledge) -> PlaceAsked:
    here = {fault: p for (where, fault), p in answer.chances.items() if where == place and fault != knowledge.none.id}
    ranked = sorted(here, key=lambda fault: -here[fault])
    suspected = [fault for fault in ranked if here[fault] >= LIKELY]
    if not suspected and ranked and here[ranked[0]] >= FIRST_SUSPECT:
        suspected = ranked[:1]
    scope = "system" if place is VEHICLE else "corner"
    every = [fault.id for fault in knowledge.faults if fault.scope == scope]
    every += [] if place is VEHICLE else [knowledge.worn.id]
    first = ranked[:SUSPECTS_FIRST]

    def worded(faults: Sequence[str]) -> tuple[tuple[str, str], ...]:
        return tuple((fault, knowledge.words(fault)) for fault in faults)

    words = " and ".join(f"{knowledge.words(fault)} ({_percent(here[fault])})" for fault in suspected)
    others = [fault for fault in every if fault not in first]
    return PlaceAsked(place, tuple(suspected), words, worded(first), worded(others))


def _percent(chance: float) -> str:
    return "over 99\u00a0%" if chance > 0.99 else f"{100 * chance:.0f}\u00a0%"


def as_suspected(places: Sequence[PlaceAsked]) -> list[tuple[str, str]]:
    """What "as suspected" says of all places, in words: those with a fault first, each by itself; then the rest."""
    faulty = [(asked.words, asked.suspected_words) for asked in places if asked.suspected]
    rest = [asked.words for asked in places if not asked.suspected]
    return [*faulty, *([(", ".join(rest), "nothing wrong")] if rest else [])]


def found_of(form: Mapping[str, str], places: Sequence[PlaceAsked]) -> dict[str, Sequence[str] | None]:
    """What a sent form says was found, by place; a place without an answer is left out. Raises `InvalidInput`."""
    whole = form.get("whole", "")
    out: dict[str, Sequence[str] | None] = {}
    for asked in places:
        answer = AS_SUSPECTED if whole == AS_SUSPECTED else form.get(f"at.{asked.place}", "")
        if answer == AS_SUSPECTED:
            out[asked.place] = asked.suspected
        elif answer == NOTHING:
            out[asked.place] = ()
        elif answer == NOT_FOUND_OUT:
            out[asked.place] = None
        elif answer == ELSE:
            named = [fault for name in ("is", "also") if (fault := form.get(f"{name}.{asked.place}", ""))]
            if not named:
                raise InvalidInput(asked.words, "", "choose what it was, or say that it was not found out")
            out[asked.place] = named
    if not out:
        raise InvalidInput("what it was", "", "choose “as suspected”, or answer for at least one place")
    return out


@dataclass(frozen=True)
class FoundRow:
    """What was noted of a place, in words."""

    where: str
    what: str
    how: str
    found: FoundAt


def found_words(found: FoundAt, knowledge: Knowledge) -> str:
    """What was found at a place, in words."""
    if found.faults is None:
        return "not found out"
    return " and ".join(knowledge.words(fault) for fault in found.faults) or "nothing wrong"


def found_rows(outcome: OutcomeOfJob, knowledge: Knowledge) -> list[FoundRow]:
    """What was noted of every place."""
    rows = sorted(outcome.found.values(), key=lambda one: (one.place is VEHICLE, listed(one.place)))
    return [FoundRow(one.place.words, found_words(one, knowledge), HOW[one.how], one) for one in rows]


def outcome_words(outcome: OutcomeOfJob, knowledge: Knowledge) -> str:
    """An outcome in one line; nothing where none was noted."""
    faulty = [row for row in found_rows(outcome, knowledge) if row.found.faults]
    said = "; ".join(f"{row.where}: {row.what}" + (f" ({row.found.note})" if row.found.note else "") for row in faulty)
    unknown = any(one.faults is None for one in outcome.found.values())
    said = said or ("" if not outcome.found else "not found out" if unknown else "nothing wrong")
    return f"{said}; came back" if outcome.comebacks and said else "came back" if outcome.comebacks else said

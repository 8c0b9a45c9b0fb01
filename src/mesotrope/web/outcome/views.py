"""What the outcome page asks and shows, place by place."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass

from mesotrope.core.answer.answer import Answer
from mesotrope.core.language.corner import VEHICLE, Place, listed
from mesotrope.core.language.inspection import Inspection
from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.language.paths import leaves
from mesotrope.core.language.saying import Sayable, chance_of, joined, marked, said, verbatim
from mesotrope.errors import InvalidInput
from mesotrope.services.outcomes import HOW, FoundAt, OutcomeOfJob
from mesotrope.words import Speaker

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
    suspected_words: Sayable
    suspects: tuple[tuple[str, str], ...]
    others: tuple[tuple[str, str], ...]


def places_asked(answer: Answer, inspection: Inspection, knowledge: Knowledge, say: Speaker) -> list[PlaceAsked]:
    """The corners at which anything was found, all of them where none was, and the whole system."""
    corners = answer.specification.corners
    opened = [corner for corner in corners if any(True for _ in leaves(inspection.corner(corner)))]
    return [_asked(place, answer, knowledge, say) for place in (*(opened or corners), VEHICLE)]


def _asked(place: Place, answer: Answer, knowledge: Knowledge, say: Speaker) -> PlaceAsked:
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
        return tuple((fault, say(knowledge.words(fault))) for fault in faults)

    words = and_also(
        said("{fault} ({chance})", fault=knowledge.words(fault), chance=chance_of(here[fault])) for fault in suspected
    )
    others = [fault for fault in every if fault not in first]
    return PlaceAsked(place, tuple(suspected), words, worded(first), worded(others))


def and_also(parts: Iterable[Sayable]) -> Sayable:
    """Several that are there together."""
    together: Sayable = ""
    for part in parts:
        together = said("{one} and {other}", one=together, other=part) if together else part
    return together


def as_suspected(places: Sequence[PlaceAsked]) -> list[tuple[Sayable, Sayable]]:
    """What "as suspected" says of all places, in words: those with a fault first, each by itself; then the rest."""
    faulty: list[tuple[Sayable, Sayable]] = [(one.place, one.suspected_words) for one in places if one.suspected]
    rest = [asked.place for asked in places if not asked.suspected]
    return [*faulty, *([(joined(rest, ", "), marked("nothing wrong"))] if rest else [])]


def suspected_at(places: Sequence[PlaceAsked]) -> dict[str, str]:
    """What "as suspected" means at every place, as the page sends it back."""
    return {asked.place: " ".join(asked.suspected) for asked in places}


def found_of(
    form: Mapping[str, str], places: Sequence[PlaceAsked], seen: Mapping[str, str] | None = None
) -> dict[str, Sequence[str] | None]:
    """What a sent form says was found, by place; a place without an answer is left out.

    seen : what was suspected as the page showed it (`suspected_at`): that is what was confirmed, whatever is suspected
    by now. Raises `InvalidInput`.
    """
    whole = form.get("whole", "")
    suspected = suspected_at(places) if seen is None else seen
    out: dict[str, Sequence[str] | None] = {}
    for asked in (one for one in places if one.place in suspected):
        answer = AS_SUSPECTED if whole == AS_SUSPECTED else form.get(f"at.{asked.place}", "")
        if answer == AS_SUSPECTED:
            out[asked.place] = suspected[asked.place].split()
        elif answer == NOTHING:
            out[asked.place] = ()
        elif answer == NOT_FOUND_OUT:
            out[asked.place] = None
        elif answer == ELSE:
            named = [fault for name in ("is", "also") if (fault := form.get(f"{name}.{asked.place}", ""))]
            if not named:
                raise InvalidInput(asked.place.words, "", "choose what it was, or say that it was not found out")
            out[asked.place] = named
    if not out:
        raise InvalidInput("what it was", "", "choose “as suspected”, or answer for at least one place")
    return out


@dataclass(frozen=True)
class FoundRow:
    """What was noted of a place, in words."""

    where: Sayable
    what: Sayable
    how: Sayable
    found: FoundAt


def found_words(found: FoundAt, knowledge: Knowledge) -> Sayable:
    """What was found at a place, in words."""
    if found.faults is None:
        return marked("not found out")
    return and_also(knowledge.words(fault) for fault in found.faults) or marked("nothing wrong")


def found_rows(outcome: OutcomeOfJob, knowledge: Knowledge) -> list[FoundRow]:
    """What was noted of every place."""
    rows = sorted(outcome.found.values(), key=lambda one: (one.place is VEHICLE, listed(one.place)))
    return [FoundRow(one.place, found_words(one, knowledge), HOW[one.how], one) for one in rows]


def outcome_words(outcome: OutcomeOfJob, knowledge: Knowledge, say: Speaker) -> str:
    """An outcome in one line; nothing where none was noted."""
    faulty = [row for row in found_rows(outcome, knowledge) if row.found.faults]
    parts: list[Sayable] = [
        said("{place}: {found} ({note})", place=row.where, found=row.what, note=verbatim(row.found.note))
        if row.found.note
        else said("{place}: {found}", place=row.where, found=row.what)
        for row in faulty
    ]
    unknown = any(one.faults is None for one in outcome.found.values())
    if outcome.found and not parts:
        parts = [marked("not found out") if unknown else marked("nothing wrong")]
    return say(joined((*parts, marked("came back")) if outcome.comebacks else parts))

"""When each thing of a vehicle falls due, and why: worked out from its visits. Basis: common practice; the maker's
intervals win."""

from __future__ import annotations

import datetime
from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Any

from mesotrope.core.evidence.specification import Specification
from mesotrope.core.evidence.wear_log import Series, WearLog, next_pads_km, rotor_outlasts_next_pads
from mesotrope.core.language.corner import Axle, Corner, place_named
from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.language.saying import Sayable, joined, marked, plain, said, verbatim
from mesotrope.core.language.units import MONTH_DAYS
from mesotrope.core.language.work import Done
from mesotrope.core.plan.coming_back import returns_of

#: What a later visit looks at again, so that an earlier one's does not go on being due.
LOOKED_AT_AGAIN = ("nuts", "brakes", "restriction", "stop_gap", "declined")


@dataclass(frozen=True)
class EndedVisit:
    """A visit that is over: the day it left, its distance, what was done, and what was left for later.

    fluid_age_months : of the fluid that was in it then; restriction, stop_gap : in words, each with its last day where
    one was named; declined : what the owner did not want.
    """

    job_id: int
    day: datetime.date
    odometer_km: float | None = None
    done: tuple[Done, ...] = ()
    fluid_age_months: float | None = None
    restriction: str = ""
    restricted_until: datetime.date | None = None
    stop_gap: str = ""
    stop_gap_until: datetime.date | None = None
    declined: str = ""


@dataclass(frozen=True)
class DueFact:
    """One thing that falls due: its key in the vehicle, the day, the days between which it is expected (90 %) where it
    was predicted, the visit it comes from, and what its words are made from."""

    key: str
    kind: str
    day: datetime.date
    job_id: int
    first: datetime.date | None = None
    last: datetime.date | None = None
    told: dict[str, Any] = field(default_factory=dict)


def distance_per_month(visits: Sequence[EndedVisit], knowledge: Knowledge) -> float | None:
    """The vehicle's own distance in a month, km; None where its visits do not tell it.

    From the first to the last visit with a distance, if there are days enough between them.

    >>> from mesotrope.knowledge import knowledge
    >>> visits = [EndedVisit(1, datetime.date(2025, 1, 1), 40000.0), EndedVisit(2, datetime.date(2026, 1, 1), 52000.0)]
    >>> round(distance_per_month(visits, knowledge()))
    1001
    """
    known = sorted((visit.day, visit.odometer_km) for visit in visits if visit.odometer_km is not None)
    if len(known) < 2:
        return None
    (first, from_km), (last, to_km) = known[0], known[-1]
    days = (last - first).days
    if days < knowledge.of_the_day["distance_days"] or to_km <= from_km:
        return None
    return (to_km - from_km) / days * MONTH_DAYS


def months_later(day: datetime.date, months: float) -> datetime.date:
    """A day so many months later, by months of equal length.

    >>> months_later(datetime.date(2026, 1, 1), 12)
    datetime.date(2027, 1, 1)
    """
    return day + datetime.timedelta(days=round(months * MONTH_DAYS))


def due_of(
    visits: Sequence[EndedVisit],
    log: WearLog | None,
    specification: Specification,
    schools: dict[str, str],
    knowledge: Knowledge,
) -> tuple[DueFact, ...]:
    """Everything of a vehicle that falls due, the soonest first.

    visits : those that are over, the first first; log : the wear log of all visits; schools : the workshop's choices.
    """
    out: dict[str, DueFact] = {}
    for visit in visits:
        for key in LOOKED_AT_AGAIN:
            out.pop(key, None)
        out |= {fact.key: fact for fact in (*_returns(visit, schools, knowledge), *_left(visit, knowledge))}
        if fluid := _fluid(visit, knowledge):
            out["fluid"] = fluid
    if visits and log is not None:
        out |= {fact.key: fact for fact in _worn(visits, log, specification, knowledge)}
    return tuple(sorted(out.values(), key=lambda fact: (fact.day, fact.key)))


def _returns(visit: EndedVisit, schools: dict[str, str], knowledge: Knowledge) -> list[DueFact]:
    """What the work that was done asks for; without any work nothing is asked for but the yearly look."""
    done = [action for _, action in visit.done]
    return [DueFact(one.id, one.id, one.day, visit.job_id) for one in returns_of(done, schools, visit.day, knowledge)]


def _left(visit: EndedVisit, knowledge: Knowledge) -> list[DueFact]:
    """What was left for later; where no day was named, it is due from the day on which the vehicle left."""
    out = []
    for kind, words, until in (
        ("restriction", visit.restriction, visit.restricted_until),
        ("stop_gap", visit.stop_gap, visit.stop_gap_until),
    ):
        if words:
            told = {"words": words} | ({} if until else {"no_day": True})
            out.append(DueFact(kind, kind, until or visit.day, visit.job_id, told=told))
    if visit.declined:
        again = visit.day + datetime.timedelta(days=knowledge.of_the_day["declined_days"])
        out.append(DueFact("declined", "declined", again, visit.job_id, told={"words": visit.declined}))
    return out


def _fluid(visit: EndedVisit, knowledge: Knowledge) -> DueFact | None:
    """The fluid by its age; fluid that was changed in this visit is due by its return."""
    changes = next((one.after for one in knowledge.returns if one.id == "fluid"), ())
    age = visit.fluid_age_months
    if age is None or any(action in changes for _, action in visit.done):
        return None
    day = months_later(visit.day, knowledge.limit["fluid_age_months"] - age)
    return DueFact("fluid", "fluid", day, visit.job_id, told={"months": age})


def _worn(
    visits: Sequence[EndedVisit], log: WearLog, specification: Specification, knowledge: Knowledge
) -> list[DueFact]:
    """Pads that are expected at their limit, and rotors before the next pads: axle by axle, the first place of each."""
    monthly = distance_per_month(visits, knowledge)
    if monthly is None:
        return []
    out = []
    for axle in specification.axles:
        pads = [fact for corner in specification.corners_on(axle) if (fact := _pads(corner, visits, log, monthly))]
        rotors = [fact for corner in specification.corners_on(axle) if (fact := _rotor(corner, visits, log, monthly))]
        out += [min(facts, key=lambda fact: fact.day) for facts in (pads, rotors) if facts]
    latest = months_later(visits[-1].day, knowledge.of_the_day["horizon_months"])
    return [fact for fact in out if fact.day <= latest]


def _visit_at(visits: Sequence[EndedVisit], odometer_km: float) -> EndedVisit | None:
    """The visit that read a distance."""
    return next((visit for visit in reversed(visits) if visit.odometer_km == odometer_km), None)


def _pads(corner: Corner, visits: Sequence[EndedVisit], log: WearLog, monthly: float) -> DueFact | None:
    """The pad of a corner that is first at its limit: along its line, or new ones at the wear of the last."""
    fitted = [s for s in log.series if s.corner == corner and s.part != "rotor" and s.fit]
    if not fitted:
        return None
    renewed = next((v for v in reversed(visits) if (corner, "replace_pads") in v.done), None)
    newest_km = max(r.odometer_km for s in fitted for r in s.readings)
    if renewed and renewed.odometer_km is not None and renewed.odometer_km >= newest_km:
        return _next_pads(corner, renewed, log, monthly)
    first = min(fitted, key=lambda s: s.fit.left_km if s.fit else 0.0)
    return _met(f"pads_{corner.axle}", "pads", first, visits, monthly)


def _next_pads(corner: Corner, renewed: EndedVisit, log: WearLog, monthly: float) -> DueFact | None:
    km = next_pads_km(log, corner)
    if km is None:
        return None
    day = months_later(renewed.day, km / monthly)
    told = {"place": str(corner), "at_km": round((renewed.odometer_km or 0) + km), "new_pads": True}
    return DueFact(f"pads_{corner.axle}", "pads", day, renewed.job_id, told=told)


def _rotor(corner: Corner, visits: Sequence[EndedVisit], log: WearLog, monthly: float) -> DueFact | None:
    outlasts, rotor = rotor_outlasts_next_pads(log, corner), log.of(corner, "rotor")
    renewed = any((corner, "replace_rotor") in visit.done for visit in visits)
    if outlasts is None or outlasts[1] or rotor is None or renewed:
        return None
    return _met(f"rotor_{corner.axle}", "rotor", rotor, visits, monthly)


def _met(key: str, kind: str, series: Series, visits: Sequence[EndedVisit], monthly: float) -> DueFact | None:
    """The day on which a part's line meets its limit, with its band."""
    fit = series.fit
    visit = _visit_at(visits, fit.last_km) if fit else None
    if fit is None or visit is None:
        return None
    expected, low, high = (
        months_later(visit.day, max(0.0, km) / monthly) for km in (fit.left_km, fit.left_km_low, fit.left_km_high)
    )
    told = {
        "place": str(series.corner),
        "part": series.part,
        "at_km": round(fit.last_km + max(0.0, fit.left_km)),
        "monthly_km": round(monthly),
    }
    return DueFact(key, kind, expected, visit.job_id, low, high, told)


def due_words(kind: str, told: dict[str, Any], knowledge: Knowledge) -> Sayable:
    """What falls due, in the trade's words, with its place and what was said of it."""
    words: Sayable = knowledge.falls_due[kind].words
    parts: list[Sayable] = [words]
    place = place_named(told.get("place", ""))
    if isinstance(place, Corner):
        parts[0] = said("{what}, {place}", what=words, place=Axle(place.axle) if kind == "rotor" else place)
    if told.get("words"):
        parts.append(verbatim(told["words"]))
    return joined(parts, ": ")


def due_because(kind: str, told: dict[str, Any], knowledge: Knowledge) -> Sayable:
    """Why it is due, with the figures behind it."""
    parts: list[Sayable] = [knowledge.falls_due[kind].because]
    if "at_km" in told:
        parts.append(said("at about {km}", km=plain(told["at_km"], "km", 0)))
    if told.get("new_pads"):
        parts.append(marked("new ones, at the wear of the last"))
    if "monthly_km" in told:
        parts.append(said("it goes {km} in a month", km=plain(told["monthly_km"], "km", 0)))
    if "months" in told:
        parts.append(said("{months} months old then", months=plain(told["months"])))
    if told.get("no_day"):
        parts.append(marked("no day was named"))
    return joined(parts)

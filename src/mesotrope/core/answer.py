"""The core's whole answer to an inspection: suspects with reasons, what is cleared, measures, next tests, decision."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from statistics import NormalDist
from typing import Any

from mesotrope.core.decision import Decision, decide
from mesotrope.core.diagnosis import AxleBeliefs, Posterior, Step, Suspect, decibans, speaks_to
from mesotrope.core.evidence import (
    PADS,
    CornerMeasures,
    Evidence,
    Graded,
    collect,
    in_words,
    measure_all,
    partner_of,
)
from mesotrope.core.findings import Inspection, leaves
from mesotrope.core.model import NO_FAULT, Knowledge
from mesotrope.core.next_test import NextTest, next_tests
from mesotrope.core.since_last import since_last_visit
from mesotrope.core.space import space_of
from mesotrope.core.specification import Specification, complete_specification
from mesotrope.core.vocabulary import check

#: A suspect is listed from this chance on, and cleared under the other.
LISTED, CLEARED = 0.05, 0.03

#: A corner less likely sound than this is in doubt, though no single fault may stand out.
IN_DOUBT = 0.9

#: A reason lighter than this says nothing; a clearing must weigh at least the other.
LEAST_DECIBANS, CLEARING_DECIBANS = 0.5, -3.0

#: A finding this unlikely under what is now believed, though some fault would explain it, is to be measured again.
CONTRADICTS = 0.05

#: Where as many findings of how a corner works fit what is believed no better than this, something outside the list may
#: be wrong. How a part looks does not count: a torn boot or a rusty face is often there and means nothing.
FITS_POORLY, MANY_POORLY = 0.25, 2
HOW_IT_WORKS = frozenset(
    """
    spin pull_n hub_temperature_c pedal_response pad_gap_mm bleeder_opened line_loosened_at_master
    caliper_bolts_slackened parking_cable_slackened pad_mm pad_fit pin piston_pushback brake_force_n
    pedal_travel pedal_feel pedal_hold pedal_pump pedal_on_engine_start pedal_release fluid_level pull_braking
    """.split()  # noqa: SIM905
)

#: How many tests are offered at once.
MOST_OFFERED = 6


@dataclass(frozen=True)
class Reason:
    finding: str
    corner: str
    decibans: float
    because: str


@dataclass(frozen=True)
class SuspectAnswer:
    """A suspect with its chance, its reasons for and against, and the mechanism that the findings fit."""

    corner: str
    fault: str
    words: str
    probability: float
    mechanism: str
    reasons_for: tuple[Reason, ...]
    reasons_against: tuple[Reason, ...]


@dataclass(frozen=True)
class Cleared:
    corner: str
    fault: str
    words: str
    probability: float
    because: str


@dataclass(frozen=True)
class Overview:
    """The short answer: what was measured, how likely each fault is, and the decision; no reasons."""

    specification: Specification
    measures: Mapping[str, CornerMeasures]
    evidence: Sequence[Evidence]
    posterior: Posterior | None
    chances: Mapping[Suspect, float]
    decision: Decision


@dataclass(frozen=True)
class Answer:
    """The whole answer."""

    specification: Specification
    suspects: tuple[SuspectAnswer, ...]
    cleared: tuple[Cleared, ...]
    chances: Mapping[Suspect, float]
    beliefs: Mapping[str, AxleBeliefs]
    measures: Mapping[str, CornerMeasures]
    tests: tuple[NextTest, ...]
    story: tuple[Step, ...]
    decision: Decision
    defaults_used: tuple[str, ...]
    contradictions: tuple[str, ...]
    fits_nothing: tuple[str, ...]
    notes: tuple[str, ...]

    @property
    def in_doubt(self) -> tuple[SuspectAnswer, ...]:
        """Corners that findings speak against while no single fault is likely enough to be listed."""
        faulty = {suspect.corner for suspect in self.suspects if suspect.fault != NO_FAULT}
        return tuple(
            suspect
            for suspect in self.suspects
            if suspect.fault == NO_FAULT
            and suspect.corner not in faulty
            and suspect.reasons_against
            and suspect.probability < IN_DOUBT
        )

    @property
    def next_tests(self) -> tuple[NextTest, ...]:
        """The few tests worth making next; none where no answer could change what is to be done."""
        return tuple(test for test in self.tests if test.decides)[:MOST_OFFERED]


def overview(inspection: Inspection, knowledge: Knowledge) -> Overview:
    """Answer an inspection shortly. Raises `InvalidDocument` for figures that cannot be."""
    check(inspection, knowledge)
    specification = complete_specification(inspection, knowledge.specification)
    measures = measure_all(inspection, specification, knowledge)
    lately = since_last_visit(inspection, specification, measures, knowledge)
    evidence = collect(inspection, specification, measures, knowledge, lately)
    space = space_of(knowledge, specification)
    posterior, chances = None, {}
    if space is not None:
        since = _km_since_fitted(inspection, specification) | {name: axle.km for name, axle in lately.items()}
        posterior = Posterior(knowledge, specification, space, evidence, since, inspection.visit.usage)
        if evidence:
            chances = _with_worn_linings(posterior.suspects(), inspection, specification, measures, knowledge)
    decision = decide(inspection, specification, measures, chances, knowledge)
    return Overview(specification, measures, evidence, posterior, chances, decision)


def reasons_of(short: Overview) -> tuple[list[Step], tuple[SuspectAnswer, ...], tuple[Cleared, ...]]:
    """What each finding did, and the suspects and the cleared with their reasons."""
    posterior = short.posterior
    if posterior is None:
        return [], (), ()
    knowledge = posterior.knowledge
    steps = posterior.story() if short.evidence else []
    weighed = _weighed(steps)
    suspects = _suspects(short.chances, weighed, posterior, short.measures, short.specification, knowledge)
    return steps, suspects, _cleared(short.chances, weighed, knowledge)


def diagnose(inspection: Inspection, knowledge: Knowledge) -> Answer:
    """Answer an inspection whole. Raises `InvalidDocument` for figures that cannot be.

    >>> from mesotrope.core.findings import parse_inspection
    >>> from mesotrope.knowledge import knowledge
    >>> diagnose(parse_inspection("{}"), knowledge()).suspects   # nothing looked at, nothing claimed
    ()
    """
    short = overview(inspection, knowledge)
    steps, suspects, cleared = reasons_of(short)
    specification, measures, posterior = short.specification, short.measures, short.posterior
    tests = next_tests(posterior, inspection, specification, measures, knowledge) if posterior else []
    fits = [(item, posterior.fit(item)) for item in short.evidence] if posterior else []
    return Answer(
        specification=specification,
        suspects=suspects,
        cleared=cleared,
        chances=short.chances,
        beliefs=posterior.beliefs() if posterior and short.chances else {},
        measures=measures,
        tests=tuple(tests),
        story=tuple(steps),
        decision=short.decision,
        defaults_used=_defaults_used(short.evidence, specification),
        contradictions=_contradictions(fits),
        fits_nothing=_fits_nothing(fits, knowledge),
        notes=_not_weighed(inspection, specification),
    )


def _not_weighed(inspection: Inspection, specification: Specification) -> tuple[str, ...]:
    """What is recorded and tells nothing here: drums, and slide pins where the caliper is known to be fixed."""
    drums = [name for name, axle in specification.axles.items() if not axle.has("disc")]
    pins = [
        corner
        for corner in specification.corners
        if specification.axle_of(corner).caliper == "fixed" and inspection.corner(corner).has_slide_pins
    ]
    return (
        *(f"the {name} axle has drums: recorded, not diagnosed here" for name in drums),
        *(f"{in_words(corner)} slide pins: recorded, not weighed, for a fixed caliper has none" for corner in pins),
    )


def _km_since_fitted(inspection: Inspection, specification: Specification) -> dict[str, float | None]:
    now = inspection.visit.odometer_km
    return {
        name: now - axle.pads_fitted_odometer_km
        if now is not None and axle.pads_fitted_odometer_km is not None
        else None
        for name, axle in specification.axles.items()
    }


def chance_lining_worn_out(measures: CornerMeasures, limit_mm: float) -> float | None:
    """Chance that either lining of a corner is at or under its limit, given gauge error; None if not measured.

    >>> from mesotrope.core.pads import pad_measure
    >>> pad = pad_measure({"lead_rim": 3.0, "trail_rim": 3.0, "lead_hub": 3.0, "trail_hub": 3.0}, 0.15)
    >>> round(chance_lining_worn_out(CornerMeasures(inner=pad), 3.0), 9)
    0.5
    """
    pads = [pad.mean for pad in (measures.inner, measures.outer) if pad]
    if not pads:
        return None
    above = 1.0
    for pad in pads:
        above *= 1 - NormalDist(pad.value, pad.sd).cdf(limit_mm)
    return 1 - above


def _with_worn_linings(
    chances: Mapping[Suspect, float],
    inspection: Inspection,
    specification: Specification,
    measures: Mapping[str, CornerMeasures],
    knowledge: Knowledge,
) -> dict[Suspect, float]:
    """Add worn_out_normally, and take it out of no_fault; drop corners at which nothing was looked at."""
    out = dict(chances)
    for corner in specification.corners:
        none = (corner, knowledge.none.id)
        if none not in out:
            continue
        worn = chance_lining_worn_out(measures[corner], specification.axle_of(corner).pad_limit_mm)
        if worn is not None:
            out[corner, knowledge.worn.id] = worn * out[none]
            out[none] *= 1 - worn
        if not any(True for _ in leaves(inspection.corner(corner))):
            del out[none]
    return out


#: For every suspect, the steps that weigh on it, each with its weight, the heaviest first.
Weighed = Mapping[Suspect, Sequence[tuple[float, Step]]]


def _weighed(steps: Sequence[Step]) -> Weighed:
    out: dict[Suspect, list[tuple[float, Step]]] = {}
    for step in steps:
        for suspect, place in step.columns.items():
            if abs(weight := step.weights[place]) >= LEAST_DECIBANS:
                out.setdefault(suspect, []).append((weight, step))
    for placed in out.values():
        placed.sort(key=lambda one: -abs(one[0]))
    return out


def _reasons(suspect: Suspect, weighed: Weighed, knowledge: Knowledge) -> Iterator[Reason]:
    """Every finding's weight for a suspect, the heaviest first."""
    for weight, step in weighed.get(suspect, ()):
        if reason := _reason(suspect, weight, step, knowledge):
            yield reason


def _reason(suspect: Suspect, weight: float, step: Step, knowledge: Knowledge, direct: bool = False) -> Reason | None:
    """What a step says of a suspect; of a fault of the whole system, or `direct`, only what bears on it itself."""
    corner, fault = suspect
    known = knowledge.fault.get(fault)
    items = step.said_at(corner)
    if known and (direct or not corner):
        items = tuple(item for item in items if speaks_to(item, known))
    if not items:
        return None
    said = _together(items)
    whys = [why for item in items if isinstance(item, Graded) and (why := item.likelihood.why_of(fault))]
    if weight > 0 and whys:
        said = f"{said} ({whys[0]})"
    return Reason(items[0].finding, items[0].corner, weight, said)


def _together(items: Sequence[Evidence]) -> str:
    """The sentences of one finding's parts as one, with the corner's name said once."""
    place = in_words(items[0].corner)
    return "; ".join([items[0].sentence, *(item.sentence.removeprefix(f"{place} ") for item in items[1:])])


def _suspects(
    chances: Mapping[Suspect, float],
    weighed: Weighed,
    posterior: Posterior,
    measures: Mapping[str, CornerMeasures],
    specification: Specification,
    knowledge: Knowledge,
) -> tuple[SuspectAnswer, ...]:
    out = []
    for (corner, fault), chance in chances.items():
        if chance < LISTED:
            continue
        view = (corner, knowledge.none.id) if fault == knowledge.worn.id else (corner, fault)
        reasons = list(_reasons(view, weighed, knowledge))
        if fault == knowledge.worn.id:
            reasons.insert(0, _thin_lining(corner, measures, specification))
        ours = tuple(reason for reason in reasons if reason.decibans > 0)
        if not ours and fault != knowledge.none.id:
            continue  # nothing found speaks for it: it is no suspect, only not looked at
        mechanism = posterior.mechanism(corner, fault) if corner and fault in knowledge.fault else ""
        theirs = tuple(reason for reason in reasons if reason.decibans < 0)
        out.append(SuspectAnswer(corner, fault, knowledge.words(fault), chance, mechanism, ours, theirs))

    def rank(suspect: SuspectAnswer) -> tuple[object, ...]:
        """Likely faults first, then the corners that are likely sound, then the rest."""
        tier = (suspect.fault == knowledge.none.id) if suspect.probability >= 0.5 else 2
        return tier, -suspect.probability, suspect.corner, suspect.fault

    return tuple(sorted(out, key=rank))


def _thin_lining(corner: str, measures: Mapping[str, CornerMeasures], specification: Specification) -> Reason:
    """The weight of a lining at or under its limit: before it was measured, any wear was as likely as another."""
    axle = specification.axle_of(corner)
    thin = chance_lining_worn_out(measures[corner], axle.pad_limit_mm) or 0.0
    weight = decibans(thin, axle.pad_limit_mm / axle.pad_new_mm)
    thinnest = measures[corner].thinnest_mm
    said = f"{in_words(corner)} lining {thinnest:.1f} mm at its thinnest, limit {axle.pad_limit_mm:.1f} mm"
    return Reason("pad_mm", corner, weight, said)


def _cleared(chances: Mapping[Suspect, float], weighed: Weighed, knowledge: Knowledge) -> tuple[Cleared, ...]:
    """Faults that the findings speak against clearly enough to strike them out, and by what."""
    out = []
    for (corner, fault), chance in chances.items():
        if chance < CLEARED and fault in knowledge.fault:
            clearing = (one for one in weighed.get((corner, fault), ()) if one[0] <= CLEARING_DECIBANS)
            told = (_reason((corner, fault), weight, step, knowledge, direct=True) for weight, step in clearing)
            against = next(filter(None, told), None)
            if against:
                out.append(Cleared(corner, fault, knowledge.words(fault), chance, against.because))
    return tuple(sorted(out, key=lambda cleared: (cleared.corner, cleared.probability)))


#: A finding and how well it fits what is now believed.
Fits = Sequence[tuple[Evidence, float]]


def _contradictions(fits: Fits) -> tuple[str, ...]:
    """Findings that no fault explains beside the others."""
    return tuple(
        f"measure again: {item.sentence}; it fits nothing else found here" for item, fit in fits if fit < CONTRADICTS
    )


def _fits_nothing(fits: Fits, knowledge: Knowledge) -> tuple[str, ...]:
    """Corners, or the whole system, where several findings fit no fault of the list: it may be another."""
    poor: dict[str, list[str]] = {}
    for item, fit in fits:
        if fit < FITS_POORLY and item.finding in HOW_IT_WORKS:
            poor.setdefault(item.corner, []).append(_named(item.finding, knowledge))
    return tuple(
        f"{in_words(corner) or 'whole system'}: fits nothing well. No fault of the list, alone or with others, "
        f"explains {', '.join(dict.fromkeys(names))}. Make them again; if they stand, look for something else"
        for corner, names in poor.items()
        if len(set(names)) >= MANY_POORLY
    )


def _named(finding: str, knowledge: Knowledge) -> str:
    known = knowledge.corner_finding.get(finding) or knowledge.system_finding.get(finding)
    return known.label if known else finding.replace("_", " ")


def _defaults_used(evidence: Sequence[Evidence], specification: Specification) -> tuple[str, ...]:
    used = {use for item in evidence for use in item.uses}
    if evidence:
        used |= {"kind"} | {f"{item.corner.split('_')[0]}.caliper" for item in evidence}
    return tuple(sorted(used & specification.defaulted))


# -- the answer document -------------------------------------------------------------------------------------


def _measures_document(corner: str, measures: Mapping[str, CornerMeasures]) -> dict[str, float]:
    here = measures[corner]
    out: dict[str, float] = {}
    if here.drag:
        out["drag_torque_nm"] = here.drag.torque_nm
        out["drag_torque_sd_nm"] = here.drag.sd_nm
    for side in PADS:
        if pad := getattr(here, side):
            out[f"{side}_mean_mm"] = pad.mean.value
            out[f"{side}_mean_sd_mm"] = pad.mean.sd
            out[f"{side}_thinnest_mm"] = pad.thinnest_mm
            if pad.fore_aft:
                out[f"{side}_fore_aft_mm"] = pad.fore_aft.value
            if pad.radial:
                out[f"{side}_radial_mm"] = pad.radial.value
    if split := here.inner_minus_outer:
        out["inner_minus_outer_mm"] = split.value
        out["inner_minus_outer_sd_mm"] = split.sd
    partner = partner_of(corner)
    against = here.minus(measures[partner]) if partner and partner in measures else None
    if against:
        out["minus_partner_mm"] = against.value
        out["minus_partner_sd_mm"] = against.sd
    return {name: round(value, 4) for name, value in out.items()}


def answer_document(answer: Answer) -> dict[str, Any]:
    """The answer as the open format writes it: plain values only, ready for JSON."""

    def where(corner: str) -> str | None:
        return corner or None

    def reasons(items: tuple[Reason, ...]) -> list[dict[str, Any]]:
        return [
            {
                "finding": r.finding,
                "corner": where(r.corner),
                "decibans": round(r.decibans, 2),
                "because": r.because,
            }
            for r in items
        ]

    decision = answer.decision
    return {
        "suspects": [
            {
                "corner": where(s.corner),
                "fault": s.fault,
                "probability": s.probability,
                "mechanism": s.mechanism,
                "for": reasons(s.reasons_for),
                "against": reasons(s.reasons_against),
            }
            for s in answer.suspects
        ],
        "cleared": [
            {"corner": where(c.corner), "fault": c.fault, "probability": c.probability, "because": c.because}
            for c in answer.cleared
        ],
        "measures": {
            corner: document for corner in answer.measures if (document := _measures_document(corner, answer.measures))
        },
        "next_tests": [
            {
                "finding": t.finding,
                "corner": where(t.corner),
                "bits": round(t.bits, 4),
                "minutes": t.minutes,
                "because": t.because,
                "saves": round(t.saves, 2),
                "answers": [
                    {"answer": f.answer, "chance": f.chance, "leads": f.leads, "probability": f.probability}
                    for f in t.foretold
                ],
            }
            for t in answer.next_tests
        ],
        "decision": {
            "verdict": decision.verdict,
            "corners": {
                corner: {"verdict": v.verdict, "settled": v.settled, "because": list(v.reasons)}
                for corner, v in decision.corners.items()
            },
            "actions": [
                {"action": a.action, "corner": where(a.corner), "because": a.because} for a in decision.actions
            ],
            "unsafe": list(decision.unsafe),
            "cautions": list(decision.cautions),
        },
        "defaults_used": list(answer.defaults_used),
        "contradictions": list(answer.contradictions),
        "fits_nothing_well": list(answer.fits_nothing),
        "notes": list(answer.notes),
    }

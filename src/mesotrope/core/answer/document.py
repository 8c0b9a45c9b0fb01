"""The answer as the open format writes it."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from typing import Any

from mesotrope.core.answer.answer import Answer
from mesotrope.core.answer.reasons import Reason
from mesotrope.core.decision.answered import Answered
from mesotrope.core.evidence.measures import PADS, CornerMeasures
from mesotrope.core.language.corner import Corner, Place
from mesotrope.core.language.saying import Sayable

# -- the answer document -------------------------------------------------------------------------------------

#: Puts something that the core states into words.
Say = Callable[[Sayable], str]


def _measures_document(corner: Corner, measures: Mapping[Corner, CornerMeasures]) -> dict[str, float]:
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
    partner = corner.partner
    against = here.minus(measures[partner]) if partner and partner in measures else None
    if against:
        out["minus_partner_mm"] = against.value
        out["minus_partner_sd_mm"] = against.sd
    return {name: round(value, 4) for name, value in out.items()}


def _answered_document(answered: Sequence[Answered]) -> dict[str, str]:
    """How every bad finding was answered, by its place and name; open, where any part of it is."""
    out: dict[str, str] = {}
    for one in answered:
        key = f"{one.place}.{one.finding}"
        if out.get(key) != "open" and (key not in out or one.how == "open" or out[key].startswith("explained")):
            out[key] = one.how
    return out


def _learnt_document(answer: Answer) -> dict[str, Any] | None:
    """Which learnt tables answered; nothing for the expert's own."""
    learnt = answer.knowledge.learnt
    return {"version": learnt.version, "cases": round(learnt.cases, 1)} if learnt else None


def answer_document(answer: Answer, say: Say) -> dict[str, Any]:
    """The answer as the open format writes it: plain values only, ready for JSON.

    say : puts sentences into words, in the units that figures are kept in.
    """

    def where(place: Place) -> str | None:
        return place if isinstance(place, Corner) else None

    def reasons(items: tuple[Reason, ...]) -> list[dict[str, Any]]:
        return [
            {
                "finding": r.finding,
                "corner": where(r.corner),
                "decibans": round(r.decibans, 2),
                "because": say(r.because),
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
                "mechanism": say(s.mechanism),
                "for": reasons(s.reasons_for),
                "against": reasons(s.reasons_against),
            }
            for s in (*answer.suspects, *answer.likeliest)
        ],
        "cleared": [
            {"corner": where(c.corner), "fault": c.fault, "probability": c.probability, "because": say(c.because)}
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
                "because": say(t.because),
                "saves": round(t.saves, 2),
                "answers": [
                    {"answer": say(f.answer), "chance": f.chance, "leads": say(f.leads), "probability": f.probability}
                    for f in t.foretold
                ],
            }
            for t in answer.next_tests
        ],
        "decision": {
            "verdict": decision.verdict,
            "corners": {
                corner: {"verdict": v.verdict, "settled": v.settled, "because": list(map(say, v.reasons))}
                for corner, v in decision.corners.items()
            },
            "actions": [
                {"action": a.action, "corner": where(a.corner), "because": say(a.because)} for a in decision.actions
            ],
            "unsafe": list(map(say, decision.unsafe)),
            "cautions": list(map(say, decision.cautions)),
        },
        "beliefs": [
            {"corner": where(place), "fault": fault, "probability": chance}
            for (place, fault), chance in answer.believed.items()
        ],
        "open": [
            {
                "corner": where(one.place),
                "what": say(one.what),
                "explained_by": [
                    {"corner": where(place), "fault": fault, "share": round(share, 4)}
                    for place, fault, share in one.explained_by
                ],
                "next_test": one.next_test,
            }
            for one in decision.open
        ],
        "watched": [
            {"corner": where(one.place), "finding": one.finding, "what": say(one.because), "again": say(one.again)}
            for one in decision.watched
        ],
        "answered": _answered_document(decision.answered),
        "learnt": _learnt_document(answer),
        "defaults_used": list(answer.defaults_used),
        "contradictions": list(map(say, answer.contradictions)),
        "fits_nothing_well": list(map(say, answer.fits_nothing)),
        "notes": list(map(say, answer.notes)),
    }

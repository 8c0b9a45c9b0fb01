"""What if: the answer to an inspection for every answer that a finding not made yet could have."""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from mesotrope.core.answer.answer import overview
from mesotrope.core.evidence.specification import AxleSpecification
from mesotrope.core.language.corner import VEHICLE, Place
from mesotrope.core.language.inspection import Inspection, parse_inspection
from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.language.paths import leaves, nest
from mesotrope.core.language.saying import Sayable, fine_mm, marked, mm, plain, said
from mesotrope.core.language.units import KEPT_AS
from mesotrope.core.language.vocabulary import VocabularyField

#: One answer of a test: how it is said, and what would be written, by path.
Tried = tuple[Sayable, Mapping[str, Any]]


@dataclass(frozen=True)
class Trial:
    """A finding, or a part of one, that can be tried out: where it is written, what it is called, and its answers."""

    path: str
    words: str
    answers: tuple[Tried, ...]


@dataclass(frozen=True)
class WhatIf:
    """What one answer of a test would do: the leading suspects of that corner, and its verdict."""

    value: Sayable
    leading: tuple[tuple[str, float], ...]
    verdict: str


def trials_of(finding: str, axle: AxleSpecification | None, knowledge: Knowledge) -> list[Trial]:
    """The parts of a finding that can be tried out, each with its answers; axle: None for the whole vehicle.

    A word is tried with every value, a figure with those that the vocabulary says are worth trying (`tries`), linings
    and rotors with figures of this axle.
    """
    if axle and finding == "spin":
        return [Trial("spin", marked("the wheel spun by hand"), tuple(map(_spun, knowledge.tried.spins)))]
    if axle and finding == "pad_mm":
        thick, thin = (share * axle.pad_new_mm for share in (knowledge.tried.thick_share, knowledge.tried.thin_share))
        pairs = ((thick, thick), (thin, thick), (thick, thin))
        return [Trial("pad_mm", marked("the linings"), tuple(_pads(*pair) for pair in pairs))]
    if axle and finding == "rotor_mm":
        places = (
            axle.rotor_discard_mm + knowledge.tried.rotor_over_mm,
            axle.rotor_discard_mm - knowledge.tried.rotor_under_mm,
        )
        return [
            Trial(
                "rotor_mm",
                marked("the rotor at its thinnest place"),
                tuple((fine_mm(place, 1), _at(place)) for place in places),
            )
        ]
    fields = knowledge.corner_fields if axle else knowledge.system_fields
    return [_trial(field) for field in fields if field.finding == finding and (field.values or field.tries)]


def _trial(field: VocabularyField) -> Trial:
    path = f"{field.key}.1" if field.key == "piston_pushback" else field.key
    words: list[Tried] = [(word, {path: value}) for value, word in field.values.items()]
    return Trial(
        path,
        field.label,
        tuple(words or [(plain(x, KEPT_AS.get(field.unit, field.unit)), {path: x}) for x in field.tries]),
    )


def _spun(spin: tuple[float, float]) -> Tried:
    turns, seconds = spin
    if not turns:
        return marked("held fast"), {"spin.turns": turns, "spin.seconds": seconds}
    message = "stopped after {turns} turns in {seconds}" if turns != 1 else "stopped after {turns} turn in {seconds}"
    shown = said(message, turns=plain(turns), seconds=plain(seconds, "s"))
    return shown, {"spin.turns": turns, "spin.seconds": seconds}


def _pads(inner: float, outer: float) -> Tried:
    shown = said("inner {inner}, outer {outer}", inner=mm(inner), outer=mm(outer))
    return shown, {"pad_mm.inner.lead_rim": round(inner, 1), "pad_mm.outer.lead_rim": round(outer, 1)}


def _at(rotor_mm: float) -> dict[str, float]:
    return {"rotor_mm.1": rotor_mm, "rotor_mm.2": rotor_mm}


def what_if(
    inspection: Inspection, corner: Place, answers: Sequence[Tried], knowledge: Knowledge, most: int = 3
) -> tuple[WhatIf, ...]:
    """Answer the inspection once for every answer that an untested finding could have.

    Raises `InvalidDocument` for a path or a word that is none.
    """
    out = []
    for shown, values in answers:
        short = overview(_with(inspection, corner, values), knowledge)
        here = {
            fault: p for (where, fault), p in short.chances.items() if where == corner and fault != knowledge.none.id
        }
        leading = sorted(here.items(), key=lambda item: -item[1])[:most]
        verdict = short.decision.verdict if corner is VEHICLE else short.decision.corners[corner].verdict
        out.append(WhatIf(shown, tuple((knowledge.words(f), p) for f, p in leading), verdict or ""))
    return tuple(out)


def _with(inspection: Inspection, corner: Place, values: Mapping[str, Any]) -> Inspection:
    """The same inspection with one more finding."""
    more = nest({**dict(leaves(inspection.at(corner))), **values})
    plain = json.loads(inspection.model_dump_json(exclude_none=True))
    findings = plain.setdefault("findings", {})
    if corner is VEHICLE:
        findings["system"] = more
    else:
        findings.setdefault("corners", {})[corner] = more
    return parse_inspection(json.dumps(plain))

"""What the job screen shows: the order of work, the entries of a stage, the suspects, the verdict."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from mesotrope.core.answer import Answer, SuspectAnswer
from mesotrope.core.decision import CornerVerdict, Decision, PlannedAction, stage_cautions
from mesotrope.core.evidence import in_words
from mesotrope.core.model import Knowledge, VocabularyField
from mesotrope.core.pads import PLACES
from mesotrope.core.quantity import percent
from mesotrope.core.specification import AxleSpecification
from mesotrope.services.findings import Place
from mesotrope.services.jobs import OpenJob
from mesotrope.web.plate.drawing import Plate, axle_plate, entry_id

#: The order of work as the rail shows it: address, words, and the stages of the vocabulary entered there.
RAIL: tuple[tuple[str, str, tuple[str, ...]], ...] = (
    ("take-in", "Take in", ()),
    ("lift", "Lift & spin", ("road", "lift")),
    ("look", "Look", ("wheel_off",)),
    ("isolate", "Isolate", ("isolate",)),
    ("strip", "Strip & measure", ("strip", "measure")),
    ("verdict", "Verdict", ()),
)

#: Up to this many words are offered as buttons; more go into a list.
MOST_BUTTONS = 3

#: How many places round a rotor have a field.
ROTOR_PLACES = 4


@dataclass(frozen=True)
class EntryField:
    """One field: where its finding belongs, how it is entered, and what stands in it."""

    id: str
    corner: str
    path: str
    label: str
    unit: str
    value: str
    options: tuple[tuple[str, str], ...] = ()

    @property
    def as_buttons(self) -> bool:
        return 0 < len(self.options) <= MOST_BUTTONS


@dataclass(frozen=True)
class PadFields:
    """The four places of one lining, laid out as they lie on the pad: rim above hub, lead before trail."""

    label: str
    rows: tuple[tuple[EntryField, ...], ...]


@dataclass(frozen=True)
class CornerFields:
    """A corner's fields in the order a hand goes."""

    corner: str
    words: str
    pads: tuple[PadFields, ...]
    spin: tuple[EntryField, ...]
    rotor: tuple[EntryField, ...]
    gaps: tuple[EntryField, ...]
    choices: tuple[EntryField, ...]
    drum: bool


@dataclass(frozen=True)
class RailStep:
    href: str
    words: str
    current: bool
    state: str


@dataclass(frozen=True)
class SuspectRow:
    """One line of the suspects: where, what, how likely, and the heaviest reason."""

    where: str
    words: str
    percent: str
    width: int
    reason: str
    mechanism: str


@dataclass(frozen=True)
class NextRow:
    href: str
    words: str
    minutes: str
    because: str


@dataclass(frozen=True)
class VerdictRow:
    corner: str
    words: str
    verdict: str
    reasons: tuple[str, ...]
    settled: bool


@dataclass(frozen=True)
class ActionRow:
    words: str
    where: str
    because: str


@dataclass(frozen=True)
class WeighedReason:
    decibans: str
    because: str


@dataclass(frozen=True)
class ReasonedSuspect:
    where: str
    words: str
    percent: str
    mechanism: str
    reasons: tuple[WeighedReason, ...]


@dataclass(frozen=True)
class JobPage:
    """Everything the job screen needs."""

    job: OpenJob
    stage: str
    stage_words: str
    axle: str
    exaggerated: bool
    rail: tuple[RailStep, ...]
    axles: tuple[tuple[str, str, bool], ...]
    plate: Plate | None
    plate_toggle: str
    corners: tuple[CornerFields, ...]
    next_href: str
    next_words: str
    cautions: tuple[str, ...]
    suspects: tuple[SuspectRow, ...]
    cleared_count: int
    next_tests: tuple[NextRow, ...]
    verdict: str
    unsafe: tuple[str, ...]
    verdicts: tuple[VerdictRow, ...]
    actions: tuple[ActionRow, ...]
    reasoned: tuple[ReasonedSuspect, ...]
    cleared: tuple[str, ...]
    contradictions: tuple[str, ...]
    defaults: tuple[str, ...]
    notes: tuple[str, ...]
    all_cautions: tuple[str, ...]
    facts: tuple[tuple[str, str], ...]


def _href(job_id: int, stage: str, axle: str, exaggerated: bool = False) -> str:
    return f"/jobs/{job_id}/{stage}?axle={axle}" + ("&wear=3" if exaggerated else "")


def job_page(job: OpenJob, answer: Answer, knowledge: Knowledge, stage: str, axle: str, exaggerated: bool) -> JobPage:
    """Put the job screen together for one stage of the work and one axle."""
    decision = answer.decision
    specification = answer.specification
    disc = specification.axles[axle].has("disc")
    corners = [corner for corner in specification.corners if corner.split("_")[0] == axle]
    stages = next(stages for address, _, stages in RAIL if address == stage)
    next_href, next_words = _next(job.id, stage, axle)
    return JobPage(
        job=job,
        stage=stage,
        stage_words=next(words for address, words, _ in RAIL if address == stage),
        axle=axle,
        exaggerated=exaggerated,
        rail=_rail(job, knowledge, stage, axle, exaggerated),
        axles=tuple((name, _href(job.id, stage, name, exaggerated), name == axle) for name in ("front", "rear")),
        plate=axle_plate(job.inspection, answer, axle, exaggerated) if disc else None,
        plate_toggle=_href(job.id, stage, axle, not exaggerated),
        corners=tuple(
            _corner_fields(corner, stages, specification.axle_of(corner), job, knowledge)
            for corner in (corners if stages else ())
        ),
        next_href=next_href,
        next_words=next_words,
        cautions=tuple(dict.fromkeys(words for s in stages for words in stage_cautions(s, knowledge))),
        suspects=tuple(_suspect_row(s) for s in answer.suspects if s.fault != knowledge.none.id)[:5],
        cleared_count=len(answer.cleared),
        next_tests=tuple(
            NextRow(
                href=_href(job.id, _address_of(test.finding, knowledge), test.corner.split("_")[0])
                + f"#{_first_entry(test.corner, test.finding)}",
                words=f"{in_words(test.corner).capitalize()}: {_test_words(test.finding, knowledge)}",
                minutes=f"{test.minutes:g} min",
                because=test.because,
            )
            for test in answer.next_tests[:3]
        ),
        verdict=decision.verdict or "",
        unsafe=decision.unsafe,
        verdicts=tuple(_verdict_row(corner, verdict) for corner, verdict in decision.corners.items()),
        actions=_action_rows(decision, knowledge),
        reasoned=tuple(_reasoned(suspect) for suspect in answer.suspects[:8]),
        cleared=tuple(f"{in_words(c.corner) or 'system'}: {c.words}. {c.because}" for c in answer.cleared),
        contradictions=answer.contradictions,
        defaults=tuple(_default_words(name) for name in answer.defaults_used),
        notes=answer.notes,
        all_cautions=decision.cautions,
        facts=_facts(job, answer),
    )


def _default_words(name: str) -> str:
    return name.replace(".", " ").replace("_", " ")


def _rail(job: OpenJob, knowledge: Knowledge, current: str, axle: str, exaggerated: bool) -> tuple[RailStep, ...]:
    done = {field.stage for place in job.findings if (field := _field_at(place, knowledge))}
    return tuple(
        RailStep(
            href=_href(job.id, address, axle, exaggerated),
            words=words,
            current=address == current,
            state="begun" if done & set(stages) else "",
        )
        for address, words, stages in RAIL
    )


def _field_at(place: Place, knowledge: Knowledge) -> VocabularyField | None:
    name = place[1].split(".")[0]
    return next((field for field in knowledge.corner_fields if field.key.split(".")[0] == name), None)


def _address_of(finding: str, knowledge: Knowledge) -> str:
    stage = next(field.stage for field in knowledge.corner_fields if field.key.split(".")[0] == finding)
    return next((address for address, _, stages in RAIL if stage in stages), "look")


def _test_words(finding: str, knowledge: Knowledge) -> str:
    words = {
        "spin": "spin the wheel",
        "pad_mm": "measure both linings",
        "pin": "feel both slide pins",
        "pad_fit": "how the pads leave the bracket",
        "piston_pushback": "push the piston back",
        "pad_gap_mm": "gap between pads and rotor",
        "pedal_response": "watch the pads with a helper on the pedal",
        "bleeder_opened": "open the bleeder",
        "line_loosened_at_master": "loosen the line at the master cylinder",
        "caliper_bolts_slackened": "slacken the caliper bolts",
        "parking_cable_slackened": "slacken the parking brake cable",
        "bearing": "listen to the wheel bearing",
        "retaining_pin": "feel the pad retaining pin",
        "rotor_mm": "measure the rotor",
        "rotor_face": "look at both rotor faces",
        "pad_condition": "look at both linings",
        "pin_condition": "look at both pins",
        "pin_boot": "look at both pin boots",
        "noise": "ask what was heard on the drive",
    }
    label = next(field.label for field in knowledge.corner_fields if field.key.split(".")[0] == finding)
    return words.get(finding, f"look at the {label}" if not label.startswith(("inner ", "outer ")) else label)


def _first_entry(corner: str, finding: str) -> str:
    first = {
        "spin": "spin.turns",
        "pad_mm": "pad_mm.inner.lead_rim",
        "pin": "pin.upper",
        "pin_condition": "pin_condition.upper",
        "pin_boot": "pin_boot.upper",
        "piston_pushback": "piston_pushback.1",
        "rotor_mm": "rotor_mm.1",
    }
    sided = ("pad_fit", "pad_condition", "pad_gap_mm", "pedal_response", "rotor_face")
    return entry_id(corner, f"{finding}.inner" if finding in sided else first.get(finding, finding))


def _next(job_id: int, stage: str, axle: str) -> tuple[str, str]:
    """Where the work goes on: the other axle, then the next stage."""
    addresses = [address for address, _, _ in RAIL]
    if axle == "front" and stage not in ("take-in", "verdict"):
        return _href(job_id, stage, "rear"), "Rear axle"
    place = addresses.index(stage) + 1
    if place == len(addresses):
        return "/", "Back to the bays"
    return _href(job_id, addresses[place], "front"), RAIL[place][1]


def _corner_fields(
    corner: str, stages: tuple[str, ...], axle: AxleSpecification, job: OpenJob, knowledge: Knowledge
) -> CornerFields:
    here = {path: value for (at, path), value in job.findings.items() if at == corner}

    def entry(path: str, label: str, field: VocabularyField) -> EntryField:
        value: Any = here.get(path, "")
        shown = _figure(value, field.unit) if isinstance(value, int | float) else value
        options = tuple(field.values.items())
        return EntryField(entry_id(corner, path), corner, path, label, field.unit, shown, options)

    fields = [f for f in knowledge.corner_fields if f.stage in stages and all(axle.has(need) for need in f.needs)]
    by_key = {field.key: field for field in fields}
    pads: tuple[PadFields, ...] = ()
    if field := by_key.pop("pad_mm", None):
        pads = tuple(
            PadFields(
                f"{side} lining",
                tuple(
                    tuple(
                        entry(f"pad_mm.{side}.{end}_{edge}", f"{side} lining, {_place_words(f'{end}_{edge}')}", field)
                        for end in ("lead", "trail")
                    )
                    for edge in ("rim", "hub")
                ),
            )
            for side in ("inner", "outer")
        )
    spin = tuple(
        entry(key, label, by_key.pop(key))
        for key, label in (("spin.turns", "turns"), ("spin.seconds", "seconds"))
        if key in by_key
    )
    rotor: tuple[EntryField, ...] = ()
    if field := by_key.pop("rotor_mm", None):
        rotor = tuple(entry(f"rotor_mm.{n}", f"place {n}", field) for n in range(1, ROTOR_PLACES + 1))
    gaps = tuple(
        entry(key, key.split(".")[1], by_key.pop(key)) for key in ("pad_gap_mm.inner", "pad_gap_mm.outer")
        if key in by_key
    )  # fmt: skip
    choices: list[EntryField] = []
    for key, field in by_key.items():
        if not field.values or key == "leak_at":
            continue
        if key == "piston_pushback":
            count = axle.pistons if axle.caliper == "floating" else max(1, axle.pistons // 2)
            choices += [
                entry(f"{key}.{n}", field.label if count == 1 else f"piston {n} back into its bore", field)
                for n in range(1, count + 1)
            ]
        else:
            choices.append(entry(key, field.label, field))
    return CornerFields(corner, in_words(corner), pads, spin, rotor, gaps, tuple(choices), not axle.has("disc"))


def _figure(value: float, unit: str) -> str:
    """A figure as it stands in its field: thicknesses with at least one decimal.

    >>> _figure(3.0, "mm"), _figure(23.895, "mm"), _figure(2.0, "")
    ('3.0', '23.895', '2')
    """
    return f"{value:.1f}" if unit == "mm" and round(value, 1) == value else f"{value:g}"


def _place_words(place: str) -> str:
    assert place in PLACES
    end, edge = place.split("_")
    return f"{'leading' if end == 'lead' else 'trailing'} end, {edge} edge"


def _suspect_row(suspect: SuspectAnswer) -> SuspectRow:
    reasons = suspect.reasons_for
    return SuspectRow(
        where=in_words(suspect.corner) or "system",
        words=suspect.words,
        percent=percent(suspect.probability),
        width=max(1, round(100 * suspect.probability)),
        reason=without_place(reasons[0].because, suspect.corner) if reasons else "",
        mechanism=suspect.mechanism,
    )


def without_place(sentence: str, corner: str) -> str:
    """Drop the corner's name where the heading above already says it."""
    words = in_words(corner)
    return sentence[len(words) + 1 :] if corner and sentence.startswith(words + " ") else sentence


def _verdict_row(corner: str, verdict: CornerVerdict) -> VerdictRow:
    return VerdictRow(corner, in_words(corner), verdict.verdict or "", verdict.reasons, verdict.settled)


def _reasoned(suspect: SuspectAnswer) -> ReasonedSuspect:
    reasons = sorted((*suspect.reasons_for, *suspect.reasons_against), key=lambda r: -abs(r.decibans))[:6]
    return ReasonedSuspect(
        in_words(suspect.corner) or "system",
        suspect.words,
        percent(suspect.probability),
        suspect.mechanism,
        tuple(
            WeighedReason(f"{r.decibans:+.0f}".replace("-", "−"), without_place(r.because, suspect.corner))
            for r in reasons
        ),
    )


def _action_rows(decision: Decision, knowledge: Knowledge) -> tuple[ActionRow, ...]:
    """One row an action, with every corner it is done at and each reason once."""
    by_action: dict[str, list[PlannedAction]] = {}
    for planned in decision.actions:
        by_action.setdefault(planned.action, []).append(planned)
    return tuple(
        ActionRow(
            knowledge.action[action].words,
            ", ".join(in_words(planned.corner) or "whole system" for planned in done),
            "; ".join(dict.fromkeys(planned.because for planned in done)),
        )
        for action, done in by_action.items()
    )


def _facts(job: OpenJob, answer: Answer) -> tuple[tuple[str, str], ...]:
    """What was taken in, in words; what is a default is called one."""
    vehicle, visit, specification = job.inspection.vehicle, job.inspection.visit, answer.specification
    facts = [
        ("Complaint", visit.complaint or "none written down"),
        ("Distance", f"{visit.odometer_km:,.0f} km".replace(",", " ") if visit.odometer_km else "not noted"),
        ("Use", visit.usage or "not noted"),
        ("Work before", ", ".join(w.replace("_", " ") for w in visit.recent_work or []) or "none noted"),
        ("Kind", f"{specification.kind.replace('_', ' ')}, {vehicle.model_year or 'year not noted'}"),
    ]
    for name, axle in specification.axles.items():

        def said(key: str, text: str, axle_name: str = name) -> str:
            return f"{text} (default)" if f"{axle_name}.{key}" in specification.defaulted else text

        facts.append(
            (
                f"{name.capitalize()} axle",
                ", ".join(
                    [
                        said("caliper", f"{axle.caliper} caliper"),
                        said("pad_new_mm", f"new lining {axle.pad_new_mm:g} mm"),
                        said("pad_limit_mm", f"limit {axle.pad_limit_mm:g} mm"),
                        said("rotor_discard_mm", f"rotor discard {axle.rotor_discard_mm:g} mm"),
                        said("parking_brake", f"parking brake {axle.parking_brake.replace('_', ' ')}"),
                    ]
                ),
            )
        )  # fmt: skip
    return tuple(facts)


def stage_reached(job: OpenJob, knowledge: Knowledge) -> str:
    """How far the work has come: the last stage of the rail in which anything was found."""
    done = {field.stage for place in job.findings if (field := _field_at(place, knowledge))}
    reached = [words for _, words, stages in RAIL if done & set(stages)]
    return reached[-1] if reached else RAIL[0][1]

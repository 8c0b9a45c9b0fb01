"""What the job screen shows: the order of work, the entries of a stage, the suspects, the verdict."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import ClassVar, TypeVar

from mesotrope.core.answer.answer import Answer
from mesotrope.core.decision.verdict import stage_cautions
from mesotrope.core.decision.watched import watched_in_words
from mesotrope.core.evidence.job_numbers import job_numbers
from mesotrope.core.evidence.specification import Specification
from mesotrope.core.evidence.wear_log import WearLog, rotor_outlasts_next_pads
from mesotrope.core.language.corner import AXLES, Axle, Corner
from mesotrope.core.language.inspection import Inspection
from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.language.saying import Sayable, fine_mm, joined, mm, plain, said, verbatim
from mesotrope.services.job_rows import OpenJob
from mesotrope.services.photographs import Shot
from mesotrope.web.job.entries import Block, corner_blocks, system_blocks
from mesotrope.web.job.numbers import ROTOR_TOO_SOON, numbers_panel
from mesotrope.web.job.panel import NumbersPanel
from mesotrope.web.job.panel import Scene as NumbersScene
from mesotrope.web.job.rail import RAIL, WHOLE_VEHICLE, RailStep, job_address, next_stage, rail_of, stage_href
from mesotrope.web.job.suspects import MOST_SUSPECTS, NextRow, SuspectRow, doubt_row, next_rows, suspect_row
from mesotrope.web.plate.drawing import axle_plate
from mesotrope.web.plate.pen import Plate
from mesotrope.web.vehicle.pages import SAID as SPECIFIED
from mesotrope.web.verdict.open_rows import OpenRow, open_rows
from mesotrope.web.verdict.pages import ReasonedSuspect, VerdictRow, reasoned_suspect, verdict_row
from mesotrope.words import PLAINLY, Speaker

Told = TypeVar("Told")


@dataclass(frozen=True)
class CornerEntries:
    """A corner's blocks in the order a hand goes, and its photographs."""

    corner: Corner
    words: str
    blocks: tuple[Block, ...]
    photographs: tuple[Shot, ...]
    drum: bool


@dataclass(frozen=True)
class JobPage:
    """Everything the job screen needs."""

    job: OpenJob
    kind: str
    stage: str
    stage_words: str
    axle: Axle
    exaggerated: bool
    rail: tuple[RailStep, ...]
    axles: tuple[tuple[str, str, bool], ...]
    plate: Plate | None
    plate_toggle: str
    whole: tuple[Block, ...]
    corners: tuple[CornerEntries, ...]
    last_entry: int
    numbers: NumbersPanel
    expected_level: float | None
    next_href: str
    next_words: str
    cautions: tuple[str, ...]
    suspects: tuple[SuspectRow, ...]
    in_doubt: tuple[SuspectRow, ...]
    cleared_count: int
    next_tests: tuple[NextRow, ...]
    enough_is_known: bool
    verdict: str
    unsafe: tuple[str, ...]
    verdicts: tuple[VerdictRow, ...]
    open: tuple[OpenRow, ...]
    watched: tuple[str, ...]
    complaint_explained: str
    reasoned: tuple[ReasonedSuspect, ...]
    cleared: tuple[str, ...]
    contradictions: tuple[str, ...]
    defaults: tuple[str, ...]
    notes: tuple[str, ...]
    all_cautions: tuple[str, ...]
    facts: tuple[tuple[str, str], ...]

    #: What stands at a place, and whether the vehicle is one of practice.
    entries: ClassVar[str] = "job/_entries.html"
    practised: ClassVar[bool] = False


def job_page(
    job: OpenJob,
    answer: Answer,
    knowledge: Knowledge,
    stage: str,
    axle: Axle,
    exaggerated: bool,
    say: Speaker = PLAINLY,
    photographs: Sequence[Shot] = (),
    log: WearLog | None = None,
) -> JobPage:
    """Put the job screen together for one stage of the work and one axle, in one person's units."""
    decision = answer.decision
    specification = answer.specification
    disc = specification.axles[axle].has("disc")
    stages = next(stages for address, _, stages in RAIL if address == stage)
    base = job_address(job.id)
    next_href, next_words = next_stage(base, stage, axle, say)
    worth = {test.stage for test in answer.tests if test.offered}
    numbers = job_numbers(job.inspection, specification, answer.measures, knowledge)

    def whole(told: Sequence[Told]) -> Sequence[Told]:
        """What only the verdict tells: nothing on the other pages."""
        return told if stage == "verdict" else ()

    return JobPage(
        job=job,
        kind=specification.kind,
        stage=stage,
        stage_words=say(next(words for address, words, _ in RAIL if address == stage)),
        axle=axle,
        exaggerated=exaggerated,
        rail=rail_of(base, job.findings, worth, knowledge, stage, axle, exaggerated, say),
        axles=tuple((say(name), stage_href(base, stage, name, exaggerated), name == axle) for name in AXLES),
        plate=axle_plate(job.inspection, answer, axle, knowledge.limit, exaggerated, say) if disc else None,
        plate_toggle=stage_href(base, stage, axle, not exaggerated),
        whole=tuple(
            _fluid_by_its_change(block, job, say) if block.finding == "fluid_age_months" else block
            for block in system_blocks(stages, specification, job.standing, knowledge, say)
        ),
        corners=tuple(
            CornerEntries(
                corner,
                say(corner),
                corner_blocks(corner, stages, specification, job.standing, knowledge, say),
                tuple(shot for shot in photographs if shot.corner == corner),
                not specification.has_disc(corner),
            )
            for corner in corners_shown(specification, stage, axle)
        ),
        last_entry=job.standing.last_entry,
        numbers=numbers_panel(
            NumbersScene(
                stage,
                axle,
                specification.axles[axle],
                specification.corners_on(axle),
                dict(answer.measures),
                job.inspection,
                numbers,
                log,
                say,
                knowledge,
            )
        ),
        expected_level=numbers.balance.expected_level.value if numbers.balance else None,
        next_href=next_href,
        next_words=next_words,
        cautions=tuple(dict.fromkeys(say(words) for s in stages for words in stage_cautions(s, knowledge))),
        in_doubt=tuple(doubt_row(suspect, knowledge, say) for suspect in answer.in_doubt),
        suspects=tuple(suspect_row(s, knowledge, say) for s in answer.suspects if s.fault != knowledge.none.id)[
            :MOST_SUSPECTS
        ],
        cleared_count=len(answer.cleared),
        next_tests=next_rows(answer.next_tests, job.id, knowledge, say)[:3],
        enough_is_known=answer.enough_is_known,
        verdict=decision.verdict or "",
        unsafe=tuple(map(say, decision.unsafe)),
        verdicts=tuple(verdict_row(corner, answer, say) for corner in decision.corners),
        open=open_rows(answer, job.id, say),
        watched=tuple(say(watched_in_words(one)) for one in whole(decision.watched)),
        complaint_explained=next(
            (say(a.because) for a in decision.answered if a.finding == "complaint" and a.how != "open"), ""
        ),
        reasoned=tuple(reasoned_suspect(suspect, knowledge, say) for suspect in whole(answer.suspects[:8])),
        cleared=tuple(
            say(said("{place}: {fault}. {because}", place=c.corner, fault=c.words, because=c.because))
            for c in whole(answer.cleared)
        ),
        contradictions=tuple(map(say, (*answer.fits_nothing, *answer.contradictions))),
        defaults=tuple(say(_default_words(name, knowledge)) for name in whole(answer.defaults_used)),
        notes=tuple(map(say, whole((*answer.notes, *_rotors_too_soon(log, specification))))),
        all_cautions=tuple(map(say, whole(decision.cautions))),
        facts=facts_of(job.inspection, specification, say) if stage == "take-in" else (),
    )


def _fluid_by_its_change(block: Block, job: OpenJob, say: Speaker) -> Block:
    """The field of the fluid's age, where nothing stands in it and the fluid was changed here: by that it is known."""
    age = job.inspection.system.fluid_age_months
    if job.new_fluid is None or age is None or any(field.value for field in block.fields):
        return block
    day = verbatim(say.dates.day(job.new_fluid))
    known = said(
        "{months} months: it was changed here on {day}; enter an age only if it was changed since",
        months=plain(age),
        day=day,
    )
    return replace(block, hint=say(known))


def _rotors_too_soon(log: WearLog | None, specification: Specification) -> list[Sayable]:
    """Rotors that will not last the next pads, in words: they are offered with the work at hand."""
    return [
        said("The rotor {place} {so}.", place=corner, so=ROTOR_TOO_SOON)
        for corner in specification.corners
        if log and (found := rotor_outlasts_next_pads(log, corner)) and not found[1]
    ]


def corners_shown(specification: Specification, stage: str, axle: Axle) -> tuple[Corner, ...]:
    """The corners whose entries stand on a page: all four where the whole vehicle is asked about, else the axle's."""
    if stage in WHOLE_VEHICLE:
        return specification.corners if stage == "take-in" else ()
    if stage == "verdict":
        return ()
    return specification.corners_on(axle)


def _default_words(name: str, knowledge: Knowledge) -> Sayable:
    """What a figure of the specification is called: by its axle, and as the vocabulary labels it."""
    axle, _, key = name.rpartition(".")
    fields = (*knowledge.vehicle_fields, *knowledge.axle_fields, *knowledge.visit_fields)
    label = next((field.label for field in fields if field.key in (key, name)), key.replace("_", " "))
    return said("{axle} {figure}", axle=Axle(axle), figure=label) if axle in AXLES else label


def facts_of(inspection: Inspection, specification: Specification, say: Speaker) -> tuple[tuple[str, str], ...]:
    """What was taken in, in words; what is a default is called one."""
    vehicle, visit, not_noted = inspection.vehicle, inspection.visit, say("not noted")
    facts = [
        (say("Complaint"), visit.complaint or say("none written down")),
        (say("Distance"), say(plain(visit.odometer_km, "km")) if visit.odometer_km is not None else not_noted),
        (say("Use"), say(visit.usage.replace("_", " ")) if visit.usage else not_noted),
        (say("Work before"), ", ".join(say(w.replace("_", " ")) for w in visit.recent_work or []) or say("none noted")),
        (say("VIN"), vehicle.vin or not_noted),
        (say("Kind"), f"{say(specification.kind.replace('_', ' '))}, {vehicle.model_year or say('year not noted')}"),
    ]
    for name, axle in specification.axles.items():

        def told(key: str, what: Sayable, axle_name: str = name) -> Sayable:
            return said("{figure} (default)", figure=what) if f"{axle_name}.{key}" in specification.defaulted else what

        facts.append(
            (
                say.begin(said("{axle} axle", axle=name)),
                say(joined(
                    [
                        told("caliper", said("{kind} caliper", kind=axle.caliper)),
                        told("pad_new_mm", said("new lining {new}", new=mm(axle.pad_new_mm, None))),
                        told("pad_limit_mm", said("limit {limit}", limit=mm(axle.pad_limit_mm, None))),
                        told("rotor_discard_mm",
                             said("rotor discard {limit}", limit=fine_mm(axle.rotor_discard_mm, None))),
                        *([] if axle.parking_brake == "none" else [
                            told("parking_brake", said("parking brake {kind}", kind=SPECIFIED[axle.parking_brake]))
                        ]),
                    ], ", "
                )),
            )
        )  # fmt: skip
    return tuple(facts)

"""What the job screen shows: the order of work, the entries of a stage, the suspects, the verdict."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from mesotrope.core.answer.answer import Answer
from mesotrope.core.answer.reasons import SuspectAnswer
from mesotrope.core.decision.check_next import NextTest
from mesotrope.core.decision.verdict import CornerVerdict, PlannedAction, stage_cautions, worst_of
from mesotrope.core.evidence.job_numbers import job_numbers
from mesotrope.core.evidence.specification import Specification
from mesotrope.core.evidence.wear_log import WearLog, rotor_outlasts_next_pads
from mesotrope.core.language.corner import AXLES, Axle, Corner, Place
from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.language.quantity import percent
from mesotrope.core.language.saying import joined
from mesotrope.core.language.vocabulary import VocabularyField
from mesotrope.services.findings import field_at
from mesotrope.services.job_rows import OpenJob
from mesotrope.services.photographs import Shot
from mesotrope.web.job.entries import Block, corner_blocks, system_blocks
from mesotrope.web.job.numbers import ROTOR_TOO_SOON, NumbersPanel, numbers_panel
from mesotrope.web.job.numbers import Scene as NumbersScene
from mesotrope.web.plate.drawing import axle_plate, entry_id
from mesotrope.web.plate.pen import Plate
from mesotrope.words import PLAINLY, Speaker

#: The order of work as the rail shows it: address, words, and the stages of the vocabulary entered there.
RAIL: tuple[tuple[str, str, tuple[str, ...]], ...] = (
    ("take-in", "Take in", ("intake", "road")),
    ("pedal", "Pedal & fluid", ("pedal", "bonnet")),
    ("lift", "Lift & spin", ("lift",)),
    ("look", "Look", ("wheel_off",)),
    ("isolate", "Isolate", ("isolate",)),
    ("strip", "Strip & measure", ("strip", "measure")),
    ("verdict", "Verdict", ()),
)

#: Stages at which the whole vehicle is asked about, not one axle.
WHOLE_VEHICLE = ("take-in", "pedal")


@dataclass(frozen=True)
class CornerEntries:
    """A corner's blocks in the order a hand goes, and its photographs."""

    corner: Corner
    words: str
    blocks: tuple[Block, ...]
    photographs: tuple[Shot, ...]
    drum: bool


@dataclass(frozen=True)
class RailStep:
    href: str
    words: str
    current: bool
    state: str
    said: str
    findings: str


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
    foretold: tuple[tuple[str, str], ...]


@dataclass(frozen=True)
class VerdictRow:
    corner: Corner
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
    verdict: str
    unsafe: tuple[str, ...]
    verdicts: tuple[VerdictRow, ...]
    in_sum: tuple[tuple[str, str], ...]
    reasoned: tuple[ReasonedSuspect, ...]
    cleared: tuple[str, ...]
    contradictions: tuple[str, ...]
    defaults: tuple[str, ...]
    notes: tuple[str, ...]
    all_cautions: tuple[str, ...]
    facts: tuple[tuple[str, str], ...]


def _href(job_id: int, stage: str, axle: Axle, exaggerated: bool = False) -> str:
    return f"/jobs/{job_id}/{stage}?axle={axle}" + ("&wear=3" if exaggerated else "")


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
    next_href, next_words = _next(job.id, stage, axle)
    numbers = job_numbers(job.inspection, specification, answer.measures, knowledge)
    return JobPage(
        job=job,
        stage=stage,
        stage_words=next(words for address, words, _ in RAIL if address == stage),
        axle=axle,
        exaggerated=exaggerated,
        rail=_rail(job, answer, knowledge, stage, axle, exaggerated),
        axles=tuple((name, _href(job.id, stage, name, exaggerated), name == axle) for name in AXLES),
        plate=axle_plate(job.inspection, answer, axle, knowledge.limit, exaggerated, say) if disc else None,
        plate_toggle=_href(job.id, stage, axle, not exaggerated),
        whole=system_blocks(stages, job.standing, knowledge, say, specification.corners),
        corners=tuple(
            CornerEntries(
                corner,
                corner.words,
                corner_blocks(
                    corner, corner.words, stages, specification.axle_of(corner), job.standing, knowledge, say
                ),
                tuple(shot for shot in photographs if shot.corner == corner),
                not specification.axle_of(corner).has("disc"),
            )
            for corner in _corners_shown(specification, stage, axle)
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
        cautions=tuple(dict.fromkeys(words for s in stages for words in stage_cautions(s, knowledge))),
        in_doubt=tuple(_doubt_row(suspect, say) for suspect in answer.in_doubt),
        suspects=tuple(_suspect_row(s, say) for s in answer.suspects if s.fault != knowledge.none.id)[:5],
        cleared_count=len(answer.cleared),
        next_tests=tuple(next_row(test, job.id, knowledge, say) for test in answer.next_tests[:3]),
        verdict=decision.verdict or "",
        unsafe=tuple(map(say, decision.unsafe)),
        verdicts=tuple(_verdict_row(corner, verdict, say) for corner, verdict in decision.corners.items()),
        in_sum=_in_sum(answer),
        reasoned=tuple(_reasoned(suspect, say) for suspect in answer.suspects[:8]),
        cleared=tuple(f"{say(c.corner)}: {say(c.words)}. {say(c.because)}" for c in answer.cleared),
        contradictions=tuple(map(say, (*answer.fits_nothing, *answer.contradictions))),
        defaults=tuple(_default_words(name, knowledge) for name in answer.defaults_used),
        notes=(*map(say, answer.notes), *_rotors_too_soon(log, specification)),
        all_cautions=tuple(map(say, decision.cautions)),
        facts=_facts(job, answer, say),
    )


def _in_sum(answer: Answer) -> tuple[tuple[str, str], ...]:
    """The verdict of the vehicle and of every axle that has one."""
    corners = answer.decision.corners
    axles = [
        (f"{name} axle", worst_of(corners[corner].verdict for corner in answer.specification.corners_on(name)))
        for name in answer.specification.axles
    ]
    return tuple((name, word) for name, word in [("vehicle", answer.decision.verdict), *axles] if word)


def _rotors_too_soon(log: WearLog | None, specification: Specification) -> list[str]:
    """Rotors that will not last the next pads, in words: they are offered with the work at hand."""
    return [
        f"The rotor {corner.words} {ROTOR_TOO_SOON}."
        for corner in specification.corners
        if log and (found := rotor_outlasts_next_pads(log, corner)) and not found[1]
    ]


def _corners_shown(specification: Specification, stage: str, axle: Axle) -> tuple[Corner, ...]:
    """The corners whose entries stand on a page: all four where the whole vehicle is asked about, else the axle's."""
    if stage in WHOLE_VEHICLE:
        return specification.corners if stage == "take-in" else ()
    if stage == "verdict":
        return ()
    return specification.corners_on(axle)


def next_row(test: NextTest, job_id: int, knowledge: Knowledge, say: Speaker) -> NextRow:
    href = _href(
        job_id,
        _address_of(test.finding, knowledge),
        test.corner.axle if isinstance(test.corner, Corner) else Axle.FRONT,
    )
    return NextRow(
        href=f"{href}#{_first_entry(test.corner, test.finding)}",
        words=f"{test.corner.words.capitalize()}: {_test_words(test.finding, knowledge)}",
        minutes=f"{test.minutes:g} min",
        because=say(test.because),
        foretold=tuple(
            (f"{say(told.answer)} ({percent(told.chance)})", f"{told.leads} {percent(told.probability)}")
            for told in test.foretold
        ),
    )


def _default_words(name: str, knowledge: Knowledge) -> str:
    """What a figure of the specification is called: by its axle, and as the vocabulary labels it."""
    axle, _, key = name.rpartition(".")
    fields = (*knowledge.vehicle_fields, *knowledge.axle_fields, *knowledge.visit_fields)
    label = next((field.label for field in fields if field.key in (key, name)), key.replace("_", " "))
    return f"{axle.replace('_', ' ')} {label}".strip()


#: What the marks of the rail mean, for those who hear them.
RAIL_STATES = {
    "done": "done",
    "begun": "begun",
    "idle": "not needed: it could not change what is to be done",
    "": "open",
}


def _rail(
    job: OpenJob, answer: Answer, knowledge: Knowledge, current: str, axle: Axle, exaggerated: bool
) -> tuple[RailStep, ...]:
    """The order of work with what is done, what is open, and what could not change the decision any more."""
    found = {field.stage for place in job.findings if (field := field_at(place, knowledge))}
    worth = {test.stage for test in answer.tests if test.decides}

    def state(stages: tuple[str, ...]) -> str:
        if not stages:
            return ""
        wanted, begun = worth & set(stages), found & set(stages)
        if begun:
            return "begun" if wanted else "done"
        asked_anyway = "intake" in stages
        return "idle" if job.findings and not wanted and not asked_anyway else ""

    fields = (*knowledge.corner_fields, *knowledge.system_fields)
    return tuple(
        RailStep(
            href=_href(job.id, address, axle, exaggerated),
            words=words,
            current=address == current,
            state=(now := state(stages)),
            said=RAIL_STATES[now] if stages else "",
            findings=" ".join(dict.fromkeys(f.finding.replace("_", "-") for f in fields if f.stage in stages)),
        )
        for address, words, stages in RAIL
    )


def field_named(finding: str, knowledge: Knowledge) -> VocabularyField:
    """The vocabulary's first field of a finding."""
    return knowledge.corner_finding.get(finding) or knowledge.system_finding[finding]


def _address_of(finding: str, knowledge: Knowledge) -> str:
    stage = field_named(finding, knowledge).stage
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
        "pedal_feel": "press the pedal and feel it",
        "pedal_travel": "press the pedal and read its travel",
        "pedal_hold": "hold the pedal for 30 s, engine off",
        "pedal_pump": "pump the pedal",
        "pedal_on_engine_start": "start the engine with a foot on the pedal",
        "pedal_release": "let the pedal go and watch it return",
        "fluid_level": "read the fluid level",
        "fluid_colour": "look at the fluid",
        "fluid_water_percent": "measure the water in the fluid",
        "fluid_boiling_c": "measure the fluid's boiling point",
        "fluid_copper_ppm": "dip a copper strip into the fluid",
        "fluid_age_months": "ask when the fluid was changed",
        "topped_up_since_service": "ask whether anybody topped up",
        "visible_leak": "look for a leak",
        "cap_seal": "look at the cap's seal",
        "brake_force_n": "roller test, all wheels",
        "parking_brake_holds": "try the parking brake on a slope",
        "pull_braking": "brake on the road: does it pull?",
        "pull_coasting": "coast on the road: does it pull?",
    }
    label = field_named(finding, knowledge).label
    return words.get(finding, f"look at the {label}" if not label.startswith(("inner ", "outer ")) else label)


def _first_entry(corner: Place, finding: str) -> str:
    first = {
        "spin": "spin.turns",
        "pad_mm": "pad_mm.inner.lead_rim",
        "pin": "pin.upper",
        "pin_condition": "pin_condition.upper",
        "pin_boot": "pin_boot.upper",
        "piston_pushback": "piston_pushback.1",
        "rotor_mm": "rotor_mm.1",
        "brake_force_n": "brake_force_n.front_left",
    }
    sided = ("pad_fit", "pad_condition", "pad_gap_mm", "window_pad_mm", "pedal_response", "rotor_face")
    path = f"{finding}.inner" if finding in sided else first.get(finding, finding)
    return entry_id(corner, path)


def _next(job_id: int, stage: str, axle: Axle) -> tuple[str, str]:
    """Where the work goes on: the other axle, then the next stage."""
    addresses = [address for address, _, _ in RAIL]
    if axle == Axle.FRONT and stage not in (*WHOLE_VEHICLE, "verdict"):
        return _href(job_id, stage, Axle.REAR), "Rear axle"
    place = addresses.index(stage) + 1
    if place == len(addresses):
        return "/", "Back to the bays"
    return _href(job_id, addresses[place], Axle.FRONT), RAIL[place][1]


def _suspect_row(suspect: SuspectAnswer, say: Speaker) -> SuspectRow:
    reasons = suspect.reasons_for
    return SuspectRow(
        where=suspect.corner.words,
        words=suspect.words,
        percent=percent(suspect.probability),
        width=max(1, round(100 * suspect.probability)),
        reason=say(reasons[0].under(suspect.corner)) if reasons else "",
        mechanism=suspect.mechanism,
    )


def _doubt_row(suspect: SuspectAnswer, say: Speaker) -> SuspectRow:
    doubt = 1 - suspect.probability
    reason = say(suspect.reasons_against[0].under(suspect.corner))
    words = "something may be wrong; no single fault stands out yet"
    return SuspectRow(suspect.corner.words, words, percent(doubt), round(100 * doubt), reason, "")


def _verdict_row(corner: Corner, verdict: CornerVerdict, say: Speaker) -> VerdictRow:
    reasons = tuple(map(say, verdict.reasons))
    return VerdictRow(corner, corner.words, verdict.verdict or "", reasons, verdict.settled)


def _reasoned(suspect: SuspectAnswer, say: Speaker) -> ReasonedSuspect:
    reasons = sorted((*suspect.reasons_for, *suspect.reasons_against), key=lambda r: -abs(r.decibans))[:6]
    return ReasonedSuspect(
        suspect.corner.words,
        suspect.words,
        percent(suspect.probability),
        suspect.mechanism,
        tuple(WeighedReason(f"{r.decibans:+.0f}".replace("-", "−"), say(r.under(suspect.corner))) for r in reasons),
    )


def action_rows(actions: Sequence[PlannedAction], knowledge: Knowledge, say: Speaker) -> tuple[ActionRow, ...]:
    """One row an action, with every corner it is done at and each reason once."""
    by_action: dict[str, list[PlannedAction]] = {}
    for planned in actions:
        by_action.setdefault(planned.action, []).append(planned)
    return tuple(
        ActionRow(
            knowledge.action[action].words,
            ", ".join(planned.corner.words for planned in done),
            say(joined(dict.fromkeys(planned.because for planned in done))),
        )
        for action, done in by_action.items()
    )


def _facts(job: OpenJob, answer: Answer, say: Speaker) -> tuple[tuple[str, str], ...]:
    """What was taken in, in words; what is a default is called one."""
    vehicle, visit, specification = job.inspection.vehicle, job.inspection.visit, answer.specification
    facts = [
        ("Complaint", visit.complaint or "none written down"),
        ("Distance", say.units.with_unit(visit.odometer_km, "km") if visit.odometer_km is not None else "not noted"),
        ("Use", visit.usage or "not noted"),
        ("Work before", ", ".join(w.replace("_", " ") for w in visit.recent_work or []) or "none noted"),
        ("VIN", vehicle.vin or "not noted"),
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
                        said("pad_new_mm", f"new lining {say.units.with_unit(axle.pad_new_mm, 'mm')}"),
                        said("pad_limit_mm", f"limit {say.units.with_unit(axle.pad_limit_mm, 'mm')}"),
                        said("rotor_discard_mm", f"rotor discard {say.units.with_unit(axle.rotor_discard_mm, 'mm')}"),
                        said("parking_brake", f"parking brake {axle.parking_brake.replace('_', ' ')}"),
                    ]
                ),
            )
        )  # fmt: skip
    return tuple(facts)


def stage_words(reached: str) -> str:
    """How far the work has come, as the rail calls it, by the last stage of the vocabulary that was reached."""
    return next((words for _, words, stages in RAIL if reached in stages), RAIL[0][1])

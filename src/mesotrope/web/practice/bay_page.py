"""A mystery vehicle on the screens of a job: where a job has its fields, the test that can be made there."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from typing import ClassVar

from mesotrope.core.decision.verdict import stage_cautions
from mesotrope.core.evidence.job_numbers import job_numbers
from mesotrope.core.evidence.measures import measure_all
from mesotrope.core.language.corner import AXLES, VEHICLE, Axle, Corner, Place, listed
from mesotrope.core.language.entries import nearest_field
from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.language.saying import Said, Sayable, plain, said
from mesotrope.core.language.vocabulary import VocabularyField
from mesotrope.core.practice.acts import Step, Value
from mesotrope.core.practice.bay import PICTURED, WITH, Bay
from mesotrope.core.practice.hints import Hint
from mesotrope.core.practice.numbers import written
from mesotrope.services.practice import Run
from mesotrope.web.job.entries import shown
from mesotrope.web.job.numbers import numbers_panel
from mesotrope.web.job.pages import corners_shown, facts_of
from mesotrope.web.job.panel import NumbersPanel
from mesotrope.web.job.panel import Scene as NumbersScene
from mesotrope.web.job.rail import RAIL, RailStep, next_stage, rail_of, stage_href
from mesotrope.web.job.suspects import test_words
from mesotrope.web.plate.drawing import Measures, axle_plate
from mesotrope.web.plate.pen import Plate
from mesotrope.web.plate.reservoir import pedal_plate
from mesotrope.web.practice.pictures import Picture, picture_of
from mesotrope.words import Speaker

#: The stages at which something is found; after them one commits.
STAGES = tuple(step for step in RAIL if step[2])

#: As many of the latest steps stand beside the bay.
MOST_STEPS = 12


@dataclass(frozen=True)
class ToRead:
    """A figure, or a word, that is read off a picture and written down."""

    path: str
    label: str
    unit: str
    options: tuple[tuple[str, str], ...]


@dataclass(frozen=True)
class Test:
    """One test at one place: what it found, or what it takes, or why it cannot be made."""

    id: str
    finding: str
    place: str
    heading: str
    words: str
    minutes: str
    found: tuple[tuple[str, str], ...]
    why_not: str
    picture: Picture | None
    to_read: tuple[ToRead, ...]
    folded: bool
    cautions: tuple[str, ...]

    @property
    def can(self) -> bool:
        """Whether it can be made, or made again."""
        return not self.why_not


@dataclass(frozen=True)
class CornerTests:
    corner: Corner
    words: str
    blocks: tuple[Test, ...]
    drum: bool = False


@dataclass(frozen=True)
class Done:
    """A step, as the list beside the bay tells it."""

    clock: str
    words: str
    note: str


@dataclass(frozen=True)
class PracticePage:
    """Everything that the bay's page needs; named as on a job's page, whose parts it is shown with."""

    run: Run
    number: str
    kind: str
    clock: str
    complaint: str
    stage: str
    stage_words: str
    axle: Axle
    exaggerated: bool
    rail: tuple[RailStep, ...]
    axles: tuple[tuple[str, str, bool], ...]
    plate: Plate | None
    plate_toggle: str
    whole: tuple[Test, ...]
    corners: tuple[CornerTests, ...]
    numbers: NumbersPanel
    next_href: str
    next_words: str
    cautions: tuple[str, ...]
    facts: tuple[tuple[str, str], ...]
    stripped: tuple[tuple[str, str], ...]
    unread: tuple[tuple[str, str], ...]
    done: tuple[Done, ...]
    hint: str
    hint_because: str

    entries: ClassVar[str] = "practice/_tests.html"
    practised: ClassVar[bool] = True


def base_of(run_id: int) -> str:
    return f"/practice/runs/{run_id}"


def bay_page(
    run: Run, bay: Bay, knowledge: Knowledge, stage: str, axle: Axle, exaggerated: bool, say: Speaker, hint: Hint | None
) -> PracticePage:
    """Put the bay's screen together for one stage of the work and one axle."""
    base, inspection, specification = base_of(run.id), bay.inspection(), bay.specification
    measures = measure_all(inspection, specification, knowledge)
    stages = next(stages for address, _, stages in STAGES if address == stage)
    next_href, next_words = next_stage(base, stage, axle, say)
    if next_href.startswith(f"{base}/verdict"):
        next_href, next_words = f"{base}/commit", say("Commit")
    findings = [(str(place), path) for place, path in bay.findings]
    rail = rail_of(base, findings, None, knowledge, stage, axle, exaggerated, say)
    tests = [(place, test) for place, test in bay.tests() if test.stage in stages]
    drawn = axle_plate(inspection, Measures(specification, measures), axle, knowledge.limit, exaggerated, say)
    plate = pedal_plate(inspection.system, None, say, asks=False) if stage == "pedal" else drawn
    numbers = job_numbers(inspection, specification, measures, knowledge)
    scene = NumbersScene(stage, axle, specification.axles[axle], specification.corners_on(axle), dict(measures),
                         inspection, numbers, None, say, knowledge)  # fmt: skip
    words, because = _hint_words(hint, knowledge, say)
    return PracticePage(
        run=run,
        number=written(run.number),
        kind=specification.kind,
        clock=say(minutes_said(bay.clock)),
        complaint=bay.mystery.complaint,
        stage=stage,
        stage_words=say(next(words for address, words, _ in RAIL if address == stage)),
        axle=axle,
        exaggerated=exaggerated,
        rail=tuple(step for step in rail if step.findings),
        axles=tuple((say(name), stage_href(base, stage, name, exaggerated), name == axle) for name in AXLES),
        plate=plate,
        plate_toggle=stage_href(base, stage, axle, not exaggerated),
        whole=tuple(_test(bay, place, test, knowledge, say) for place, test in tests if place is VEHICLE),
        corners=tuple(
            CornerTests(
                corner,
                say(corner),
                tuple(_test(bay, place, test, knowledge, say) for place, test in tests if place == corner),
            )
            for corner in corners_shown(specification, stage, axle)
        ),
        numbers=numbers_panel(scene),
        next_href=next_href,
        next_words=next_words,
        cautions=tuple(dict.fromkeys(say(words) for s in stages for words in stage_cautions(s, knowledge))),
        facts=facts_of(inspection, specification, say),
        stripped=tuple((str(corner), say(corner)) for corner in bay.stripped),
        unread=_unread(bay, base, knowledge, say),
        done=tuple(_done(step, knowledge, say) for step in reversed(bay.steps))[:MOST_STEPS],
        hint=words,
        hint_because=because,
    )


def minutes_said(minutes: float) -> Said:
    """A clock's minutes: halves only where there are any.

    >>> from mesotrope.words import PLAINLY
    >>> PLAINLY(minutes_said(12.5)), PLAINLY(minutes_said(40.0))
    ('12.5 min', '40 min')
    """
    return said("{minutes} min", minutes=plain(minutes))


def _id(place: Place, finding: str) -> str:
    return f"test-{place}-{finding}".replace("_", "-")


def _field(place: Place, path: str, knowledge: Knowledge) -> VocabularyField:
    known = knowledge.corner_field if isinstance(place, Corner) else knowledge.system_field
    field = nearest_field(path, known)
    assert field is not None, path
    return field


def _label(path: str, field: VocabularyField, say: Speaker) -> str:
    """What a part of a finding is called beside its figure."""
    part = path.partition(".")[2].replace(".", " ").replace("_", " ")
    return say(part or ("" if field.finding == path else field.label))


def found_rows(
    place: Place, found: Iterable[tuple[str, Value]], knowledge: Knowledge, say: Speaker
) -> tuple[tuple[str, str], ...]:
    """What was found, in words: each part's label, and its value with its unit."""
    rows = []
    for path, value in found:
        field = _field(place, path, knowledge)
        if field.values:
            rows.append((_label(path, field, say), say(field.values.get(str(value), str(value)))))
        else:
            unit = "" if field.said else say.unit(field.unit)
            label = _label(path, field, say) if "." in path or path != field.finding else ""
            rows.append((label, f"{shown(value, field, say)} {unit}".rstrip()))
    return tuple(rows)


def _test(bay: Bay, place: Place, test: VocabularyField, knowledge: Knowledge, say: Speaker) -> Test:
    name = test.finding
    found = [(path, value) for (where, path), value in bay.findings.items()
             if where == place and path.partition(".")[0] in (name, *WITH.get(name, ()))]  # fmt: skip
    step = bay.unread(place, name)
    why_not = bay.why_not(place, test)
    cautions = tuple(say(c.words) for c in knowledge.cautions if name in c.when and not c.needs)
    return Test(
        id=_id(place, name),
        finding=name,
        place=str(place),
        heading=say(knowledge.headings.get(name, test.label)),
        words=say(test_words(name, knowledge)),
        minutes=say(minutes_said(bay.minutes_of(place, test))),
        found=found_rows(place, found, knowledge, say),
        why_not=say(why_not),
        picture=picture_of(name, step.shown, bay, say) if step else None,
        to_read=_to_read(place, step, knowledge, say) if step else (),
        folded=test.folded and not found,
        cautions=cautions,
    )


def _to_read(place: Place, step: Step, knowledge: Knowledge, say: Speaker) -> tuple[ToRead, ...]:
    out = []
    for path in step.shown:
        field = _field(place, path, knowledge)
        options = tuple((value, say(words)) for value, words in field.values.items())
        out.append(ToRead(path, _label(path, field, say) or say(field.label), field.unit, options))
    return tuple(out)


def _unread(bay: Bay, base: str, knowledge: Knowledge, say: Speaker) -> tuple[tuple[str, str], ...]:
    """What instruments still show, each with where to read it."""
    out = []
    for place, test in bay.tests():
        if test.finding in PICTURED and bay.unread(place, test.finding):
            stage = next(address for address, _, stages in STAGES if test.stage in stages)
            axle = place.axle if isinstance(place, Corner) else Axle.FRONT
            words = say(said("{place}: {test}", place=place, test=test_words(test.finding, knowledge)))
            out.append((f"{stage_href(base, stage, axle)}#{_id(place, test.finding)}", words))
    return tuple(out)


def step_words(step: Step, knowledge: Knowledge, say: Speaker) -> str:
    """What was done, in words."""
    act = step.act
    if act.kind == "press":
        return say("press the pedal")
    if act.kind == "together":
        return say(said("{place}: put together", place=act.place))
    if act.kind == "hint":
        return say({"next": said("a hint on the next test"), "suspects": said("a hint on the suspects")}[act.what])
    doing: Sayable = test_words(act.what, knowledge)
    if isinstance(act.place, Corner):
        doing = said("{place}: {test}", place=act.place, test=doing)
    return say(said("{test}, written down", test=doing) if act.kind == "read" else doing)


def _done(step: Step, knowledge: Knowledge, say: Speaker) -> Done:
    return Done(say(minutes_said(step.clock)), step_words(step, knowledge, say), say(step.mishap))


def _hint_words(hint: Hint | None, knowledge: Knowledge, say: Speaker) -> tuple[str, str]:
    if hint is None:
        return "", ""
    if hint.test:
        test: Sayable = test_words(hint.test.finding, knowledge)
        if isinstance(hint.test.corner, Corner):
            test = said("{place}: {test}", place=hint.test.corner, test=test)
        return say(test), say(hint.test.because)
    if hint.suspects:
        return "; ".join(_suspect_words(hint.suspects, knowledge, say)), ""
    return say("Enough is known: no test could change what is to be done."), ""


def _suspect_words(
    suspects: Sequence[tuple[tuple[Place, str], float]], knowledge: Knowledge, say: Speaker
) -> list[str]:
    return [f"{say(place)}: {say(knowledge.words(fault))}, {say.chance(p)}" for (place, fault), p in suspects]


def places_of(bay: Bay, say: Speaker) -> list[tuple[str, str]]:
    """The places of a vehicle that a fault or work can be at, the whole system first."""
    places: list[Place] = [VEHICLE, *bay.specification.corners]
    return [(str(place), say(place)) for place in sorted(places, key=listed)]

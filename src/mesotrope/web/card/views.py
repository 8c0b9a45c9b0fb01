"""What the work card shows: steps under their phases with their ticks, torques asked for and read."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from mesotrope.core.language.corner import VEHICLE, Axle, Corner, place_named
from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.language.quantity import convert
from mesotrope.core.language.saying import Said, joined, marked, plain, said, verbatim
from mesotrope.core.language.units import Units
from mesotrope.core.physics.heat import BeddingPlan
from mesotrope.core.plan.card_step import CardStep
from mesotrope.core.plan.work_card import Fastener, WorkCard
from mesotrope.services.own_card import OWN
from mesotrope.services.photographs import AT_STEP, Shot
from mesotrope.services.planned_jobs import Planned
from mesotrope.services.proving import KnownTorque
from mesotrope.services.records import Record
from mesotrope.web.card.pictures import picture_of
from mesotrope.web.meanwhile import as_seen
from mesotrope.web.places import places_in_words
from mesotrope.web.plate.pen import Plate
from mesotrope.words import Speaker


def judged_with(knowledge: Knowledge) -> Said:
    """Which tables a plan was judged with, in words: so that it can be judged so again."""
    learnt = knowledge.learnt
    if learnt is None:
        return said("Judged with the product’s own tables.")
    return said("Judged with version {version} of what was learnt, from {cases} closed jobs.",
                version=verbatim(learnt.version), cases=plain(learnt.cases, "", 0))  # fmt: skip


@dataclass(frozen=True)
class StepRow:
    """One step as it is shown. again : it was done, or struck out, before more was planned; seen : what it is for."""

    id: str
    words: str
    where: str
    notes: tuple[str, ...]
    done: str
    details: tuple[str, ...]
    pictures: tuple[tuple[str, Plate], ...]
    struck: str
    again: str
    seen: str
    remark: str
    remark_seen: str
    own: str
    place: str
    shots: tuple[Shot, ...]
    next: bool


@dataclass(frozen=True)
class Phase:
    id: str
    words: str
    steps: tuple[StepRow, ...]


@dataclass(frozen=True)
class TorqueRow:
    id: str
    words: str
    where: str
    asked: str
    asked_both: str
    source: str
    read: str
    kept: str
    remembered: str
    seen: str


@dataclass(frozen=True)
class CardView:
    phases: tuple[Phase, ...]
    torques: tuple[TorqueRow, ...]
    bedding: str
    warnings: tuple[str, ...]
    done: int
    of: int
    torque_unit: str
    overlooked: tuple[tuple[str, str, bool], ...]


def card_view(
    here: Planned,
    before: Mapping[str, KnownTorque],
    shots: Sequence[Shot],
    knowledge: Knowledge,
    say: Speaker,
) -> CardView:
    """What the card shows; before: the makers' torques kept at earlier visits of the vehicle, by fastener."""
    card, records = here.card, here.plan.records
    closed = here.progress.ticked | here.progress.struck
    following = next((step.id for step in card.steps if step.id not in closed), "")
    phases = []
    for phase, words in knowledge.phases.items():
        rows = tuple(
            _step_row(step, here, shots, step.id == following, say) for step in card.steps if step.phase == phase
        )
        if rows:
            phases.append(Phase(phase, say(words), rows))
    torques = tuple(
        _torque_row(fastener, records.get(("torque", fastener.id)), _remembered(fastener, here, before, say), say)
        for fastener in card.fasteners
    )
    done = sum(bool(row.done or row.struck) for phase in phases for row in phase.steps)
    return CardView(
        tuple(phases),
        torques,
        bedding_in_words(card.bedding, say) if card.bedding else "",
        tuple(map(say, card.bedding.warnings)) if card.bedding else (),
        done,
        len(card.steps),
        say.unit("N.m"),
        tuple((one.id, say(one.words), ("tick", overlooked_step(one.id)) in records) for one in card.overlooked),
    )


def overlooked_step(name: str) -> str:
    """What a tick on the list of what is often overlooked is kept as."""
    return f"overlooked_{name}"


def _step_row(step: CardStep, here: Planned, shots: Sequence[Shot], following: bool, say: Speaker) -> StepRow:
    records, told, progress = here.plan.records, here.card.details.get(step.id, ()), here.progress
    remark = records.get(("step_note", step.id))
    ticked = records.get(("tick", step.id)) if step.id in progress.ticked else None
    struck = records.get(("struck", step.id)) if step.id in progress.struck else None
    pictures = dict.fromkeys(detail.picture for detail in told if detail.picture)
    corner = next((place for place in step.where if isinstance(place, Corner)), VEHICLE)
    return StepRow(
        id=step.id, words=say(step.words), where=places_in_words(step.where, say), notes=tuple(map(say, step.notes)),
        done=_by(ticked, say), details=tuple(say(detail.words) for detail in told),
        pictures=tuple(picture_of(name, say) for name in pictures),
        struck=f"{struck.note} ({_by(struck, say)})" if struck else "", remark=remark.value if remark else "",
        remark_seen=as_seen({"words": remark.value if remark else ""}),
        again=_again(step, here, say), seen=" ".join(sorted(step.done_for)),
        own=step.id.removeprefix(OWN) if step.id.startswith(OWN) else "", place=corner,
        shots=tuple(shot for shot in shots if shot.stage == f"{AT_STEP}{step.id}"), next=following,
    )  # fmt: skip


def _again(step: CardStep, here: Planned, say: Speaker) -> str:
    """That a step was ticked off or struck out before more came to it, and what."""
    came = here.progress.more.get(step.id)
    if not came:
        return ""
    records = here.plan.records
    record = records.get(("tick", step.id)) or records.get(("struck", step.id))
    new = [place for name in sorted(came) if isinstance(place := place_named(name), Corner | Axle)]
    words = EARLIER["tick" if ("tick", step.id) in records else "struck"]
    more = said("now also {places}", places=joined(new, ", ")) if new else marked("more was planned since: do it again")
    return say(said("{words}: {by}; {more}.", words=words, by=verbatim(_by(record, say)), more=more))


EARLIER = {"tick": marked("Done before"), "struck": marked("Struck out before")}


def step_words(card: WorkCard, say: Speaker) -> dict[str, str]:
    """The steps of a card by their names, in words with where each is done."""
    return {step.id: f"{say(step.words)} {places_in_words(step.where, say)}".strip() for step in card.steps}


def _by(record: Record | None, say: Speaker) -> str:
    return f"{record.by}, {say.dates.moment(record.at)}" if record else ""


def _remembered(
    fastener: Fastener, here: Planned, before: Mapping[str, KnownTorque], say: Speaker
) -> tuple[KnownTorque, str] | None:
    """A torque that was written down already: for the same fastener on the other side now, or at an earlier visit."""
    name, _, words = fastener.id.partition("/")
    corner = place_named(name)
    other = f"{corner.partner if isinstance(corner, Corner) else None}/{words}"
    record = here.plan.records.get(("torque", other))
    if record and record.value["asked"] is not None:
        return KnownTorque(record.value["asked"], record.value["source"], record.at.date()), say("as on the other side")
    known = before.get(fastener.id) or before.get(other)
    return (known, say(said("as at the visit of {day}", day=verbatim(say.dates.day(known.on))))) if known else None


#: What stands before a reading of a simulated instrument.
SIMULATED = marked("a simulated reading; {by}")


def _torque_row(
    fastener: Fastener, record: Record | None, remembered: tuple[KnownTorque, str] | None, say: Speaker
) -> TorqueRow:
    value: dict[str, Any] = record.value if record else {"asked": None, "read": None, "source": ""}
    asked_before = ""
    if value["asked"] is None and remembered:
        known, when = remembered
        value = {**value, "asked": known.asked_nm, "source": known.source}
        asked_before = say(said("{when}, not kept for this one yet: see that it still holds", when=verbatim(when)))
    asked, read = ("" if value[name] is None else say.units.shown(value[name], "N.m", 0) for name in ("asked", "read"))
    return TorqueRow(
        fastener.id, say(fastener.words), say(fastener.where), asked, _in_all_units(value["asked"]), value["source"],
        read, say(said(SIMULATED, by=verbatim(_by(record, say)))) if value.get("simulated") else _by(record, say),
        asked_before, as_seen({"asked": asked, "source": value["source"], "read": read}),
    )  # fmt: skip


def _in_all_units(torque_nm: float | None) -> str:
    """A torque as it may stand on a wrench.

    >>> _in_all_units(30.0)
    '30 N·m, 22 lb·ft, 266 lb·in'
    """
    if torque_nm is None:
        return ""
    pounds_feet = Units(torque="lbf.ft").with_unit(torque_nm, "N.m", 0)
    return f"{torque_nm:.0f} N·m, {pounds_feet}, {convert(torque_nm, 'N.m', 'lbf.in'):.0f} lb·in"


def bedding_in_words(plan: BeddingPlan, say: Speaker) -> str:
    return say(
        said(
            "some {distance} and {minutes} min; the rotor's mean reaches about {peak}, its faces and linings more",
            distance=plain(plan.distance_km, "km", 0),
            minutes=plain(plan.minutes, "", 0),
            peak=plain(plan.peak_c, "C", 0),
        )
    )

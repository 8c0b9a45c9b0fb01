"""The owner's sheet in plain words: what was found, done and measured, and when to come back."""

from __future__ import annotations

import datetime
from base64 import b64encode
from dataclasses import dataclass

from mesotrope.core.decision.verdict import LIKELY
from mesotrope.core.language.corner import VEHICLE, Place, place_words
from mesotrope.core.language.faults import NO_FAULT
from mesotrope.core.language.saying import Said
from mesotrope.core.plan.coming_back import Return, returns_of
from mesotrope.interchange.calendar import Appointment
from mesotrope.services.photographs import Shot, list_photographs, read_photograph
from mesotrope.services.planned_jobs import Planned, proved_job
from mesotrope.services.signing_in import Who
from mesotrope.web.context import Shop
from mesotrope.web.hand_back.routes import CheckRow, check_row, released_in_words
from mesotrope.web.places import places_in_words
from mesotrope.web.plate.drawing import axle_plate
from mesotrope.web.plate.mended import before_and_after
from mesotrope.web.plate.pen import Plate

#: What each verdict means to an owner.
PLAINLY = {
    "sound": "in order",
    "service": "needed cleaning and freeing",
    "replace": "had worn out or broken parts",
    "unsafe": "not safe to drive as it came in",
}


@dataclass(frozen=True)
class AxleSheet:
    name: str
    before: Plate
    after: Plate | None


@dataclass(frozen=True)
class OwnerSheet:
    job_id: int
    label: str
    registration: str
    workshop: str
    complaint: str
    unsafe: tuple[str, ...]
    found: tuple[tuple[str, str, tuple[str, ...]], ...]
    done: tuple[tuple[str, str], ...]
    not_done: tuple[tuple[str, str], ...]
    proved: tuple[CheckRow, ...]
    axles: tuple[AxleSheet, ...]
    photographs: tuple[tuple[int, str], ...]
    released: dict[str, str] | None
    stop_gap: str
    returns: tuple[tuple[str, str, str], ...]


def owner_sheet(shop: Shop, who: Who, here: Planned) -> OwnerSheet:
    """Put the sheet of a job together."""
    job_id = here.job.id
    proved = proved_job(here, shop.knowledge)
    decision = here.answer.decision
    actions = [step for step in here.plan.actions if step.action != "no_action"]
    places: dict[str, list[Place]] = {}
    for step in actions:
        places.setdefault(step.action, []).append(step.corner)
    lines = [
        (action, shop.knowledge.action[action].words, places_in_words(corners, shop.say(who, here.kind)))
        for action, corners in places.items()
    ]
    released = here.plan.records.get(("release", ""))
    return OwnerSheet(
        job_id=job_id,
        label=here.job.label,
        registration=here.job.registration or "",
        workshop=who.workshop,
        complaint=here.job.inspection.visit.complaint or "",
        unsafe=tuple(map(shop.say(who, here.kind), decision.unsafe)),
        found=_found(here, shop, who),
        done=tuple((words, where) for action, words, where in lines if action in here.plan.ticked),
        not_done=tuple((words, where) for action, words, where in lines if action not in here.plan.ticked),
        proved=tuple(check_row(check, shop.say(who, here.kind)) for check in proved.checks if check.state != "open"),
        axles=_axles(here, shop, who),
        photographs=tuple(_shown(shot) for shot in list_photographs(shop.database, job_id, by=who)),
        released=released_in_words(released, shop.say(who, here.kind)) if released else None,
        stop_gap=proved.stop_gap,
        returns=tuple((one.words, one.because, one.day.isoformat()) for one in due(here, shop)),
    )


def _found(here: Planned, shop: Shop, who: Who) -> tuple[tuple[str, str, tuple[str, ...]], ...]:
    """Corner by corner, what it came to: the verdict in plain words and what is most likely wrong there."""
    least = shop.knowledge.threshold["named_chance"]
    out = []
    for corner, verdict in here.answer.decision.corners.items():
        if verdict.verdict is None:
            open_here = [one for one in here.answer.decision.open if one.place == corner]
            if open_here:
                told = tuple(shop.say(who, here.kind)(one.what) for one in open_here)
                out.append((corner.words.capitalize(), "not explained yet", told))
            continue
        overruled = here.plan.overruled.get(corner)
        word = overruled.value if overruled else verdict.verdict
        named = [
            suspect.words
            for suspect in here.answer.suspects
            if suspect.corner == corner and suspect.fault != NO_FAULT and suspect.probability >= least
        ]
        reasons = [
            shop.say(who, here.kind)(why)
            for why in verdict.reasons
            if not (isinstance(why, Said) and why.message == LIKELY)
        ]
        out.append((corner.words.capitalize(), PLAINLY[word], tuple(dict.fromkeys([*named, *reasons]))))
    system = [s.words for s in here.answer.suspects if s.corner is VEHICLE and s.probability >= least]
    if system:
        out.append(("Whole system", "needed work", tuple(system)))
    unexplained = tuple(shop.say(who, here.kind)(one.what) for one in here.answer.decision.open if one.place is VEHICLE)
    if unexplained:
        out.append(("Whole vehicle", "not explained yet", unexplained))
    return tuple(out)


def _axles(here: Planned, shop: Shop, who: Who) -> tuple[AxleSheet, ...]:
    """Every axle on which anything was measured or is worked on, as it came in and as it leaves."""
    inspection, specification, measures = here.job.inspection, here.answer.specification, here.answer.measures
    mended = {
        name: after
        for name, _, after in before_and_after(
            inspection, here.answer, here.plan, shop.knowledge, shop.say(who, here.kind)
        )
    }
    out = []
    for name, axle in specification.axles.items():
        measured = any(measures[c].inner or measures[c].outer for c in specification.corners_on(name))
        if axle.has("disc") and (measured or name in mended):
            before = axle_plate(inspection, here.answer, name, shop.knowledge.limit, say=shop.say(who, here.kind))
            out.append(AxleSheet(name, before, mended.get(name)))
    return tuple(out)


def _shown(shot: Shot) -> tuple[int, str]:
    return shot.id, place_words(shot.corner).capitalize()


def due(here: Planned, shop: Shop) -> tuple[Return, ...]:
    """When the vehicle is to come back, counted from its release, else from today."""
    released = here.plan.records.get(("release", ""))
    left_on = (released.at if released else shop.now()).date()
    return returns_of((step.action for step in here.plan.actions), here.schools, left_on, shop.knowledge)


def appointments(here: Planned, shop: Shop) -> list[Appointment]:
    """When to come back, for a calendar."""
    label = here.job.label
    return [
        Appointment(f"{one.id}-{here.job.id}", f"{label}: {one.words.lower()}", one.because, one.day)
        for one in due(here, shop)
    ]


def pictures(shop: Shop, who: Who, sheet: OwnerSheet) -> list[tuple[str, str]]:
    """The photographs as they go into a page on paper, with their captions."""
    out = []
    for number, caption in sheet.photographs:
        data = read_photograph(shop.database, sheet.job_id, number, small=False, by=who)
        out.append((f"data:image/jpeg;base64,{b64encode(data).decode()}", caption))
    return out


def expires_in_words(moment: datetime.datetime) -> str:
    return moment.strftime("%Y-%m-%d")

"""The owner's sheet in plain words: what was wrong, done and measured, what remains, and when to come back.

As it is given it is frozen: kept whole, and shown so for ever.
"""

from __future__ import annotations

import datetime
from base64 import b64encode
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any

from pydantic import TypeAdapter

from mesotrope.core.language.corner import VEHICLE, Axle, Corner, Place, place_words
from mesotrope.core.language.saying import said
from mesotrope.core.plan.coming_back import Return, returns_of
from mesotrope.core.plan.owner_sheet import OwnerFacts, owner_facts
from mesotrope.core.plan.worth import price_of
from mesotrope.interchange.calendar import Appointment
from mesotrope.services.frozen import Frozen, freeze_sheet
from mesotrope.services.outcomes import outcome_of
from mesotrope.services.photographs import Shot, list_photographs, read_photograph
from mesotrope.services.planned_jobs import Planned, proved_job
from mesotrope.services.proving import acknowledged_of, stop_gap_of
from mesotrope.services.rules import chosen_of
from mesotrope.services.signing_in import Who
from mesotrope.services.workshop import about
from mesotrope.web.context import Shop
from mesotrope.web.hand_back.views import released_in_words
from mesotrope.web.owner.scale import GaugeRow, gauge_row
from mesotrope.web.places import places_in_words
from mesotrope.web.plate.drawing import axle_plate
from mesotrope.web.plate.mended import before_and_after
from mesotrope.web.plate.pen import Plate
from mesotrope.web.verdict.packages import money
from mesotrope.words import Speaker


@dataclass(frozen=True)
class AxleSheet:
    name: str
    before: Plate
    after: Plate | None


@dataclass(frozen=True)
class Head:
    """Whose sheet it is."""

    workshop: str
    address: str
    telephone: str
    has_logo: bool


@dataclass(frozen=True)
class WrongRow:
    where: str
    what: str
    did: str


@dataclass(frozen=True)
class ProvedRow:
    where: str
    name: str
    words: str
    good: bool


@dataclass(frozen=True)
class StopGapRow:
    what: str
    until: str
    restriction: str
    told: str
    declined: str
    signed_by: str
    signed_at: str
    drawn: tuple[str, ...]


@dataclass(frozen=True)
class OwnerSheet:
    job_id: int
    label: str
    registration: str
    distance: str
    head: Head
    complaint: str
    unsafe: tuple[str, ...]
    wrong: tuple[WrongRow, ...]
    unexplained: tuple[str, ...]
    done: tuple[tuple[str, str], ...]
    remains: tuple[tuple[str, str], ...]
    proved: tuple[ProvedRow, ...]
    gauges: tuple[GaugeRow, ...]
    axles: tuple[AxleSheet, ...]
    photographs: tuple[tuple[int, str], ...]
    released: dict[str, str] | None
    stop_gap: StopGapRow | None
    returns: tuple[tuple[str, str, str], ...]
    price: str
    simulated: bool = False
    #: No fault yet, and looked at again; a sheet that was given before there was such a list has none.
    watched: tuple[tuple[str, str], ...] = ()
    #: How far the job had come: its last entry, and how much was recorded.
    last_entry: int = 0
    recorded: int = 0


_SHEET = TypeAdapter(OwnerSheet)


def as_kept(sheet: OwnerSheet) -> dict[str, Any]:
    """A sheet as it is frozen."""
    kept: dict[str, Any] = _SHEET.dump_python(sheet, mode="json")
    return kept


def as_given(frozen: Frozen) -> OwnerSheet:
    """A frozen sheet, as it was given."""
    return _SHEET.validate_python(frozen.sheet)


def changed_since(given: OwnerSheet, now: OwnerSheet) -> bool:
    """Whether the job was changed after a sheet was given, so that another would be given now.

    What the product itself would say otherwise by now (it learnt, a rule changed) is no change of the job.
    """
    went_on = (now.last_entry, now.recorded, now.photographs) != (given.last_entry, given.recorded, given.photographs)
    as_far = replace(now, last_entry=given.last_entry, recorded=given.recorded)
    return went_on and as_kept(as_far) != as_kept(given)


def owner_sheet(shop: Shop, who: Who, here: Planned) -> OwnerSheet:
    """Put the sheet of a job together as it stands now."""
    say = shop.say(who, here.kind)
    facts = _facts(here, shop, who)
    visit = here.job.inspection.visit
    released = here.progress.release
    shop_here = about(shop.database, by=who)
    done = here.progress.done
    priced = chosen_of("paper", here.plan.rules)["prices"] == "yes" and done
    currency = shop.knowledge.money.currency
    return OwnerSheet(
        job_id=here.job.id,
        label=here.job.label,
        registration=here.job.registration or "",
        distance=say.units.with_unit(visit.odometer_km, "km") if visit.odometer_km is not None else "",
        head=Head(shop_here.name, shop_here.address or shop_here.town, shop_here.telephone, shop_here.has_logo),
        complaint=visit.complaint or "",
        unsafe=tuple(map(say, here.answer.decision.unsafe)),
        wrong=tuple(WrongRow(_where(one.where, say), say(one.what), say(one.did)) for one in facts.wrong),
        unexplained=tuple(dict.fromkeys(_where(one.place, say) for one in here.answer.decision.open)),
        done=tuple((say(one.what), places_in_words(one.where, say)) for one in facts.done),
        remains=tuple((say(one.what), places_in_words(one.where, say)) for one in facts.remains),
        watched=tuple((say(one.what), places_in_words(one.where, say)) for one in facts.watched),
        proved=tuple(ProvedRow(_where(o.where, say), say(o.name), say(o.words), o.good) for o in facts.proved),
        gauges=tuple(gauge_row(gauge, say) for gauge in facts.gauges),
        axles=_axles(here, shop, say),
        photographs=tuple(_shown(shot, say) for shot in list_photographs(shop.database, here.job.id, by=who)),
        released=released_in_words(released, say) if released else None,
        stop_gap=_stop_gap(here, say),
        returns=tuple((say(one.words), say(one.because), say.dates.day(one.day)) for one in due(here, shop, who)),
        simulated=bool(here.job.simulated),
        last_entry=here.job.standing.last_entry,
        recorded=here.plan.recorded,
        price=f"{money(price_of(done, shop.knowledge))} {currency}" if priced else "",
    )


def freeze(shop: Shop, who: Who, here: Planned) -> int:
    """Keep the sheet as it stands now as a version of its own. Returns its number."""
    return freeze_sheet(shop.database, here.job.id, as_kept(owner_sheet(shop, who, here)), by=who, now=shop.now())


def _where(place: Place, say: Speaker) -> str:
    return say("The whole vehicle") if place is VEHICLE else say.begin(place)


def _facts(here: Planned, shop: Shop, who: Who) -> OwnerFacts:
    proved = proved_job(here, shop.knowledge)
    found = outcome_of(shop.database, here.job.id, by=who).found
    seen = {place: one.faults for place, one in found.items() if one.sure and one.faults is not None}
    stands = bool(here.plan.chosen) or here.plan.sign_off.state in ("waits", "stands")
    return owner_facts(
        here.answer, seen, here.work, here.progress.done, proved.checks, here.job.inspection, proved.after,
        shop.knowledge, stands=stands,
    )  # fmt: skip


def _stop_gap(here: Planned, say: Speaker) -> StopGapRow | None:
    plan, signed = stop_gap_of(here.plan.records), acknowledged_of(here.plan.records)
    if not plan.what:
        return None
    held = signed if signed and signed.plan == plan else None
    return StopGapRow(
        plan.what, plan.until, plan.restriction, plan.told, plan.declined,
        held.name if held else "", say.dates.moment(held.at) if held else "",
        tuple(held.drawn.split(";")) if held and held.drawn else (),
    )  # fmt: skip


def _axles(here: Planned, shop: Shop, say: Speaker) -> tuple[AxleSheet, ...]:
    """Every axle on which anything was measured or is worked on, as it came in and as it leaves."""
    inspection, specification, measures = here.job.inspection, here.answer.specification, here.answer.measures
    mended = {
        name: after for name, _, after in before_and_after(inspection, here.answer, here.plan, shop.knowledge, say)
    }
    out = []
    for name, axle in specification.axles.items():
        corners = specification.corners_on(name)
        measured = any(measures[c].inner or measures[c].outer for c in corners)
        if axle.has("disc") and (measured or name in mended):
            before = axle_plate(inspection, here.answer, name, shop.knowledge.limit, say=say)
            after = mended.get(name)
            out.append(
                AxleSheet(
                    say(name), _plain(before, name, corners, say), _plain(after, name, corners, say) if after else None
                )
            )
    return tuple(out)


#: What an owner's picture leaves out: differences, dimensions and notes of the trade.
FOR_THE_TRADE = ("plate-difference", "plate-dimension", "plate-note")


def _plain(plate: Plate, axle: Axle, corners: Sequence[Corner], say: Speaker) -> Plate:
    """A drawing without what only the trade reads: under each brake stands where it is, and no drag."""
    captions = iter(corners)
    kept = (s for s in plate.shapes if not any(style in s.style for style in FOR_THE_TRADE))
    shapes = tuple(replace(s, text=say(next(captions))) if s.style == "plate-caption" else s for s in kept)
    return Plate(
        plate.width, plate.height, shapes, say(said("the brakes of the {axle} axle, seen from behind", axle=axle))
    )


def _shown(shot: Shot, say: Speaker) -> tuple[int, str]:
    return shot.id, say.begin(place_words(shot.corner))


def due(here: Planned, shop: Shop, who: Who) -> tuple[Return, ...]:
    """When the vehicle is to come back: for what was done once it was released, else for what is planned."""
    released = here.progress.release
    left_on = who.dates.local(released.at if released else shop.now()).date()
    work = here.progress.done if released else here.work
    return returns_of((action for _, action in work), here.schools, left_on, shop.knowledge)


def appointments(here: Planned, shop: Shop, who: Who) -> list[Appointment]:
    """When to come back, for a calendar."""
    label, say = here.job.label, shop.say(who, here.kind)
    return [
        Appointment(f"{one.id}-{here.job.id}", f"{label}: {say(one.words).lower()}", say(one.because), one.day)
        for one in due(here, shop, who)
    ]


def pictures(shop: Shop, who: Who, sheet: OwnerSheet) -> list[tuple[str, str]]:
    """The photographs as they go into a page on paper, with their captions."""
    out = []
    for number, caption in sheet.photographs:
        data = read_photograph(shop.database, sheet.job_id, number, small=False, by=who)
        out.append((as_data(data), caption))
    return out


def as_data(picture: bytes) -> str:
    """A JPEG inside a page."""
    return f"data:image/jpeg;base64,{b64encode(picture).decode()}"


def expires_in_words(moment: datetime.datetime, who: Who) -> str:
    return who.dates.day(moment)

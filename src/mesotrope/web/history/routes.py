"""The history of a job: every entry, and everything decided, done and proved, with who and when."""

from __future__ import annotations

import datetime
from collections.abc import Mapping
from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import Response

from mesotrope.core.day.waiting import STATES
from mesotrope.core.language.corner import place_words
from mesotrope.core.language.saying import Sayable, joined, marked, nm, said, verbatim
from mesotrope.core.language.vocabulary import VocabularyField
from mesotrope.core.plan.release import RELEASES
from mesotrope.services.day_changes import AGREED
from mesotrope.services.findings import Entry, field_at, history_of
from mesotrope.services.people import everybody
from mesotrope.services.records import Record, records_of
from mesotrope.services.signing_in import Who
from mesotrope.web.card.views import step_words
from mesotrope.web.context import InShop, Shop, SignedIn
from mesotrope.web.job.entries import figure_in_words
from mesotrope.web.rendering import render
from mesotrope.words import Speaker

router = APIRouter(prefix="/jobs/{job_id}")


@router.get("/history")
def history(request: Request, job_id: int, shop: InShop, who: SignedIn, corner: str = "", path: str = "") -> Response:
    entries = [
        _line(entry, shop, who)
        for entry in reversed(history_of(shop.database, job_id, by=who))
        if (not corner or entry.corner == corner) and (not path or entry.path == path)
    ]
    whole = not corner and not path
    here = shop.planned(who, job_id) if whole else None
    steps = step_words(here.card, shop.say(who, here.kind)) if here else {}
    names = everybody(shop.database, by=who) if whole else {}
    records = (
        []
        if corner or path
        else [
            _recorded(record, shop, who, steps, names) for record in reversed(records_of(shop.database, job_id, by=who))
        ]
    )
    return render("job/history.html", request, who=who, job_id=job_id, entries=entries, records=records)


#: What each kind of record is called in the history.
RECORDED = {
    "package": said("another package chosen"),
    "overruled": said("verdict overruled"),
    "signed": said("verdict signed"),
    "approved": said("verdict approved"),
    "tick": said("step of the work card"),
    "torque": said("torque"),
    "after": said("measured after the work"),
    "stop_gap": said("stop-gap"),
    "acknowledged": said("the owner’s word"),
    "release": said("release"),
    "found": said("what it was"),
    "struck": said("step struck out"),
    "own_step": said("step of one’s own"),
    "own_part": said("part of one’s own"),
    "part_number": said("number of a part"),
    "step_note": said("note on a step"),
    "agreed": said("the owner agreed to"),
    "has_it": said("handed on to"),
    "promised": said("promised for"),
    "place": said("stands at"),
    "waits": said("waits for"),
    "closed": said("the job"),
}


def _recorded(
    record: Record, shop: Shop, who: Who, steps: Mapping[str, str], names: Mapping[int, str]
) -> dict[str, Any]:
    """One record of what was decided, done or proved, in the words of the screens."""
    say = shop.say(who)
    return {
        "what": RECORDED[record.kind],
        "subject": _subject(record, shop, say, steps),
        "said": _of_the_day(record, say, names) or _value_said(record, shop, say),
        "note": record.note,
        "by": record.by,
        "at": record.at,
    }


def _subject(record: Record, shop: Shop, say: Speaker, steps: Mapping[str, str]) -> Sayable:
    """What a record is about: a place, a step of the card, a fastener, a figure."""
    if record.kind in ("tick", "struck", "step_note"):
        known = shop.knowledge.action.get(record.subject)
        return steps.get(record.subject) or (say(known.words) if known else record.subject.replace("_", " "))
    place, _, rest = record.subject.partition("/")
    if record.kind == "after":
        field = field_at((place, rest), shop.knowledge)
        return joined((place_words(place), field.label if field else verbatim(rest)), ", ")
    if record.kind == "torque":
        return joined((place_words(place), rest.replace("_", " ")), ", ")
    return said(place_words(place)) if place else ""


def _of_the_day(record: Record, say: Speaker, names: Mapping[int, str]) -> Sayable:
    """What somebody settled of the day, in words; nothing for any other record, or one that was taken back."""
    value = record.value
    if value is None or record.kind not in ("agreed", "has_it", "promised", "waits"):
        return ""
    if record.kind == "has_it":
        return names.get(value) or said("somebody")
    if record.kind == "promised":
        return say.dates.moment(datetime.datetime.fromisoformat(value))
    if record.kind == "agreed":
        return said(AGREED[value["as"]])
    until = value.get("until")
    waits = STATES[value["for"]]
    if not until:
        return said(waits)
    day = verbatim(say.dates.day(datetime.date.fromisoformat(until)))
    return said("{waits}, expected {day}", waits=waits, day=day)


TORQUES = {"asked": marked("asked {torque}"), "read": marked("read {torque}")}


def _value_said(record: Record, shop: Shop, say: Speaker) -> Sayable:
    value = record.value
    if record.kind == "closed":
        return said("closed") if value else said("opened again")
    if value is None:
        return said("taken back")
    if record.kind == "package":
        return joined(
            said("{action} {place}", action=shop.knowledge.action[action].words, place=place_words(place))
            for place, action in value
        )
    if record.kind == "torque":
        parts = (
            said(words, torque=nm(part, 0)) for name, words in TORQUES.items() if (part := value[name]) is not None
        )
        return joined(parts, ", ")
    if record.kind == "release":
        return said(RELEASES[value["as"]])
    if record.kind == "overruled":
        return said(str(value["as"] if isinstance(value, dict) else value))
    if record.kind in ("stop_gap", "acknowledged", "own_step", "own_part"):
        told = value if isinstance(value, dict) else {"what": value}
        return "; ".join(f"{name}: {part}" for name, part in told.items() if part and name not in ("drawn", "plan"))
    if record.kind == "found":
        faults = value["faults"]
        if faults is None:
            return said("not found out")
        return joined(map(shop.knowledge.words, faults), ", ") if faults else said("nothing wrong")
    if record.kind == "after":
        place, _, path = record.subject.partition("/")
        value = value["is"] if isinstance(value, dict) else value
        return _figure_said(value, field_at((place, path), shop.knowledge), say)
    if record.kind in ("tick", "struck"):
        return said("done")
    return "" if record.kind in ("signed", "approved") else str(value).replace("_", " ")


def _figure_said(value: Any, field: VocabularyField | None, say: Speaker) -> Sayable:
    """A finding with its unit, or in the words of its choices."""
    if value is None or field is None:
        return "" if value is None else str(value)
    return figure_in_words(value, field, say)


def _line(entry: Entry, shop: Shop, who: Who) -> dict[str, Any]:
    """One line of the history in words and in the reader's units."""
    field, say = field_at((entry.corner, entry.path), shop.knowledge), shop.say(who)
    where_at = entry.path.removeprefix(field.key).strip(".") if field else ""
    detail = where_at.replace(".", " ").replace("_", " ")
    part: Sayable = verbatim(detail) if detail.isdigit() else detail
    return {
        "where": said(place_words(entry.corner)),
        "what": said("{what} {detail}", what=field.label, detail=part)
        if field and detail
        else (field and said(field.label)) or entry.path,
        "value": _figure_said(entry.value, field, say) or said("taken back"),
        "before": _figure_said(entry.before, field, say) or said("nothing"),
        "by": entry.by,
        "at": entry.at,
        "undo": entry.undo,
        "simulated": entry.simulated,
    }

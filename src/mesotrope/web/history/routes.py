"""The history of a job: every entry, and everything decided, done and proved, with who and when."""

from __future__ import annotations

from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import Response

from mesotrope.core.language.corner import place_words
from mesotrope.core.plan.hand_back import RELEASES
from mesotrope.services.findings import Entry, field_at, history_of
from mesotrope.services.records import Record, records_of
from mesotrope.services.signing_in import Who
from mesotrope.web.context import InShop, Shop, SignedIn
from mesotrope.web.job.entries import shown
from mesotrope.web.rendering import render

router = APIRouter(prefix="/jobs/{job_id}")


@router.get("/history")
def history(request: Request, job_id: int, shop: InShop, who: SignedIn, corner: str = "", path: str = "") -> Response:
    entries = [
        _line(entry, shop, who)
        for entry in reversed(history_of(shop.database, job_id, by=who))
        if (not corner or entry.corner == corner) and (not path or entry.path == path)
    ]
    records = (
        []
        if corner or path
        else [_recorded(record, shop) for record in reversed(records_of(shop.database, job_id, by=who))]
    )
    return render("job/history.html", request, who=who, job_id=job_id, entries=entries, records=records)


#: What each kind of record is called in the history.
RECORDED = {
    "package": "another package chosen", "overruled": "verdict overruled", "signed": "verdict signed",
    "approved": "verdict approved", "tick": "step of the work card", "torque": "torque",
    "after": "measured after the work", "stop_gap": "stop-gap", "release": "release", "closed": "the job",
}  # fmt: skip


def _recorded(record: Record, shop: Shop) -> dict[str, str]:
    """One record of what was decided, done or proved, in words."""
    value = record.value
    if record.kind == "closed":
        said = "closed" if value else "opened again"
    elif value is None:
        said = "taken back"
    elif record.kind == "package":
        said = "; ".join(
            f"{shop.knowledge.action[action].words} {place_words(place)}".strip() for place, action in value
        )
    elif record.kind == "torque":
        said = ", ".join(f"{name} {part:g} N·m" for name in ("asked", "read") if (part := value[name]) is not None)
    elif record.kind == "release":
        said = RELEASES[value["as"]]
    else:
        said = (
            "done" if value is True else "" if record.kind in ("signed", "approved") else str(value).replace("_", " ")
        )
    return {
        "what": RECORDED[record.kind],
        "subject": record.subject.replace("_", " ").replace("/", " "),
        "said": said,
        "note": record.note,
        "by": record.by,
        "at": record.at.strftime("%Y-%m-%d %H:%M:%S"),
    }


def _line(entry: Entry, shop: Shop, who: Who) -> dict[str, Any]:
    """One line of the history in words and in the reader's units."""
    field = field_at((entry.corner, entry.path), shop.knowledge)

    def said(value: Any) -> str:
        if value is None or field is None:
            return "" if value is None else str(value)
        words = field.values.get(value, value) if isinstance(value, str) else shown(value, field, shop.say(who))
        return f"{words} {who.units.written(field.unit)}".strip() if not field.values else words

    return {
        "where": place_words(entry.corner),
        "what": entry.path.replace(".", " ").replace("_", " "),
        "value": said(entry.value) or "taken back",
        "before": said(entry.before) or "nothing",
        "by": entry.by,
        "at": entry.at.strftime("%Y-%m-%d %H:%M:%S"),
        "undo": entry.undo,
    }

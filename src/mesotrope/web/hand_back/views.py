"""What the page of proof shows: what is asked for again, what stands proved, how the vehicle may leave."""

from __future__ import annotations

from dataclasses import dataclass

from mesotrope.core.language.corner import VEHICLE, Corner, Place
from mesotrope.core.language.saying import marked, said, verbatim
from mesotrope.core.language.vocabulary import VocabularyField
from mesotrope.core.plan.came_since import as_work
from mesotrope.core.plan.hand_back import Check
from mesotrope.core.plan.release import RELEASES
from mesotrope.services.findings import field_at
from mesotrope.services.planned_jobs import Planned
from mesotrope.services.proving import after_findings, asked_after, stands_as
from mesotrope.services.records import Record
from mesotrope.services.signing_in import Who
from mesotrope.web.context import Shop
from mesotrope.web.job.entries import figure_in_words, shown
from mesotrope.web.places import work_in_words
from mesotrope.words import Speaker


@dataclass(frozen=True)
class CheckRow:
    where: str
    words: str
    before: str
    after: str
    state: str
    because: str


@dataclass(frozen=True)
class AfterField:
    """One thing to be measured again: its choices, or a figure with its unit and what helps at it; `seen`: what stands
    there, as it is kept; `again`: it was measured before more was planned."""

    corner: str
    path: str
    words: str
    value: str
    unit: str
    choices: tuple[tuple[str, str], ...]
    hint: str
    seen: str
    again: str = ""


@dataclass(frozen=True)
class ReleaseChoice:
    how: str
    words: str
    refused: str


def check_row(check: Check, say: Speaker) -> CheckRow:
    return CheckRow(
        say.begin(check.where),
        say(check.words),
        say(check.before),
        say(check.after),
        check.state,
        say(check.because),
    )


def after_fields(here: Planned, shop: Shop, who: Who) -> list[tuple[str, tuple[AfterField, ...]]]:
    """What is asked for again, corner by corner, then of the whole vehicle."""
    standing = after_findings(here.plan.records, here.work)
    specification = here.answer.specification
    say = shop.say(who, here.kind)

    def one(corner: Place, path: str) -> AfterField | None:
        field = field_at((corner, path), shop.knowledge)
        assert field is not None, path
        if not specification.asks(field, corner if isinstance(corner, Corner) else None):
            return None
        known = standing.get((corner, path))
        written = "" if known is None else shown(known.value, field, say)
        again = known is not None and known.overtaken
        return AfterField(
            corner,
            path,
            say(said("{side} {finding}", side=NAMED[path], finding=field.label)) if path in NAMED else say(field.label),
            "" if again else written,
            _unit(field, say),
            tuple((value, say(words)) for value, words in (field.values or {}).items()),
            say(shop.knowledge.hints.get(path, "")),
            stands_as(known.value if known else None),
            say(said(AGAIN, before=verbatim(figure_in_words(known.value, field, say)))) if known and again else "",
        )

    asked = asked_after(here.work, specification, shop.knowledge)
    return [
        (
            say("Pedal and fluid") if place is VEHICLE else say.begin(place),
            tuple(field for path in paths if (field := one(place, path))),
        )
        for place, paths in asked.items()
    ]


#: What is said of a figure that tells nothing of what was planned later.
AGAIN = marked("{before} before more was planned: measure it again")


#: Places of a finding that are named apart where it is measured again.
NAMED = {"pad_mm.inner.lead_rim": "inner", "pad_mm.outer.lead_rim": "outer"}


def _unit(field: VocabularyField, say: Speaker) -> str:
    return "" if field.values or field.unit in ("number", "") else say.unit(field.unit)


def overtaken_in_words(here: Planned, say: Speaker) -> str:
    """That a release came before more was planned, and what; nothing where none did."""
    if here.progress.overtaken is None:
        return ""
    record, came = here.progress.overtaken
    words = said(
        "{how} by {by}, {at}; since then planned: {what}. It is to be released again.",
        how=RELEASES[record.value["as"]], by=verbatim(record.by), at=verbatim(say.dates.moment(record.at)),
        what=verbatim("; ".join(work_in_words(as_work(came), here.answer.knowledge, say))),
    )  # fmt: skip
    return say.begin(words)


def released_in_words(record: Record, say: Speaker) -> dict[str, str]:
    """How the vehicle left, by whom and when, with its restriction and what was still open."""
    return {
        "how": say(RELEASES[record.value["as"]]),
        "as": record.value["as"],
        "by": record.by,
        "at": say.dates.moment(record.at),
        "note": record.note,
        "open": ", ".join(record.value["open"]),
    }

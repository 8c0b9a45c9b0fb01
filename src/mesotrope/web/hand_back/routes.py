"""Proving the work and releasing the vehicle."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated

from fastapi import APIRouter, Form, Request
from fastapi.responses import RedirectResponse, Response

from mesotrope.core.language.corner import VEHICLE, Corner
from mesotrope.core.language.vocabulary import VocabularyField
from mesotrope.core.plan.hand_back import RELEASES, Check
from mesotrope.services.findings import field_at
from mesotrope.services.planned_jobs import Planned, proved_job
from mesotrope.services.proving import (
    CORNER_AFTER,
    SYSTEM_AFTER,
    after_findings,
    keep_after,
    keep_stop_gap,
    not_proved,
    release,
)
from mesotrope.services.records import Record
from mesotrope.services.signing_in import Who
from mesotrope.web.context import Changing, InShop, Shop, SignedIn
from mesotrope.web.job.entries import shown
from mesotrope.web.rendering import render
from mesotrope.words import Speaker

router = APIRouter(prefix="/jobs/{job_id}")

Short = Annotated[str, Form(max_length=200)]
Long = Annotated[str, Form(max_length=600)]


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
    """One thing to be measured again: its choices, or a figure with its unit."""

    corner: str
    path: str
    words: str
    value: str
    unit: str
    choices: tuple[tuple[str, str], ...]


@dataclass(frozen=True)
class ReleaseChoice:
    how: str
    words: str
    refused: str


def check_row(check: Check, say: Speaker) -> CheckRow:
    return CheckRow(
        check.where.words.capitalize(),
        say(check.words),
        say(check.before),
        say(check.after),
        check.state,
        say(check.because),
    )


def _fields(here: Planned, shop: Shop, who: Who) -> list[tuple[str, tuple[AfterField, ...]]]:
    """What is asked for again, corner by corner, then of the whole vehicle."""
    standing = after_findings(here.plan.records)
    specification = here.answer.specification
    axles = dict.fromkeys(step.corner.axle for step in here.plan.actions if isinstance(step.corner, Corner))
    corners = [corner for axle in axles for corner in specification.corners_on(axle)]

    say = shop.say(who, here.kind)

    def asked(corner: Corner, path: str) -> bool:
        field = field_at((corner, path), shop.knowledge)
        return field is not None and specification.asks(field, corner)

    def one(corner: str, path: str) -> AfterField:
        field = field_at((corner, path), shop.knowledge)
        assert field is not None, path
        value = standing.get((corner, path))
        written = "" if value is None else shown(value, field, say)
        return AfterField(
            corner,
            path,
            say(field.label),
            written,
            _unit(field, say),
            tuple((value, say(words)) for value, words in (field.values or {}).items()),
        )

    groups = [
        (corner.words.capitalize(), tuple(one(corner, path) for path in CORNER_AFTER if asked(corner, path)))
        for corner in corners
    ]
    return [*groups, (say("Pedal and fluid"), tuple(one(VEHICLE, path) for path in SYSTEM_AFTER))]


def _unit(field: VocabularyField, say: Speaker) -> str:
    return "" if field.values or field.unit in ("number", "") else say.units.written(field.unit)


@router.get("/prove")
def prove_page(request: Request, job_id: int, shop: InShop, who: SignedIn) -> Response:
    here = shop.planned(who, job_id)
    proved, say = proved_job(here, shop.knowledge), shop.say(who, here.kind)
    released = here.plan.records.get(("release", ""))
    return render(
        "hand_back/page.html", request, kind=here.kind, who=who, job=here.job, current="prove",
        planned=any(step.action != "no_action" for step in here.plan.actions),
        fields=_fields(here, shop, who), checks=[check_row(check, say) for check in proved.checks],
        not_proved=[(name, say(name)) for name in not_proved(proved.checks)], stop_gap=proved.stop_gap,
        releases=[ReleaseChoice(how, words, say(proved.refused[how])) for how, words in RELEASES.items()],
        released=released and released_in_words(released, say),
    )  # fmt: skip


def released_in_words(record: Record, say: Speaker) -> dict[str, str]:
    """How the vehicle left, by whom and when, with its restriction and what was still open."""
    return {
        "how": RELEASES[record.value["as"]],
        "as": record.value["as"],
        "by": record.by,
        "at": say.dates.moment(record.at),
        "note": record.note,
        "open": ", ".join(record.value["open"]),
    }


def _back(job_id: int, anchor: str = "") -> Response:
    return RedirectResponse(f"/jobs/{job_id}/prove{anchor}", status_code=303)


@router.post("/prove/after")
def measured(
    job_id: int,
    shop: InShop,
    who: Changing,
    corner: Short,
    path: Short,
    value: Annotated[str, Form(max_length=200)] = "",
) -> Response:
    keep_after(shop.database, shop.knowledge, job_id, corner, path, value, by=who, now=shop.now())
    return _back(job_id)


@router.post("/prove/stop-gap")
def stop_gap(job_id: int, shop: InShop, who: Changing, words: Long = "") -> Response:
    keep_stop_gap(shop.database, job_id, words, by=who, now=shop.now())
    return _back(job_id, "#release")


@router.post("/prove/release")
def let_go(
    job_id: int, shop: InShop, who: Changing, how: Short, restriction: Long = "",
    without: Annotated[str, Form(max_length=4000)] = "",
) -> Response:  # fmt: skip
    here = shop.planned(who, job_id)
    proved = proved_job(here, shop.knowledge)
    release(shop.database, job_id, how, restriction, proved.checks, proved.refused, without, by=who, now=shop.now())
    return _back(job_id, "#release")

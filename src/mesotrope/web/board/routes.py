"""The suspect board of a job: suspects against findings, and what an untested finding would do."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated

from fastapi import APIRouter, Query, Request
from fastapi.responses import Response

from mesotrope.core.answer.answer import Answer
from mesotrope.core.answer.board import Board, board_of
from mesotrope.core.answer.what_if import trials_of, what_if
from mesotrope.core.language.corner import VEHICLE, Corner, Place, place_named
from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.language.quantity import decibans_shown
from mesotrope.core.language.saying import joined
from mesotrope.errors import NotFound
from mesotrope.services.job_rows import OpenJob
from mesotrope.services.jobs import open_job
from mesotrope.web.context import InShop, SignedIn
from mesotrope.web.rendering import render
from mesotrope.web.weights import said_of, strength
from mesotrope.words import Speaker

router = APIRouter(prefix="/jobs/{job_id}/board")

#: As many findings not made yet can be tried out.
MOST_TRIED = 12


@dataclass(frozen=True)
class Cell:
    """What a finding says of a suspect: in words, with its weight in decibans as the small figure."""

    words: str
    weight: str
    style: str


@dataclass(frozen=True)
class Line:
    words: str
    percent: str
    struck: bool
    cells: tuple[Cell, ...]


@dataclass(frozen=True)
class Untested:
    """A finding not made yet that can be tried out: where its answers are asked for."""

    href: str
    words: str


@dataclass(frozen=True)
class BoardPage:
    job: OpenJob
    corner: str
    tabs: tuple[tuple[str, str, bool], ...]
    columns: tuple[tuple[str, str], ...]
    lines: tuple[Line, ...]
    untested: tuple[Untested, ...]


def _cell(decibans: float, say: Speaker) -> Cell:
    how = strength(decibans)
    if not how:
        return Cell("", "", "")
    side = "for" if decibans > 0 else "against"
    return Cell(say(said_of(decibans)), decibans_shown(decibans), f"board-{side} board-{how}")


def _page(job: OpenJob, answer: Answer, corner: Place, knowledge: Knowledge, say: Speaker) -> BoardPage:
    board = board_of(corner, answer.story, answer.chances, knowledge)
    telling = [n for n in range(len(board.columns)) if any(strength(row.decibans[n]) for row in board.rows)]
    places: tuple[Place, ...] = (*answer.specification.corners, VEHICLE)
    return BoardPage(
        job=job,
        corner=corner,
        tabs=tuple((say(p), f"/jobs/{job.id}/board?corner={p}", p == corner) for p in places),
        columns=tuple(_heading(board, n, knowledge, say) for n in telling),
        lines=tuple(
            Line(
                say(row.words),
                say.chance(row.probability),
                row.struck,
                tuple(_cell(row.decibans[n], say) for n in telling),
            )
            for row in board.rows
        ),
        untested=_untested(job, answer, corner, knowledge, say),
    )


def _heading(board: Board, number: int, knowledge: Knowledge, say: Speaker) -> tuple[str, str]:
    column = board.columns[number]
    heading = knowledge.headings.get(column.finding, column.finding.replace("_", " "))
    name = joined((heading, column.aspect), ", ")
    return say(name), say(joined(column.sentences))


def _untested(job: OpenJob, answer: Answer, corner: str, knowledge: Knowledge, say: Speaker) -> tuple[Untested, ...]:
    """The tests that could be made here, the most telling first."""
    axle = answer.specification.axle_of(corner) if isinstance(corner, Corner) else None
    out = []
    for test in answer.tests:
        if test.corner == corner:
            address = f"/jobs/{job.id}/board/what-if?corner={corner}&finding={test.finding}"
            trials = trials_of(test.finding, axle, knowledge)
            out += [Untested(f"{address}&path={trial.path}", say(trial.words)) for trial in trials]
    return tuple(out[:MOST_TRIED])


@router.get("")
def board_page(
    request: Request, job_id: int, shop: InShop, who: SignedIn, corner: Annotated[str, Query(max_length=20)] = ""
) -> Response:
    job = open_job(shop.database, job_id, by=who, knowledge=shop.knowledge)
    answer = shop.answer_of(who, job)
    places: tuple[Place, ...] = (*answer.specification.corners, VEHICLE)
    leading = next((s.corner for s in answer.suspects if s.fault != shop.knowledge.none.id), places[0])
    chosen = place_named(corner) if corner else leading
    if chosen is None or chosen not in places:
        raise NotFound("corner")
    page = _page(job, answer, chosen, shop.knowledge, shop.say(who, answer.specification.kind))
    return render("board/page.html", request, who=who, page=page)


@router.get("/what-if")
def try_out(
    request: Request,
    job_id: int,
    shop: InShop,
    who: SignedIn,
    corner: Annotated[str, Query(max_length=20)],
    finding: Annotated[str, Query(max_length=60)],
    path: Annotated[str, Query(max_length=60)],
) -> Response:
    """What each answer of one test would do."""
    job = open_job(shop.database, job_id, by=who, knowledge=shop.knowledge)
    specification = shop.answer_of(who, job).specification
    where = place_named(corner)
    if where is None or where not in (*specification.corners, VEHICLE):
        raise NotFound("corner")
    axle = specification.axle_of(where) if isinstance(where, Corner) else None
    trial = next((one for one in trials_of(finding, axle, shop.knowledge) if one.path == path), None)
    if trial is None:
        raise NotFound("finding")
    say = shop.say(who, job.inspection.vehicle.kind or "car")
    answers = [
        (say(one.value), [(say(words), say.chance(p)) for words, p in one.leading], one.verdict and say(one.verdict))
        for one in what_if(job.inspection, where, trial.answers, shop.knowledge)
    ]
    return render("board/_what_if.html", request, label=say(trial.words), where=say(where), answers=answers)

"""What was learnt from closed jobs: row by row, whether it is better, versions, and a chain's counts."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Annotated, Any

from fastapi import APIRouter, File, Form, Request, UploadFile
from fastapi.responses import RedirectResponse, Response

from mesotrope.core.learning.prequential import LAST, LEAST
from mesotrope.core.learning.told import rows_learnt
from mesotrope.errors import InvalidInput
from mesotrope.interchange.learnt import read_learnt, write_learnt
from mesotrope.knowledge import knowledge
from mesotrope.services.audit import note_export
from mesotrope.services.chain import chain_of, leave_chain_out, own_counts, take_chain_in
from mesotrope.services.closed_cases import closed_jobs
from mesotrope.services.learning import Learnt
from mesotrope.services.learnt_versions import (
    Version,
    ask_to_learn,
    course_of,
    is_learning,
    jobs_that_teach_nothing,
    latest_version,
    require_lead,
    version_of,
    versions_of,
)
from mesotrope.services.rule_changes import set_rules
from mesotrope.services.rules import OFF, SET_ASIDE, Rule, row_key, row_of_key, rules_of
from mesotrope.services.signing_in import Who
from mesotrope.web.context import AtTheDoor, Changing, Shop, SignedIn
from mesotrope.web.lanes import HEAVY
from mesotrope.web.learnt.views import compared, sections
from mesotrope.web.rendering import as_file, render

router = APIRouter(prefix="/learnt")

#: A file of counts is far smaller.
LARGEST_COUNTS_BYTES = 1_000_000

Short = Annotated[str, Form(max_length=120)]


def _page(
    request: Request,
    shop: Shop,
    who: Who,
    current: str,
    rules: Mapping[str, Rule],
    version: Version | None,
    **more: Any,
) -> Response:
    """A page of this room: all of them say first what answers in this workshop."""
    off = (rule := rules.get(OFF)) is not None and rule.value == SET_ASIDE
    return render(
        f"learnt/{current}.html", request, who=who, current=current, version=version, off=off,
        off_by=rules.get(OFF), used=bool(who.learnt_version and not off), lead=who.role == "lead",
        silent=jobs_that_teach_nothing(shop.database, by=who), learning=is_learning(shop.database, by=who),
        last=LAST, least=LEAST, **more,
    )  # fmt: skip


@router.get("")
def rows_page(request: Request, shop: AtTheDoor, who: SignedIn) -> Response:
    """Every row that was learnt, beside the product's."""
    rules, version = rules_of(shop.database, by=who), latest_version(shop.database, by=who)
    aside = frozenset(row for key, rule in rules.items() if rule.value and (row := row_of_key(key)))
    rows = rows_learnt(knowledge(), version.counts) if version else []
    return _page(request, shop, who, "rows", rules, version, sections=sections(rows, aside))


@router.get("/better")
def better_page(request: Request, shop: AtTheDoor, who: SignedIn) -> Response:
    """Is it better? Each closed job was predicted before it was learnt from."""
    rules, version = rules_of(shop.database, by=who), latest_version(shop.database, by=who)
    course = course_of(shop.database, by=who)
    shown = compared(course.expert, course.learnt, shop.say(who))
    return _page(request, shop, who, "better", rules, version, course=course, compared=shown, cases=len(course.expert))


@router.get("/versions")
def versions_page(request: Request, shop: AtTheDoor, who: SignedIn) -> Response:
    """Every version, and what a chain shares."""
    rules, version = rules_of(shop.database, by=who), latest_version(shop.database, by=who)
    versions, chain = versions_of(shop.database, by=who), chain_of(shop.database, by=who)
    return _page(request, shop, who, "versions", rules, version, versions=versions, chain=chain)


@router.get("/state")
def state(request: Request, shop: AtTheDoor, who: SignedIn) -> Response:
    """Whether learning goes on; the page asks while it does, and is loaded anew when it has ended."""
    if is_learning(shop.database, by=who):
        return Response(status_code=204)
    return Response(headers={"HX-Refresh": "true"})


@router.post("/row")
def set_row_aside(
    shop: AtTheDoor, who: Changing, table: Short, row: Short, aside: Annotated[bool, Form()] = True
) -> Response:
    written = {row_key(table, row): SET_ASIDE if aside else ""}
    set_rules(shop.database, shop.knowledge, written, by=who, now=shop.now())
    return RedirectResponse("/learnt", status_code=303)


@router.post("/switch")
def switch(shop: AtTheDoor, who: Changing, to: Short) -> Response:
    set_rules(shop.database, shop.knowledge, {OFF: SET_ASIDE if to == "off" else ""}, by=who, now=shop.now())
    return RedirectResponse("/learnt", status_code=303)


@router.post("/learn")
def learn(shop: AtTheDoor, who: Changing) -> Response:
    ask_to_learn(shop.database, by=who, now=shop.now())
    return RedirectResponse("/learnt", status_code=303)


@router.get("/versions/{number}.json")
def version_file(number: int, shop: AtTheDoor, who: SignedIn) -> Response:
    """A version as the command line takes it, so that an old answer can be given again."""
    version = version_of(shop.database, number, by=who)
    note_export(shop.database, f"learnt version {number}", by=who, now=shop.now())
    learnt = Learnt(version.counts, version.standing, version.chain_weight)
    return as_file(write_learnt(learnt), "application/json", f"learnt-{number}.json")


@router.get("/shared.json")
def share(shop: AtTheDoor, who: SignedIn) -> Response:
    """The counts of this workshop's own closed jobs, for a chain: no document, plate or person."""
    origin, counts = own_counts(shop.database, by=who, now=shop.now())
    version = latest_version(shop.database, by=who)
    if version is None:
        raise InvalidInput("counts", "nothing", "nothing was learnt yet; learn first")
    return as_file(write_learnt(Learnt(counts, version.standing), origin), "application/json", "shared-counts.json")


@router.get("/closed.jsonl", dependencies=[HEAVY])
def closed(shop: AtTheDoor, who: SignedIn) -> Response:
    """The workshop's closed jobs as closed cases, one a line."""
    require_lead(who, "Taking closed jobs out")
    with shop.database.of_workshop(who.workshop_id) as session, session.begin():
        lines = [job.line for job in closed_jobs(session, knowledge())]
    note_export(shop.database, f"{len(lines)} closed jobs", by=who, now=shop.now())
    return as_file("".join(f"{line}\n" for line in lines), "application/x-ndjson", "closed.jsonl")


@router.post("/chain")
def take_in(shop: AtTheDoor, who: Changing, file: Annotated[UploadFile, File()]) -> Response:
    data = file.file.read(LARGEST_COUNTS_BYTES + 1)
    if len(data) > LARGEST_COUNTS_BYTES:
        words = f"at most {LARGEST_COUNTS_BYTES} bytes are allowed"
        raise InvalidInput("counts of a chain", file.filename or "file", words)
    try:
        text = data.decode("utf-8")
    except UnicodeDecodeError:
        raise InvalidInput("counts of a chain", file.filename or "file", "it must be text in UTF-8") from None
    shared = read_learnt(text, knowledge())
    take_chain_in(shop.database, shared.origin, shared.counts, by=who, now=shop.now())
    return RedirectResponse("/learnt/versions", status_code=303)


@router.post("/chain/{origin}/leave-out")
def leave_out(origin: str, shop: AtTheDoor, who: Changing) -> Response:
    leave_chain_out(shop.database, origin, by=who, now=shop.now())
    return RedirectResponse("/learnt/versions", status_code=303)

"""Vehicles and owners from a table, with a preview of every line before anything is written; and the same out."""

from __future__ import annotations

from dataclasses import asdict
from typing import Annotated

from fastapi import APIRouter, File, Form, Request, UploadFile
from fastapi.responses import Response

from mesotrope.errors import InvalidInput
from mesotrope.interchange.vehicle_table import (
    COLUMNS,
    MOST_BYTES,
    VehicleLine,
    read_vehicle_table,
    write_vehicle_table,
)
from mesotrope.services.bring_in import KINDS, Line, Preview, bring_in, preview, table_of
from mesotrope.services.owners import WAYS
from mesotrope.services.signing_in import Who
from mesotrope.web.context import AtTheDoor, Changing, Shop, SignedIn
from mesotrope.web.lanes import HEAVY
from mesotrope.web.rendering import Message, as_file, render

router = APIRouter(prefix="/bring-in")

#: The most that a form carries of a table, letters.
Table = Annotated[str, Form(max_length=MOST_BYTES)]


def _page(
    request: Request, shop: Shop, who: Who, *, seen: Preview | None = None, table: str = "", message: Message = "",
    written: int | None = None,
) -> Response:  # fmt: skip
    return render(
        "bring_in/page.html", request, status=422 if message else 200, who=who, columns=COLUMNS, kinds=KINDS,
        ways=list(WAYS), seen=seen, table=table, message=message, written=written,
    )  # fmt: skip


@router.get("")
def bring_in_page(request: Request, shop: AtTheDoor, who: SignedIn) -> Response:
    return _page(request, shop, who)


def _lines(data: bytes) -> list[Line]:
    return [(number, asdict(line)) for number, line in read_vehicle_table(data)]


@router.post("/look", dependencies=[HEAVY])
def look(request: Request, shop: AtTheDoor, who: Changing, file: Annotated[UploadFile, File()]) -> Response:
    """What would happen to each line of a table."""
    data = file.file.read(MOST_BYTES + 1)
    try:
        seen = preview(shop.database, _lines(data), by=who)
    except InvalidInput as error:
        return _page(request, shop, who, message=error)
    return _page(request, shop, who, seen=seen, table=data.decode("utf-8-sig"))


@router.post("", dependencies=[HEAVY])
def do(request: Request, shop: AtTheDoor, who: Changing, table: Table = "", digest: str = Form("")) -> Response:
    data = table.encode()
    try:
        lines = _lines(data)
        written = bring_in(shop.database, lines, digest, by=who, now=shop.now())
    except InvalidInput as error:
        seen = preview(shop.database, _lines(data), by=who) if table else None
        return _page(request, shop, who, seen=seen, table=table, message=error)
    return _page(request, shop, who, written=written)


@router.get("/vehicles-and-owners.csv")
def out(shop: AtTheDoor, who: SignedIn) -> Response:
    lines = [VehicleLine(**line) for line in table_of(shop.database, by=who, now=shop.now())]
    return as_file(write_vehicle_table(lines), "text/csv; charset=utf-8", "vehicles-and-owners.csv")

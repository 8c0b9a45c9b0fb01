"""What a workshop says of itself, and how it writes moments: a lead sets it, and every change is on the trail."""

from __future__ import annotations

import datetime
from dataclasses import dataclass, replace

from sqlalchemy import select
from sqlalchemy.orm import undefer

from mesotrope.errors import InvalidInput, NotAllowed, NotFound
from mesotrope.services.audit import note_by
from mesotrope.services.photographs import develop
from mesotrope.services.signing_in import Who
from mesotrope.store.session import Database
from mesotrope.store.tables import Workshop
from mesotrope.words import Dates

#: What each line is called, and how long it may be.
LINES = {"name": ("name", 120), "town": ("town", 120), "address": ("address", 300), "telephone": ("telephone", 60)}


@dataclass(frozen=True)
class About:
    """A workshop as it stands on an owner's sheet, with how it writes moments."""

    name: str
    town: str
    address: str = ""
    telephone: str = ""
    time_zone: str = "UTC"
    date_style: str = "year_first"
    has_logo: bool = False


def about(database: Database, *, by: Who) -> About:
    """What the signed-in person's workshop says of itself."""
    has_logo = Workshop.logo.is_not(None)
    with database.of_workshop(by.workshop_id) as session:
        shop, logo = session.execute(select(Workshop, has_logo).where(Workshop.id == by.workshop_id)).one()
        return About(
            shop.name, shop.town, shop.address, shop.telephone, shop.time_zone, shop.date_style, bool(logo)
        )  # fmt: skip


def logo_of(database: Database, *, by: Who) -> bytes:
    """The workshop's logo, a JPEG. Raises `NotFound` where it has none."""
    with database.of_workshop(by.workshop_id) as session:
        logo = session.scalar(select(Workshop.logo).where(Workshop.id == by.workshop_id))
    if logo is None:
        raise NotFound("logo")
    return logo


def change(database: Database, wanted: About, *, by: Who, now: datetime.datetime) -> About:
    """Set what the workshop says of itself; returns it as it stands then.

    Raises `NotAllowed` for anybody but a lead, `InvalidInput` for a line that is too long, no name, a time zone or
    style that there is not.
    """
    _require_lead(by)
    for attribute, (words, longest) in LINES.items():
        given = getattr(wanted, attribute).strip()
        wanted = replace(wanted, **{attribute: given})
        if len(given) > longest:
            raise InvalidInput(words, given, f"at most {longest} characters are allowed")
    if not wanted.name:
        raise InvalidInput("name", "", "a workshop needs a name")
    Dates(wanted.time_zone, wanted.date_style)
    with database.of_workshop(by.workshop_id) as session, session.begin():
        shop = session.scalars(select(Workshop).where(Workshop.id == by.workshop_id).with_for_update()).one()
        changed = [
            f"{name.replace('_', ' ')}: {value}"
            for name in ("name", "town", "address", "telephone", "time_zone", "date_style")
            if (value := getattr(wanted, name)) != getattr(shop, name)
        ]
        for name in (*LINES, "time_zone", "date_style"):
            setattr(shop, name, getattr(wanted, name))
        if changed:
            note_by(session, "workshop", "; ".join(changed), by=by, now=now)
    return wanted


def change_logo(database: Database, data: bytes, *, by: Who, now: datetime.datetime) -> None:
    """Set the workshop's logo, or take it away with no data.

    Raises `NotAllowed` for anybody but a lead, `InvalidInput` for what is no picture.
    """
    _require_lead(by)
    logo = develop(data).small if data else None
    with database.of_workshop(by.workshop_id) as session, session.begin():
        here = select(Workshop).where(Workshop.id == by.workshop_id).options(undefer(Workshop.logo)).with_for_update()
        session.scalars(here).one().logo = logo
        note_by(session, "workshop", "logo set" if logo else "logo taken away", by=by, now=now)


def _require_lead(by: Who) -> None:
    if by.role != "lead":
        raise NotAllowed("Changing what the workshop says of itself", "lead")

"""What a workshop says of itself, and how it writes moments: a lead sets it, and every change is on the trail."""

from __future__ import annotations

import datetime
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

from sqlalchemy import select, update
from sqlalchemy.orm import undefer

from mesotrope.core.day.hours import DAYS, Week, written
from mesotrope.core.day.schedule import WorkPlace
from mesotrope.core.language.saying import at_most_characters, marked, one_of, said, verbatim
from mesotrope.core.language.units import Units
from mesotrope.errors import InvalidInput, NotFound
from mesotrope.services.again import done_again
from mesotrope.services.audit import note_by
from mesotrope.services.meanwhile import with_theirs
from mesotrope.services.photographs import develop
from mesotrope.services.signing_in import Who, require_lead
from mesotrope.store.day_tables import FigureMonth
from mesotrope.store.session import Database
from mesotrope.store.tables import Person, Workshop
from mesotrope.words import Dates

#: What only a lead does here.
DESCRIBING = marked("Changing what the workshop says of itself")

#: What each line is called, and how long it may be.
LINES = {"name": ("name", 120), "town": ("town", 120), "address": ("address", 300), "telephone": ("telephone", 60)}


#: The units that whoever is new reads in.
STARTS = {
    "metric": Units(),
    "us": Units(
        length="32nds", torque="lbf.ft", temperature="F", distance="mi", volume="fl_oz", force="lbf", pressure="psi",
        mass="lb",
    ),
}  # fmt: skip


def start_of_units(kept: Mapping[str, str] | None) -> str:
    """Which of the starts some kept units are."""
    return "us" if Units.of(dict(kept or {})) == STARTS["us"] else "metric"


@dataclass(frozen=True)
class About:
    """A workshop as it stands on an owner's sheet, with how it writes moments."""

    name: str
    town: str
    address: str = ""
    telephone: str = ""
    time_zone: str = "UTC"
    date_style: str = "year_first"
    #: In which units whoever is new here reads; each person can choose others.
    units: str = "metric"
    has_logo: bool = False


def about(database: Database, *, by: Who) -> About:
    """What the signed-in person's workshop says of itself."""
    has_logo = Workshop.logo.is_not(None)
    with database.of_workshop(by.workshop_id) as session:
        shop, logo = session.execute(select(Workshop, has_logo).where(Workshop.id == by.workshop_id)).one()
        return _about(shop, has_logo=bool(logo))


def _about(shop: Workshop, *, has_logo: bool = False) -> About:
    return About(
        shop.name, shop.town, shop.address, shop.telephone, shop.time_zone, shop.date_style,
        start_of_units(shop.units), has_logo,
    )  # fmt: skip


def logo_of(database: Database, *, by: Who) -> bytes:
    """The workshop's logo, a JPEG. Raises `NotFound` where it has none."""
    with database.of_workshop(by.workshop_id) as session:
        logo = session.scalar(select(Workshop.logo).where(Workshop.id == by.workshop_id))
    if logo is None:
        raise NotFound("logo")
    return logo


def lines_of(stands: About) -> dict[str, str]:
    """What a workshop says of itself as the lines of a form."""
    return {name: getattr(stands, name) for name in (*LINES, "time_zone", "date_style", "units")}


def about_in(lines: Mapping[str, str]) -> About:
    """What stands in the lines of a form."""
    return About(
        lines["name"], lines["town"], lines["address"], lines["telephone"], lines["time_zone"], lines["date_style"],
        lines["units"],
    )  # fmt: skip


@done_again
def change(
    database: Database, wanted: About, *, by: Who, now: datetime.datetime, seen: Mapping[str, str] | None = None
) -> About:
    """Set what the workshop says of itself; returns it as it stands then.

    seen : its lines as the page showed them (`lines_of`). Raises `NotAllowed` for anybody but a lead, `InvalidInput`
    for a line that is too long, no name, a time zone or style that there is not, `Overtaken`.
    """
    require_lead(by, DESCRIBING)
    for attribute, (words, longest) in LINES.items():
        given = getattr(wanted, attribute).strip()
        wanted = replace(wanted, **{attribute: given})
        if len(given) > longest:
            raise InvalidInput(words, given, at_most_characters(longest))
    if not wanted.name:
        raise InvalidInput("name", "", "a workshop needs a name")
    Dates(wanted.time_zone, wanted.date_style)
    if wanted.units not in STARTS:
        raise InvalidInput("units", wanted.units, one_of(STARTS))
    with database.of_workshop(by.workshop_id) as session, session.begin():
        shop = session.get_one(Workshop, by.workshop_id, with_for_update=True)
        wanted = about_in(with_theirs(lines_of(wanted), seen, lines_of(_about(shop))))
        changed = [
            f"{name.replace('_', ' ')}: {value}"
            for name in ("name", "town", "address", "telephone", "time_zone", "date_style")
            if (value := getattr(wanted, name)) != getattr(shop, name)
        ]
        if wanted.time_zone != shop.time_zone:  # a month begins at another moment
            session.execute(update(FigureMonth).values(changed=FigureMonth.changed + 1))
        for name in (*LINES, "time_zone", "date_style"):
            setattr(shop, name, getattr(wanted, name))
        if start_of_units(shop.units) != wanted.units:
            changed.append(f"units of who is new: {wanted.units}")
            shop.units = STARTS[wanted.units].kept()
        if changed:
            note_by(session, "workshop", "; ".join(changed), by=by, now=now)
    return wanted


@done_again
def change_logo(database: Database, data: bytes, *, by: Who, now: datetime.datetime) -> None:
    """Set the workshop's logo, or take it away with no data.

    Raises `NotAllowed` for anybody but a lead, `InvalidInput` for what is no picture.
    """
    require_lead(by, DESCRIBING)
    logo = develop(data).small if data else None
    with database.of_workshop(by.workshop_id) as session, session.begin():
        here = select(Workshop).where(Workshop.id == by.workshop_id).options(undefer(Workshop.logo)).with_for_update()
        session.scalars(here).one().logo = logo
        note_by(session, "workshop", marked("logo set") if logo else marked("logo taken away"), by=by, now=now)


#: As many places are named, and as many stays away of one person.
MOST_PLACES, MOST_AWAY = 40, 60


def places_in(shop: Workshop) -> list[WorkPlace]:
    """The places of a workshop at which vehicles are worked on, as its lead named them."""
    return [WorkPlace(one["name"], one["lift"]) for one in shop.places or []]


def places_of(database: Database, *, by: Who) -> list[WorkPlace]:
    """The places of the signed-in person's workshop."""
    with database.of_workshop(by.workshop_id) as session:
        return places_in(session.get_one(Workshop, by.workshop_id))


def week_of(database: Database, *, by: Who) -> Week:
    """When the signed-in person's workshop is open."""
    with database.of_workshop(by.workshop_id) as session:
        return Week.of(session.get_one(Workshop, by.workshop_id).opening)


def lines_of_week(week: Week) -> dict[str, str]:
    """Opening hours as the lines of a form, by day."""
    return {day: written(spans) for day, spans in zip(DAYS, week.days, strict=True)}


@done_again
def set_opening(
    database: Database, lines: Sequence[str], *, by: Who, now: datetime.datetime, seen: Mapping[str, str] | None = None
) -> None:
    """Set when the workshop is open, Monday first.

    seen : by day, what the page showed (`lines_of_week`). Raises `NotAllowed` for anybody but a lead, `InvalidInput`,
    `Overtaken`.
    """
    require_lead(by, DESCRIBING)
    Week.read(lines)
    with database.of_workshop(by.workshop_id) as session, session.begin():
        shop = session.get_one(Workshop, by.workshop_id, with_for_update=True)
        stands = lines_of_week(Week.of(shop.opening))
        week = Week.read(list(with_theirs(dict(zip(DAYS, lines, strict=True)), seen, stands).values()))
        if shop.opening != week.kept():
            shop.opening = week.kept()
            note_by(session, "workshop", marked("opening hours set"), by=by, now=now)


def read_places(text: str) -> list[WorkPlace]:
    """Places as they are written, one a line; a place that begins with ``-`` has no lift.

    Raises `InvalidInput` for a name that is too long or stands twice.

    >>> read_places("Lift 1\\n- Yard bench")
    [WorkPlace(name='Lift 1', lift=True), WorkPlace(name='Yard bench', lift=False)]
    """
    out: list[WorkPlace] = []
    for line in filter(None, (line.strip() for line in text.splitlines())):
        name, lift = line.lstrip("-").strip(), not line.startswith("-")
        if not 1 <= len(name) <= 40:
            raise InvalidInput("place", line, "a name of 1 to 40 characters is needed")
        if any(one.name == name for one in out):
            raise InvalidInput("place", name, "it stands there twice")
        out.append(WorkPlace(name, lift))
    if len(out) > MOST_PLACES:
        raise InvalidInput("places", len(out), said("at most {most} are allowed", most=verbatim(MOST_PLACES)))
    return out


def written_places(places: Sequence[WorkPlace]) -> str:
    """Places as they are written.

    >>> written_places(read_places("Lift 1\\n -Yard bench"))
    'Lift 1\\n- Yard bench'
    """
    return "\n".join(one.name if one.lift else f"- {one.name}" for one in places)


@done_again
def set_places(
    database: Database, text: str, *, by: Who, now: datetime.datetime, seen: Mapping[str, str] | None = None
) -> None:
    """Set the places at which vehicles are worked on.

    seen : what the page showed, under "places". Raises `NotAllowed` for anybody but a lead, `InvalidInput`,
    `Overtaken`.
    """
    require_lead(by, DESCRIBING)
    places = read_places(text)
    kept = [{"name": one.name, "lift": one.lift} for one in places]
    with database.of_workshop(by.workshop_id) as session, session.begin():
        shop = session.get_one(Workshop, by.workshop_id, with_for_update=True)
        with_theirs({"places": written_places(places)}, seen, {"places": written_places(places_in(shop))})
        if (shop.places or []) != kept:
            shop.places = kept
            note_by(session, "workshop", f"places: {', '.join(one.name for one in places)}", by=by, now=now)


#: From which day to which, both included.
Away = tuple[datetime.date, datetime.date]


def away_of(person: Person) -> list[Away]:
    """The days on which a person is away."""
    return [
        (datetime.date.fromisoformat(first), datetime.date.fromisoformat(last)) for first, last in person.away or []
    ]


def read_away(text: str) -> list[Away]:
    """Days away as they are written, one stay a line: a day, or two with ``to`` between them. Raises `InvalidInput`.

    >>> read_away("2026-03-02 to 2026-03-06\\n2026-04-01")[1]
    (datetime.date(2026, 4, 1), datetime.date(2026, 4, 1))
    """
    out = []
    for line in filter(None, (line.strip() for line in text.splitlines())):
        first, _, last = (part.strip() for part in line.partition("to"))
        try:
            span = (datetime.date.fromisoformat(first), datetime.date.fromisoformat(last or first))
        except ValueError:
            raise InvalidInput("away", line, "write it as 2026-03-02 to 2026-03-06, or one day") from None
        if span[1] < span[0]:
            raise InvalidInput("away", line, "it ends before it begins")
        out.append(span)
    if len(out) > MOST_AWAY:
        raise InvalidInput("away", len(out), said("at most {most} stays are allowed", most=verbatim(MOST_AWAY)))
    return sorted(out)

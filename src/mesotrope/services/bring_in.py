"""Bringing in the vehicles and owners that a workshop has, from a table: first what would happen to each line, then it.

A vehicle is known by its plate, else by its VIN; an owner by their name with the same telephone or e-mail. An empty
cell changes nothing.
"""

from __future__ import annotations

import datetime
import hashlib
import json
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass

from sqlalchemy import select

from mesotrope.core.language.plate import plate_key
from mesotrope.core.language.saying import marked, one_of, said, verbatim
from mesotrope.core.language.vin import read_vin
from mesotrope.errors import InvalidInput, NotAllowed
from mesotrope.services.again import done_again
from mesotrope.services.audit import note_by
from mesotrope.services.once import do_once
from mesotrope.services.owners import WAYS, Contact, checked, contact_of, new_owner, write_contact
from mesotrope.services.search_index import index_owner, index_vehicle
from mesotrope.services.signing_in import Who
from mesotrope.store.day_tables import Owner
from mesotrope.store.session import Database, WorkshopSession
from mesotrope.store.tables import Vehicle

KINDS = ("car", "light_truck", "motorcycle")

#: A line of the table by the names of its columns, with its number in the file.
Line = tuple[int, Mapping[str, str]]


@dataclass(frozen=True)
class Wanted:
    """What a line says, checked."""

    name: str
    plate: str
    vin: str
    kind: str
    contact: Contact | None


@dataclass(frozen=True)
class LineOutcome:
    """What would happen to a line: ``new``, ``changed``, ``same`` or ``refused``, and what that is in words."""

    number: int
    called: str
    what: str
    words: str


@dataclass(frozen=True)
class Preview:
    lines: tuple[LineOutcome, ...]
    digest: str

    def count(self, what: str) -> int:
        return sum(line.what == what for line in self.lines)


def preview(database: Database, lines: Sequence[Line], *, by: Who) -> Preview:
    """What would happen to each line; nothing is written. Raises `NotAllowed` for an apprentice."""
    _require_may(by)
    with database.of_workshop(by.workshop_id) as session:
        return _preview(lines, _Known(session))


def bring_in(database: Database, lines: Sequence[Line], digest: str, *, by: Who, now: datetime.datetime) -> int:
    """Do what was previewed, all of it; lines that were refused are left out. Returns how many lines were written.

    digest : of the preview that was agreed to. Raises `InvalidInput` where it would be something else by now.
    """
    _require_may(by)

    def write(session: WorkshopSession) -> int:
        known = _Known(session)
        agreed = _preview(lines, known)
        if agreed.digest != digest:
            raise InvalidInput("table", "the preview", "something changed since: look at what would happen again")
        written = 0
        for (_, cells), outcome in zip(lines, agreed.lines, strict=True):
            if outcome.what in ("new", "changed"):
                _write(session, _wanted(cells), known)
                written += 1
        note_by(session, "imported", f"vehicles and owners: {written} lines", by=by, now=now)
        return written

    return do_once(database, "bring in", write, [digest], by=by, now=now)


@done_again
def table_of(database: Database, *, by: Who, now: datetime.datetime) -> list[dict[str, str]]:
    """Every vehicle with its owner, as lines of the table. Raises `NotAllowed` for an apprentice."""
    _require_may(by)
    with database.of_workshop(by.workshop_id) as session, session.begin():
        rows = session.execute(
            select(Vehicle, Owner).outerjoin(Owner, Owner.id == Vehicle.owner_id).order_by(Vehicle.label, Vehicle.id)
        )
        out = [
            {
                "plate": vehicle.registration or "",
                "vin": vehicle.vin or "",
                "name": vehicle.label,
                "kind": str(vehicle.specification.get("kind", "car")),
                "owner": owner.name if owner else "",
                "telephone": owner.telephone if owner else "",
                "email": owner.email if owner else "",
                "allowed": " ".join(owner.allowed or ()) if owner else "",
            }
            for vehicle, owner in rows
        ]
        note_by(session, "exported", f"vehicles and owners: {len(out)} lines", by=by, now=now)
    return out


def _require_may(by: Who) -> None:
    if by.role == "apprentice":
        raise NotAllowed("Bringing vehicles and owners in, or out", "technician or lead")


class _Known:
    """The vehicles and owners that there are, and those that the lines before would make."""

    def __init__(self, session: WorkshopSession) -> None:
        self.by_plate: dict[str, Vehicle] = {}
        self.by_vin: dict[str, Vehicle] = {}
        self.owners: dict[tuple[str, str], Owner] = {}
        for vehicle in session.scalars(select(Vehicle)):
            self.add_vehicle(vehicle)
        for owner in session.scalars(select(Owner)):
            self.add_owner(owner)

    def add_vehicle(self, vehicle: Vehicle) -> None:
        if vehicle.plate_key:
            self.by_plate[vehicle.plate_key] = vehicle
        if vehicle.vin:
            self.by_vin[vehicle.vin] = vehicle

    def add_owner(self, owner: Owner) -> None:
        for reached in (owner.telephone, owner.email):
            self.owners[owner.name.casefold(), _digits(reached)] = owner

    def vehicle(self, wanted: Wanted) -> Vehicle | None:
        found = self.by_plate.get(plate_key(wanted.plate)) if wanted.plate else None
        return found or (self.by_vin.get(wanted.vin) if wanted.vin else None)

    def owner(self, contact: Contact) -> Owner | None:
        name = contact.name.casefold()
        for reached in (contact.telephone, contact.email):
            if reached and (found := self.owners.get((name, _digits(reached)))):
                return found
        return None if contact.telephone or contact.email else self.owners.get((name, ""))


def _digits(text: str) -> str:
    """How somebody is reached, as it is compared."""
    return text.casefold() if "@" in text else "".join(sign for sign in text if sign.isdigit())


def _wanted(cells: Mapping[str, str]) -> Wanted:
    """What a line says. Raises `InvalidInput` for what cannot be."""
    name, plate, kind = cells["name"][:200], cells["plate"].upper(), cells["kind"].lower().replace(" ", "_") or "car"
    if len(name) > 120:
        raise InvalidInput("name", name, "at most 120 characters are allowed")
    if len(plate) > 20:
        raise InvalidInput("plate", plate, "at most 20 characters are allowed")
    if kind not in KINDS:
        raise InvalidInput("kind", kind, one_of(KINDS))
    vin = read_vin(cells["vin"]).number if cells["vin"] else ""
    if not (name or plate or vin):
        raise InvalidInput("vehicle", "", "a name, a plate or a VIN is needed")
    contact = None
    if cells["owner"]:
        allowed = tuple(cells["allowed"].replace(",", " ").replace(";", " ").split())
        strange = [way for way in allowed if way not in WAYS]
        if strange:
            raise InvalidInput("allowed", strange[0], one_of(WAYS))
        contact = checked(Contact(cells["owner"], cells["telephone"], cells["email"], allowed))
    elif cells["telephone"] or cells["email"]:
        raise InvalidInput("owner", "", "a telephone or e-mail needs the owner's name")
    return Wanted(name, plate, vin, kind, contact)


def _preview(lines: Iterable[Line], known: _Known) -> Preview:
    out: list[LineOutcome] = []
    seen: dict[str, int] = {}
    for number, cells in lines:
        called = cells["name"] or cells["plate"] or cells["vin"] or "–"
        try:
            wanted = _wanted(cells)
            keys = [key for key in (wanted.plate and plate_key(wanted.plate), wanted.vin) if key]
            again = next((seen[key] for key in keys if key in seen), None)
            if again is not None:
                raise InvalidInput("vehicle", called, said("it stands in line {again} already", again=verbatim(again)))
            seen.update(dict.fromkeys(keys, number))
            out.append(LineOutcome(number, called, *_outcome(wanted, known)))
        except InvalidInput as error:
            out.append(LineOutcome(number, called, "refused", str(error)))
    written = json.dumps([[line.number, line.what, line.words] for line in out])
    return Preview(tuple(out), hashlib.sha256(written.encode()).hexdigest()[:32])


def _outcome(wanted: Wanted, known: _Known) -> tuple[str, str]:
    vehicle = known.vehicle(wanted)
    owner = known.owner(wanted.contact) if wanted.contact else None
    whose = "" if wanted.contact is None else f"{'known' if owner else 'new'} owner {wanted.contact.name}"
    if vehicle is None:
        if not wanted.name:
            raise InvalidInput("name", "", "a vehicle that is not known yet needs a name")
        return "new", f"a new vehicle{f', {whose}' if whose else ''}"
    changes = [
        f"{what} becomes {new}"
        for what, old, new in (
            ("name", vehicle.label, wanted.name),
            ("plate", vehicle.registration or "", wanted.plate),
            ("VIN", vehicle.vin or "", wanted.vin),
        )
        if new and new != old
    ]
    if wanted.contact and (owner is None or vehicle.owner_id != owner.id):
        changes.append(f"goes to {whose}")
    elif wanted.contact and owner is not None and _merged(owner, wanted.contact) != contact_of(owner):
        changes.append(f"contact of {owner.name} is completed")
    return ("changed", f"known: {'; '.join(changes)}") if changes else ("same", marked("known, and nothing changes"))


def _merged(owner: Owner, contact: Contact) -> Contact:
    """A known contact with what a line adds to it."""
    now = contact_of(owner)
    return Contact(
        now.name, contact.telephone or now.telephone, contact.email or now.email, contact.allowed or now.allowed
    )


def _write(session: WorkshopSession, wanted: Wanted, known: _Known) -> None:
    owner = None
    if wanted.contact is not None:
        owner = known.owner(wanted.contact)
        if owner is None:
            owner = new_owner(session, wanted.contact)
        else:
            write_contact(owner, _merged(owner, wanted.contact))
        known.add_owner(owner)
    vehicle = known.vehicle(wanted)
    if vehicle is None:
        vehicle = Vehicle(label=wanted.name, registration=wanted.plate or None, vin=wanted.vin or None)
        vehicle.specification = {"kind": wanted.kind}
        session.add(vehicle)
    vehicle.label = wanted.name or vehicle.label
    vehicle.registration = wanted.plate or vehicle.registration
    vehicle.vin = wanted.vin or vehicle.vin
    names = {"label": vehicle.label, "registration": vehicle.registration, "vin": vehicle.vin}
    vehicle.specification = {**vehicle.specification, **{name: value for name, value in names.items() if value}}
    if owner is not None:
        vehicle.owner_id = owner.id
    session.flush()
    known.add_vehicle(vehicle)
    index_vehicle(session, vehicle)
    if owner is not None:
        index_owner(session, owner)

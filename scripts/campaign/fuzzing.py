"""Random requests over every route, and mutated archives, tables and pictures: none may be answered with 5xx."""

from __future__ import annotations

import io
import random
import re
import zipfile
from collections.abc import Iterator
from contextlib import contextmanager

from fastapi.routing import APIRoute
from starlette.testclient import TestClient

import mesotrope.web.job.routes as job_routes
from mesotrope.services.signing_in import Who
from mesotrope.store.tables import Person
from scripts.campaign import Trial
from scripts.campaign.surroundings import ROLES, Surroundings, picture

#: What is put where a name, a number or a word belongs.
NASTY = (
    "", " ", "0", "-1", "1e400", "nan", "inf", "²", "٣", "1" * 5_000, "9" * 19, str(2**63), str(2**64), "0x10", "1,5",
    "1/0", "%00", "\x00", "a\x00b", "..", "../../etc/passwd", "..%2f..%2f", "/", "\\", "'", '"', "';--", "{{7*7}}",
    "${7*7}", "<script>alert(1)</script>", "\u202e", "\ufeff", "\U0001f600" * 50, "é" * 400, "a" * 4_000, "[]", "{}",
    "null", "true", "front", "rear", "system", "rear_left", "rotor_mm.100000000", "rotor_mm.0", "rotor_mm.²",
    "spin.turns.foo", "pad_mm", "pad_mm.inner.lead_rim", "pin.upper", "3.2", "seized", "0001-01-01", "9999-12-31",
    "9999-12-31T23:59:59+14:00", "yes",
)  # fmt: skip

ORIGINS = (
    "http://[",
    "null",
    "http://testserver",
    "http://evil.example",
    "http://testserver@evil.example",
    "ümlaut",
    "",
)


def routes_of(app: object) -> list[tuple[str, APIRoute]]:
    """Every method of every route."""
    found = [route for route in app.routes if isinstance(route, APIRoute)]  # type: ignore[attr-defined]
    return [(method, route) for route in found for method in sorted(route.methods)]


def fields_of(route: APIRoute) -> tuple[list[str], list[str], list[str]]:
    """The names that a route reads: in its query, in its form, and of these the files."""
    query, form, files = [], [], []

    def walk(dependant: object) -> None:
        query.extend(field.alias for field in dependant.query_params)  # type: ignore[attr-defined]
        for field in dependant.body_params:  # type: ignore[attr-defined]
            (files if "UploadFile" in str(field.field_info.annotation) else form).append(field.alias)
        for inner in dependant.dependencies:  # type: ignore[attr-defined]
            walk(inner)

    walk(route.dependant)
    return query, form, files


def _value(dice: random.Random, known: list[str], sane: float = 0.5) -> str:
    return dice.choice(known) if dice.random() < sane else dice.choice(NASTY)


def _address(dice: random.Random, path: str, known: dict[str, list[str]]) -> str:
    from urllib.parse import quote

    def fill(found: re.Match[str]) -> str:
        value = _value(dice, known.get(found[1], ["1"]), sane=0.85) or "x"
        return value if dice.random() < 0.1 and value.isascii() and value.isprintable() else quote(value, safe="")

    return re.sub(r"\{(\w+)(?::\w+)?\}", fill, path)


@contextmanager
def _short_streams() -> Iterator[None]:
    """Streams stay open by design and are tried elsewhere: here they end at once."""
    lasting, job_routes.STREAM_S = job_routes.STREAM_S, 0.0
    try:
        yield
    finally:
        job_routes.STREAM_S = lasting


@_short_streams()
def random_requests(here: Surroundings, tries: int, seed: int) -> Trial:
    """Random requests over every route, as everybody and as nobody."""
    trial = Trial("random requests", "no answer of 5xx, all with the security headers")
    dice = random.Random(seed)
    ours, theirs = here.workshops
    people = [ours.people[role] for role in ROLES] + [None]
    clients = [here.client(who) for who in people]
    known = {
        "job_id": [str(ours.job)] * 4 + [str(theirs.job)],
        "vehicle_id": [str(ours.vehicle), str(theirs.vehicle)],
        "number": [str(ours.photograph), str(theirs.photograph)],
        "person_id": [str(who.person_id) for who in ours.people.values()],
        "token": [ours.link, theirs.link],
        "stage": ["lift", "look", "isolate", "strip", "pedal", "verdict", "take-in"],
        "part": ["come-back.ics", "1.jpg", "sheet.pdf", "²²²²²²².jpg"],
        "name": ["pad_wear_per_distance", "spin_drag_torque"],
    }
    routes = routes_of(here.app)
    statuses: dict[int, int] = {}
    number = 0
    while trial.tried < tries:
        number += 1
        method, route = dice.choice(routes)
        at = dice.randrange(len(clients))
        client = clients[at]
        query, form, files = fields_of(route)
        address = _address(dice, route.path, known)
        parameters = {name: _value(dice, known.get(name, ["rear"])) for name in query if dice.random() < 0.6}
        headers = {}
        if dice.random() < 0.3:
            headers["HX-Request"] = "true"
        if dice.random() < 0.15:
            headers["Origin"] = dice.choice(ORIGINS)
        if dice.random() < 0.4:
            key = _value(dice, [f"key-{dice.randrange(200):08d}"])
            if key.isascii() and key.isprintable():
                headers["Idempotency-Key"] = key
        data = {name: _value(dice, known.get(name, ["rear_left", "yes"])) for name in form if dice.random() < 0.85}
        sent = {name: (dice.choice(["a.jpg", "../a", ""]) or "x", _file(dice)) for name in files}
        try:
            answer = client.request(
                method, address, params=parameters, data=data or None, files=sent or None, headers=headers
            )
        except (ValueError, UnicodeError):  # the client itself cannot send this
            continue
        if people[at] is not None and client.get("/me").status_code != 200:  # signed out, or switched off: in again
            clients[at] = _back_in(here, people[at])
        statuses[answer.status_code] = statuses.get(answer.status_code, 0) + 1
        guarded = "content-security-policy" in answer.headers and "x-request-id" in answer.headers
        what = f"#{number} {method} {address[:90]} {str(parameters)[:120]} {str(data)[:200]} -> {answer.status_code}"
        trial.hold(answer.status_code < 500 and guarded, what)
    trial.figures = {"answers": ", ".join(f"{status}: {count}" for status, count in sorted(statuses.items()))}
    return trial


def _back_in(here: Surroundings, who: Who) -> TestClient:
    """A client of a person who was signed out, switched off or given another role on the way."""
    with here.database.of_workshop(who.workshop_id) as session, session.begin():
        person = session.get_one(Person, who.person_id)
        person.active, person.role = True, who.role
    return here.client(who)


def _file(dice: random.Random) -> bytes:
    return dice.choice([b"", b"PK\x03\x04", b"{}", b"corner,finding,value\n", picture(), dice.randbytes(200)])


def mutated_files(here: Surroundings, tries: int, seed: int) -> Trial:
    """Archives, tables and pictures with bytes turned, cut, doubled and swapped: taken whole or refused in words."""
    trial = Trial("mutated files", "no answer of 5xx, and nothing half done")
    dice = random.Random(seed)
    ours = here.workshops[0]
    client = here.client(ours.people["lead"])
    archive = client.get(f"/jobs/{ours.job}/archive.zip").content
    table = client.get(f"/jobs/{ours.job}/measurements.csv").content
    document = client.get(f"/jobs/{ours.job}/inspection.json").content
    pictures = [picture((400, 300), form) for form in ("JPEG", "PNG", "WEBP")]
    taken = refused = 0
    for number in range(tries):
        kind = dice.choice(["archive", "members", "table", "document", "picture"])
        before = _jobs(client)
        if kind == "picture":
            field, address = "picture", f"/jobs/{ours.job}/photographs"
            data = mutated(dice, dice.choice(pictures))
        elif kind == "table":
            field, address, data = "file", f"/jobs/{ours.job}/measurements", mutated_text(dice, table)
        else:
            field, address = "file", "/import"
            data = {
                "archive": lambda: mutated(dice, archive),
                "members": lambda: mutated_members(dice, archive),
                "document": lambda: mutated_text(dice, document),
            }[kind]()
        answer = client.post(address, files={field: ("x", data)}, data={"corner": "rear_left", "stage": "look"})
        done = answer.status_code in (200, 303)
        taken, refused = taken + done, refused + (not done)
        trial.hold(answer.status_code < 500, f"#{number} {kind}: {answer.status_code}")
        if not done and _jobs(client) != before:
            trial.failed.append(f"#{number} {kind}: refused, and still something was opened")
        if client.get("/").status_code != 200:
            trial.failed.append(f"#{number} {kind}: the bays do not answer any more")
    trial.figures = {"taken whole": str(taken), "refused in words": str(refused)}
    return trial


def _jobs(client: object) -> set[str]:
    return set(re.findall(r"/jobs/(\d+)/", client.get("/").text))  # type: ignore[attr-defined]


def mutated(dice: random.Random, data: bytes) -> bytes:
    """Some bytes turned, cut out, doubled or put in."""
    out = bytearray(data)
    for _ in range(dice.randint(1, 8)):
        at = dice.randrange(len(out)) if out else 0
        end = min(len(out), at + dice.choice([1, 4, 64, 2_000]))
        act = dice.randrange(4)
        if act == 0:
            out[at:end] = dice.randbytes(end - at)
        elif act == 1:
            del out[at:end]
        elif act == 2:
            out[at:at] = out[at:end]
        else:
            out[at:at] = dice.randbytes(dice.choice([1, 8, 300]))
    return bytes(out)


def mutated_text(dice: random.Random, data: bytes) -> bytes:
    """A text with words replaced by nasty ones, or with bytes turned."""
    if dice.random() < 0.3:
        return mutated(dice, data)
    words = re.split(rb'([",:\r\n]+)', data)
    for _ in range(dice.randint(1, 4)):
        words[dice.randrange(len(words))] = dice.choice([*NASTY, "x" * 140_000]).encode("utf-8", "replace")
    return b"".join(words)


def mutated_members(dice: random.Random, archive: bytes) -> bytes:
    """An archive whose members are mutated, missing, doubled or named badly."""
    out = io.BytesIO()
    with zipfile.ZipFile(io.BytesIO(archive)) as old, zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as new:
        for name, data in _members(dice, old):
            import warnings

            with warnings.catch_warnings():
                warnings.simplefilter("ignore")  # a doubled name is what is wanted
                new.writestr(name, data)
    return out.getvalue()


def _members(dice: random.Random, old: zipfile.ZipFile) -> Iterator[tuple[str, bytes]]:
    for name in old.namelist():
        data, act = old.read(name), dice.random()
        if act < 0.1:
            continue
        if act < 0.5:
            data = mutated_text(dice, data) if name.endswith(("json", "csv")) else mutated(dice, data)
        elif act < 0.6:
            yield name, data
        elif act < 0.7:
            name = dice.choice(["../../x.json", "/etc/x", "manifest.json", "con\x00", "é" * 100])
        yield name, data

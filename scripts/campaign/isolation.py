"""Reaching into another workshop: over every route, in every role, with the other's numbers."""

from __future__ import annotations

import re

from sqlalchemy import text

from scripts.campaign import Trial
from scripts.campaign.fuzzing import fields_of, routes_of
from scripts.campaign.surroundings import ROLES, Surroundings, Workshop, picture

#: Routes that nobody needs to be signed in for.
OPEN = (
    "/sign-in",
    "/sign-in/demo",
    "/favicon.ico",
    "/device-worker.js",
    "/shell.json",
    "/manifest.webmanifest",
    "/health",
    "/ready",
    "/formats/",
    "/sheet/",
    "/password/",
    "/style",
    "/set-up/",
    "/due/feed/",
)

#: A value that a form field of this name takes; anything else gets a word.
VALUES = {
    "corner": "rear_left", "path": "pin.upper", "value": "free", "axle": "rear", "number": "0", "reason": "because",
    "verdict": "sound", "fault": "hose_restricted", "step": "pump", "fastener": "wheel_nuts", "how": "unsafe",
    "role": "lead", "to": "off", "stage": "look", "kind": "car", "label": "Mine",
}  # fmt: skip


#: What a route is aimed with at something of the other workshop.
AIMED = ("job_id", "vehicle_id", "person_id", "owner_id", "run_id")

#: Addresses that only send on to a page, which then says that there is no such thing.
SENT_ON = ("/jobs/{job_id}", "/practice/runs/{run_id}")


def _aimed(path: str, at: Workshop) -> str:
    numbers = {
        "job_id": at.job, "vehicle_id": at.vehicle, "number": at.photograph, "stage": "lift", "part": "come-back.ics",
        "person_id": at.people["technician"].person_id, "token": "x" * 43, "name": "x", "origin": "0" * 32,
        "owner_id": at.owner, "run_id": at.run,
    }  # fmt: skip
    return re.sub(r"\{(\w+)(?::\w+)?\}", lambda found: str(numbers[found[1]]), path)


def _kept(here: Surroundings, of: Workshop) -> dict[str, list[str]]:
    """Every row of a workshop, without its own sessions."""
    rows: dict[str, list[str]] = {}
    workshop_id = of.people["lead"].workshop_id
    with here.database.engine.connect() as connection:
        for table in connection.execute(text("show tables")).scalars().all():
            columns = {row[0] for row in connection.execute(text(f"show columns from `{table}`"))}
            if "workshop_id" in columns and table != "sessions":
                found = connection.execute(text(f"select * from `{table}` where workshop_id = {workshop_id}"))
                rows[table] = sorted(map(repr, found))
    return rows


def reach_across(here: Surroundings) -> Trial:
    """Every route in every role, aimed at the other workshop: nothing of it is read, nothing of it changes."""
    trial = Trial("reaching across workshops", "0 reads, 0 writes")
    ours, theirs = here.workshops
    before = _kept(here, theirs)
    for role in ROLES:
        client = here.client(ours.people[role])
        for method, route in routes_of(here.app):
            if method == "HEAD" or route.path in ("/sign-out", "/me/sign-out-everywhere"):
                continue
            query, form, files = fields_of(route)
            data = {name: VALUES.get(name, "free") for name in form} | {
                "vehicle_id": theirs.vehicle,
                "copy_from": theirs.vehicle,
                "vehicle": theirs.vehicle,
                "job": theirs.job,
                "owner": theirs.owner,
            }
            answer = client.request(
                method,
                _aimed(route.path, theirs),
                params={
                    name: VALUES.get(name, str(theirs.vehicle)) for name in query if name not in ("after", "before")
                },
                data=data if method == "POST" else None,
                files={name: ("x", picture()) for name in files} or None,
                headers={"Idempotency-Key": f"reach-{role}-{abs(hash(route.path)) % 10**9}"},
            )
            told = theirs.marker in answer.text or theirs.marker.lower() in answer.text
            aimed = any(f"{{{name}}}" in route.path for name in AIMED)
            let_in = aimed and answer.status_code < 400 and not route.path.startswith("/sheet")
            plain = route.path in SENT_ON
            trial.hold(not told and (not let_in or plain), f"{role} {method} {route.path} -> {answer.status_code}")
    trial.hold(_kept(here, theirs) == before, "something of the other workshop has changed")
    trial.figures = {"routes": str(len(routes_of(here.app))), "roles": str(len(ROLES))}
    return trial


def unsigned(here: Surroundings) -> Trial:
    """Every route without signing in, and every change without the session's token."""
    trial = Trial("nobody, and forged changes", "0 let in")
    ours = here.workshops[0]
    nobody, lead = here.client(None), here.client(ours.people["lead"])
    lead.headers.pop("X-Change-Token")
    before = _kept(here, ours)
    for method, route in routes_of(here.app):
        if route.path.startswith(OPEN):
            continue
        _, form, files = fields_of(route)
        data = {name: VALUES.get(name, "free") for name in form} if method == "POST" else None
        sent = {name: ("x", picture()) for name in files} or None
        headers = {"Idempotency-Key": "nobodys-key"}
        answer = nobody.request(method, _aimed(route.path, ours), data=data, files=sent, headers=headers)
        at_the_door = answer.status_code in (401, 422) or answer.headers.get("location") == "/sign-in"
        trial.hold(
            at_the_door and ours.marker not in answer.text, f"nobody {method} {route.path} -> {answer.status_code}"
        )
        if method == "POST":
            for more in ({}, {"X-Change-Token": "x" * 43}, {"Origin": "http://evil.example"}):
                answer = lead.post(_aimed(route.path, ours), data=data, files=sent, headers=headers | more)
                trial.hold(answer.status_code in (403, 422), f"forged {route.path} {more} -> {answer.status_code}")
    trial.hold(_kept(here, ours) == before, "a forged change was made")
    return trial

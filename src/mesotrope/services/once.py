"""Changes that are done once: under a key, and again only where the database asked for it."""

from __future__ import annotations

import base64
import datetime
import hashlib
import hmac
import json
import secrets
from collections.abc import Callable
from typing import Any, TypeVar, cast

from sqlalchemy.exc import IntegrityError

from mesotrope.errors import InvalidInput
from mesotrope.services.again import DOUBLE, again, code_of
from mesotrope.services.signing_in import Who
from mesotrope.store.session import Database, WorkshopSession
from mesotrope.store.tables import DoneOnce

Result = TypeVar("Result")

SHORTEST_KEY, LONGEST_KEY = 8, 64


def do_once(
    database: Database, what: str, work: Callable[[WorkshopSession], Result], content: Any = None,
    *, by: Who, now: datetime.datetime,
) -> Result:  # fmt: skip
    """Do `work` in a transaction of the person's workshop, and return what comes of it: something that JSON can hold.

    Where the person's change came under a key (`by.key`), the same key again does nothing and returns the same.
    content : what the change says, so that a key that comes again with something else is not taken for a repetition.
    Where two make the same new row at once, the second is done again and finds it. Raises `InvalidInput` for a key
    that cannot be one or that was used for something else.
    """
    if by.key and not SHORTEST_KEY <= len(by.key) <= LONGEST_KEY:
        words = f"{SHORTEST_KEY} to {LONGEST_KEY} characters, new for each change, are needed"
        raise InvalidInput("Idempotency-Key", by.key, words)

    what = f"{what} {_digest(content)}"

    def change() -> Result:
        with database.of_workshop(by.workshop_id) as session, session.begin():
            if not by.key:
                return work(session)
            done = DoneOnce(key=by.key, what=what, made_by=by.person_id, made_at=now, workshop_id=by.workshop_id)
            session.add(done)
            session.flush()  # who comes second under the same key waits here for the first to end
            done.result = result = work(session)
            return result

    for last in (False, True):
        try:
            return again(change)
        except IntegrityError as error:
            if code_of(error) != DOUBLE:
                raise
            done = _done_before(database, what, by)
            if done is not None:
                return cast(Result, done.result)
            if last:
                raise
    raise AssertionError("unreachable")


def token_for(what: str, by: Who) -> str:
    """The token of a link that a change makes: the change's key again, in the same session, gives the same one.

    What it is made from is known to nobody but the person's browser and the database.
    """
    if not by.key:
        return secrets.token_urlsafe(32)
    made = hmac.digest(by.change_token.encode(), f"{what}\0{by.key}".encode(), "sha256")
    return base64.urlsafe_b64encode(made).decode().rstrip("=")


def _digest(content: Any) -> str:
    written = json.dumps(content, sort_keys=True, default=str)
    return hashlib.sha256(written.encode()).hexdigest()[:16]


def _done_before(database: Database, what: str, by: Who) -> DoneOnce | None:
    """What was done under the person's key before. Raises `InvalidInput` where that was something else."""
    with database.of_workshop(by.workshop_id) as session:
        done = session.get(DoneOnce, (by.workshop_id, by.key)) if by.key else None
    if done is not None and (done.what, done.made_by) != (what, by.person_id):
        raise InvalidInput("Idempotency-Key", by.key, "it was used for another change; each needs a key of its own")
    return done

"""Done by the clock: what nobody needs any more is taken away (ended sessions, old counts, links and keys), and what
cannot be found yet is put under its words."""

from __future__ import annotations

import datetime

from sqlalchemy import delete

from mesotrope.services.door import FORGOTTEN_S
from mesotrope.services.search_index import index_what_is_left
from mesotrope.store.session import Database
from mesotrope.store.tables import DoneOnce, DoorCount, KnownDevice, PasswordLink, SignedIn, Workshop

#: How long a device stays known, and the key of a change stays good, after their last use.
DEVICE_DAYS, KEY_DAYS = 180, 14

#: How often an application does it.
EVERY_S = 600.0


def sweep(database: Database, *, now: datetime.datetime) -> int:
    """Take away what has run out; returns how many rows that were."""

    def before(**age: float) -> datetime.datetime:
        return now - datetime.timedelta(**age)

    old = (
        delete(SignedIn).where(SignedIn.expires_at < now),
        delete(DoorCount).where(DoorCount.last_at < before(seconds=FORGOTTEN_S)),
        delete(PasswordLink).where(PasswordLink.expires_at < now),
        delete(KnownDevice).where(KnownDevice.last_seen < before(days=DEVICE_DAYS)),
    )
    with database.at_the_door() as session, session.begin():
        gone = sum(session.execute(one).rowcount for one in old)  # type: ignore[attr-defined]
        workshops = session.query(Workshop.id).all()
    for (workshop_id,) in workshops:
        with database.of_workshop(workshop_id) as session, session.begin():
            keys = session.execute(delete(DoneOnce).where(DoneOnce.made_at < before(days=KEY_DAYS)))
            gone += keys.rowcount  # type: ignore[attr-defined]
        while True:  # what was written before there was an index
            with database.of_workshop(workshop_id) as session, session.begin():
                if not index_what_is_left(session):
                    break
    return gone

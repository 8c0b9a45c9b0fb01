"""The clock of the product."""

from __future__ import annotations

import datetime


def utc_now() -> datetime.datetime:
    """The moment, UTC without a zone, as the database keeps it."""
    return datetime.datetime.now(datetime.UTC).replace(tzinfo=None)

"""What a form showed, sent along with it, so that nobody undoes unseen what somebody else kept in the meantime."""

from __future__ import annotations

import json
from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from typing import Annotated

from fastapi import Form

from mesotrope.core.language.saying import Sayable, joined, said, verbatim
from mesotrope.errors import Overtaken

#: The hidden field of a form.
Seen = Annotated[str, Form(max_length=20_000)]


def as_seen(lines: Mapping[str, str]) -> str:
    """The lines of a form, for its hidden field.

    >>> as_seen({"town": "Oakford"})
    '{"town":"Oakford"}'
    """
    return json.dumps(lines, ensure_ascii=False, separators=(",", ":"))


def read_seen(text: str) -> dict[str, str] | None:
    """The lines again; None where there are none, or nothing that a page of ours has sent.

    >>> read_seen('{"town":"Oakford"}'), read_seen(""), read_seen("[1]")
    ({'town': 'Oakford'}, None, None)
    """
    try:
        told = json.loads(text)
    except ValueError:
        return None
    return {str(name): str(value) for name, value in told.items()} if isinstance(told, dict) else None


@contextmanager
def naming(labels: Mapping[str, Sayable]) -> Iterator[None]:
    """Name the fields of an `Overtaken` as a person knows them."""
    try:
        yield
    except Overtaken as error:
        raise named(error, labels) from None


def named(error: Overtaken, labels: Mapping[str, Sayable]) -> Overtaken:
    """The same, with the fields as a person knows them, and what stands in each."""
    fields = (
        said("{field}, now “{value}”", field=labels.get(name, name), value=verbatim(value))
        if value
        else said("{field}, now empty", field=labels.get(name, name))
        for name, value in error.theirs.items()
    )
    return Overtaken(error.theirs, error.stands, joined(tuple(fields), "; "))

"""A form that lay open while somebody else kept the same: what each changed stands, what both changed is asked."""

from __future__ import annotations

from collections.abc import Mapping

from mesotrope.errors import Overtaken


def with_theirs(mine: Mapping[str, str], seen: Mapping[str, str] | None, now: Mapping[str, str]) -> dict[str, str]:
    """The fields of a form as they are to be kept: mine where I changed what I saw, else what stands now.

    mine : as they were sent; seen : as the page showed them, None where it does not say; now : as they stand.
    Raises `Overtaken` where somebody else changed a field that I changed too, to something else.

    >>> with_theirs({"name": "A", "town": "old"}, {"name": "B", "town": "old"}, {"name": "B", "town": "new"})
    {'name': 'A', 'town': 'new'}
    >>> with_theirs({"name": "A"}, {"name": "B"}, {"name": "C"})
    Traceback (most recent call last):
        ...
    mesotrope.errors.Overtaken: Somebody else changed this since you opened the page: name. What you wrote still \
stands in its field; keep it once more, and it takes the place of theirs.
    """
    if seen is None:
        return dict(mine)
    changed = {name for name, value in mine.items() if value != seen.get(name, "")}
    out = {name: value if name in changed else now.get(name, value) for name, value in mine.items()}
    if both := [name for name in mine if name in changed and now.get(name, "") not in (seen.get(name, ""), mine[name])]:
        raise Overtaken({name: now.get(name, "") for name in both}, out)
    return out

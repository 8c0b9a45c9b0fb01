"""Findings as paths and values: the places of an inspection laid out flat, and folded up again."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Any

from pydantic import BaseModel

from mesotrope.core.language.remembering import Latest

#: What is laid out flat of the latest models, by identity: they are frozen, and each is gone through many times.
_flat: Latest[tuple[BaseModel, tuple[tuple[str, Any], ...]]] = Latest(32)


def leaves(model: BaseModel | None) -> tuple[tuple[str, Any], ...]:
    """The path and value of every value that was given, in the order of the vocabulary.

    >>> from mesotrope.core.language.inspection import CornerFindings, Pin
    >>> dict(leaves(CornerFindings(pin=Pin(upper="stiff"), rotor_mm=[22.1, None])))
    {'pin.upper': 'stiff', 'rotor_mm.1': 22.1}
    """
    if model is None:
        return ()
    return _flat.of(id(model), lambda: (model, tuple(_laid_out(model, ""))))[1]


def _laid_out(model: BaseModel, prefix: str) -> Iterator[tuple[str, Any]]:
    for name, value in vars(model).items():
        if value is None:  # most of them
            continue
        path = f"{prefix}{name}"
        if isinstance(value, BaseModel):
            yield from _laid_out(value, f"{path}.")
        elif isinstance(value, list):
            for place, item in enumerate(value, start=1):
                if item is not None:
                    yield f"{path}.{place}", item
        else:
            yield path, value


def by_finding(model: BaseModel | None) -> dict[str, list[tuple[str, Any]]]:
    """The same by the name of the finding that a path begins with.

    >>> from mesotrope.core.language.inspection import CornerFindings, Pin
    >>> by_finding(CornerFindings(pin=Pin(upper="stiff", lower="free")))
    {'pin': [('pin.upper', 'stiff'), ('pin.lower', 'free')]}
    """
    out: dict[str, list[tuple[str, Any]]] = {}
    for path, value in leaves(model):
        out.setdefault(path.partition(".")[0], []).append((path, value))
    return out


def nest(values: Mapping[str, Any]) -> dict[str, Any]:
    """Turn paths into nested fields, numbered steps into lists with gaps: `leaves` turned round.

    >>> nest({"pin.upper": "stiff", "rotor_mm.2": 22.1})
    {'pin': {'upper': 'stiff'}, 'rotor_mm': [None, 22.1]}
    """
    out: dict[str, Any] = {}
    for path, value in values.items():
        *steps, last = path.split(".")
        if last.isdigit():
            *steps, name = steps
            place = _down(out, steps).setdefault(name, [])
            place.extend([None] * (int(last) - len(place)))
            place[int(last) - 1] = value
        else:
            _down(out, steps)[last] = value
    return out


def _down(fields: dict[str, Any], steps: list[str]) -> dict[str, Any]:
    for step in steps:
        fields = fields.setdefault(step, {})
    return fields

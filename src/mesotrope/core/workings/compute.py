"""Computing a working: reading what was typed, running it, and carrying its uncertainty."""

from __future__ import annotations

import math
import re
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any

from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.language.saying import Sayable, one_of, said, verbatim
from mesotrope.core.language.units import KEPT, Units
from mesotrope.core.workings.model import Given, Values, Working
from mesotrope.errors import InvalidInput


@dataclass(frozen=True)
class Result:
    """What a working found: values by name, standard uncertainties of some, defaults used, warnings, and details.

    `given` are the figures as they were read, in the unit each is kept in; `knowledge` is what it was computed with.
    """

    working: Working
    given: Values
    values: Values
    uncertainty: Mapping[str, float]
    defaults: tuple[str, ...]
    warnings: tuple[Sayable, ...]
    details: Mapping[str, Any]
    knowledge: Knowledge

    def document(self, say: Callable[[Sayable], str]) -> dict[str, Any]:
        """The answer as plain values, ready for JSON; say : puts sentences into words."""
        out: dict[str, Any] = {"working": self.working.name, **self.values}
        out |= {"formula": self.working.formula, "source": self.knowledge.cite(self.working.source)}
        if self.uncertainty:
            out["uncertainty"] = dict(self.uncertainty)
        if self.defaults:
            out["defaults"] = list(self.defaults)
        if self.warnings:
            out["warnings"] = list(map(say, self.warnings))
        return out | dict(self.details)


def compute(working: Working, typed: Mapping[str, str], knowledge: Knowledge, units: Units = KEPT) -> Result:
    """Compute a working from what was typed by name; a bare figure is in the person's unit.

    Raises `InvalidInput` naming the figure, what was given and what is allowed.

    >>> from mesotrope.core.workings import working_named
    >>> from mesotrope.knowledge import knowledge
    >>> typed = {"turns": "3", "seconds": "4", "inertia_kg_m2": "1.1"}
    >>> spin = compute(working_named("drag-from-spin"), typed, knowledge())
    >>> round(spin.values["drag_torque_nm"], 3), round(spin.uncertainty["drag_torque_nm"], 2)
    (2.592, 0.51)
    """
    names = [given.name for given in working.given]
    for name in typed:
        if name not in names:
            raise InvalidInput(
                name,
                typed[name],
                said("{name} takes {choices}", name=verbatim(working.name), choices=verbatim(", ".join(names))),
            )
    values: Values = {}
    defaults = []
    for given in working.given:
        text = typed.get(given.name, "").strip()
        if not text:
            if given.default is None:
                raise InvalidInput(
                    given.name,
                    "nothing",
                    said(
                        "it is needed: {label}{given}", label=verbatim(given.label), given=verbatim(_unit_words(given))
                    ),
                )
            values[given.name] = _read(given, given.default, KEPT) if given.default else None
            defaults += [f"{given.name}={given.default}"] if given.default else []
        else:
            values[given.name] = _read(given, text, units)
    found = working.run(values, knowledge)
    details, warnings = found.pop("details", {}), tuple(found.pop("warnings", ()))
    return Result(
        working,
        values,
        found,
        _uncertainty(working, values, found, knowledge),
        tuple(defaults),
        warnings,
        details,
        knowledge,
    )


def _unit_words(given: Given) -> str:
    return f", in {given.unit}" if given.unit else ""


def _read(given: Given, text: str, units: Units) -> Any:
    if len(text) > 2000:
        raise InvalidInput(given.name, text[:40], "at most 2000 characters are allowed")
    if given.kind == "text":
        return text
    if given.kind == "word":
        return _word(given, text)
    if given.kind == "numbers":
        parts = [part for part in re.split(r"[;,\s]+", text) if part]
        if not parts:
            raise InvalidInput(given.name, text, "at least one number is needed, several separated by commas")
        return [_number(given, part, units) for part in parts]
    return _number(given, text, units)


def _word(given: Given, text: str) -> str:
    """A word as the working knows it, whatever its case and spaces."""
    plain = {_plain(word): word for word in given.words}
    if _plain(text) not in plain:
        raise InvalidInput(given.name, text, one_of(given.words))
    return plain[_plain(text)]


def _plain(word: str) -> str:
    return re.sub(r"[\s_-]", "", word).lower()


def _number(given: Given, text: str, units: Units) -> float:
    value = units.read(text, given.unit, name=given.name, fine=not given.lining)
    if not (math.isfinite(value) and given.low <= value <= given.high):
        allowed = f"allowed: {units.between(given.low, given.high, given.unit, not given.lining)}"
        raise InvalidInput(
            given.name,
            text,
            allowed if given.high < 1e9 else said("{low} or more is needed", low=verbatim(f"{given.low:g}")),
        )
    return value


def _uncertainty(working: Working, values: Values, found: Values, knowledge: Knowledge) -> dict[str, float]:
    """First-order propagation ([jcgm-100]) by central differences over what has an uncertainty."""
    sds = {
        given.name: math.hypot(given.sd, given.relative_sd * values[given.name])
        for given in working.given
        if given.kind == "number" and (given.sd or given.relative_sd) and values[given.name] is not None
    }
    variance: dict[str, float] = {}
    for name, sd in sds.items():
        step = min(sd, abs(values[name]) or sd) * 1e-3
        high, low = (working.run({**values, name: values[name] + move}, knowledge) for move in (step, -step))
        for key, value in found.items():
            if isinstance(value, float):
                slope = (high[key] - low[key]) / (2 * step)
                variance[key] = variance.get(key, 0.0) + (slope * sd) ** 2
    return {key: math.sqrt(total) for key, total in variance.items()}

"""The number of a mystery vehicle: everything that it is made from, so that the same number is the same vehicle.

Three kinds of numbers, by their size: prepared lessons; vehicles drawn by kind and difficulty, of which the last two
digits tell these; and vehicles made by somebody, in whose digits the faults are written.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass

from mesotrope.core.language.corner import Place, place_named
from mesotrope.core.language.practice import PracticeFigures
from mesotrope.core.language.saying import marked, said, verbatim
from mesotrope.core.language.units import THOUSANDS
from mesotrope.errors import InvalidInput

#: From here on a number is of a vehicle that somebody made.
MADE_FROM = 1_000_000_000

#: The most faults that a made vehicle has, and how many ways there are to draw the rest of it.
MOST_PLANTED, SEEDS = 4, 100

#: Room for faults, severities and ages that come to the lists later, so that old numbers keep their meaning.
_FAULTS, _PLACES, _SEVERITIES, _AGES, _KINDS = 64, 8, 4, 4, 4
_PLANTED = 1 + _FAULTS * _PLACES * _SEVERITIES * _AGES

#: The largest number that a drawn vehicle has before its last two digits.
MOST_DRAWN = MADE_FROM // 100 - 1


@dataclass(frozen=True)
class Planted:
    """A fault that somebody chose: where, which, how grave, and for how long; by the ids of the lists."""

    place: Place
    fault: str
    severity: str
    age: str


@dataclass(frozen=True)
class Drawn:
    """A vehicle drawn from the simulator."""

    kind: str
    difficulty: str
    seed: int


@dataclass(frozen=True)
class Made:
    """A vehicle with chosen faults; the rest of it is drawn."""

    kind: str
    planted: tuple[Planted, ...]
    seed: int


@dataclass(frozen=True)
class Prepared:
    """A prepared lesson."""

    number: int


def read_number(text: str, figures: PracticeFigures) -> int:
    """The number that was typed. Raises `InvalidInput` where no vehicle can have it.

    >>> from mesotrope.knowledge import knowledge
    >>> read_number("4 711 12", knowledge().practice)
    471112
    """
    digits = re.sub(r"(?<=\d)[\s.,'’_-](?=\d)", "", text.strip())
    allowed = marked("digits as they were handed out, say 471112; lessons are 1 to 10")
    if not (digits.isascii() and digits.isdigit()) or len(digits) > 24:
        raise InvalidInput("number of a vehicle", text[:40], allowed)
    number = int(digits)
    try:
        meaning_of(number, figures)
    except ValueError as error:
        raise InvalidInput(
            "number of a vehicle", text[:40], said("no vehicle has it; allowed: {allowed}", allowed=verbatim(allowed))
        ) from error
    return number


def meaning_of(number: int, figures: PracticeFigures) -> Prepared | Drawn | Made:
    """What a number tells. Raises `ValueError` for one that tells nothing.

    >>> from mesotrope.knowledge import knowledge
    >>> meaning_of(471112, knowledge().practice)
    Drawn(kind='car', difficulty='several', seed=4711)
    """
    if number in figures.lessons:
        return Prepared(number)
    if number >= MADE_FROM:
        return _made(number - MADE_FROM, figures)
    seed, kind, difficulty = number // 100, number // 10 % 10, number % 10
    if seed < 1:
        raise ValueError(f"{number} is no lesson")
    return Drawn(_nth(figures.kinds, kind - 1), _nth(figures.difficulties, difficulty - 1), seed)


def number_of_drawn(drawn: Drawn, figures: PracticeFigures) -> int:
    """The number of a drawn vehicle.

    >>> from mesotrope.knowledge import knowledge
    >>> number_of_drawn(Drawn("car", "several", 4711), knowledge().practice)
    471112
    """
    if not 1 <= drawn.seed <= MOST_DRAWN:
        raise InvalidInput("number of the draw", drawn.seed, said("allowed: 1 to {most}", most=verbatim(MOST_DRAWN)))
    kind, difficulty = figures.kinds.index(drawn.kind) + 1, figures.difficulties.index(drawn.difficulty) + 1
    return 100 * drawn.seed + 10 * kind + difficulty


def number_of_made(made: Made, figures: PracticeFigures) -> int:
    """The number of a made vehicle: the order in which its faults were chosen does not matter."""
    codes = sorted((_code(one, figures) for one in made.planted), reverse=True)
    if len(codes) > MOST_PLANTED:
        raise InvalidInput("faults", len(codes), said("at most {most} can be planted", most=verbatim(MOST_PLANTED)))
    number = 0
    for code in codes:
        number = number * _PLANTED + code
    return MADE_FROM + (number * _KINDS + figures.kinds.index(made.kind)) * SEEDS + made.seed % SEEDS


def _made(number: int, figures: PracticeFigures) -> Made:
    number, seed = divmod(number, SEEDS)
    number, kind = divmod(number, _KINDS)
    planted = []
    while number:
        number, code = divmod(number, _PLANTED)
        planted.append(_planted(code, figures))
    if len(planted) > MOST_PLANTED:
        raise ValueError(marked("more faults than can be planted"))
    return Made(_nth(figures.kinds, kind), tuple(reversed(planted)), seed)


def _code(one: Planted, figures: PracticeFigures) -> int:
    code = figures.faults.index(one.fault)
    code = code * _PLACES + figures.places.index(str(one.place))
    code = code * _SEVERITIES + [s.id for s in figures.severity].index(one.severity)
    return 1 + code * _AGES + [a.id for a in figures.age].index(one.age)


def _planted(code: int, figures: PracticeFigures) -> Planted:
    if not code:
        raise ValueError(marked("a fault that is none"))
    code, age = divmod(code - 1, _AGES)
    code, severity = divmod(code, _SEVERITIES)
    fault, where = divmod(code, _PLACES)
    place = place_named(_nth(figures.places, where))
    assert place is not None
    severities, ages = [s.id for s in figures.severity], [a.id for a in figures.age]
    return Planted(place, _nth(figures.faults, fault), _nth(severities, severity), _nth(ages, age))


def _nth(names: Sequence[str], place: int) -> str:
    if not 0 <= place < len(names):
        raise ValueError(f"nothing stands at place {place}")
    return names[place]


def written(number: int) -> str:
    """A number as it is handed out: in threes that a line does not part.

    >>> written(471112), written(7)
    ('471\xa0112', '7')
    """
    return f"{number:,}".replace(",", THOUSANDS)

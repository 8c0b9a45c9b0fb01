"""How sure something is: in words first, the figure second."""

from __future__ import annotations

from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.language.saying import Sayable, chance_of, said


def odds_of(chance: float, knowledge: Knowledge) -> str:
    """What a chance is called, as it is shown: in whole percents.

    >>> from mesotrope.knowledge import knowledge
    >>> [odds_of(chance, knowledge()) for chance in (0.999, 0.9, 0.4951, 0.3, 0.05)]
    ['nearly certain', 'very likely', 'likely', 'possible', 'unlikely']
    """
    return next(one.words for one in knowledge.odds if round(chance, 2) >= one.least)


def likely(chance: float, knowledge: Knowledge) -> Sayable:
    """A chance in words, and its figure.

    >>> from mesotrope.knowledge import knowledge
    >>> from mesotrope.words import PLAINLY
    >>> PLAINLY(likely(0.93, knowledge()))
    'very likely, 93 %'
    """
    return said("{odds}, {chance}", odds=odds_of(chance, knowledge), chance=chance_of(chance))

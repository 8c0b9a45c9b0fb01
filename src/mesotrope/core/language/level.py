"""The fluid level in words: 0 is the MIN mark, 1 the MAX mark."""

from __future__ import annotations

from mesotrope.core.language.saying import Sayable, marked, plain, said

#: Levels that have a word of their own, as they are written in a field.
NAMED = {0.0: "MIN", 0.5: "half", 1.0: "MAX"}


def level_written(level: float) -> str:
    """A level as it stands in its field: as it is said where there is a word, else as a share of the way.

    >>> [level_written(level) for level in (1.0, 0.5, 0.75, 0.0, -0.2, 1.3)]
    ['MAX', 'half', '75 %', 'MIN', '-0.2', '1.3']
    """
    if level in NAMED:
        return NAMED[level]
    return f"{100 * level:g} %" if 0 < level < 1 else f"{level:g}"


def level_said(level: float) -> Sayable:
    """A level as a sentence says it.

    >>> level_said(1.0), level_said(-0.2)
    ('at MAX', 'under MIN')
    """
    if level in NAMED:
        return "half" if level == 0.5 else f"at {NAMED[level]}"
    if level < 0:
        return marked("under MIN")
    if level > 1:
        return marked("over MAX")
    return said("{share} of the way to MAX", share=plain(100 * level, "%", 0))

"""Cells of a table that goes out as CSV: none that a spreadsheet would run, and back again."""

from __future__ import annotations

#: A cell that begins so would be run as a formula by a spreadsheet.
_RUNS = ("=", "+", "-", "@", "\t", "\r")


def defused(value: object) -> str:
    """A cell that no spreadsheet runs: text that begins like a formula gets an apostrophe before it.

    >>> defused("=1+1"), defused(-0.2), defused("seized")
    ("'=1+1", '-0.2', 'seized')
    """
    text = f"{value:.12g}" if isinstance(value, float) else str(value)
    return "'" + text if isinstance(value, str) and text.startswith((*_RUNS, "'")) else text


def undefused(text: str) -> str:
    """Take the apostrophe of `defused` away again."""
    return text[1:] if text.startswith("'") and text[1:].startswith((*_RUNS, "'")) else text

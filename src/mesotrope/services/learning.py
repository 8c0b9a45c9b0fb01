"""Learning from many closed cases, on every core: counts, and whether the learnt tables lead."""

from __future__ import annotations

import os
from collections.abc import Callable, Sequence
from concurrent.futures import Executor, ProcessPoolExecutor
from contextlib import contextmanager
from dataclasses import dataclass
from functools import lru_cache, partial
from multiprocessing import get_context
from typing import Any, TypeVar

from threadpoolctl import threadpool_limits

from mesotrope.core.answer.answer import overview
from mesotrope.core.inference.vehicle_space import forget_spaces
from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.learning.closed import read_closed
from mesotrope.core.learning.counts import Counting, Counts, total
from mesotrope.core.learning.prequential import LAST, Predicted, Standing, predicted, standing
from mesotrope.core.learning.tables import learnt
from mesotrope.knowledge import knowledge

#: After how many cases the first tables are made that are held against the expert's.
FIRST_VERSION = 25

#: Fewer cases than this are not worth a second process.
ALONE = 40

Made = TypeVar("Made")


@dataclass(frozen=True)
class Learnt:
    """What closed cases taught: the counts, those they began with, and how the learnt tables stand."""

    counts: Counts
    standing: Standing

    def tables(self, expert: Knowledge) -> Knowledge:
        """The tables that are used: the learnt ones only while they lead."""
        return learnt(expert, self.counts) if self.standing.leads else expert


def versions_at(cases: int) -> list[int]:
    """After how many cases tables are made that predict the next ones: at each doubling, as far as the last `LAST`
    cases, which alone are judged, are predicted by them.

    >>> versions_at(60), versions_at(130), versions_at(5000)
    ([0, 25, 50], [30, 50, 100], [4900])
    """
    first = max(0, cases - LAST)
    doublings, after = [], FIRST_VERSION
    while after < cases:
        doublings.append(after)
        after *= 2
    return [first, *(one for one in doublings if one > first)]


def learn_from(lines: Sequence[str], prior: Counts | None = None) -> Learnt:
    """Learn from closed cases, one a line and checked before; the last are each predicted by what was learnt before.

    prior : counts that are there already, of this workshop or of a chain.
    """
    prior = prior or Counts()
    with _cores(len(lines)) as each:
        read = list(each(_read_by_expert, lines))
        expert = [one for _, one in read]
        by_learnt: list[Predicted] = []
        starts = versions_at(len(lines))
        so_far = total([prior, *(counts for counts, _ in read[: starts[0]])])
        for start, end in zip(starts, [*starts[1:], len(lines)], strict=True):
            here = lines[start:end]
            by_learnt += list(each(partial(_predicted_by_learnt, so_far), here)) if so_far.cases else expert[start:end]
            so_far = total([so_far, *(counts for counts, _ in read[start:end])])
    return Learnt(so_far, standing(expert[-LAST:], by_learnt))


@contextmanager
def _cores(cases: int) -> Any:
    """A `map` over all cores, where there is enough to do."""
    if cases < ALONE or (os.cpu_count() or 1) < 2:
        yield map
        return
    with ProcessPoolExecutor(
        mp_context=get_context("forkserver"), initializer=threadpool_limits, initargs=(1,)
    ) as pool:
        yield _mapped(pool)


def _mapped(pool: Executor) -> Callable[[Callable[[str], Made], Sequence[str]], Any]:
    return lambda work, lines: pool.map(work, lines, chunksize=8)


#: A process forgets the structures it has built after so many cases, so that its memory stays where it is.
FORGETS_AFTER = 120


@dataclass
class _Reading:
    """What a process keeps while it reads cases."""

    counting: Counting
    left: int = FORGETS_AFTER


@lru_cache(maxsize=1)
def _reading() -> _Reading:
    return _Reading(Counting(knowledge()))


def _read_by_expert(line: str) -> tuple[Counts, Predicted]:
    known, reading = knowledge(), _reading()
    if reading.left == 0:
        forget_spaces()
        reading.counting, reading.left = Counting(known), FORGETS_AFTER
    reading.left -= 1
    case = read_closed(line, known)
    short = overview(case.inspection, known)
    return reading.counting.counts_of(case, short), predicted(case, short.chances, known)


#: The learnt tables that this process made last, and of which counts.
_made: dict[str, tuple[Counts, Knowledge]] = {}


def _predicted_by_learnt(counts: Counts, line: str) -> Predicted:
    if not _made or _made["last"][0] != counts:
        forget_spaces()  # those of earlier tables are never asked for again
        _made["last"] = (counts, learnt(knowledge(), counts))
    known = _made["last"][1]
    case = read_closed(line, known)
    return predicted(case, overview(case.inspection, known).chances, known)

"""Learning from many closed cases, on every core: counts, and whether the learnt tables lead."""

from __future__ import annotations

import ctypes
import os
import signal
from collections.abc import Callable, Iterator, Mapping, Sequence
from concurrent.futures import Executor, ProcessPoolExecutor
from contextlib import contextmanager
from dataclasses import dataclass
from functools import lru_cache, partial
from multiprocessing import get_context
from typing import Any, TypeVar

from mesotrope.core.answer.answer import overview
from mesotrope.core.inference.corner_found import forget_tables
from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.learning.chain import ALL, WEIGHTS, weight_that_predicts_best
from mesotrope.core.learning.closed import read_closed
from mesotrope.core.learning.counts import Counts, total
from mesotrope.core.learning.prequential import LAST, Predicted, Standing, predicted, standing
from mesotrope.core.learning.reading import Counting
from mesotrope.core.learning.tables import learnt
from mesotrope.frugal import be_frugal
from mesotrope.knowledge import knowledge

#: After how many cases the first tables are made that are held against the expert's, and after how many more at most
#: the next.
FIRST_VERSION, MOST_BETWEEN = 25, 400

#: The number by which the kernel is asked for a signal when the parent ends.
PR_SET_PDEATHSIG = 1

#: Fewer cases than this are not worth a second process.
ALONE = 40

Made = TypeVar("Made")

#: Maps a function over lines, on every core where that is worth it.
Each = Callable[[Callable[[str], Any], Sequence[str]], Iterator[Any]]

#: What a case adds, and how the expert's tables predicted it.
ReadCase = tuple[Counts, Predicted]

#: How a case was predicted with each weight of the chain's counts.
ByWeight = Mapping[float, Predicted]


@dataclass(frozen=True)
class Learnt:
    """What closed cases taught: the counts, those they began with, and how the learnt tables stand.

    prior_weight : how much of the counts that they began with is in them; origin : a number for whose they are.
    """

    counts: Counts
    standing: Standing
    prior_weight: float = ALL
    origin: str = ""

    def tables(self, expert: Knowledge) -> Knowledge:
        """The tables that are used: the learnt ones only while they lead."""
        return learnt(expert, self.counts) if self.standing.leads else expert


def versions_at(cases: int, first: int = 0) -> list[int]:
    """After how many cases tables are made that predict the next ones, from the first that is predicted on: at each
    doubling, and at the latest after `MOST_BETWEEN` more.

    >>> versions_at(60), versions_at(130, 30), versions_at(5000, 4900), versions_at(1000)
    ([0, 25, 50], [30, 50, 100], [4900], [0, 25, 50, 100, 200, 400, 800])
    """
    after, out = FIRST_VERSION, [first]
    while after < cases:
        if after > first:
            out.append(after)
        after += min(after, MOST_BETWEEN)
    return out


def learn_from(lines: Sequence[str], prior: Counts | None = None) -> Learnt:
    """Learn from closed cases, one a line and checked before; the last are each predicted by what was learnt before.

    prior : counts that are there already, of this workshop or of a chain; they are taken in full, or in so small a part
    as predicts better.
    """
    prior = prior or Counts()
    first = max(0, len(lines) - LAST)
    with on_all_cores(len(lines)) as each:
        read: list[ReadCase] = list(each(read_by_expert, lines))
        own = total(counts for counts, _ in read[:first])
        told = predict_in_turn(each, lines[first:], read[first:], own, prior, done=first)
    weight = weight_that_predicts_best(told)
    counts = total([prior.times(weight) if weight != ALL else prior, *(counts for counts, _ in read)])
    return Learnt(counts, standing([expert for _, expert in read[first:]], [one[weight] for one in told]), weight)


def predict_in_turn(
    each: Each, lines: Sequence[str], read: Sequence[ReadCase], own: Counts, chain: Counts, *, done: int
) -> list[ByWeight]:
    """Predict each case by the tables learnt from those before it, with each weight of the chain's counts.

    own : counts of the `done` cases before the first of these lines.
    """
    weights = WEIGHTS if chain.cases else (ALL,)
    out: list[ByWeight] = []
    starts = [start - done for start in versions_at(done + len(lines), done)]
    for start, end in zip(starts, [*starts[1:], len(lines)], strict=True):
        here = lines[start:end]
        by_weight = {}
        for weight in weights:
            counts = total([chain.times(weight), own])
            expert = [one for _, one in read[start:end]]
            by_weight[weight] = list(each(partial(predict_by, counts), here)) if counts.cases else expert
        out += [{weight: told[at] for weight, told in by_weight.items()} for at in range(len(here))]
        own = total([own, *(counts for counts, _ in read[start:end])])
    return out


@contextmanager
def on_all_cores(cases: int) -> Iterator[Each]:
    """A `map` over all cores, where there is enough to do."""
    if cases < ALONE or (os.cpu_count() or 1) < 2:
        yield map
        return
    pool = ProcessPoolExecutor(mp_context=get_context("spawn"), initializer=_begin, initargs=(os.getpid(),))
    try:
        yield _mapped(pool)
    finally:
        pool.shutdown(cancel_futures=True)


def _begin(parent: int) -> None:
    """One thread for each process, which ends with the one that started it, however that ends."""
    be_frugal()
    ctypes.CDLL(None).prctl(PR_SET_PDEATHSIG, signal.SIGKILL)
    if os.getppid() != parent:
        os._exit(1)


def _mapped(pool: Executor) -> Callable[[Callable[[str], Made], Sequence[str]], Iterator[Made]]:
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


def read_by_expert(line: str) -> ReadCase:
    """Read a case with the expert's tables. Forgets the structures that this process has built, now and then."""
    known, reading = knowledge(), _reading()
    if reading.left == 0:
        forget_tables()
        reading.counting, reading.left = Counting(known), FORGETS_AFTER
    reading.left -= 1
    case = read_closed(line, known)
    short = overview(case.inspection, known)
    return reading.counting.counts_of(case, short), predicted(case, short.chances, known)


#: The learnt tables that this process made last, and of which counts.
_made: dict[str, tuple[Counts, Knowledge]] = {}


def predict_by(counts: Counts, line: str) -> Predicted:
    """Predict a case by learnt tables."""
    if not _made or _made["last"][0] != counts:
        forget_tables()  # those of earlier tables are never asked for again
        _made["last"] = (counts, learnt(knowledge(), counts))
    known = _made["last"][1]
    case = read_closed(line, known)
    return predicted(case, overview(case.inspection, known).chances, known)

"""How a process uses its machine: one thread for its arithmetic, and memory that is free is given back."""

from __future__ import annotations

import ctypes
import resource
from contextlib import suppress
from pathlib import Path

from threadpoolctl import threadpool_limits

#: The allocator's knobs by their numbers in `malloc.h`: from how many free bytes at its end on memory is given back;
#: from how many on a piece is a mapping of its own, which is given back at once; and how many heaps there are.
M_TRIM_THRESHOLD, M_MMAP_THRESHOLD, M_ARENA_MAX = -1, -3, -8

#: What one answer needs for a moment is kept for the next: memory that was given back has to be had, page by page, anew
#: (a sixth of an answer's time where half of this is kept). What is larger than any needed for a moment is given
#: back at once, since free room between what is kept is seldom where the next of them fits.
KEPT_BYTES, LARGE_BYTES = 8_000_000, 2_000_000


def be_frugal() -> None:
    """Keep this process small and to itself; where the C library has no such knobs, only its threads are limited.

    The allocator raises both thresholds by itself with every large array that is freed, and then keeps what it has; and
    it would give every thread a heap of its own, of which only one is worked in at a time.
    """
    threadpool_limits(1)  # the arrays are small: threads would wait for each other
    with suppress(AttributeError, OSError):
        mallopt = ctypes.CDLL(None).mallopt
        for knob, value in (M_TRIM_THRESHOLD, KEPT_BYTES), (M_MMAP_THRESHOLD, LARGE_BYTES), (M_ARENA_MAX, 1):
            mallopt(knob, value)


def taken_mb() -> float:
    """How much memory this process has now, MB; where the system does not tell, the most that it ever had."""
    try:
        pages = int(Path("/proc/self/statm").read_text().split()[1])
    except (OSError, ValueError, IndexError):
        return resource.getrusage(resource.RUSAGE_SELF).ru_maxrss * 1024 / 1e6
    return pages * resource.getpagesize() / 1e6


def give_back() -> None:
    """Give back what is free between what is kept, too: some milliseconds, so by the clock and not at every answer."""
    with suppress(AttributeError, OSError):
        ctypes.CDLL(None).malloc_trim(0)

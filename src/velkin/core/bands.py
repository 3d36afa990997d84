"""Work over pixels in bands, on all cores that the caller may take at once."""

from __future__ import annotations

import threading
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from functools import lru_cache
from typing import Any

from velkin.core.cores import all_cores, cores_here


@lru_cache(maxsize=1)
def _pool() -> ThreadPoolExecutor:
    return ThreadPoolExecutor(all_cores(), thread_name_prefix="kernel")


#: Pixels of a band: what three of them take as floats stays near the processor.
BAND = 65536
_here = threading.local()


def within_band() -> bool:
    """Whether the caller works on a band: such a one must never wait for another thread, which may itself wait for the bands."""
    return getattr(_here, "within", False)


def in_bands(work: Callable[[int, int], Any], number: int, band: int = BAND) -> list[Any]:
    """What `work(first, last)` gives for bands of `band` pixels (or rows) at most that together are all, in order, on all cores.

    The bands are of one size and as many for each core, so that none waits for another's last. Called from within such a band it is one
    band: the cores are at work already, and a pool that waits for itself would wait for ever. A thread whose share is one core goes
    through its bands by itself.
    """
    if number <= band or within_band():
        return [work(0, number)]
    if cores_here() == 1:
        return [work(first, min(first + band, number)) for first in range(0, number, band)]

    rounds = -(-number // (band * all_cores()))
    size = -(-number // (rounds * all_cores()))

    def one(first: int) -> Any:
        _here.within = True
        try:
            return work(first, min(first + size, number))
        finally:
            _here.within = False

    return list(_pool().map(one, range(0, number, size)))

"""Loops over pixels compiled by numba, run over bands on all cores."""

from __future__ import annotations

import os
import threading
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from functools import lru_cache
from typing import Any

#: What may be done with sums without changing what is no number: such stays such, and is not assumed away.
_FREE = {"reassoc", "contract", "arcp", "afn", "nsz"}


def jit(function: Callable[..., Any]) -> Any:
    """Compiled on first use, and kept for the next start where there is a folder to keep it in."""
    return _compiled(function, fastmath=_FREE)


def exact_jit(function: Callable[..., Any]) -> Any:
    """As `jit`, with sums in the order written: for loops that must agree to the bit."""
    return _compiled(function, fastmath=False)


def _compiled(function: Callable[..., Any], fastmath: bool | set[str]) -> Any:
    import numba  # takes a moment to load; only who runs loops waits for it

    options = {"nogil": True, "fastmath": fastmath, "error_model": "numpy"}
    try:
        return numba.njit(cache=True, **options)(function)
    except RuntimeError:  # neither beside the program nor in the user's cache may be written
        return numba.njit(**options)(function)


@lru_cache(maxsize=1)
def _pool() -> ThreadPoolExecutor:
    return ThreadPoolExecutor(os.cpu_count() or 2, thread_name_prefix="kernel")


#: Pixels of a band: what three of them take as floats stays near the processor.
BAND = 65536
_here = threading.local()


def within_band() -> bool:
    """Whether the caller works on a band: such a one must never wait for another thread, which may itself wait for the bands."""
    return getattr(_here, "within", False)


def in_bands(work: Callable[[int, int], Any], number: int, band: int = BAND) -> list[Any]:
    """What `work(first, last)` gives for bands of `band` pixels (or rows) that together are all, in order, on all cores.

    Called from within such a band it is one band: the cores are at work already, and a pool that waits for itself would wait for ever.
    """
    if number <= band or within_band():
        return [work(0, number)]

    def one(first: int) -> Any:
        _here.within = True
        try:
            return work(first, min(first + band, number))
        finally:
            _here.within = False

    return list(_pool().map(one, range(0, number, band)))

"""Loops over pixels compiled by numba, run over bands on all cores."""

from __future__ import annotations

import itertools
import os
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from functools import lru_cache
from typing import Any

import numpy as np


def jit(function: Callable[..., Any]) -> Any:
    """Compiled on first use, and kept for the next start where there is a folder to keep it in."""
    return _compiled(function, fastmath=True)


def exact_jit(function: Callable[..., Any]) -> Any:
    """As `jit`, with sums in the order written and what is no number as such: for loops that must agree to the bit, and for those in
    which a number from a picture becomes the place in a table."""
    return _compiled(function, fastmath=False)


def _compiled(function: Callable[..., Any], fastmath: bool) -> Any:
    import numba  # takes a moment to load; only who runs loops waits for it

    options = {"nogil": True, "fastmath": fastmath, "error_model": "numpy"}
    try:
        return numba.njit(cache=True, **options)(function)
    except RuntimeError:  # neither beside the program nor in the user's cache may be written
        return numba.njit(**options)(function)


@lru_cache(maxsize=1)
def _pool() -> ThreadPoolExecutor:
    return ThreadPoolExecutor(os.cpu_count() or 2, thread_name_prefix="kernel")


def in_bands(work: Callable[[int, int], Any], pixels: int) -> list[Any]:
    """What `work(first, last)` gives for bands that together are all pixels, in order, on all cores."""
    parts = min(2 * (os.cpu_count() or 2), max(1, pixels // 65536))
    edges = np.linspace(0, pixels, parts + 1).astype(int).tolist()
    if parts == 1:
        return [work(0, pixels)]
    return list(_pool().map(lambda ends: work(*ends), itertools.pairwise(edges)))

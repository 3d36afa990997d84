"""How many of the machine's cores a thread may take: all of them, or its share where several work side by side."""

from __future__ import annotations

import os
import threading
from concurrent.futures import ThreadPoolExecutor

_here = threading.local()


def all_cores() -> int:
    """The machine's cores."""
    return os.cpu_count() or 1


def cores_here() -> int:
    """How many cores the calling thread may take at once."""
    return getattr(_here, "share", None) or all_cores()


def side_by_side(count: int, name: str = "") -> ThreadPoolExecutor:
    """A pool of `count` threads that each work on a whole file with their share of the cores, one at least.

    Where each took all cores, they would wait for each other at every step, and whoever draws the window would wait for them all.
    LibRaw's OpenMP begins as many threads as the share. Where it is one core a thread goes through its bands of pixels by itself
    (`bands.in_bands`); where it is more, all of them take turns at one pool of as many threads as there are cores.
    """
    share = max(1, all_cores() // count)

    def begin() -> None:
        _here.share = share
        if share < all_cores():
            from threadpoolctl import threadpool_limits  # loaded where needed

            threadpool_limits(share, user_api="openmp")

    return ThreadPoolExecutor(count, thread_name_prefix=name, initializer=begin)

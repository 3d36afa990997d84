"""Threads that work for the window."""

from __future__ import annotations

import os
import sys
import threading
from concurrent.futures import ThreadPoolExecutor

#: Steps of niceness by which workers stand behind the window, sched(7).
_BEHIND = 5


def workers(count: int, name: str) -> ThreadPoolExecutor:
    """A pool of threads that give way to the window where all cores are busy, so that what the hand does is drawn at once.

    On Linux niceness is each thread's own; threads that a worker begins, as those of compiled loops, take its niceness over.
    """
    return ThreadPoolExecutor(count, thread_name_prefix=name, initializer=_give_way)


def _give_way() -> None:
    if sys.platform == "linux":
        os.setpriority(os.PRIO_PROCESS, threading.get_native_id(), _BEHIND)

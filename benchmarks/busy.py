"""A machine of which other work has a core."""

from __future__ import annotations

import subprocess
import sys
from collections.abc import Iterator
from contextlib import contextmanager


@contextmanager
def one_core_busy(on: bool = True) -> Iterator[None]:
    """Inside, another process keeps one core busy; or none does."""
    other = subprocess.Popen([sys.executable, "-c", "while True: pass"]) if on else None
    try:
        yield
    finally:
        if other is not None:
            other.kill()
            other.wait()

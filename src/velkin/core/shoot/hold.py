"""Who has a shoot open: one window at a time changes it; another may look.

The hold is an advisory lock (flock(2)) on a small file beside the shoot, so that it ends with the program, however that ends, and holds
for all users of a shared folder. SQLite's own locks are others and are not touched.
"""

from __future__ import annotations

import contextlib
import fcntl
import os
from pathlib import Path


class Hold:
    """A held shoot; `end` lets it go."""

    def __init__(self, path: Path, descriptor: int) -> None:
        self._path, self._descriptor = path, descriptor

    @classmethod
    def take(cls, shoot: Path) -> Hold | None:
        """Hold a shoot; None where another window has it. Where no lock can be made, as in a folder that cannot be written, it is
        held without one.
        """
        path = hold_path(shoot)
        try:
            descriptor = os.open(path, os.O_RDWR | os.O_CREAT | os.O_CLOEXEC, 0o666)
        except OSError:
            return cls(path, -1)
        try:
            fcntl.flock(descriptor, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except BlockingIOError:
            os.close(descriptor)
            return None
        except OSError:  # a file system without locks
            os.close(descriptor)
            return cls(path, -1)
        return cls(path, descriptor)

    def end(self) -> None:
        """Let the shoot go."""
        if self._descriptor >= 0:
            with contextlib.suppress(OSError):
                self._path.unlink()  # still held, so that nobody else's is taken away
            os.close(self._descriptor)
            self._descriptor = -1


def hold_path(shoot: Path) -> Path:
    """The file that a shoot is held by."""
    return shoot.with_name(f".{shoot.name}.open")

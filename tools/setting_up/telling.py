"""How set-up speaks: lines of what it does, and one line when it cannot go on."""

from __future__ import annotations

import sys
import threading
import time
from collections.abc import Callable


class Stop(Exception):
    """Set-up cannot go on; the message says why and what to do."""


def say(text: str) -> None:
    """One line of what is being done."""
    print(f"set-up: {text}", flush=True)


def stop(reason: object) -> int:
    """The line that says why set-up ends here; the exit status."""
    print(f"set-up cannot go on: {reason}", file=sys.stderr, flush=True)
    return 1


def shown(text: str) -> str:
    """The last line of a program's messages that says something."""
    lines = [line.strip() for line in text.splitlines() if line.strip()]
    return lines[-1] if lines else "it said nothing"


class Heartbeat:
    """Says how far a silent piece of work is, every few seconds in which nothing else was said.

    Parameters
    ----------
    words : callable
        Gives the line to say, or an empty text for none.
    """

    def __init__(self, words: Callable[[], str], every: float = 5.0) -> None:
        self._words, self._every = words, every
        self._last = time.monotonic()
        self._over = threading.Event()
        self._thread = threading.Thread(target=self._beat, daemon=True)

    def __enter__(self) -> Heartbeat:
        self._thread.start()
        return self

    def __exit__(self, *_: object) -> None:
        self._over.set()
        self._thread.join()

    def say(self, text: str) -> None:
        """A line of its own; the next beat waits again."""
        self._last = time.monotonic()
        say(text)

    def _beat(self) -> None:
        while not self._over.wait(0.5):
            if time.monotonic() - self._last >= self._every:
                self._last = time.monotonic()
                if text := self._words():
                    say(text)

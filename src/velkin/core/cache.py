"""Results kept for the next who asks: one way for tables, pictures and figures.

Within a budget of bytes, those used last longest; when several threads ask for one that is not there, one makes it and the others wait.
"""

from __future__ import annotations

import dataclasses
import functools
import os
import threading
from collections import OrderedDict
from collections.abc import Callable, Hashable
from pathlib import Path
from typing import Any, Generic, TypeVar

from velkin.core.bands import within_band

V = TypeVar("V")
_F = TypeVar("_F", bound=Callable[..., Any])

#: What a result is taken to weigh that does not say it.
_PLAIN = 1024


def weight(value: Any) -> int:
    """Bytes that a result holds on to, by the arrays in it, in tuples of them and in the fields of dataclasses."""
    if hasattr(value, "nbytes"):
        return int(value.nbytes)
    if isinstance(value, tuple):
        return sum(weight(v) for v in value)
    if dataclasses.is_dataclass(value):
        return sum(weight(getattr(value, f.name)) for f in dataclasses.fields(value))
    return _PLAIN


def file_stamp(path: Path) -> tuple[str, int, int, int]:
    """What a key says of a file, so that nothing kept outlives a change of it; of a missing file, that it is missing."""
    try:
        found = os.stat(path)
    except OSError:
        return str(path), -1, -1, -1
    return str(path), found.st_mtime_ns, found.st_size, found.st_ino


class Cache(Generic[V]):
    """Results by key. All methods may be called from any thread.

    Parameters
    ----------
    budget : int
        Bytes; the newest result stays even if it alone is more.
    weigh : callable
        Bytes of a result.

    Examples
    --------
    >>> squares: Cache[int] = Cache(4096)
    >>> squares.made(3, lambda: 9)
    9
    >>> squares.made(3, lambda: 0)
    9
    """

    def __init__(self, budget: int, weigh: Callable[[V], int] = weight) -> None:
        self._budget, self._weigh = budget, weigh
        self._kept: OrderedDict[Hashable, tuple[V, int]] = OrderedDict()
        self._total = 0
        self._lock = threading.Lock()
        self._making: dict[Hashable, threading.Lock] = {}

    def get(self, key: Hashable) -> V | None:
        """The result under a key, None where it is not there."""
        with self._lock:
            if key not in self._kept:
                return None
            self._kept.move_to_end(key)
            return self._kept[key][0]

    def put(self, key: Hashable, value: V) -> None:
        """Keep a result."""
        size = self._weigh(value)
        with self._lock:
            self._drop(key)
            self._kept[key] = (value, size)
            self._total += size
            self._make_room()

    def made(self, key: Hashable, make: Callable[[], V]) -> V:
        """The result under a key, made now where it is not there; what `make` raises is raised and nothing is kept."""
        found = self.get(key)
        if found is not None:
            return found
        if within_band():  # whoever makes it may be waiting for this very band
            found = make()
            self.put(key, found)
            return found
        with self._lock:
            gate = self._making.setdefault(key, threading.Lock())
        try:
            with gate:
                found = self.get(key)
                if found is None:
                    found = make()
                    self.put(key, found)
                return found
        finally:
            with self._lock:
                self._making.pop(key, None)

    def forget(self, concerned: Callable[[Any], bool]) -> None:
        """Drop the results whose keys are concerned."""
        with self._lock:
            for key in [k for k in self._kept if concerned(k)]:
                self._drop(key)

    def clear(self) -> None:
        """Drop everything."""
        with self._lock:
            self._kept.clear()
            self._total = 0

    def keep_within(self, budget: int) -> None:
        """Another budget from now on; what is too much for it goes."""
        with self._lock:
            self._budget = budget
            self._make_room()

    @property
    def total(self) -> int:
        """Bytes that are kept now."""
        return self._total

    def _make_room(self) -> None:
        while len(self._kept) > 1 and self._total > self._budget:
            self._drop(next(iter(self._kept)))

    def _drop(self, key: Hashable) -> None:
        found = self._kept.pop(key, None)
        if found is not None:
            self._total -= found[1]


def cached(budget: int) -> Callable[[_F], _F]:
    """A function of hashable arguments, given by place, whose results are kept (`Cache`), within so many bytes."""

    def keeping(function: _F) -> _F:
        kept: Cache[Any] = Cache(budget)

        @functools.wraps(function)
        def asked(*arguments: Any) -> Any:
            return kept.made(arguments, lambda: function(*arguments))

        return asked  # type: ignore[return-value]

    return keeping

"""How the long targets tell how far they are: lines on standard error, a few a minute."""

from __future__ import annotations

import functools
import sys
import time
from collections.abc import Callable, Iterable, Iterator
from typing import TypeVar

T = TypeVar("T")


def tell(words: str) -> None:
    """One line of what is being done."""
    print(words, file=sys.stderr, flush=True)


def counted(items: Iterable[T], total: int, words: str, every: float = 5.0) -> Iterator[T]:
    """The items as they come; now and then their number is told."""
    last = time.monotonic()
    for number, item in enumerate(items, start=1):
        if time.monotonic() - last >= every or number == total:
            last = time.monotonic()
            tell(f"{words}: {number} of {total}")
        yield item


def told(words: str) -> Callable[[Callable[..., T]], Callable[..., T]]:
    """Decorates a piece of long work: its words are told as it begins, and its seconds as it ends."""

    def around(work: Callable[..., T]) -> Callable[..., T]:
        @functools.wraps(work)
        def telling(*args: object, **named: object) -> T:
            tell(f"{words} …")
            begun = time.monotonic()
            result = work(*args, **named)
            tell(f"{words}: {time.monotonic() - begun:.0f} s")
            return result

        return telling

    return around

"""How much memory a window may keep pictures in, and what of it each kind of picture gets."""

from __future__ import annotations

import os
from dataclasses import dataclass

#: Bytes that a window always may keep: one picture of usual size as decoded and as seen.
LEAST = 500_000_000


def of_this_machine() -> int:
    """Bytes of memory that this machine has."""
    return os.sysconf("SC_PAGE_SIZE") * os.sysconf("SC_PHYS_PAGES")


def usual() -> int:
    """Bytes that are kept where nobody says otherwise: a quarter of what the machine has."""
    return max(of_this_machine() // 4, LEAST)


@dataclass(frozen=True)
class Shares:
    """Bytes for pictures as decoded, as rendered to the working space, as drawn, and for what drawing goes through on its way."""

    decoded: int
    rendered: int
    drawn: int
    pieces: int

    @staticmethod
    def of(total: int) -> Shares:
        """What each gets of so many bytes."""
        return Shares(total * 56 // 100, total * 25 // 100, total * 6 // 100, total * 13 // 100)

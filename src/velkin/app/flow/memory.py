"""How much memory a window may keep pictures in, and what of it each kind of picture gets."""

from __future__ import annotations

import os
from dataclasses import dataclass

from PyQt6.QtCore import QSettings

#: Bytes that a window always may keep: one picture of usual size as decoded and as seen.
LEAST = 500_000_000
_KEY = "memory"


def of_this_machine() -> int:
    """Bytes of memory that this machine has."""
    return os.sysconf("SC_PAGE_SIZE") * os.sysconf("SC_PHYS_PAGES")


def usual() -> int:
    """Bytes that are kept where nobody says otherwise: a quarter of what the machine has."""
    return max(of_this_machine() // 4, LEAST)


def remembered(settings: QSettings) -> int:
    """Bytes as they were set, or as usual; never more than the machine has."""
    try:
        found = int(settings.value(_KEY, 0))
    except (TypeError, ValueError):  # whatever else stands in the file
        found = 0
    return min(max(found, LEAST), of_this_machine()) if found > 0 else usual()


def remember(settings: QSettings, total: int | None) -> None:
    """Keep what is set; None for as usual, also on a machine with more memory later."""
    if total is None:
        settings.remove(_KEY)
    else:
        settings.setValue(_KEY, total)


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

"""Which files are taken for raw by their names."""

from __future__ import annotations

from pathlib import Path

_NAMES = "3fr arw cr2 cr3 crw dcr dng erf fff iiq kdc mef mos mrw nef nrw orf pef raf raw rw2 rwl sr2 srf srw x3f"
#: Ends of names; what the files are is decided by opening them.
SUFFIXES = frozenset(f".{name}" for name in _NAMES.split(" "))


def is_raw_name(path: Path) -> bool:
    """Whether a file's name ends like a raw file's."""
    return path.suffix.lower() in SUFFIXES

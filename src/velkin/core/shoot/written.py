"""Files that were handed off of a shoot, as they were then."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path


@dataclass(frozen=True)
class WrittenDetails:
    """How a file was written and checked, as it was then.

    Attributes
    ----------
    space, file, size, intent, metadata : str
        In words: the space embedded, the format, the size rule, the intent, what of the metadata was kept.
    width, height, bytes : int
    before, after : float
        Share outside without easings, and with them.
    light, profile : str
    checks : tuple of (about, ok, finding)
    kept : bool
        Whether the source's own numbers were kept.
    left : str
        What of the source the file does not hold, in words.
    """

    space: str
    file: str
    size: str
    intent: str
    metadata: str
    width: int
    height: int
    bytes: int
    before: float
    after: float
    light: str
    profile: str
    checks: tuple[tuple[str, bool, str], ...]
    kept: bool
    left: str = ""


@dataclass(frozen=True)
class WrittenFile:
    """A file that was handed off, and what its check found."""

    frame: int
    destination: str
    path: Path
    at: str
    ok: bool
    finding: str
    state: str
    run: int | None = None
    details: WrittenDetails | None = None

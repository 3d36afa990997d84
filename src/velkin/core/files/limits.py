"""How large a picture may be."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from velkin.core.errors import UnreadableFile

#: Pictures of more pixels than this are refused rather than filling the memory.
LARGEST = 400_000_000


def check_size(width: Any, height: Any, path: Path) -> None:
    """Stop for a picture of no or too many pixels.

    Raises
    ------
    UnreadableFile
    """
    if not isinstance(width, int) or not isinstance(height, int) or width < 1 or height < 1:
        raise UnreadableFile("the picture holds no pixels", path)
    if width * height > LARGEST:
        raise UnreadableFile(
            f"the picture says it has {width} × {height} pixels; more than {LARGEST // 1_000_000} million are refused", path
        )

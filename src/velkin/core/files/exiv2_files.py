"""The one gateway to exiv2, which reads and writes metadata."""

from __future__ import annotations

from functools import lru_cache
from pathlib import Path
from typing import Any

from velkin.core.files.safely import is_text_name


@lru_cache(maxsize=1)
def exiv2_library() -> Any:
    """The library, loaded on first use (it is not needed to open a window) and told to be quiet."""
    import exiv2

    exiv2.LogMsg.setLevel(exiv2.LogMsg.Level.mute)
    return exiv2


def open_metadata(path: Path) -> Any:
    """A file's metadata; by its bytes when its name is no UTF-8, which the library cannot take."""
    factory = exiv2_library().ImageFactory
    return factory.open(str(path)) if is_text_name(path) else factory.open(path.read_bytes())

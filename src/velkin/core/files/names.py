"""Finished pictures by their names' ends; what they are is decided by opening them."""

from __future__ import annotations

from pathlib import Path

PICTURES = frozenset({".tif", ".tiff", ".jpg", ".jpeg", ".png", ".webp", ".avif", ".jxl"})


def is_picture_name(path: Path) -> bool:
    """Whether a file's name ends like a finished picture's."""
    return path.suffix.lower() in PICTURES

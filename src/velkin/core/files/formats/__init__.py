"""What reads and writes finished pictures. A new format is a module with its class, one line here, and its kind in `kinds`."""

from __future__ import annotations

from pathlib import Path

from velkin.core.errors import UnreadableFile
from velkin.core.files.formats.base import Format
from velkin.core.files.formats.heif import AVIF, HEIF
from velkin.core.files.formats.jpeg import JPEG
from velkin.core.files.formats.jxl import JXL
from velkin.core.files.formats.openraster import OpenRaster
from velkin.core.files.formats.png import PNG
from velkin.core.files.formats.tiff import TIFF
from velkin.core.files.formats.webp import WebP

ALL: tuple[Format, ...] = (TIFF(), JPEG(), PNG(), WebP(), AVIF(), JXL(), HEIF(), OpenRaster())
_BY_ID = {f.kind.id: f for f in ALL}


def format_named(kind: str) -> Format:
    """The format of an id. Raises KeyError."""
    return _BY_ID[kind]


def format_at(path: Path) -> Format:
    """The format of a picture by its first bytes.

    Raises
    ------
    UnreadableFile
        When it is a folder, empty, or none that is known.
    OSError
        When it cannot be read.
    """
    if path.is_dir():
        raise UnreadableFile("this is a folder", path)
    with path.open("rb") as stream:
        head = stream.read(64)
    if not head:
        raise UnreadableFile("the file is empty", path)
    for known in ALL:
        if known.recognises(head):
            return known
    raise UnreadableFile("not a picture or raw file that Velkin can read", path)

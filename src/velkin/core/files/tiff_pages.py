"""The pictures of a TIFF file: its chain of image file directories, walked so that one that leads back into itself ends (TIFF 6.0, BigTIFF)."""

from __future__ import annotations

import struct
from typing import BinaryIO

import tifffile

#: More directories than this are not followed.
_MOST = 65536


def directories_in(stream: BinaryIO) -> int:
    """How many different directories a TIFF's chain has; one that is damaged, or leads back, ends it."""
    stream.seek(0)
    head = stream.read(16)
    order = "<" if head[:2] == b"II" else ">"
    big = len(head) >= 16 and struct.unpack(order + "H", head[2:4])[0] == 43
    pointer, count, entry = ("Q", "Q", 20) if big else ("I", "H", 12)
    seen: set[int] = set()
    try:
        offset = struct.unpack_from(order + pointer, head, 8 if big else 4)[0]
        while offset and offset not in seen and len(seen) < _MOST:
            stream.seek(offset)
            entries = struct.unpack(order + count, stream.read(struct.calcsize(count)))[0]
            seen.add(offset)
            stream.seek(offset + struct.calcsize(order + count) + entry * entries)
            offset = struct.unpack(order + pointer, stream.read(struct.calcsize(order + pointer)))[0]
    except (struct.error, OverflowError, OSError, ValueError):
        pass
    return len(seen)


def tiff_pages(tif: tifffile.TiffFile) -> list[tifffile.TiffPage]:
    """The full-size pictures of a TIFF: smaller copies of others are passed over."""
    pages: list[tifffile.TiffPage] = []
    for number in range(directories_in(tif.filehandle)):
        try:
            page = tif.pages[number]
        except (IndexError, tifffile.TiffFileError):
            break  # what the chain leads to is no directory
        if isinstance(page, tifffile.TiffPage):
            pages.append(page)
    return [p for p in pages if not int(p.subfiletype) & 1] or pages[:1]

"""Makers' notes: whether what one says is still read from it once it lies in another file.

A note that lies where it lay, in the same byte order, says what it said as long as all it refers to lies within it. One that had to be moved
may refer to places that are elsewhere now. Which of the two is found by reading both with exiv2, value by value.
"""

from __future__ import annotations

import contextlib
from pathlib import Path

from velkin.core.files.exif_block import ExifTree, written
from velkin.core.files.exiv2_files import exiv2_library, open_metadata

_STANDARD = ("Exif.Image", "Exif.Photo.", "Exif.GPSInfo.", "Exif.Iop.", "Exif.Thumbnail.", "Exif.SubImage", "Exif.SubThumb")
#: Where the note lies, which no reader shows to anybody.
_PLACES = ("Exif.MakerNote.Offset",)


def note_survives(source: Path, tree: ExifTree, most: int) -> str:
    """Why the maker's note of a tree would not say what it said in its source; empty where it does.

    Parameters
    ----------
    tree : ExifTree
        As it will be written, with the note, and where that lay.
    most : int
        Bytes that there is room for.
    """
    block = written(tree)
    if len(block) > most:
        return "there is not room for it"
    stays = tree.maker_at and block[tree.maker_at : tree.maker_at + len(tree.maker_note)] == tree.maker_note
    before = values_of(source)
    if not before:
        return "" if stays else "it cannot be told whether it would still be readable elsewhere"
    now = values_of(block)
    return "" if now == before else "it would say something else in another file"


def values_of(source: Path | bytes) -> dict[str, str]:
    """What a maker's note says, by exiv2's keys; nothing where exiv2 does not know the maker, or cannot read the file."""
    exiv2 = exiv2_library()
    found: dict[str, str] = {}
    with contextlib.suppress(exiv2.Exiv2Error, OSError):
        image = open_metadata(source) if isinstance(source, Path) else exiv2.ImageFactory.open(source)
        image.readMetadata()
        for datum in image.exifData():
            key = datum.key()
            if not key.startswith(_STANDARD) and key not in _PLACES:
                found[key] = found.get(key, "") + datum.toString()
    return found

"""What raw files hold beside the mosaic: Exif, maker's notes, previews.

Most have the structure of TIFF; RAF begins with a JPEG's place, CR3 with boxes. What lies in none of these is asked of exiv2.
"""

from __future__ import annotations

import struct
from io import BytesIO
from pathlib import Path

from velkin.core.files.contents import Part, PartKind
from velkin.core.files.exif_block import ExifTree, read_block, tree_of
from velkin.core.files.formats.base import exif_parts
from velkin.core.files.formats.bmff import boxes
from velkin.core.files.formats.tiff import directory_parts, inner_directories, other_directory
from velkin.core.files.jpeg_structure import APP1, EXIF_MARK, segments_of
from velkin.core.files.tiff_structure import Directory, NoTIFF, Structure

_TIFF_LIKE = (b"II*\0", b"MM\0*", b"IIRO", b"IIRS", b"MMOR", b"IIU\0", b"II+\0", b"MM\0+")
_CR3 = b"\x85\xc0\xb6\x87\x82\x0f\x11\xe0\x81\x11\xf4\xce\x46\x2b\x6a\x48"
#: Of DNG: the maker's own block, which has offsets into the file that the raw file was made from.
_DNG_PRIVATE = 50740


def raw_parts(path: Path) -> list[Part]:
    """The parts of a raw file. Raises OSError, ValueError, struct.error."""
    with path.open("rb") as stream:
        head = stream.read(200)
        if head[:4] in _TIFF_LIKE:
            return _of_tiff(Structure(stream))
        if head[8:16] == b"CCD-RAW " and len(head) >= 92:
            at, length = struct.unpack_from(">II", head, 84)
            stream.seek(at)
            return _of_jpeg(stream.read(min(length, 1 << 28)))
        if head[4:12] == b"ftypcrx ":
            stream.seek(0)
            return _of_boxes(stream.read(1 << 22))
    return []


def _of_tiff(structure: Structure) -> list[Part]:
    first = structure.directory(structure.first)
    kept = {t: e for t, e in first.entries.items() if t != _DNG_PRIVATE}
    found = directory_parts(structure, Directory(first.at, kept, first.following, first.end))
    if _DNG_PRIVATE in first.entries:
        found.append(Part("the maker's private data", PartKind.OTHER, first.entries[_DNG_PRIVATE].bytes))
    found = [p for p in found if not p.name.startswith("tag ")]  # what they say is of the mosaic, and was used for the picture
    others = [*structure.chain(first.following), *inner_directories(structure, first)]
    return found + [p for p in (other_directory(structure, d) for d in others) if p.kind is PartKind.PREVIEW]


def _of_jpeg(data: bytes) -> list[Part]:
    """The Exif of the picture that lies in a raw file; that picture itself is a preview."""
    found = [Part("preview", PartKind.PREVIEW, len(data))]
    segments, _ = segments_of(BytesIO(data))
    for s in segments:
        if s.marker == APP1 and s.payload.startswith(EXIF_MARK):
            return exif_parts(read_block(s.payload[len(EXIF_MARK) :]), len(s.payload)) + found
    return found


def _of_boxes(data: bytes) -> list[Part]:
    """Exif in blocks of its own: camera and picture, Exif, maker's note, place."""
    blocks: dict[bytes, ExifTree] = {}
    note = 0
    for outer in boxes(data):
        for b in boxes(data, outer.body, outer.end) if outer.name == b"moov" else ():
            if b.name != b"uuid" or data[b.body : b.body + 16] != _CR3:
                continue
            for inner in boxes(data, b.body + 16, b.end):
                body = data[inner.body : inner.end]
                if inner.name == b"CMT3":
                    note = len(body)
                elif inner.name in (b"CMT1", b"CMT2", b"CMT4"):
                    try:
                        structure = Structure(body)
                        blocks[inner.name] = tree_of(structure, structure.directory(structure.first))
                    except (NoTIFF, struct.error):
                        continue
    if not blocks:
        return []
    none = ExifTree()
    main, photo, gps = (blocks.get(n, none) for n in (b"CMT1", b"CMT2", b"CMT4"))
    order = main.order if b"CMT1" in blocks else photo.order
    tree = ExifTree(order, main.image, photo.image, gps.image)
    found = exif_parts(tree, sum(len(v.data) for v in (*tree.image.values(), *tree.photo.values(), *tree.gps.values())))
    if note:
        found.append(Part("maker's notes", PartKind.MAKER_NOTE, note))
    return found

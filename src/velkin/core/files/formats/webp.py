"""WebP (RFC 9649): a RIFF of chunks, lossy or lossless pictures of 8 bits, alone or in a sequence."""

from __future__ import annotations

import struct
from collections.abc import Iterator
from io import BytesIO
from pathlib import Path
from typing import Any, BinaryIO

import numpy as np
from numpy.typing import NDArray

from velkin.core.errors import UnreadableFile
from velkin.core.files import kinds
from velkin.core.files.coding import Coding
from velkin.core.files.contents import Part, PartKind
from velkin.core.files.exif_block import ExifTree, agreeing, read_block, written
from velkin.core.files.formats.base import ColourSaid, Format, Head, Samples, exif_parts, said_resolution, turned_by
from velkin.core.files.jpeg_structure import EXIF_MARK
from velkin.core.files.metadata import Metadata
from velkin.core.files.picture import Picture
from velkin.core.files.tiff_structure import NoTIFF
from velkin.core.icc.read import LARGEST as LARGEST_PROFILE

_LONGEST = 1 << 26
_CODING = (b"VP8 ", b"VP8L", b"VP8X", b"ALPH", b"ANIM", b"ANMF")


def _chunks(stream: BinaryIO) -> Iterator[tuple[bytes, int, bytes]]:
    """Name, length and first bytes (all of those beside the picture) of each chunk. Raises ValueError."""
    head = stream.read(12)
    if head[:4] != b"RIFF" or head[8:] != b"WEBP":
        raise ValueError("no WebP signature")
    while len(lead := stream.read(8)) == 8:
        name, length = struct.unpack("<4sI", lead)
        at = stream.tell()
        wanted = 32 if name in _CODING or length > _LONGEST else length
        yield name, length, stream.read(min(wanted, length))
        stream.seek(at + length + (length & 1))


class WebP(Format):
    """WebP, 8 bits, RGB with transparent parts."""

    kind = kinds.WEBP
    holds = frozenset((ExifTree, bytes))
    retags = True
    icc_place = "ICCP"

    def recognises(self, head: bytes) -> bool:
        return head[:4] == b"RIFF" and head[8:12] == b"WEBP"

    def head(self, path: Path, page: int = 0) -> Head:
        icc, damage, size, alpha, frames = None, [], None, False, 0
        tree, packet = ExifTree(), b""
        with path.open("rb") as stream:
            for name, length, body in _chunks(stream):
                if name == b"ICCP":
                    if length > LARGEST_PROFILE:
                        damage.append(f"the embedded profile says it has {length} bytes")
                        continue
                    icc = body
                    if len(body) < length:
                        damage.append("the embedded profile is cut short")
                elif name == b"EXIF":
                    try:
                        tree = read_block(body.removeprefix(EXIF_MARK))
                    except (NoTIFF, struct.error):
                        damage.append("its Exif cannot be read")
                elif name == b"XMP ":
                    packet = body
                elif name == b"ANMF":
                    frames += 1
                elif name in (b"VP8X", b"VP8L", b"VP8 ") and size is None:
                    size, alpha = _size_of(name, body)
        if size is None:
            raise ValueError("no picture in the WebP")
        pages = max(frames, 1)
        if page >= pages:
            raise UnreadableFile(f"it holds {pages} pictures, and number {page + 1} was asked for", path)
        return Head(
            format=self.kind.id,
            width=size[0],
            height=size[1],
            channels=3 + alpha,
            bits=8,
            model="rgb",
            alpha=alpha,
            pages=pages,
            orientation=turned_by(tree, packet),
            colour=ColourSaid(icc, self.icc_place if icc is not None else ""),
            exif=tree,
            resolution=said_resolution(tree, None),
            damage=tuple(damage),
        )

    def decode(self, path: Path, page: int = 0) -> Samples:
        from PIL import Image

        head = self.head(path, page)
        with Image.open(path, formats=["WEBP"]) as image:
            image.seek(page)
            return Samples(np.asarray(image.convert("RGBA" if head.alpha else "RGB")), "rgb", head.orientation)

    def parts(self, path: Path, page: int = 0) -> list[Part]:
        found: list[Part] = []
        frames = 0
        with path.open("rb") as stream:
            for name, length, body in _chunks(stream):
                if name == b"ICCP":
                    found.append(Part("embedded profile", PartKind.PROFILE, length))
                elif name == b"EXIF":
                    try:
                        found += exif_parts(read_block(body.removeprefix(EXIF_MARK)), length)
                    except (NoTIFF, struct.error):
                        found.append(Part("Exif that cannot be read", PartKind.OTHER, length))
                elif name == b"XMP ":
                    found.append(Part("XMP", PartKind.METADATA, length, body))
                elif name == b"ANMF":
                    frames += 1
                    if frames > 1:
                        found.append(Part("another picture of a sequence", PartKind.PICTURE, length))
                elif name not in _CODING:
                    found.append(Part(f"chunk {name.decode('latin-1')}", PartKind.OTHER, length))
        return found

    def encode(self, picture: Picture, icc: bytes | None, metadata: Metadata, coding: Coding) -> bytes:
        from PIL import Image

        samples: NDArray[Any] = picture.numbers
        if picture.alpha is not None:
            samples = np.dstack([samples, picture.alpha])
        stream = BytesIO()
        options: dict[str, Any] = {"icc_profile": icc or b"", "exif": b""}
        if metadata.exif is not None and not metadata.exif.empty:
            options["exif"] = EXIF_MARK + written(metadata.exif)
        if metadata.xmp:
            options["xmp"] = metadata.xmp
        Image.fromarray(samples).save(stream, "WEBP", quality=coding.quality, method=4, exact=True, **options)
        return stream.getvalue()

    def retagged(self, data: bytes, icc: bytes, family: str, page: int = 0) -> bytes:
        if data[:4] != b"RIFF" or data[8:12] != b"WEBP":
            raise ValueError("no WebP signature")
        chunks: list[tuple[bytes, bytes]] = []
        at = 12
        while at + 8 <= len(data):
            name, length = struct.unpack_from("<4sI", data, at)
            chunks.append((name, data[at + 8 : at + 8 + length]))
            at += 8 + length + (length & 1)
        if b"VP8X" not in [n for n, _ in chunks]:
            chunks.insert(0, (b"VP8X", _extended_header(chunks)))
        out = []
        for name, body in chunks:
            if name == b"ICCP":
                continue
            if name == b"VP8X":
                body = bytes((body[0] | 0x20,)) + body[1:]
            if name == b"EXIF":
                mark = EXIF_MARK if body.startswith(EXIF_MARK) else b""
                body = mark + agreeing(body[len(mark) :], family)
            out.append(_chunk(name, body))
            if name == b"VP8X":
                out.append(_chunk(b"ICCP", icc))
        body = b"WEBP" + b"".join(out)
        return b"RIFF" + struct.pack("<I", len(body)) + body


def _chunk(name: bytes, body: bytes) -> bytes:
    return struct.pack("<4sI", name, len(body)) + body + b"\0" * (len(body) & 1)


def _size_of(name: bytes, body: bytes) -> tuple[tuple[int, int] | None, bool]:
    """Width, height, and whether it has transparent parts, by the first bytes of a chunk."""
    if name == b"VP8X" and len(body) >= 10:
        return (int.from_bytes(body[4:7], "little") + 1, int.from_bytes(body[7:10], "little") + 1), bool(body[0] & 0x10)
    if name == b"VP8L" and len(body) >= 5:
        bits = int.from_bytes(body[1:5], "little")
        return ((bits & 0x3FFF) + 1, ((bits >> 14) & 0x3FFF) + 1), bool((bits >> 28) & 1)
    if name == b"VP8 " and len(body) >= 10:
        width, height = struct.unpack_from("<HH", body, 6)
        return (width & 0x3FFF, height & 0x3FFF), False
    return None, False


def _extended_header(chunks: list[tuple[bytes, bytes]]) -> bytes:
    """The extended header that a simple WebP lacks, from the size in its bitstream."""
    for name, body in chunks:
        size, alpha = _size_of(name, body)
        if size is not None:
            width, height = ((v - 1).to_bytes(3, "little") for v in size)
            return bytes((0x10 if alpha else 0, 0, 0, 0)) + width + height
    raise ValueError("no picture in the WebP")

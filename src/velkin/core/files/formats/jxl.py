"""JPEG XL (ISO/IEC 18181-1 the coding, 18181-2 the boxes round it)."""

from __future__ import annotations

import struct
from functools import lru_cache
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from velkin.core.cache import file_stamp
from velkin.core.errors import UnreadableFile
from velkin.core.files import kinds
from velkin.core.files.coding import Coding
from velkin.core.files.contents import Part, PartKind
from velkin.core.files.exif_block import ExifTree, read_block, written
from velkin.core.files.formats.base import ColourSaid, Format, Head, Samples, exif_parts, said_resolution
from velkin.core.files.formats.bmff import box, boxes
from velkin.core.files.jpeg_structure import EXIF_MARK
from velkin.core.files.limits import check_size
from velkin.core.files.metadata import Metadata
from velkin.core.files.picture import Picture
from velkin.core.files.tiff_structure import NoTIFF

_SIGNATURE = box(b"JXL ", b"\r\n\x87\n")
_TYPE = box(b"ftyp", b"jxl \0\0\0\0jxl ")
_CODING = (b"JXL ", b"ftyp", b"jxlc", b"jxlp", b"jxll", b"jxli")


class JXL(Format):
    """JPEG XL: read in 8 and 16 bits and float; written in 8 bits, since what writes a profile into it writes 8 bits only."""

    kind = kinds.JXL
    holds = frozenset((ExifTree, bytes))
    icc_place = "colour encoding"

    def recognises(self, head: bytes) -> bool:
        return head[:2] == b"\xff\x0a" or head[4:8] == b"JXL "

    def head(self, path: Path, page: int = 0) -> Head:
        import pylibjxl  # loaded where needed

        data = path.read_bytes()
        size = size_of(data)
        if size is not None:
            check_size(*size, path)
        said = pylibjxl.probe(data)
        if page:
            raise UnreadableFile(f"of a JPEG XL the first picture is read, and number {page + 1} was asked for", path)
        tree = next((p.payload for p in _parts(data) if isinstance(p.payload, ExifTree)), ExifTree())
        icc = _profile(path)
        return Head(
            format=self.kind.id,
            width=int(said["width"]),
            height=int(said["height"]),  # upright: the coding says how it is turned, and decoders turn it
            channels=int(said["channels"]),
            bits=int(said["bits_per_sample"]),
            model="gray" if said["color_channels"] == 1 else "rgb",
            alpha=bool(said["has_alpha"]),
            colour=ColourSaid(icc, self.icc_place if icc else ""),
            exif=tree,
            resolution=said_resolution(tree, None),
        )

    def decode(self, path: Path, page: int = 0) -> Samples:
        import imagecodecs

        data = path.read_bytes()
        size = size_of(data)
        if size is not None:
            check_size(*size, path)
        numbers = np.asarray(imagecodecs.jpegxl_decode(data))
        while numbers.ndim > 3:  # of a sequence the first
            numbers = numbers[0]
        return Samples(numbers, "gray" if numbers.ndim == 2 or numbers.shape[2] < 3 else "rgb")

    def parts(self, path: Path, page: int = 0) -> list[Part]:
        icc = _profile(path)
        own = [Part("embedded profile", PartKind.PROFILE, len(icc))] if icc else []
        return own + _parts(path.read_bytes())

    def encode(self, picture: Picture, icc: bytes | None, metadata: Metadata, coding: Coding) -> bytes:
        import pylibjxl

        samples: NDArray[Any] = picture.numbers
        if picture.alpha is not None:
            samples = np.dstack([samples, picture.alpha])
        whole = coding.quality >= 100
        coded = bytes(
            pylibjxl.encode(
                np.ascontiguousarray(samples), effort=5, distance=_distance(coding.quality), lossless=whole, icc=icc
            )
        )
        added = b""
        if metadata.exif is not None and not metadata.exif.empty:
            added += box(b"Exif", b"\0\0\0\0" + written(metadata.exif))
        if metadata.xmp:
            added += box(b"xml ", metadata.xmp)
        if not added:
            return coded
        if coded[:2] == b"\xff\x0a":
            coded = _SIGNATURE + _TYPE + box(b"jxlc", coded)
        return coded + added  # plain boxes: what compresses them hides them from most readers


def _parts(data: bytes) -> list[Part]:
    found: list[Part] = []
    if data[:2] == b"\xff\x0a":
        return found
    for b in boxes(data):
        name, body = b.name, data[b.body : b.end]
        if name == b"brob":
            name, body = body[:4], _unpacked(body[4:])
        if name == b"Exif" and len(body) > 4:
            block = body[4 + struct.unpack_from(">I", body)[0] :].removeprefix(EXIF_MARK)
            try:
                found += exif_parts(read_block(block), len(block))
            except (NoTIFF, struct.error):
                found.append(Part("Exif that cannot be read", PartKind.OTHER, b.end - b.body))
        elif name == b"xml ":
            found.append(Part("XMP", PartKind.METADATA, b.end - b.body, body))
        elif name == b"jbrd":
            found.append(Part("what makes it the JPEG again that it was", PartKind.OTHER, b.end - b.body))
        elif name == b"jhgm":
            found.append(Part("gain map", PartKind.GAIN_MAP, b.end - b.body))
        elif name not in _CODING:
            found.append(Part(f"box {name.decode('latin-1')}", PartKind.OTHER, b.end - b.body))
    return found


def _unpacked(data: bytes) -> bytes:
    import imagecodecs

    try:
        return bytes(imagecodecs.brotli_decode(data))
    except Exception:  # a damaged box is one that says nothing
        return b""


def _profile(path: Path) -> bytes | None:
    """Its profile, which is found by decoding only, and so once while the file stays."""
    return _decoded_profile(file_stamp(path))


@lru_cache(maxsize=64)
def _decoded_profile(stamp: tuple[str, int, int, int]) -> bytes | None:
    import pillow_jxl  # noqa: F401  registers the format
    from PIL import Image

    with Image.open(stamp[0], formats=["JXL"]) as opened:
        return opened.info.get("icc_profile") or None


def _distance(quality: int) -> float:
    """Butteraugli distance of a quality 1..100, as libjxl's own tools map it (JxlEncoderDistanceFromQuality)."""
    if quality >= 100:
        return 0.0
    if quality >= 30:
        return 0.1 + (100 - quality) * 0.09
    return 53.0 / 3000.0 * quality * quality - 23.0 / 20.0 * quality + 25.0


def size_of(data: bytes) -> tuple[int, int] | None:
    """Width and height of its header (annex D.2), before anything is decoded; None where it is not found."""
    head = data[:4096]
    if head[:2] != b"\xff\x0a":
        at = 0
        while at + 8 <= len(head):
            size, name = struct.unpack_from(">I4s", head, at)
            if name in (b"jxlc", b"jxlp"):
                inside = head[at + 8 :]
                head = inside[4:] if name == b"jxlp" else inside
                break
            if size < 8:
                return None
            at += size
    if head[:2] != b"\xff\x0a":
        return None
    bits = int.from_bytes(head[2:18], "little")
    at = 0

    def take(count: int) -> int:
        nonlocal at
        value = (bits >> at) & ((1 << count) - 1)
        at += count
        return value

    small = take(1)

    def side() -> int:
        return (take(5) + 1) * 8 if small else take((9, 13, 18, 30)[take(2)]) + 1

    height = side()
    ratio = take(3)
    ratios = {1: (1, 1), 2: (12, 10), 3: (4, 3), 4: (3, 2), 5: (16, 9), 6: (5, 4), 7: (2, 1)}
    width = side() if ratio == 0 else height * ratios[ratio][0] // ratios[ratio][1]
    return width, height

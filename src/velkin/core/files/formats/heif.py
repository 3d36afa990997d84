"""HEIF (ISO/IEC 23008-12) with HEVC pictures, as phones and cameras write them, and AVIF (AOMedia), which is the same with AV1 pictures."""

from __future__ import annotations

import struct
from io import BytesIO
from pathlib import Path
from typing import Any, ClassVar

import numpy as np
from numpy.typing import NDArray

from velkin.core.errors import NotSupported, UnreadableFile
from velkin.core.files import kinds
from velkin.core.files.coding import Coding
from velkin.core.files.contents import Part, PartKind
from velkin.core.files.exif_block import ExifTree, agreeing, read_block, written
from velkin.core.files.formats.base import ColourSaid, Format, Head, Samples, exif_parts, said_resolution
from velkin.core.files.formats.bmff import Added, Item, Meta, changed, frames_in, read_meta
from velkin.core.files.jpeg_structure import EXIF_MARK
from velkin.core.files.limits import check_size
from velkin.core.files.metadata import Metadata
from velkin.core.files.picture import Picture, upright_by
from velkin.core.files.tiff_structure import NoTIFF

_XMP_TYPE = b"application/rdf+xml"
_PICTURES = (b"av01", b"hvc1", b"hev1", b"grid", b"iovl", b"iden", b"avc1", b"j2k1", b"jpeg", b"unci")
_GAIN_WORDS = (b"hdrgainmap", b"gainmap")


def _orientation(properties: list[tuple[bytes, bytes]]) -> int:
    """The Exif orientation that turnings and mirrorings come to, in the order in which they are given.

    ``irot``: quarters of a turn against the clock. ``imir`` (23008-12:2022): 0 exchanges top and bottom, 1 left and right.
    """
    probe = np.arange(6).reshape(2, 3)
    done: NDArray[Any] = probe
    for name, body in properties:
        if name == b"irot" and body:
            done = np.rot90(done, body[0] & 3)
        elif name == b"imir" and body:
            done = done[:, ::-1] if body[0] & 1 else done[::-1]
    return next(o for o in range(1, 9) if np.array_equal(upright_by(o, probe[..., None])[..., 0], done))


class HEIF(Format):
    """HEIF with HEVC: read."""

    kind = kinds.HEIF
    icc_place = "colr"
    _brands: ClassVar[tuple[bytes, ...]] = (b"heic", b"heix", b"hevc", b"hevx", b"heim", b"heis")

    def recognises(self, head: bytes) -> bool:
        if head[4:8] != b"ftyp":
            return False
        size = min(struct.unpack_from(">I", head)[0], len(head)) if len(head) >= 16 else 0
        said = [head[8:12], *(head[i : i + 4] for i in range(16, size - 3, 4))]
        return said[0] in self._brands or (said[0] in (b"mif1", b"msf1") and any(b in self._brands for b in said))

    # ---- what it says

    def _meta(self, path: Path) -> tuple[bytes, Meta]:
        data = path.read_bytes()
        return data, read_meta(data)

    def _pages(self, meta: Meta) -> list[int]:
        """Items that are pictures of their own, the primary one first."""
        beside = meta.linked(b"thmb") | meta.linked(b"auxl")
        parts = {t for kind, _, to in meta.links if kind == b"dimg" for t in to}
        found = [
            i.id
            for i in meta.items.values()
            if i.type in _PICTURES and not i.hidden and i.id not in beside and i.id not in parts
        ]
        return [meta.primary, *(i for i in found if i != meta.primary)]

    def _page(self, meta: Meta, page: int, path: Path, frames: int = 0) -> tuple[int, int]:
        """The item of a page, and how many there are; the pictures of a sequence are all described by the primary one."""
        pages = self._pages(meta)
        count = max(frames, len(pages))
        if page >= count:
            raise UnreadableFile(f"it holds {count} pictures, and number {page + 1} was asked for", path)
        return (pages[page] if page < len(pages) else meta.primary), count

    def head(self, path: Path, page: int = 0) -> Head:
        data, meta = self._meta(path)
        item, pages = self._page(meta, page, path, frames_in(data))
        own = meta.of(item)
        size = next((struct.unpack_from(">II", b, 4) for n, b in own if n == b"ispe" and len(b) >= 12), None)
        if size is None:
            raise ValueError("it says no size")
        check_size(size[0], size[1], path)
        _, _, width, height = _aperture(own, size[0], size[1])
        first = meta.items[item]
        tile = next((to[0] for kind, origin, to in meta.links if kind == b"dimg" and origin == item and to), None)
        coded = [*own, *(meta.of(tile) if tile is not None and first.type == b"grid" else [])]
        channels, bits = _depth(coded)
        alpha = any(_is_alpha(meta, origin) for kind, origin, to in meta.links if kind == b"auxl" and item in to)
        icc, cicp = _colour(coded)
        tree = self._tree(data, meta)
        return Head(
            format=self.kind.id,
            width=width,
            height=height,
            channels=channels + alpha,
            bits=bits,
            model="gray" if channels == 1 else "rgb",
            alpha=alpha,
            pages=pages,
            orientation=_orientation(own),
            colour=ColourSaid(icc, self.icc_place if icc is not None else "", cicp),
            exif=tree,
            resolution=said_resolution(tree, None),
        )

    @staticmethod
    def _tree(data: bytes, meta: Meta) -> ExifTree:
        for item in meta.items.values():
            if item.type == b"Exif":
                try:
                    return read_block(_exif_block(meta.bytes_of(data, item)))
                except (NoTIFF, struct.error):
                    return ExifTree()
        return ExifTree()

    def parts(self, path: Path, page: int = 0) -> list[Part]:
        data, meta = self._meta(path)
        frames = frames_in(data)
        item, _pages = self._page(meta, page, path, frames)
        found: list[Part] = []
        icc, _ = _colour(meta.of(item))
        if icc is not None:
            found.append(Part("embedded profile", PartKind.PROFILE, len(icc)))
        thumbnails, beside = meta.linked(b"thmb"), meta.linked(b"auxl")
        own_pages = self._pages(meta)
        parts = {t for kind, _, to in meta.links if kind == b"dimg" for t in to}
        for i in meta.items.values():
            if i.type == b"Exif":
                block = _exif_block(meta.bytes_of(data, i))
                try:
                    found += exif_parts(read_block(block), len(block))
                except (NoTIFF, struct.error):
                    found.append(Part("Exif that cannot be read", PartKind.OTHER, i.bytes))
            elif i.type == b"mime" and i.content == _XMP_TYPE:
                found.append(Part("XMP", PartKind.METADATA, i.bytes, meta.bytes_of(data, i)))
            elif i.id in thumbnails:
                found.append(Part("preview", PartKind.PREVIEW, i.bytes))
            elif i.id in beside:
                found += _beside(meta, i)
            elif i.type == b"tmap":
                found.append(Part("gain map", PartKind.GAIN_MAP, i.bytes))
            elif i.id in own_pages:
                if i.id != item:
                    found.append(Part("another picture", PartKind.PICTURE, i.bytes))
            elif i.id not in parts and i.type not in _PICTURES:
                name = i.type.decode("latin-1") + (f" {i.content.decode('latin-1')}" if i.content else "")
                found.append(Part(f"item {name}", PartKind.OTHER, i.bytes))
        found += [Part("another picture of a sequence", PartKind.PICTURE, 0)] * (max(frames, 1) - 1)
        return found

    # ---- the picture

    def decode(self, path: Path, page: int = 0) -> Samples:
        head = self.head(path, page)
        import pillow_heif  # loaded where needed

        opened = pillow_heif.open_heif(path, convert_hdr_to_8bit=False, hdr_to_16bit=False, reload_size=True)
        if page >= len(opened):
            raise UnreadableFile("of a sequence in HEIF the first picture is read", path)
        order = [opened.primary_index, *(i for i in range(len(opened)) if i != opened.primary_index)]
        image = opened[order[page]]
        numbers = np.asarray(image)
        extra = head.alpha and numbers.ndim == 3 and numbers.shape[2] in (2, 4)
        if numbers.ndim == 3 and not extra and numbers.shape[2] in (2, 4):
            numbers = numbers[..., :-1]
        model = "gray" if numbers.ndim == 2 or numbers.shape[2] < 3 else "rgb"
        return Samples(_full_range(numbers, head.bits), model)  # the library has turned it upright


class AVIF(HEIF):
    """AVIF: 8, 10 or 12 bits are read; 8, and 12 for 16, are written, without chroma subsampling."""

    kind = kinds.AVIF
    holds = frozenset((ExifTree, bytes))
    retags = True
    _brands = (b"avif", b"avis")
    #: What numbers of 16 bits are written in.
    deep: ClassVar[int] = 12

    def decode(self, path: Path, page: int = 0) -> Samples:
        import imagecodecs

        head = self.head(path, page)
        numbers = np.asarray(imagecodecs.avif_decode(path.read_bytes()))  # asked for one of several it may end the program
        if numbers.ndim == 4 or (numbers.ndim == 3 and head.pages > 1 and head.model == "gray"):
            numbers = numbers[page]
        elif page:
            raise UnreadableFile("of several pictures that are no sequence the first is read", path)
        _, meta = self._meta(path)
        left, top, width, height = _aperture(meta.of(meta.primary), numbers.shape[1], numbers.shape[0])
        numbers = numbers[top : top + height, left : left + width]
        numbers = _full_range(numbers, head.bits)
        return Samples(numbers, "gray" if numbers.ndim == 2 or numbers.shape[2] < 3 else "rgb", head.orientation)

    def stored_bits(self, bits: int) -> int:
        return self.deep if bits == 16 else bits

    def encode(self, picture: Picture, icc: bytes | None, metadata: Metadata, coding: Coding) -> bytes:
        samples: NDArray[Any] = picture.numbers
        if picture.alpha is not None:
            samples = np.dstack([samples, picture.alpha])
        added = []
        if metadata.exif is not None and not metadata.exif.empty:
            added.append(Added(b"Exif", b"", b"\0\0\0\0" + written(metadata.exif)))
        if metadata.xmp:
            added.append(Added(b"mime", _XMP_TYPE, metadata.xmp))
        plain = _deep(samples, coding, self.deep) if samples.dtype == np.uint16 else _shallow(samples, coding)
        return changed(plain, icc, tuple(added))

    def retagged(self, data: bytes, icc: bytes, family: str, page: int = 0) -> bytes:
        if page:
            raise NotSupported(
                f"only the first picture of a {self.kind.name} file can be given a tag in place; write a TIFF or PNG"
            )
        meta = read_meta(data)
        out = bytearray(data)
        for item in meta.items.values():
            if item.type == b"Exif" and len(item.extents) == 1 and not item.in_idat:
                at, length = item.extents[0]
                whole = data[at : at + length]
                block = _exif_block(whole)
                out[at + length - len(block) : at + length] = agreeing(block, family)
        return changed(bytes(out), icc)


def _shallow(samples: NDArray[Any], coding: Coding) -> bytes:
    from PIL import Image

    stream = BytesIO()
    Image.fromarray(samples).save(stream, "AVIF", quality=coding.quality, subsampling="4:4:4")
    return stream.getvalue()


def _deep(samples: NDArray[Any], coding: Coding, bits: int) -> bytes:
    import imagecodecs

    top = (1 << bits) - 1
    codes = ((samples.astype(np.uint32) * top + 32767) // 65535).astype(np.uint16)
    return bytes(imagecodecs.avif_encode(codes, level=coding.quality, speed=6, bitspersample=bits, pixelformat="444"))


def _full_range(numbers: NDArray[Any], bits: int) -> NDArray[Any]:
    """Numbers of 10 or 12 bits over the whole range of 16."""
    if numbers.dtype != np.uint16:
        return numbers
    top = (1 << bits) - 1
    return ((numbers.astype(np.uint32) * 65535 + top // 2) // top).astype(np.uint16)


def _aperture(properties: list[tuple[bytes, bytes]], width: int, height: int) -> tuple[int, int, int, int]:
    """Left, top, width and height of what is shown of a picture: all of it, or its clean aperture (``clap``, 14496-12, 12.1.4)."""
    body = next((b for n, b in properties if n == b"clap" and len(b) >= 32), b"")
    if not body:
        return 0, 0, width, height
    wide, under_wide, high, under_high, x, under_x, y, under_y = struct.unpack_from(">IIIIiIiI", body)
    if 0 in (under_wide, under_high, under_x, under_y):
        return 0, 0, width, height
    shown_wide, shown_high = min(wide // under_wide, width), min(high // under_high, height)
    left = round((width - shown_wide) / 2 + x / under_x)
    top = round((height - shown_high) / 2 + y / under_y)
    if shown_wide < 1 or shown_high < 1 or not (0 <= left <= width - shown_wide and 0 <= top <= height - shown_high):
        return 0, 0, width, height
    return left, top, shown_wide, shown_high


def _depth(properties: list[tuple[bytes, bytes]]) -> tuple[int, int]:
    """Channels and bits of a sample: as stated, or by the coding's own configuration."""
    for name, body in properties:
        if name == b"pixi" and len(body) >= 6:
            return (1 if body[4] == 1 else 3), body[5]
    for name, body in properties:
        if name == b"av1C" and len(body) >= 3:
            high, twelve, single = body[2] & 0x40, body[2] & 0x20, body[2] & 0x10
            return (1 if single else 3), (12 if twelve else 10) if high else 8
        if name == b"hvcC" and len(body) >= 18:
            return (1 if body[16] & 3 == 0 else 3), 8 + (body[17] & 7)
    return 3, 8


def _colour(properties: list[tuple[bytes, bytes]]) -> tuple[bytes | None, tuple[int, int, int, int] | None]:
    icc: bytes | None = None
    cicp: tuple[int, int, int, int] | None = None
    for name, body in properties:
        if name == b"colr" and body[:4] in (b"prof", b"rICC"):
            icc = icc if icc is not None else body[4:]
        elif name == b"colr" and body[:4] == b"nclx" and len(body) >= 11 and cicp is None:
            codes = struct.unpack_from(">HHH", body, 4)
            cicp = (codes[0], codes[1], codes[2], body[10] >> 7) if codes[:2] != (2, 2) else None
    return icc, cicp


def _auxiliary_type(meta: Meta, item: int) -> bytes:
    return next((b[4:].partition(b"\0")[0] for n, b in meta.of(item) if n == b"auxC"), b"")


def _is_alpha(meta: Meta, item: int) -> bool:
    kind = _auxiliary_type(meta, item)
    return kind.endswith((b":alpha", b"auxid:1"))


def _beside(meta: Meta, item: Item) -> list[Part]:
    """An auxiliary picture as a part; one that says what is transparent belongs to the picture itself."""
    if _is_alpha(meta, item.id):
        return []
    kind = _auxiliary_type(meta, item.id)
    if any(w in kind.lower() for w in _GAIN_WORDS):
        return [Part("gain map", PartKind.GAIN_MAP, item.bytes)]
    name = kind.rpartition(b":")[2].decode("latin-1") or "auxiliary picture"
    return [Part(name, PartKind.AUXILIARY, item.bytes)]


def _exif_block(data: bytes) -> bytes:
    """The Exif of an item, which begins with how far in its structure lies."""
    if len(data) < 4:
        return b""
    return data[4 + struct.unpack_from(">I", data)[0] :].removeprefix(EXIF_MARK)

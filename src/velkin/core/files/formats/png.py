"""PNG (W3C, third edition), with the text chunks in which other programs keep Exif, IPTC, XMP and image resources."""

from __future__ import annotations

import re
import struct
import zlib
from collections.abc import Iterator
from dataclasses import dataclass
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
from velkin.core.files.formats.jpeg import resource_parts
from velkin.core.files.iim import DataSet, read_iim, written_iim
from velkin.core.files.image_resources import IPTC, JPEG_MARK, Resource, read_resources, written_resources
from velkin.core.files.jpeg_structure import EXIF_MARK, XMP_MARK
from velkin.core.files.limits import check_size
from velkin.core.files.metadata import Metadata, Resolution, Text
from velkin.core.files.picture import Picture
from velkin.core.files.signatures import PNG_HEAD
from velkin.core.files.tiff_structure import NoTIFF
from velkin.core.icc.read import LARGEST as LARGEST_PROFILE

_CLAIMS = (b"iCCP", b"sRGB", b"gAMA", b"cHRM", b"cICP")
#: Chunks that belong to the coding of the picture, or are told of by themselves.
_CODING = frozenset(
    [b"IHDR", b"PLTE", b"IDAT", b"IEND", b"tRNS", b"pHYs", b"sBIT", b"bKGD", b"tIME", b"acTL", b"fcTL", b"fdAT", *_CLAIMS]
)
_TEXTS = (b"tEXt", b"zTXt", b"iTXt")
#: Chunks that may be there more than once.
_REPEATED = frozenset((*_TEXTS, b"IDAT", b"fcTL", b"fdAT", b"sPLT"))
_XMP = b"XML:com.adobe.xmp"
_RAW = b"Raw profile type "
_INCH = 0.0254
#: Chunks of more bytes than this beside the picture are not looked into, and texts are not unpacked to more.
_LONGEST = 1 << 26
#: More frames than this are a damaged number.
_MOST_FRAMES = 65536


@dataclass(frozen=True)
class Chunk:
    """A chunk: name, length, and its bytes where they were asked for."""

    name: bytes
    length: int
    body: bytes


def chunk(name: bytes, body: bytes) -> bytes:
    """A chunk with its length and checksum."""
    return struct.pack(">I", len(body)) + name + body + struct.pack(">I", zlib.crc32(name + body))


def _chunks(stream: BinaryIO) -> Iterator[Chunk]:
    """The chunks to the end, without the bytes of the picture itself. Raises ValueError."""
    if stream.read(8) != PNG_HEAD:
        raise ValueError("no PNG signature")
    while len(head := stream.read(8)) == 8:
        length, name = struct.unpack(">I4s", head)
        if name == b"IEND":
            return
        if name in (b"IDAT", b"fdAT") or length > _LONGEST:
            yield Chunk(name, length, b"")
            stream.seek(length + 4, 1)
            continue
        yield Chunk(name, length, stream.read(length))
        stream.seek(4, 1)


class PNG(Format):
    """PNG of 8 or 16 bits, gray or RGB, with transparent parts."""

    kind = kinds.PNG
    holds = frozenset((ExifTree, bytes, DataSet, Resource, Text))
    retags = True
    icc_place = "iCCP"

    def recognises(self, head: bytes) -> bool:
        return head[:8] == PNG_HEAD

    def head(self, path: Path, page: int = 0) -> Head:
        with path.open("rb") as stream:
            found = list(_chunks(stream))  # Exif and texts may lie behind the picture
        damage: list[str] = []
        first: dict[bytes, bytes] = {}
        for c in found:
            if c.name in first and c.name not in _REPEATED:
                damage.append(f"the chunk {c.name.decode('latin-1')} is there twice")
            first.setdefault(c.name, c.body)
        header = first.get(b"IHDR", b"")
        if len(header) < 13:
            raise ValueError("no header")
        width, height, depth, kind = struct.unpack_from(">IIBB", header)
        check_size(width, height, path)
        colour, why = _colour_of(first)
        damage += [why] if why else []
        pages = struct.unpack_from(">I", first[b"acTL"])[0] if len(first.get(b"acTL", b"")) >= 8 else 1
        if page and page >= pages:
            raise UnreadableFile(f"it holds {pages} pictures, and number {page + 1} was asked for", path)
        own = self._parts(found)
        tree = next((p.payload for p in own if isinstance(p.payload, ExifTree)), ExifTree())
        packet = next((p.payload for p in own if type(p.payload) is bytes), b"")
        gray, alpha = kind in (0, 4), b"tRNS" in first or kind in (4, 6)
        return Head(
            format=self.kind.id,
            width=width,
            height=height,
            channels=(1 if gray else 3) + alpha,
            bits=max(depth, 8),
            model="gray" if gray else "rgb",
            alpha=alpha,
            pages=int(pages) if 1 <= pages <= _MOST_FRAMES else 1,
            orientation=turned_by(tree, packet),
            colour=colour,
            exif=tree,
            resolution=said_resolution(tree, _physical(first.get(b"pHYs", b""))),
            damage=tuple(damage),
        )

    def decode(self, path: Path, page: int = 0) -> Samples:
        import imagecodecs

        head = self.head(path, page)
        if page:
            numbers = _frame(path, page)
        else:
            numbers = np.asarray(imagecodecs.png_decode(bare(path.read_bytes())))
        return Samples(numbers, "gray" if numbers.ndim == 2 or numbers.shape[2] < 3 else "rgb", head.orientation)

    def parts(self, path: Path, page: int = 0) -> list[Part]:
        with path.open("rb") as stream:
            found = list(_chunks(stream))
            end = stream.tell() + 4
            rest = stream.seek(0, 2) - end
        own = self._parts(found)
        frames = sum(c.name == b"fcTL" for c in found)
        own += [Part("another picture of a sequence", PartKind.PICTURE, 0)] * max(frames - 1, 0)
        if rest > 0:
            own.append(Part("bytes after its end", PartKind.OTHER, rest))
        return own

    @staticmethod
    def _parts(chunks: list[Chunk]) -> list[Part]:
        found: list[Part] = []
        for c in chunks:
            if c.name == b"iCCP":
                found.append(Part("embedded profile", PartKind.PROFILE, c.length))
            elif c.name == b"eXIf":
                found += _exif_of(c.body.removeprefix(EXIF_MARK))
            elif c.name in _TEXTS:
                found += _text_parts(c)
            elif c.name not in _CODING:
                found.append(Part(f"chunk {c.name.decode('latin-1')}", PartKind.OTHER, c.length))
        return _first_of_each(found)

    def encode(self, picture: Picture, icc: bytes | None, metadata: Metadata, coding: Coding) -> bytes:
        import imagecodecs

        samples: NDArray[Any] = picture.numbers
        if picture.alpha is not None:
            samples = np.dstack([samples, picture.alpha])
        plain = bytes(imagecodecs.png_encode(samples[..., 0] if samples.shape[2] == 1 else samples))
        at = plain.index(b"IHDR") + 4 + 13 + 4
        own = chunk(b"iCCP", b"Velkin\0\0" + zlib.compress(icc)) if icc is not None else b""
        return plain[:at] + own + _metadata_chunks(metadata) + plain[at:]

    def retagged(self, data: bytes, icc: bytes, family: str, page: int = 0) -> bytes:
        if data[:8] != PNG_HEAD:
            raise ValueError("no PNG signature")
        out, at = [PNG_HEAD], 8
        while at + 12 <= len(data):
            length, name = struct.unpack_from(">I4s", data, at)
            whole = data[at : at + 12 + length]
            at += 12 + length
            if name in _CLAIMS:
                continue
            if name == b"eXIf":
                whole = chunk(name, agreeing(whole[8:-4], family))
            out.append(whole)
            if name == b"IHDR":
                out.append(chunk(b"iCCP", b"Velkin\0\0" + zlib.compress(icc)))
            if name == b"IEND":
                break
        return b"".join(out) + data[at:]


def colour_before_picture(stream: BinaryIO) -> ColourSaid:
    """What a PNG says of its colour, read up to its pixels. Raises ValueError, struct.error."""
    first: dict[bytes, bytes] = {}
    for c in _chunks(stream):
        if c.name == b"IDAT":
            break
        first.setdefault(c.name, c.body)
    return _colour_of(first)[0]


def _colour_of(first: dict[bytes, bytes]) -> tuple[ColourSaid, str]:
    """What the chunks of a PNG say of its colour, and what is wrong with its profile."""
    icc, why = _inflated(first[b"iCCP"]) if b"iCCP" in first else (None, "")
    cicp, gamma, points = first.get(b"cICP", b""), first.get(b"gAMA", b""), first.get(b"cHRM", b"")
    said = ColourSaid(
        icc,
        PNG.icc_place if b"iCCP" in first else "",
        (cicp[0], cicp[1], cicp[2], cicp[3]) if len(cicp) >= 4 and cicp[:2] != b"\2\2" else None,
        b"sRGB" in first,
        struct.unpack_from(">I", gamma)[0] / 100000.0 if len(gamma) >= 4 else None,
        tuple(v / 100000.0 for v in struct.unpack_from(">8I", points)) if len(points) >= 32 else None,
    )
    return said, why


def _physical(body: bytes) -> Resolution | None:
    """The resolution of a pHYs chunk, where it is in pixels per metre."""
    if len(body) < 9 or body[8] != 1:
        return None
    x, y = struct.unpack_from(">II", body)
    return Resolution.of(x, y, 1 / _INCH)


def _inflated(body: bytes) -> tuple[bytes | None, str]:
    """The profile of an iCCP chunk; never more than a profile may have, however well it was packed."""
    _name, _, rest = body.partition(b"\0")
    if not rest or rest[0] != 0:
        return b"", "the embedded profile is packed in an unknown way"
    try:
        data, more = _unpacked(rest[1:], LARGEST_PROFILE)
    except zlib.error as error:
        return b"", f"the embedded profile cannot be unpacked ({error})"
    if more:
        return b"", f"the embedded profile has more than {LARGEST_PROFILE >> 20} MB"
    return data, ""


def _unpacked(data: bytes, most: int) -> tuple[bytes, bool]:
    """Inflated bytes up to a number, and whether there are more. Raises zlib.error."""
    unpacker = zlib.decompressobj()
    return unpacker.decompress(data, most), bool(unpacker.unconsumed_tail)


def _text_parts(c: Chunk) -> list[Part]:
    """A text chunk as what it carries: a text, or the metadata that some programs write as texts."""
    keyword, _, rest = c.body.partition(b"\0")
    data = _text_of(c.name, rest)
    if keyword == _XMP:
        return [Part("XMP", PartKind.METADATA, c.length, data)]
    if keyword.startswith(_RAW):
        raw = _hex_of(data)
        found = _raw_parts(keyword[len(_RAW) :].decode("latin-1").strip().lower(), raw) if raw else []
        if found:
            return found
    word = keyword.decode("latin-1")
    return [Part(f"text {word}", PartKind.TEXT, c.length, Text(word, data, (c.name, c.body)))]


def _text_of(name: bytes, rest: bytes) -> bytes:
    try:
        if name == b"zTXt":
            return _unpacked(rest[1:], _LONGEST)[0]
        if name == b"iTXt" and len(rest) >= 2:
            packed, tail = rest[0], rest[2:]
            _language, _, tail = tail.partition(b"\0")
            _translated, _, tail = tail.partition(b"\0")
            return _unpacked(tail, _LONGEST)[0] if packed else tail
    except zlib.error:
        return b""
    return rest


def _hex_of(data: bytes) -> bytes:
    """The bytes of a raw profile: a name, a length, then hexadecimal digits in lines."""
    found = re.match(rb"\s*\S+\s+(\d+)\s+([0-9a-fA-F\s]*)", data)
    try:
        return bytes.fromhex(found.group(2).decode("ascii"))[: int(found.group(1))] if found else b""
    except ValueError:
        return b""


def _raw_parts(kind: str, raw: bytes) -> list[Part]:
    if kind in ("exif", "app1"):
        if raw.startswith(XMP_MARK):
            return [Part("XMP", PartKind.METADATA, len(raw), raw[len(XMP_MARK) :])]
        return _exif_of(raw.removeprefix(EXIF_MARK))
    if kind == "xmp":
        return [Part("XMP", PartKind.METADATA, len(raw), raw)]
    if kind in ("iptc", "8bim"):
        resources = read_resources(raw.removeprefix(JPEG_MARK))
        sets = tuple(read_iim(raw)) if not resources else ()
        return resource_parts(resources) or ([Part("IPTC", PartKind.METADATA, len(raw), sets)] if sets else [])
    return []


def _exif_of(block: bytes) -> list[Part]:
    try:
        return exif_parts(read_block(block), len(block))
    except (NoTIFF, struct.error):
        return [Part("Exif that cannot be read", PartKind.OTHER, len(block))]


def _first_of_each(parts: list[Part]) -> list[Part]:
    """The same said twice in two ways counts once: Exif as chunk and as text, for one."""
    seen: set[str] = set()
    found = []
    for p in parts:
        if p.name in ("Exif", "XMP", "IPTC", "maker's notes") and p.name in seen:
            continue
        seen.add(p.name)
        found.append(p)
    return found


def _frame(path: Path, page: int) -> NDArray[Any]:
    from PIL import Image

    with Image.open(path, formats=["PNG"]) as image:
        image.seek(page)
        return np.asarray(image.convert("RGBA"))


def bare(data: bytes) -> bytes:
    """A PNG's chunks of the picture itself: the decoder need not stumble over damage in others."""
    out, at = [PNG_HEAD], 8
    while at + 12 <= len(data):
        length, name = struct.unpack_from(">I4s", data, at)
        if name in (b"IHDR", b"PLTE", b"tRNS", b"IDAT", b"IEND"):
            out.append(data[at : at + 12 + length])
        if name == b"IEND":
            break
        at += 12 + length
    return b"".join(out)


def _metadata_chunks(m: Metadata) -> bytes:
    out = b""
    if m.resolution is not None:
        x, y = (min(max(round(v / _INCH), 1), 0x7FFFFFFF) for v in (m.resolution.x, m.resolution.y))
        out += chunk(b"pHYs", struct.pack(">IIB", x, y, 1))
    if m.exif is not None and not m.exif.empty:
        out += chunk(b"eXIf", written(m.exif))
    if m.xmp:
        out += chunk(b"iTXt", _XMP + b"\0\0\0\0\0" + m.xmp)
    resources = list(m.resources)
    if m.iptc:
        resources.insert(0, Resource(IPTC, b"", written_iim(m.iptc)))
    if resources:
        out += _raw_chunk(b"iptc" if m.iptc else b"8bim", written_resources(resources))
    for text in m.texts:
        name, body = text.chunk
        if not name:  # a comment from elsewhere: Latin-1, or UTF-8 where it is more
            try:
                text.data.decode("ascii")
                name, body = b"tEXt", text.keyword.encode("latin-1") + b"\0" + text.data.replace(b"\0", b"")
            except UnicodeDecodeError:
                body = text.keyword.encode("latin-1") + b"\0\0\0\0\0" + text.data.decode("utf-8", "replace").encode()
                name = b"iTXt"
        out += chunk(name, body)
    return out


def _raw_chunk(kind: bytes, data: bytes) -> bytes:
    digits = data.hex().encode()
    lines = b"\n".join(digits[i : i + 72] for i in range(0, len(digits), 72))
    text = b"\n" + kind + b"\n" + str(len(data)).rjust(8).encode() + b"\n" + lines + b"\n"
    return chunk(b"zTXt", _RAW + kind + b"\0\0" + zlib.compress(text))

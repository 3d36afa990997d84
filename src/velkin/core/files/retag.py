"""A new profile in a picture file without touching a single sample: the pixel data stay as they are, byte for byte.

Exif ColorSpace and the interoperability index are made to agree where they are there; claims in a PNG's own chunks go.
"""

from __future__ import annotations

import io
import struct
import zlib

from velkin.core.errors import NotSupported
from velkin.core.files.containers import PNG_HEAD, jpeg_segments

#: Formats whose tag can be replaced in place.
IN_PLACE = ("jpeg", "png", "tiff", "webp")

_EXIF_MARK = b"Exif\0\0"
_ICC_MARK = b"ICC_PROFILE\0"
_CLAIMS = (b"iCCP", b"sRGB", b"gAMA", b"cHRM", b"cICP")


def retagged(data: bytes, kind: str, icc: bytes, family: str, *, page: int = 0) -> bytes:
    """The file's bytes with another profile.

    Parameters
    ----------
    kind : one of `IN_PLACE`
    icc : bytes
    family : str
        Id of the built-in space that the profile equals, by which Exif is made to agree: ``srgb``, ``oprgb``, or another.
    page : int
        Which full-size picture of a TIFF.

    Raises
    ------
    NotSupported
        For other formats.
    ValueError, struct.error
        When the file's structure is damaged.
    """
    if kind == "jpeg":
        return _jpeg(data, icc, family)
    if kind == "png":
        return _png(data, icc, family)
    if kind == "webp":
        return _webp(data, icc, family)
    if kind == "tiff":
        return _tiff(data, icc, family, page)
    raise NotSupported(f"{kind.upper()} files cannot be given a tag without writing their pixels anew; write a TIFF or PNG")


def icc_segments(icc: bytes) -> bytes:
    """A profile as JPEG APP2 segments (ICC.1:2022 annex B.4)."""
    size = 65519
    parts = [icc[i : i + size] for i in range(0, len(icc), size)]
    if len(parts) > 255:
        raise NotSupported("the profile is too large for a JPEG")
    return b"".join(
        b"\xff\xe2" + struct.pack(">H", len(part) + 16) + _ICC_MARK + bytes((number, len(parts))) + part
        for number, part in enumerate(parts, start=1)
    )


def _jpeg(data: bytes, icc: bytes, family: str) -> bytes:
    segments = jpeg_segments(io.BytesIO(data))
    head, rest_at = bytearray(b"\xff\xd8"), 2
    placed = False
    for marker, offset, payload in segments:
        rest_at = offset + 4 + len(payload)
        if marker == 0xE2 and payload.startswith(_ICC_MARK):
            continue
        if marker not in (0xE0, 0xE1) and not placed:
            head += icc_segments(icc)
            placed = True
        if marker == 0xE1 and payload.startswith(_EXIF_MARK):
            payload = _EXIF_MARK + agreeing_exif(payload[len(_EXIF_MARK) :], family)
        head += bytes((0xFF, marker)) + struct.pack(">H", len(payload) + 2) + payload
    if not placed:
        head += icc_segments(icc)
    return bytes(head) + data[rest_at:]


def png_chunk(name: bytes, body: bytes) -> bytes:
    """A PNG chunk with its length and checksum."""
    return struct.pack(">I", len(body)) + name + body + struct.pack(">I", zlib.crc32(name + body))


def _png(data: bytes, icc: bytes, family: str) -> bytes:
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
            whole = png_chunk(name, agreeing_exif(whole[8:-4], family))
        out.append(whole)
        if name == b"IHDR":
            out.append(png_chunk(b"iCCP", b"Velkin\0\0" + zlib.compress(icc)))
        if name == b"IEND":
            break
    return b"".join(out) + data[at:]


def _webp(data: bytes, icc: bytes, family: str) -> bytes:
    if data[:4] != b"RIFF" or data[8:12] != b"WEBP":
        raise ValueError("no WebP signature")
    chunks: list[tuple[bytes, bytes]] = []
    at = 12
    while at + 8 <= len(data):
        name, length = struct.unpack_from("<4sI", data, at)
        chunks.append((name, data[at + 8 : at + 8 + length]))
        at += 8 + length + (length & 1)
    names = [n for n, _ in chunks]
    if b"VP8X" not in names:
        chunks.insert(0, (b"VP8X", _webp_header(chunks)))
    out = []
    for name, body in chunks:
        if name == b"ICCP":
            continue
        if name == b"VP8X":
            body = bytes((body[0] | 0x20,)) + body[1:]
        if name == b"EXIF":
            mark = _EXIF_MARK if body.startswith(_EXIF_MARK) else b""
            body = mark + agreeing_exif(body[len(mark) :], family)
        out.append(struct.pack("<4sI", name, len(body)) + body + b"\0" * (len(body) & 1))
        if name == b"VP8X":
            out.append(struct.pack("<4sI", b"ICCP", len(icc)) + icc + b"\0" * (len(icc) & 1))
    body = b"WEBP" + b"".join(out)
    return b"RIFF" + struct.pack("<I", len(body)) + body


def _webp_header(chunks: list[tuple[bytes, bytes]]) -> bytes:
    """The extended header that a simple WebP lacks, from the size in its bitstream."""
    for name, body in chunks:
        if name == b"VP8L" and len(body) >= 5:
            bits = int.from_bytes(body[1:5], "little")
            width, height, alpha = (bits & 0x3FFF) + 1, ((bits >> 14) & 0x3FFF) + 1, (bits >> 28) & 1
            break
        if name == b"VP8 " and len(body) >= 10:
            width, height = struct.unpack_from("<HH", body, 6)
            width, height, alpha = width & 0x3FFF, height & 0x3FFF, 0
            break
    else:
        raise ValueError("no picture in the WebP")
    return bytes((0x10 if alpha else 0, 0, 0, 0)) + (width - 1).to_bytes(3, "little") + (height - 1).to_bytes(3, "little")


# ---- TIFF ---------------------------------------------------------------------------------------------------------


def _tiff(data: bytes, icc: bytes, family: str, page: int) -> bytes:
    """The profile is put at the end, with a new directory of the picture that points to it; nothing else moves."""
    order = {b"II": "<", b"MM": ">"}.get(data[:2])
    if order is None:
        raise ValueError("no TIFF signature")
    big = struct.unpack_from(order + "H", data, 2)[0] == 43
    pointer, count_of, entry, form = (8, "Q", 20, "HHQQ") if big else (4, "H", 12, "HHII")
    offset_form = "Q" if big else "I"
    out = bytearray(data)
    at = struct.unpack_from(order + offset_form, data, pointer)[0]
    number, seen = 0, set()
    while at and at not in seen:
        seen.add(at)
        count = struct.unpack_from(order + count_of, data, at)[0]
        start = at + struct.calcsize(count_of)
        entries = [data[start + i * entry : start + (i + 1) * entry] for i in range(count)]
        following = start + count * entry
        tags = {struct.unpack_from(order + "H", e)[0]: e for e in entries}
        reduced = struct.unpack_from(order + form, tags[254])[3] & 1 if 254 in tags else 0
        if not reduced and number == page:
            break
        number += 0 if reduced else 1
        pointer, at = following, struct.unpack_from(order + offset_form, data, following)[0]
    else:
        raise ValueError("the picture asked for is not in it")
    if 34665 in tags:
        _agree(out, order, big, struct.unpack_from(order + form, tags[34665])[3], family)
    out += b"\0" * (-len(out) % 16)
    icc_at = len(out)
    out += icc + b"\0" * (-len(icc) % 16)
    tags[34675] = struct.pack(order + form, 34675, 7, len(icc), icc_at)
    directory_at = len(out)
    rows = b"".join(tags[t] for t in sorted(tags))
    out += struct.pack(order + count_of, len(tags)) + rows + data[following : following + struct.calcsize(offset_form)]
    if not big and len(out) >= 1 << 32:
        raise NotSupported("the TIFF would become larger than 4 GB")
    struct.pack_into(order + offset_form, out, pointer, directory_at)
    return bytes(out)


def agreeing_exif(block: bytes, family: str) -> bytes:
    """An Exif block (a TIFF structure) whose ColorSpace and interoperability index, where there, agree with a space."""
    out = bytearray(block)
    order = {b"II": "<", b"MM": ">"}.get(block[:2])
    if order is None or len(block) < 8:
        return block
    try:
        first = struct.unpack_from(order + "I", block, 4)[0]
        exif = _entry(block, order, first, 34665)
        if exif is not None:
            _agree(out, order, False, struct.unpack_from(order + "I", block, exif + 8)[0], family)
    except struct.error:
        return block
    return bytes(out)


def _entry(block: bytes | bytearray, order: str, directory: int, tag: int, big: bool = False) -> int | None:
    """Where the entry of a tag begins in a directory."""
    count = struct.unpack_from(order + ("Q" if big else "H"), block, directory)[0]
    start, size = (directory + 8, 20) if big else (directory + 2, 12)
    for i in range(min(count, 4096)):
        if struct.unpack_from(order + "H", block, start + i * size)[0] == tag:
            return start + i * size
    return None


def _agree(out: bytearray, order: str, big: bool, directory: int, family: str) -> None:
    value, pointer = (12, "Q") if big else (8, "I")
    at = _entry(out, order, directory, 0xA001, big)
    if at is not None:
        struct.pack_into(order + "H", out, at + value, 1 if family == "srgb" else 65535)
    at = _entry(out, order, directory, 0xA005, big)
    if at is None:
        return
    inner = struct.unpack_from(order + pointer, out, at + value)[0]
    index = _entry(out, order, inner, 1, big)
    if index is not None:
        words = {"srgb": b"R98\0", "oprgb": b"R03\0"}.get(family, b"\0\0\0\0")
        out[index + value : index + value + 4] = words

"""The containers pictures come in, taken apart far enough to find what they say of their colour; no pixel is decoded.

JPEG (ITU-T T.81 segments; ICC.1:2022 annex B.4), PNG (third edition), WebP (RIFF), AVIF (ISO/IEC 14496-12 boxes) and
JPEG XL (ISO/IEC 18181-1 size header).
"""

from __future__ import annotations

import struct
import zlib
from dataclasses import dataclass, field
from pathlib import Path
from typing import BinaryIO

from velkin.core.icc.read import LARGEST

_SMALL = 1024


@dataclass(frozen=True)
class Carried:
    """What a container carries about colour.

    Attributes
    ----------
    icc : bytes or None
        The embedded profile, put together from its segments.
    icc_where : str
        Where it lies: ``APP2``, ``iCCP``, ``ICCP``, ``colr`` …
    cicp : (primaries, transfer, matrix, full range) or None
        Code points of ISO/IEC 23091-2.
    srgb : bool
        Whether there is a PNG sRGB chunk.
    gamma : float or None
        PNG gAMA: the exponent that encoded the picture.
    chromaticities : 8 floats or None
        PNG cHRM: white, red, green, blue.
    bits : int or None
        Bits of a sample, where the container says it plainly.
    size : (width, height) or None
    png_type : (colour type, bit depth, has tRNS) or None
        Of a PNG.
    damage : tuple of str
        What is wrong with the carriers.
    """

    icc: bytes | None = None
    icc_where: str = ""
    cicp: tuple[int, int, int, int] | None = None
    srgb: bool = False
    gamma: float | None = None
    chromaticities: tuple[float, ...] | None = None
    bits: int | None = None
    size: tuple[int, int] | None = None
    png_type: tuple[int, int, bool] | None = None
    damage: tuple[str, ...] = field(default=())


def carried_by(path: Path, kind: str) -> Carried:
    """What the file at `path`, of the format `kind` (``jpeg``, ``png``, ``webp``, ``avif``, ``jxl``), carries. Raises OSError."""
    readers = {"jpeg": _jpeg, "png": _png, "webp": _webp, "avif": _avif, "jxl": _jxl}
    if kind not in readers:
        return Carried()
    with path.open("rb") as stream:
        try:
            return readers[kind](stream)
        except (struct.error, IndexError, ValueError) as error:
            return Carried(damage=(f"its {kind.upper()} structure is damaged ({error})",))


# ---- JPEG ---------------------------------------------------------------------------------------------------------

_ICC_MARK = b"ICC_PROFILE\0"


def jpeg_segments(stream: BinaryIO) -> list[tuple[int, int, bytes]]:
    """Marker, offset of its first byte and payload of each segment before the picture data."""
    if stream.read(2) != b"\xff\xd8":
        raise ValueError("no start of image")
    segments: list[tuple[int, int, bytes]] = []
    while True:
        offset = stream.tell()
        head = stream.read(2)
        if len(head) < 2 or head[0] != 0xFF:
            break
        marker = head[1]
        if marker == 0xFF:  # fill byte
            stream.seek(offset + 1)
            continue
        if marker in (0xDA, 0xD9):
            break
        if marker == 0x01 or 0xD0 <= marker <= 0xD7:
            continue
        length = struct.unpack(">H", stream.read(2))[0]
        payload = stream.read(length - 2)
        if length < 2 or len(payload) < length - 2:
            break
        segments.append((marker, offset, payload))
    return segments


def _jpeg(stream: BinaryIO) -> Carried:
    parts: dict[int, bytes] = {}
    wanted: set[int] = set()
    damage: list[str] = []
    size = None
    for marker, _, payload in jpeg_segments(stream):
        if marker == 0xE2 and payload.startswith(_ICC_MARK) and len(payload) >= 14:
            number, count = payload[12], payload[13]
            wanted.add(count)
            if number in parts:
                damage.append(f"segment {number} of the embedded profile is there twice")
            parts.setdefault(number, payload[14:])
        elif 0xC0 <= marker <= 0xCF and marker not in (0xC4, 0xC8, 0xCC) and len(payload) >= 5:
            size = (struct.unpack_from(">H", payload, 3)[0], struct.unpack_from(">H", payload, 1)[0])
    icc = None
    if parts:
        count = max(wanted)
        missing = [n for n in range(1, count + 1) if n not in parts]
        if len(wanted) > 1 or missing or 0 in parts:
            damage.append(f"{len(missing) or 'some'} of {count} segments of the embedded profile are missing or misnumbered")
        icc = b"".join(parts[n] for n in sorted(parts))
    return Carried(icc, "APP2" if parts else "", size=size, damage=tuple(damage))


# ---- PNG ----------------------------------------------------------------------------------------------------------

PNG_HEAD = b"\x89PNG\r\n\x1a\n"


def _png(stream: BinaryIO) -> Carried:
    if stream.read(8) != PNG_HEAD:
        raise ValueError("no PNG signature")
    chunks: dict[bytes, bytes] = {}
    damage: list[str] = []
    while len(head := stream.read(8)) == 8:
        length, name = struct.unpack(">I4s", head)
        if name in (b"IDAT", b"IEND"):
            break
        if length <= (LARGEST if name == b"iCCP" else _SMALL):
            body = stream.read(length)
            if name in chunks:
                damage.append(f"the chunk {name.decode('latin-1')} is there twice")
            chunks.setdefault(name, body)
            stream.seek(4, 1)
        else:
            if name == b"iCCP":
                damage.append(f"the embedded profile says it has {length} bytes")
            stream.seek(length + 4, 1)
    icc = None
    if b"iCCP" in chunks:
        icc, why = _inflated(chunks[b"iCCP"])
        damage += [why] if why else []
    header = chunks.get(b"IHDR", b"")
    cicp = chunks.get(b"cICP")
    gamma = struct.unpack(">I", chunks[b"gAMA"][:4])[0] / 100000.0 if len(chunks.get(b"gAMA", b"")) >= 4 else None
    points = chunks.get(b"cHRM", b"")
    return Carried(
        icc,
        "iCCP" if b"iCCP" in chunks else "",
        (cicp[0], cicp[1], cicp[2], cicp[3]) if cicp is not None and len(cicp) >= 4 else None,
        b"sRGB" in chunks,
        gamma,
        tuple(v / 100000.0 for v in struct.unpack(">8I", points[:32])) if len(points) >= 32 else None,
        max(header[8], 8) if len(header) >= 13 else None,
        struct.unpack(">II", header[:8]) if len(header) >= 8 else None,
        (header[9], header[8], b"tRNS" in chunks) if len(header) >= 13 else None,
        tuple(damage),
    )


def _inflated(chunk: bytes) -> tuple[bytes | None, str]:
    """The profile of an iCCP chunk; never more than a profile may have, however well it was packed."""
    _name, _, rest = chunk.partition(b"\0")
    if not rest or rest[0] != 0:
        return b"", "the embedded profile is packed in an unknown way"
    unpacker = zlib.decompressobj()
    try:
        data = unpacker.decompress(rest[1:], LARGEST)
    except zlib.error as error:
        return b"", f"the embedded profile cannot be unpacked ({error})"
    if unpacker.unconsumed_tail:
        return b"", f"the embedded profile has more than {LARGEST >> 20} MB"
    return data, ""


# ---- WebP ---------------------------------------------------------------------------------------------------------


def _webp(stream: BinaryIO) -> Carried:
    head = stream.read(12)
    if head[:4] != b"RIFF" or head[8:] != b"WEBP":
        raise ValueError("no WebP signature")
    icc, damage = None, []
    while len(chunk := stream.read(8)) == 8:
        name, length = struct.unpack("<4sI", chunk)
        if name == b"ICCP":
            if length > LARGEST:
                damage.append(f"the embedded profile says it has {length} bytes")
            else:
                icc = stream.read(length)
                if len(icc) < length:
                    damage.append("the embedded profile is cut short")
            break
        stream.seek(length + (length & 1), 1)
    return Carried(icc, "ICCP" if icc is not None else "", bits=8, damage=tuple(damage))


# ---- AVIF ---------------------------------------------------------------------------------------------------------


def _boxes(data: bytes) -> list[tuple[bytes, bytes]]:
    found, at = [], 0
    while at + 8 <= len(data):
        size, name = struct.unpack_from(">I4s", data, at)
        start = at + 8
        if size == 1:
            size, start = struct.unpack_from(">Q", data, at + 8)[0], at + 16
        elif size == 0:
            size = len(data) - at
        if size < 8 or at + size > len(data):
            break
        found.append((name, data[start : at + size]))
        at += size
    return found


def _avif(stream: BinaryIO) -> Carried:
    at = 0
    while len(head := stream.read(8)) == 8:
        size, name = struct.unpack(">I4s", head)
        if name == b"meta":
            if size > LARGEST:
                return Carried(damage=(f"its description says it has {size} bytes",))
            return _properties(stream.read(size - 8)[4:])
        if size < 8:
            break
        at += size
        stream.seek(at)
    return Carried()


def _properties(meta: bytes) -> Carried:
    icc: bytes | None = None
    cicp: tuple[int, int, int, int] | None = None
    bits: int | None = None
    for name, iprp in _boxes(meta):
        for inner, ipco in _boxes(iprp) if name == b"iprp" else []:
            for kind, body in _boxes(ipco) if inner == b"ipco" else []:
                if kind == b"colr" and body[:4] in (b"prof", b"rICC"):
                    icc = icc if icc is not None else body[4:]
                elif kind == b"colr" and body[:4] == b"nclx" and len(body) >= 11:
                    cicp = cicp or (*struct.unpack_from(">HHH", body, 4), body[10] >> 7)
                elif kind == b"pixi" and len(body) >= 6 and bits is None:
                    bits = body[5]
    return Carried(icc, "colr" if icc is not None else "", cicp, bits=bits)


# ---- JPEG XL ------------------------------------------------------------------------------------------------------


def _jxl(stream: BinaryIO) -> Carried:
    head = stream.read(4096)
    if head[:2] != b"\xff\x0a":
        inside = next((body for name, body in _boxes_loosely(head) if name in (b"jxlc", b"jxlp")), b"")
        head = inside[4:] if inside[4:6] == b"\xff\x0a" else inside
    return Carried(size=_jxl_size(head[2:]) if head[:2] == b"\xff\x0a" else None)


def _boxes_loosely(data: bytes) -> list[tuple[bytes, bytes]]:
    """Boxes of a file's beginning; the last may be cut short."""
    found, at = [], 0
    while at + 8 <= len(data):
        size, name = struct.unpack_from(">I4s", data, at)
        found.append((name, data[at + 8 : at + size] if size >= 8 else data[at + 8 :]))
        if size < 8:
            break
        at += size
    return found


def _jxl_size(data: bytes) -> tuple[int, int]:
    """ISO/IEC 18181-1 annex D.2, SizeHeader."""
    bits = int.from_bytes(data[:16], "little")
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

"""The structure of JPEG files (ITU-T T.81): marker segments before the picture data, and the marks by which those that applications write are told."""

from __future__ import annotations

import struct
from dataclasses import dataclass
from typing import BinaryIO

SOI = b"\xff\xd8"
#: Marker of the segment that holds Exif or XMP.
APP1 = 0xE1
EXIF_MARK = b"Exif\0\0"
ICC_MARK = b"ICC_PROFILE\0"
XMP_MARK = b"http://ns.adobe.com/xap/1.0/\0"
#: Bytes of a segment's payload at most.
LONGEST = 65533
#: Markers of the segment that tells bits, size and channels (ITU-T T.81, table B.1).
FRAMES = frozenset(range(0xC0, 0xD0)) - {0xC4, 0xC8, 0xCC}


@dataclass(frozen=True)
class Segment:
    """A marker segment before the picture data: marker, place of its first byte, payload."""

    marker: int
    at: int
    payload: bytes


def is_jpeg(head: bytes) -> bool:
    """Whether a file's first bytes are those of a JPEG."""
    return head[:3] == SOI + b"\xff"


def segments_of(stream: BinaryIO) -> tuple[list[Segment], int]:
    """The segments before the picture data, and where those begin. Raises ValueError."""
    begin = stream.tell()
    if stream.read(2) != SOI:
        raise ValueError("no start of image")
    segments: list[Segment] = []
    while True:
        at = stream.tell()
        head = stream.read(2)
        if len(head) == 2 and head[0] != 0xFF:  # what does not belong here is passed over, as decoders do
            near = head + stream.read(LONGEST)
            found = near.find(b"\xff", 1)
            if found < 0:
                return segments, at
            stream.seek(at + found)
            continue
        if len(head) < 2:
            return segments, at
        marker = head[1]
        if marker == 0xFF:  # fill byte
            stream.seek(at + 1)
            continue
        if marker in (0xDA, 0xD9):
            return segments, at
        if marker == 0x01 or 0xD0 <= marker <= 0xD7:
            continue
        size = stream.read(2)
        length = struct.unpack(">H", size)[0] if len(size) == 2 else 0
        payload = stream.read(length - 2) if length >= 2 else b""
        if length < 2 or len(payload) < length - 2:
            return segments, at
        segments.append(Segment(marker, at - begin, payload))

"""Image resource blocks (signature 8BIM): captions, clipping paths and settings that publishing programs keep beside a picture.

They lie in APP13 segments of JPEG and in tag 34377 of TIFF: signature, number, name padded to even, length, bytes padded to even. IPTC's
own data set is one of them (1028).
"""

from __future__ import annotations

import struct
from collections.abc import Callable, Iterable
from dataclasses import dataclass, replace

_SIGNATURES = (b"8BIM", b"PHUT", b"DCSR", b"AgHg", b"MeSa")
#: What JPEG's segments begin with.
JPEG_MARK = b"Photoshop 3.0\0"
IPTC = 1028
RESOLUTION = 1005
_PATHS = range(2000, 2998)
_CLIPPING_NAME = 2999
#: Resources that follow from the file they lie in, or repeat what stands elsewhere: resolution, profile, Exif, XMP, digest of the captions.
_FOLLOWS = frozenset((1005, 1039, 1041, 1058, 1059, 1060, 1061))
_PREVIEWS = frozenset((1033, 1036))
_FIXED = 1 << 24  # 8.24 fixed point


@dataclass(frozen=True)
class Resource:
    """One resource: its number, name and bytes."""

    id: int
    name: bytes
    data: bytes

    @property
    def is_path(self) -> bool:
        """Whether it is a path, or names the clipping one."""
        return self.id in _PATHS or self.id == _CLIPPING_NAME

    @property
    def follows(self) -> bool:
        """Whether it follows from the file it lies in, so that a new file has its own."""
        return self.id in _FOLLOWS

    @property
    def is_preview(self) -> bool:
        """Whether it is a small copy of the picture."""
        return self.id in _PREVIEWS

    def words(self) -> str:
        """What it is, in words."""
        if self.id in _PATHS:
            return f"path {self.name.decode('utf-8', 'replace')}".strip()
        known = {_CLIPPING_NAME: "name of the clipping path", 1036: "preview", 1033: "preview", IPTC: "IPTC"}
        return known.get(self.id, f"image resource {self.id}")


def read_resources(data: bytes) -> list[Resource]:
    """The resources of a block; what is damaged ends it."""
    found: list[Resource] = []
    at = 0
    while at + 12 <= len(data) and data[at : at + 4] in _SIGNATURES:
        number, named = struct.unpack_from(">HB", data, at + 4)
        name = data[at + 7 : at + 7 + named]
        at += 7 + named + (1 - named % 2)
        if at + 4 > len(data):
            break
        length = struct.unpack_from(">I", data, at)[0]
        at += 4
        if at + length > len(data):
            break
        found.append(Resource(number, name, data[at : at + length]))
        at += length + length % 2
    return found


def written_resources(resources: Iterable[Resource]) -> bytes:
    """Resources as one block; empty for none."""
    out = b""
    for r in resources:
        name = bytes((len(r.name),)) + r.name
        out += b"8BIM" + struct.pack(">H", r.id) + name + b"\0" * (len(name) % 2)
        out += struct.pack(">I", len(r.data)) + r.data + b"\0" * (len(r.data) % 2)
    return out


# where a point (x, y), each 0 to 1 of the picture, lies once a picture of an orientation stands upright
_TURNED: dict[int, Callable[[float, float], tuple[float, float]]] = {
    2: lambda x, y: (1 - x, y),
    3: lambda x, y: (1 - x, 1 - y),
    4: lambda x, y: (x, 1 - y),
    5: lambda x, y: (y, x),
    6: lambda x, y: (1 - y, x),
    7: lambda x, y: (1 - y, 1 - x),
    8: lambda x, y: (y, 1 - x),
}


def upright(resource: Resource, orientation: int) -> Resource:
    """A path as it lies once the picture stands upright; other resources as they are.

    A path is records of 26 bytes: a kind, and for knots (1, 2, 4, 5) three points, vertical before horizontal, as 8.24 fixed point of the
    picture's height and width.
    """
    turn = _TURNED.get(orientation)
    if turn is None or resource.id not in _PATHS:
        return resource
    out = bytearray(resource.data)
    for at in range(0, len(out) - 25, 26):
        if struct.unpack_from(">H", out, at)[0] not in (1, 2, 4, 5):
            continue
        for point in range(at + 2, at + 26, 8):
            y, x = struct.unpack_from(">ii", out, point)
            new_x, new_y = turn(x / _FIXED, y / _FIXED)
            struct.pack_into(">ii", out, point, round(new_y * _FIXED), round(new_x * _FIXED))
    return replace(resource, data=bytes(out))

"""Reading what an ICC profile is: class, colour model, version, description, and whether it hangs together.

Only what Velkin shows and decides by is parsed here; colours are computed through LittleCMS (transform.py).
"""

from __future__ import annotations

import struct
from dataclasses import dataclass

from velkin.core.errors import BadProfile

_MODELS = {b"RGB ": "rgb", b"GRAY": "gray", b"CMYK": "cmyk", b"Lab ": "lab", b"XYZ ": "xyz"}
_CLASSES = {
    b"scnr": "input",
    b"mntr": "display",
    b"prtr": "output",
    b"spac": "space",
    b"abst": "abstract",
    b"link": "link",
}
_LARGEST = 256 * 1024 * 1024


@dataclass(frozen=True)
class ICCProfile:
    """A profile's bytes and the facts of its header.

    Attributes
    ----------
    data : bytes
    description : str
        Its own words; not to be believed when recognising a space.
    model : str
        ``rgb``, ``gray``, ``cmyk``, ``lab``, ``xyz`` or the signature itself.
    kind : str
        ``input``, ``display``, ``output``, ``space``, ``abstract``, ``link`` or the signature.
    version : tuple of int
        Major and minor.
    """

    data: bytes
    description: str
    model: str
    kind: str
    version: tuple[int, int]


def parse(data: bytes) -> ICCProfile:
    """The facts of a profile.

    Raises
    ------
    BadProfile
        When it is truncated, lacks its signature, or a tag points outside it.
    """
    if len(data) < 132:
        raise BadProfile(f"an ICC profile of {len(data)} bytes is too short to be one")
    size = struct.unpack_from(">I", data)[0]
    if data[36:40] != b"acsp":
        raise BadProfile("the ICC profile lacks its signature")
    if size > len(data) or size > _LARGEST:
        raise BadProfile(f"the ICC profile says it has {size} bytes, and {len(data)} are there")
    count = struct.unpack_from(">I", data, 128)[0]
    if count > 1000 or 132 + 12 * count > size:
        raise BadProfile(f"the ICC profile's table of {count} tags does not fit into it")
    tags: dict[bytes, bytes] = {}
    for i in range(count):
        signature, offset, length = struct.unpack_from(">4sII", data, 132 + 12 * i)
        if offset + length > size:
            raise BadProfile(f"the ICC profile's tag {signature.decode('latin-1')} points past its end")
        tags[signature] = data[offset : offset + length]
    model = _MODELS.get(data[16:20], data[16:20].decode("latin-1").strip())
    kind = _CLASSES.get(data[12:16], data[12:16].decode("latin-1").strip())
    return ICCProfile(data, _text(tags.get(b"desc", b"")), model, kind, (data[8], data[9] >> 4))


def _text(tag: bytes) -> str:
    try:
        if tag[:4] == b"mluc":
            count, width = struct.unpack_from(">II", tag, 8)
            if count and width >= 12:
                length, offset = struct.unpack_from(">II", tag, 20)
                return tag[offset : offset + length].decode("utf-16-be", "replace").strip("\0 ")
        if tag[:4] == b"desc":
            length = struct.unpack_from(">I", tag, 8)[0]
            return tag[12 : 12 + length].decode("latin-1").strip("\0 ")
        if tag[:4] == b"text":
            return tag[8:].decode("latin-1").strip("\0 ")
    except struct.error:
        pass
    return ""

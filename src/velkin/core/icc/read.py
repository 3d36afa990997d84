"""Reading what an ICC profile is: class, colour model, version, description, and whether it hangs together.

Only what Velkin shows and decides by is parsed here; colours are computed through LittleCMS (transform.py).
"""

from __future__ import annotations

import struct
from dataclasses import dataclass, field

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
#: Profiles of more bytes than this are refused.
LARGEST = 64 * 1024 * 1024


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
    tags : dict
        Tag data by signature.
    """

    data: bytes
    description: str
    model: str
    kind: str
    version: tuple[int, int]
    tags: dict[bytes, bytes] = field(default_factory=dict, repr=False, compare=False)


def parse(data: bytes) -> ICCProfile:
    """The facts of a profile.

    Raises
    ------
    BadProfile
        When it is truncated, lacks its signature, or a tag points outside it.

    Examples
    --------
    >>> from velkin.core.icc.write import matrix_profile
    >>> from velkin.core.spaces.rgb import P3
    >>> found = parse(matrix_profile(P3))
    >>> found.model, found.kind, found.description
    ('rgb', 'display', 'P3 (D65)')
    """
    if len(data) < 132:
        raise BadProfile(f"an ICC profile of {len(data)} bytes is too short to be one")
    size = struct.unpack_from(">I", data)[0]
    if data[36:40] != b"acsp":
        raise BadProfile("the ICC profile lacks its signature")
    if size > len(data) or size > LARGEST:
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
    return ICCProfile(data, _text(tags.get(b"desc", b"")), model, kind, (data[8], data[9] >> 4), tags)


def table_side(data: bytes, intent: int) -> int | None:
    """How many nodes the table from device to colours has along each channel for an intent; None where there is none."""
    tags = parse(data).tags
    tag = tags.get({0: b"A2B0", 1: b"A2B1", 2: b"A2B2"}.get(int(intent), b"A2B1")) or tags.get(b"A2B0")
    if tag is None or len(tag) < 32:
        return None
    if tag[:4] in (b"mft1", b"mft2"):
        side = tag[10]
    elif tag[:4] == b"mAB ":
        offset = struct.unpack_from(">I", tag, 24)[0]
        side = tag[offset] if 0 < offset < len(tag) else 0
    else:
        side = 0
    return side if 2 <= side <= 65 else None


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

"""The formats of finished pictures. A new one is a module with its class, and one line here."""

from __future__ import annotations

from pathlib import Path

from velkin.core.errors import NotSupported, UnreadableFile
from velkin.core.files.formats.base import Format
from velkin.core.files.formats.heif import AVIF, HEIF
from velkin.core.files.formats.jpeg import JPEG
from velkin.core.files.formats.jxl import JXL
from velkin.core.files.formats.openraster import OpenRaster
from velkin.core.files.formats.png import PNG
from velkin.core.files.formats.tiff import TIFF
from velkin.core.files.formats.webp import WebP

#: In the order in which they are offered.
ALL: tuple[Format, ...] = (TIFF(), JPEG(), PNG(), WebP(), AVIF(), JXL(), HEIF(), OpenRaster())
_BY_ID = {f.id: f for f in ALL}
#: Ends of names of all pictures that are read.
PICTURES = frozenset(suffix for f in ALL for suffix in f.suffixes)
#: What a name's end asks for, of the formats that are written.
FORMATS: dict[str, str] = {suffix: f.id for f in ALL if f.bits for suffix in f.suffixes}
#: The end of a name for each format that is written.
SUFFIXES: dict[str, str] = {f.id: f.suffixes[0] for f in ALL if f.bits}


def format_named(kind: str) -> Format:
    """The format of an id. Raises KeyError."""
    return _BY_ID[kind]


def format_at(path: Path) -> Format:
    """The format of a picture by its first bytes.

    Raises
    ------
    UnreadableFile
        When it is a folder, empty, or none that is known.
    OSError
        When it cannot be read.
    """
    if path.is_dir():
        raise UnreadableFile("this is a folder", path)
    with path.open("rb") as stream:
        head = stream.read(64)
    if not head:
        raise UnreadableFile("the file is empty", path)
    for known in ALL:
        if known.recognises(head):
            return known
    raise UnreadableFile("not a picture or raw file that Velkin can read", path)


def format_of(out: Path) -> str:
    """The format that an output's name asks for. Raises NotSupported."""
    if out.suffix.lower() not in FORMATS:
        raise NotSupported(f"writing {out.suffix or 'a file without suffix'} is not supported; use {', '.join(FORMATS)}", out)
    return FORMATS[out.suffix.lower()]


def check_format(kind: str, bits: int, model: str, out: Path | None) -> None:
    """Refuse what a format cannot hold. Raises NotSupported."""
    known = _BY_ID[kind]
    if bits not in known.bits:
        raise NotSupported(f"{known.name} holds {' or '.join(str(b) for b in known.bits)} bits, not {bits}", out)
    if model not in known.models:
        raise NotSupported(f"{known.name} holds no {model} pictures here; use TIFF", out)


def holds_transparency(kind: str) -> bool:
    """Whether a format holds transparent parts."""
    return _BY_ID[kind].clear


def best_bits(kind: str, wanted: int) -> int:
    """The most bits up to `wanted` that a format holds."""
    bits = _BY_ID[kind].bits
    return max((b for b in bits if b <= wanted), default=min(bits))


def is_picture_name(path: Path) -> bool:
    """Whether a file's name ends like a finished picture's; what it is is decided by opening it."""
    return path.suffix.lower() in PICTURES

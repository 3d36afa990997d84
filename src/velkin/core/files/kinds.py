"""The kinds of finished pictures: how they are called, how their files' names end, and what they hold when written.

What reads and writes them is in `formats`, a class for each, and loads when a picture is opened or written; what is asked here is asked by
everyone who offers a choice.
"""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from velkin.core.errors import NotSupported


@dataclass(frozen=True)
class FormatKind:
    """A kind of finished pictures.

    Attributes
    ----------
    id, name : str
    suffixes : tuple of str
        Ends of names, the usual first.
    bits : tuple of int
        Of a sample, that are written; empty for one that is only read.
    models : tuple of str
        That are written.
    clear : bool
        Whether transparent parts are written.
    lossless : bool
        Whether every number that is written is read again.
    delivered : bool
        Whether destinations offer it: it has a place for what is said of a picture, so that it can be checked.
    """

    id: str
    name: str
    suffixes: tuple[str, ...]
    bits: tuple[int, ...] = ()
    models: tuple[str, ...] = ()
    clear: bool = False
    lossless: bool = False
    delivered: bool = True


TIFF = FormatKind("tiff", "TIFF", (".tif", ".tiff"), (8, 16, 32), ("rgb", "gray", "cmyk", "lab"), clear=True, lossless=True)
JPEG = FormatKind("jpeg", "JPEG", (".jpg", ".jpeg", ".jpe", ".jfif"), (8,), ("rgb", "gray", "cmyk"))
PNG = FormatKind("png", "PNG", (".png", ".apng"), (8, 16), ("rgb", "gray"), clear=True, lossless=True)
WEBP = FormatKind("webp", "WebP", (".webp",), (8,), ("rgb",), clear=True)
AVIF = FormatKind("avif", "AVIF", (".avif",), (8, 16), ("rgb",), clear=True)
JXL = FormatKind("jxl", "JPEG XL", (".jxl",), (8,), ("rgb",), clear=True)
HEIF = FormatKind("heic", "HEIF", (".heic", ".heif", ".hif"), delivered=False)
OPENRASTER = FormatKind("ora", "OpenRaster", (".ora",), (8, 16), ("rgb",), clear=True, lossless=True, delivered=False)

#: In the order in which they are offered.
ALL = (TIFF, JPEG, PNG, WEBP, AVIF, JXL, HEIF, OPENRASTER)
_BY_ID = {k.id: k for k in ALL}
#: Ends of names of all pictures that are read.
PICTURES = frozenset(suffix for k in ALL for suffix in k.suffixes)
#: What a name's end asks for, of the formats that are written.
FORMATS: dict[str, str] = {suffix: k.id for k in ALL if k.bits for suffix in k.suffixes}
#: The end of a name for each format that is written.
SUFFIXES: dict[str, str] = {k.id: k.suffixes[0] for k in ALL if k.bits}

#: Names of the formats that files are delivered in, by id.
DELIVERED: dict[str, str] = {k.id: k.name for k in ALL if k.delivered}


def kind_named(kind: str) -> FormatKind:
    """The kind of an id. Raises KeyError."""
    return _BY_ID[kind]


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

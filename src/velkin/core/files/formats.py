"""Which formats finished pictures are written in, what each can hold, and how it is used."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import Literal

from velkin.core.errors import NotSupported
from velkin.core.files.metadata_policy import EVERYTHING, MetadataPolicy

#: What a name's end asks for.
Format = Literal["jpeg", "png", "tiff", "webp", "avif", "jxl"]
Subsampling = Literal["4:4:4", "4:2:2", "4:2:0"]
Compression = Literal["none", "lzw", "deflate"]

FORMATS: dict[str, Format] = {
    ".tif": "tiff",
    ".tiff": "tiff",
    ".jpg": "jpeg",
    ".jpeg": "jpeg",
    ".png": "png",
    ".webp": "webp",
    ".avif": "avif",
    ".jxl": "jxl",
}
#: The end of a name for each format.
SUFFIXES = {"jpeg": ".jpg", "png": ".png", "tiff": ".tif", "webp": ".webp", "avif": ".avif", "jxl": ".jxl"}
#: Of JPEG: colour at full size, halved across, halved in both directions.
SUBSAMPLINGS = {"4:4:4": 0, "4:2:2": 1, "4:2:0": 2}
#: Of TIFF, all without loss.
TIFF_COMPRESSIONS = {"none": None, "lzw": "lzw", "deflate": "adobe_deflate"}
#: Formats that keep every number, the bits they hold, and the colour models.
LOSSLESS = ("tiff", "png")
_BITS = {"tiff": (8, 16, 32), "png": (8, 16), "jpeg": (8,), "webp": (8,), "avif": (8,), "jxl": (8,)}
_MODELS = {
    "tiff": ("rgb", "gray", "cmyk", "lab"),
    "png": ("rgb", "gray"),
    "jpeg": ("rgb", "gray", "cmyk"),
    "webp": ("rgb",),
    "avif": ("rgb",),
    "jxl": ("rgb",),
}
#: Formats that hold transparent parts.
_TRANSPARENT = ("tiff", "png", "webp", "avif", "jxl")


@dataclass(frozen=True)
class Coding:
    """How a format is used.

    Attributes
    ----------
    quality : int
        1 to 100, of JPEG, WebP, AVIF and JPEG XL; TIFF and PNG are without loss.
    subsampling : str
        Of JPEG, one of `SUBSAMPLINGS`.
    compression : str
        Of TIFF, one of `TIFF_COMPRESSIONS`.
    policy : MetadataPolicy
    ppi : float or None
        Pixels per inch to be written; None keeps what the source says.
    """

    quality: int = 95
    subsampling: str = "4:4:4"
    compression: str = "none"
    policy: MetadataPolicy = EVERYTHING
    ppi: float | None = None


PLAIN = Coding()


def format_of(out: Path) -> str:
    """The format that an output's name asks for. Raises NotSupported."""
    if out.suffix.lower() not in FORMATS:
        raise NotSupported(f"writing {out.suffix or 'a file without suffix'} is not supported; use {', '.join(FORMATS)}", out)
    return FORMATS[out.suffix.lower()]


def check_format(kind: str, bits: int, model: str, out: Path | None) -> None:
    """Refuse what a format cannot hold. Raises NotSupported."""
    if bits not in _BITS[kind]:
        raise NotSupported(f"{kind.upper()} holds {' or '.join(str(b) for b in _BITS[kind])} bits, not {bits}", out)
    if model not in _MODELS[kind]:
        raise NotSupported(f"{kind.upper()} holds no {model} pictures here; use TIFF", out)


def holds_transparency(kind: str) -> bool:
    """Whether a format holds transparent parts."""
    return kind in _TRANSPARENT


def best_bits(kind: str, wanted: int) -> int:
    """The most bits up to `wanted` that a format holds."""
    return max((b for b in _BITS[kind] if b <= wanted), default=min(_BITS[kind]))

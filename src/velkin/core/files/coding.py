"""How a format is used when a picture is written: quality, chroma subsampling, compression, metadata, resolution."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from velkin.core.files.metadata_policy import EVERYTHING, MetadataPolicy

Subsampling = Literal["4:4:4", "4:2:2", "4:2:0"]
Compression = Literal["none", "lzw", "deflate"]

#: Of JPEG: colour at full size, halved across, halved in both directions.
SUBSAMPLINGS = {"4:4:4": 0, "4:2:2": 1, "4:2:0": 2}
#: Of TIFF, all without loss.
TIFF_COMPRESSIONS = {"none": None, "lzw": "lzw", "deflate": "adobe_deflate"}


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

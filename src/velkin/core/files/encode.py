"""Encoding linear RGB into tagged picture files: TIFF, PNG and JPEG."""

from __future__ import annotations

import struct
import zlib
from io import BytesIO
from pathlib import Path

import imagecodecs
import numpy as np
import tifffile
from numpy.typing import NDArray
from PIL import Image

from velkin.core.files.metadata import carry_into
from velkin.core.icc.write import matrix_profile
from velkin.core.render import encode_8bit, encode_16bit
from velkin.core.spaces.rgb import RGBSpace

FORMATS = {".tif": "tiff", ".tiff": "tiff", ".jpg": "jpeg", ".jpeg": "jpeg", ".png": "png"}


def jpeg_bytes(pixels: NDArray[np.uint8], profile: bytes, quality: int) -> bytes:
    """A JPEG with an embedded profile; colour is not subsampled, so that edges between saturated colours stay."""
    stream = BytesIO()
    Image.fromarray(pixels).save(stream, "JPEG", quality=quality, subsampling=0, icc_profile=profile)
    return stream.getvalue()


def encode_picture(
    linear: NDArray[np.float32],
    space: RGBSpace,
    kind: str,
    bits: int,
    source: Path,
    tag: bool = True,
    quality: int = 95,
) -> bytes:
    """A whole picture file.

    Parameters
    ----------
    linear : ndarray (H, W, 3), float32
        Linear RGB in `space`; clipped here.
    space : RGBSpace
    kind : str
        ``tiff``, ``png`` or ``jpeg``.
    bits : int
        8 (dithered) or 16.
    source : Path
        Whose Exif is carried over.
    tag : bool
        False leaves the profile out, for camera numbers that have no space.
    """
    pixels: NDArray[np.uint8] | NDArray[np.uint16] = encode_8bit(linear, space) if bits == 8 else encode_16bit(linear, space)
    profile = matrix_profile(space)
    if kind == "tiff":
        stream = BytesIO()
        tifffile.imwrite(
            stream, pixels, photometric="rgb", iccprofile=profile if tag else None, metadata=None, software="Velkin"
        )
        data = stream.getvalue()
    elif kind == "png":
        data = _png(pixels, profile if tag else None)
    else:
        data = jpeg_bytes(np.asarray(pixels, dtype=np.uint8), profile, quality)
    return carry_into(data, source, tag and space.id == "srgb", (pixels.shape[1], pixels.shape[0]))


def _png(pixels: NDArray[np.uint8] | NDArray[np.uint16], profile: bytes | None) -> bytes:
    """A PNG whose profile is put right after the header (imagecodecs writes 16-bit RGB, and no profile)."""
    data = bytes(imagecodecs.png_encode(pixels))
    if profile is None:
        return data
    body = b"iCCP" + b"Velkin\0\0" + zlib.compress(profile)
    chunk = struct.pack(">I", len(body) - 4) + body + struct.pack(">I", zlib.crc32(body))
    end_of_header = 8 + 12 + 13
    return data[:end_of_header] + chunk + data[end_of_header:]

"""Encoding pictures into tagged files: TIFF, PNG, JPEG, WebP and AVIF.

JPEG XL is read and not written: no library in the registries that Velkin takes embeds a profile in it yet.
"""

from __future__ import annotations

from io import BytesIO
from pathlib import Path
from typing import Any

import imagecodecs
import numpy as np
import tifffile
from numpy.typing import NDArray
from PIL import Image

from velkin.core.errors import NotSupported
from velkin.core.files.metadata import carry_into, exif_block
from velkin.core.files.picture import Picture
from velkin.core.files.retag import retagged
from velkin.core.icc.write import matrix_profile
from velkin.core.render import encode_8bit, encode_16bit
from velkin.core.spaces.rgb import RGBSpace

#: What a name's end asks for.
FORMATS = {
    ".tif": "tiff",
    ".tiff": "tiff",
    ".jpg": "jpeg",
    ".jpeg": "jpeg",
    ".png": "png",
    ".webp": "webp",
    ".avif": "avif",
}
#: Formats that keep every number, the bits they hold, and the colour models.
LOSSLESS = ("tiff", "png")
_BITS = {"tiff": (8, 16, 32), "png": (8, 16), "jpeg": (8,), "webp": (8,), "avif": (8,)}
_MODELS = {
    "tiff": ("rgb", "gray", "cmyk", "lab"),
    "png": ("rgb", "gray"),
    "jpeg": ("rgb", "gray", "cmyk"),
    "webp": ("rgb",),
    "avif": ("rgb",),
}


def format_of(out: Path) -> str:
    """The format that an output's name asks for. Raises NotSupported."""
    if out.suffix.lower() not in FORMATS:
        raise NotSupported(f"writing {out.suffix or 'a file without suffix'} is not supported; use {', '.join(FORMATS)}", out)
    return FORMATS[out.suffix.lower()]


def check_format(kind: str, bits: int, model: str, out: Path) -> None:
    """Refuse what a format cannot hold. Raises NotSupported."""
    if bits not in _BITS[kind]:
        raise NotSupported(f"{kind.upper()} holds {' or '.join(str(b) for b in _BITS[kind])} bits, not {bits}", out)
    if model not in _MODELS[kind]:
        raise NotSupported(f"{kind.upper()} holds no {model} pictures here; use TIFF", out)


def best_bits(kind: str, wanted: int) -> int:
    """The most bits up to `wanted` that a format holds."""
    return max((b for b in _BITS[kind] if b <= wanted), default=min(_BITS[kind]))


def jpeg_bytes(pixels: NDArray[np.uint8], profile: bytes | None, quality: int) -> bytes:
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
    if kind not in ("tiff", "png", "jpeg"):
        return encode_numbers(Picture(pixels, None, "rgb"), kind, matrix_profile(space), space.id, source, quality)
    profile = matrix_profile(space)
    if kind == "tiff":
        stream = BytesIO()
        tifffile.imwrite(
            stream, pixels, photometric="rgb", iccprofile=profile if tag else None, metadata=None, software="Velkin"
        )
        data = stream.getvalue()
    elif kind == "png":
        data = bytes(imagecodecs.png_encode(pixels))
        data = retagged(data, "png", profile, space.id) if tag else data
    else:
        data = jpeg_bytes(np.asarray(pixels, dtype=np.uint8), profile, quality)
    return carry_into(data, source, tag and space.id == "srgb", (pixels.shape[1], pixels.shape[0]))


def encode_numbers(picture: Picture, kind: str, icc: bytes | None, family: str, source: Path, quality: int = 95) -> bytes:
    """A picture's numbers as they are in a file, with a profile and the source's metadata made to agree with it.

    Parameters
    ----------
    picture : Picture
    kind : str
        One of the values of `FORMATS`.
    icc : bytes or None
        None writes no tag, as for Lab and for pictures that are to stay untagged.
    family : str
        Id of the built-in space that the profile equals.
    quality : int
        Of JPEG, WebP and AVIF; TIFF and PNG are without loss.

    Raises
    ------
    NotSupported
        When the format cannot hold the picture.
    """
    height, width = picture.numbers.shape[:2]
    bits = 8 * picture.numbers.dtype.itemsize
    check_format(kind, bits, picture.model, source)
    if kind == "tiff":
        return carry_into(_tiff(picture, icc), source, family == "srgb", (width, height))
    samples: NDArray[Any] = picture.numbers
    if picture.alpha is not None and kind != "jpeg":
        samples = np.dstack([samples, picture.alpha])
    samples = samples[..., 0] if samples.shape[2] == 1 else samples
    if kind == "png":
        data = bytes(imagecodecs.png_encode(samples))
        data = data if icc is None else retagged(data, "png", icc, family)
        return carry_into(data, source, family == "srgb", (width, height))
    if kind == "jpeg":
        data = _jpeg(samples, picture.model, icc, quality)
        return carry_into(data, source, family == "srgb", (width, height))
    return _by_pillow(samples, kind, icc, family, source, quality)


def _tiff(picture: Picture, icc: bytes | None) -> bytes:
    samples: NDArray[Any] = picture.numbers
    if picture.model == "lab":  # the encoding of photometric ICCLab in 8 bits, of CIELab in 16
        samples = _tiff_lab(samples)
    extra = ["unassalpha"] if picture.alpha is not None else None
    if picture.alpha is not None:
        samples = np.dstack([samples, picture.alpha])
    photometric = {"rgb": "rgb", "gray": "minisblack", "cmyk": "separated", "lab": "icclab"}[picture.model]
    stream = BytesIO()
    tifffile.imwrite(
        stream,
        samples[..., 0] if samples.shape[2] == 1 else samples,
        photometric=photometric,
        planarconfig="contig" if samples.shape[2] > 1 else None,
        extrasamples=extra,
        iccprofile=icc,
        metadata=None,
        software="Velkin",
    )
    return stream.getvalue()


def _tiff_lab(samples: NDArray[Any]) -> NDArray[Any]:
    if samples.dtype == np.uint8:
        return samples
    scale = np.array([65280.0, 255.0 * 256.0, 255.0 * 256.0])
    full = 65535.0 if samples.dtype == np.uint16 else 1.0
    return np.clip(np.round(samples / full * scale), 0, 65535).astype(np.uint16)


def _jpeg(samples: NDArray[Any], model: str, icc: bytes | None, quality: int) -> bytes:
    if model == "rgb":
        return jpeg_bytes(samples, icc, quality)
    stream = BytesIO()
    mode = "L" if model == "gray" else "CMYK"
    Image.fromarray(samples, mode).save(stream, "JPEG", quality=quality, subsampling=0, icc_profile=icc)
    return stream.getvalue()


def _by_pillow(samples: NDArray[Any], kind: str, icc: bytes | None, family: str, source: Path, quality: int) -> bytes:
    exif = exif_block(source, family == "srgb", (samples.shape[1], samples.shape[0]))
    stream = BytesIO()
    image = Image.fromarray(samples)
    options: dict[str, Any] = {"icc_profile": icc or b"", "exif": exif}
    if kind == "webp":
        image.save(stream, "WEBP", quality=quality, method=4, exact=True, **options)
    else:
        image.save(stream, "AVIF", quality=quality, subsampling="4:4:4", **options)
    return stream.getvalue()

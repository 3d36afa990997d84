"""Encoding pictures into tagged files: TIFF, PNG, JPEG, WebP, AVIF and JPEG XL."""

from __future__ import annotations

from io import BytesIO
from pathlib import Path
from typing import Any

import imagecodecs
import numpy as np
import tifffile
from numpy.typing import NDArray
from PIL import Image

from velkin.core.files.carrying import blocks, carry_into
from velkin.core.files.formats import PLAIN, SUBSAMPLINGS, TIFF_COMPRESSIONS, Coding, check_format
from velkin.core.files.picture import Picture
from velkin.core.files.retag import retagged


def jpeg_bytes(pixels: NDArray[np.uint8], profile: bytes | None, coding: Coding = PLAIN, mode: str | None = None) -> bytes:
    """A JPEG with an embedded profile; colour is not subsampled unless asked, so that edges between saturated colours stay."""
    stream = BytesIO()
    options: dict[str, Any] = {} if coding.ppi is None else {"dpi": (coding.ppi, coding.ppi)}
    image = Image.fromarray(pixels, mode) if mode else Image.fromarray(pixels)
    image.save(
        stream, "JPEG", quality=coding.quality, subsampling=SUBSAMPLINGS[coding.subsampling], icc_profile=profile, **options
    )
    return stream.getvalue()


def encode_numbers(
    picture: Picture, kind: str, icc: bytes | None, *, family: str, source: Path, coding: Coding = PLAIN
) -> bytes:
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
    source : Path
        Whose metadata are carried over.
    coding : Coding

    Raises
    ------
    NotSupported
        When the format cannot hold the picture.
    """
    height, width = picture.numbers.shape[:2]
    bits = 8 * picture.numbers.dtype.itemsize
    check_format(kind, bits, picture.model, source)
    srgb, size = family == "srgb", (width, height)
    if kind == "tiff":
        stream = BytesIO()
        _write_tiff(stream, picture, icc, coding)
        return carry_into(stream.getvalue(), source, is_srgb=srgb, size=size, policy=coding.policy, ppi=coding.ppi)
    samples: NDArray[Any] = picture.numbers
    if picture.alpha is not None and kind != "jpeg":
        samples = np.dstack([samples, picture.alpha])
    samples = samples[..., 0] if samples.shape[2] == 1 else samples
    if kind == "png":
        data = bytes(imagecodecs.png_encode(samples))
        data = data if icc is None else retagged(data, "png", icc, family)
        return carry_into(data, source, is_srgb=srgb, size=size, policy=coding.policy, ppi=coding.ppi)
    if kind == "jpeg":
        mode = {"rgb": None, "gray": "L", "cmyk": "CMYK"}[picture.model]
        return carry_into(
            jpeg_bytes(samples, icc, coding, mode), source, is_srgb=srgb, size=size, policy=coding.policy, ppi=coding.ppi
        )
    carried = blocks(source, srgb, size, coding.policy, coding.ppi)
    if kind == "jxl":
        import pylibjxl  # loaded where needed

        return bytes(
            pylibjxl.encode(
                np.ascontiguousarray(samples), effort=5, distance=_distance(coding.quality), icc=icc,
                exif=carried.exif or None, xmp=carried.xmp or None,
            )
        )  # fmt: skip
    stream = BytesIO()
    options: dict[str, Any] = {"icc_profile": icc or b"", "exif": b"Exif\0\0" + carried.exif if carried.exif else b""}
    if carried.xmp:
        options["xmp"] = carried.xmp
    if kind == "webp":
        Image.fromarray(samples).save(stream, "WEBP", quality=coding.quality, method=4, exact=True, **options)
    else:
        Image.fromarray(samples).save(stream, "AVIF", quality=coding.quality, subsampling="4:4:4", **options)
    return stream.getvalue()


def write_numbers(
    out: Path, picture: Picture, kind: str, icc: bytes | None, *, family: str, source: Path, coding: Coding = PLAIN
) -> None:
    """As `encode_numbers`, into a file that is not there yet or may be overwritten; TIFF is not held in memory as a whole.

    Raises
    ------
    NotSupported
    OSError
    """
    if kind != "tiff":
        out.write_bytes(encode_numbers(picture, kind, icc, family=family, source=source, coding=coding))
        return
    height, width = picture.numbers.shape[:2]
    check_format(kind, 8 * picture.numbers.dtype.itemsize, picture.model, source)
    with out.open("wb") as stream:
        _write_tiff(stream, picture, icc, coding)
    carry_into(out, source, is_srgb=family == "srgb", size=(width, height), policy=coding.policy, ppi=coding.ppi)


def _distance(quality: int) -> float:
    """Butteraugli distance of a quality 1..100, as libjxl's own tools map it (JxlEncoderDistanceFromQuality)."""
    if quality >= 100:
        return 0.0
    if quality >= 30:
        return 0.1 + (100 - quality) * 0.09
    return 53.0 / 3000.0 * quality * quality - 23.0 / 20.0 * quality + 25.0


def _write_tiff(stream: Any, picture: Picture, icc: bytes | None, coding: Coding) -> None:
    samples: NDArray[Any] = picture.numbers
    if picture.model == "lab":  # the encoding of photometric ICCLab in 8 bits, of CIELab in 16
        samples = _tiff_lab(samples)
    extra = ["unassalpha" if picture.clear else "unspecified"] if picture.alpha is not None else None
    if picture.alpha is not None:
        samples = np.dstack([samples, picture.alpha])
    photometric = {"rgb": "rgb", "gray": "minisblack", "cmyk": "separated", "lab": "icclab"}[picture.model]
    compression = TIFF_COMPRESSIONS[coding.compression]
    options: dict[str, Any] = {}
    if compression is not None:
        options = {"compression": compression, "predictor": samples.dtype.kind != "f", "rowsperstrip": 64, "maxworkers": 2}
    if (
        compression == "adobe_deflate"
    ):  # photographs in 16 bits come out no larger than with more effort, in two thirds of the time
        options["compressionargs"] = {"level": 1}
    if coding.ppi is not None:
        options["resolution"] = (coding.ppi, coding.ppi)
        options["resolutionunit"] = "inch"
    tifffile.imwrite(
        stream,
        samples[..., 0] if samples.shape[2] == 1 else samples,
        photometric=photometric,
        planarconfig="contig" if samples.shape[2] > 1 else None,
        extrasamples=extra,
        iccprofile=icc,
        metadata=None,
        software="Velkin",
        **options,
    )


def _tiff_lab(samples: NDArray[Any]) -> NDArray[Any]:
    if samples.dtype == np.uint8:
        return samples
    scale = np.array([65280.0, 255.0 * 256.0, 255.0 * 256.0])
    full = 65535.0 if samples.dtype == np.uint16 else 1.0
    return np.clip(np.round(samples / full * scale), 0, 65535).astype(np.uint16)

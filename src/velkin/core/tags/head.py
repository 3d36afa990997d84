"""The header of a picture file: format, size, channels, and what it carries; no pixel is decoded (JPEG XL's profile excepted)."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

import tifffile
from PIL import Image

from velkin.core.errors import UnreadableFile
from velkin.core.files.containers import Carried, carried_by
from velkin.core.files.picture import check_size, extra_of
from velkin.core.files.tiff_pages import tiff_pages

_FORMATS = {"JPEG": "jpeg", "MPO": "jpeg", "PNG": "png", "WEBP": "webp", "AVIF": "avif", "JXL": "jxl"}
_MODELS = {"1": "gray", "L": "gray", "LA": "gray", "I;16": "gray", "I;16B": "gray", "I": "gray", "F": "gray"}
_MODELS |= {"P": "rgb", "RGB": "rgb", "RGBA": "rgb", "RGBX": "rgb", "CMYK": "cmyk", "YCbCr": "rgb", "LAB": "lab"}
_CHANNELS = {"1": 1, "L": 1, "LA": 2, "P": 3, "RGB": 3, "RGBA": 4, "RGBX": 4, "CMYK": 4, "YCbCr": 3, "LAB": 3}


@dataclass
class Head:
    """The facts of a picture's header."""

    format: str
    width: int
    height: int
    channels: int
    bits: int
    model: str
    alpha: bool
    carried: Carried
    pages: int = 1


def head_of(path: Path, kind: str, page: int) -> Head:
    """The header of a file of a kind (`files.picture.kind_of`); errors are the readers' own."""
    return _tiff_head(path, page) if kind == "tiff" else _other_head(path, kind)


def _tiff_head(path: Path, number: int) -> Head:
    with tifffile.TiffFile(path) as tif:
        pages = tiff_pages(tif)
        if not 0 <= number < len(pages):
            raise UnreadableFile(f"it holds {len(pages)} pictures, and number {number + 1} was asked for", path)
        page = pages[number]
        photometric = int(page.photometric)
        model = {0: "gray", 1: "gray", 5: "cmyk", 8: "lab", 9: "lab"}.get(photometric, "rgb")
        samples = 3 if photometric == 3 else page.samplesperpixel
        colours = {"gray": 1, "cmyk": 4}.get(model, 3)
        icc = page.tags.get(34675)
        value = icc.value if icc is not None else None
        data = bytes(value) if isinstance(value, (bytes, bytearray, tuple, list)) else None
        bits = page.bitspersample
        damage = () if data is not None or icc is None else ("its embedded profile cannot be read",)
        return Head(
            "tiff",
            int(page.imagewidth),  # a damaged tag may hold several numbers, or a word
            int(page.imagelength),
            int(samples),
            int(bits if isinstance(bits, int) else bits[0]),
            model,
            samples > colours and extra_of(page) > 0,
            Carried(data, "tag 34675" if data is not None else "", damage=damage),
            len(pages),
        )


def _other_head(path: Path, kind: str) -> Head:
    carried = carried_by(path, kind)
    if carried.size is not None:
        check_size(*carried.size, path)
    if carried.png_type is not None and carried.size is not None:
        colour, depth, clear = carried.png_type
        gray, alpha = colour in (0, 4), clear or colour in (4, 6)
        return Head("png", *carried.size, (1 if gray else 3) + alpha, max(depth, 8), "gray" if gray else "rgb", alpha, carried)
    if kind == "jxl":
        import pillow_jxl  # noqa: F401  registers the format; its profile is found by decoding only
    with Image.open(path) as picture:
        name, mode, (width, height) = str(picture.format), picture.mode, picture.size
        if kind == "jxl":
            icc = picture.info.get("icc_profile")
            carried = Carried(icc, "colour encoding" if icc else "")
        alpha = mode in ("LA", "RGBA", "PA") or "transparency" in picture.info
    if name not in _FORMATS:
        raise UnreadableFile(f"pictures of the format {name} are not read", path)
    channels = _CHANNELS.get(mode, 1)
    if alpha and channels in (1, 3):
        channels += 1
    bits = carried.bits or (16 if mode.startswith("I") else 32 if mode == "F" else 8)
    return Head(_FORMATS[name], width, height, channels, bits, _MODELS.get(mode, "rgb"), alpha, carried)

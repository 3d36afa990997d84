"""Finished pictures as numbers: what stands in the file, upright, no profile applied."""

from __future__ import annotations

import contextlib
import warnings
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
import tifffile
from numpy.typing import NDArray
from PIL import Image, UnidentifiedImageError

from velkin.core.errors import NotSupported, UnreadableFile, VelkinError
from velkin.core.files.tiff_pages import tiff_pages

Pixels = NDArray[np.float32]
Numbers = NDArray[np.uint8] | NDArray[np.uint16] | NDArray[np.float32]

#: Pictures of more pixels than this are refused rather than filling the memory.
LARGEST = 400_000_000
Image.MAX_IMAGE_PIXELS = LARGEST  # Pillow goes by the same limit, wherever pictures are opened

# what turns stored pixels upright, by Exif orientation
_UPRIGHT = {
    2: lambda a: a[:, ::-1],
    3: lambda a: a[::-1, ::-1],
    4: lambda a: a[::-1],
    5: lambda a: a.transpose(1, 0, 2),
    6: lambda a: a.transpose(1, 0, 2)[:, ::-1],
    7: lambda a: a.transpose(1, 0, 2)[::-1, ::-1],
    8: lambda a: a.transpose(1, 0, 2)[::-1],
}


#: What a channel beside the colours may be, as TIFF 6.0 numbers it.
_OTHER, _MULTIPLIED, _SEPARATE = 0, 1, 2
#: The largest sample that is taken for light: what a 16-bit float holds. Beyond it sums overflow and figures end as no numbers.
_LARGEST = 65504.0


@dataclass(frozen=True)
class Picture:
    """A decoded picture.

    Attributes
    ----------
    numbers : ndarray (H, W, C), uint8, uint16 or float32
        As they stand in the file: 0..full scale, float as it is. Lab is encoded as L / 100 and (a, b + 128) / 255 of full
        scale; CMYK is the amount of ink.
    alpha : ndarray (H, W) or None
        Of the same dtype; colours are not multiplied with it.
    model : str
        ``rgb``, ``gray``, ``cmyk`` or ``lab``.
    not_numbers : int
        Floating-point samples that were no number at all, infinite or beyond 65504 either way, and were set to 0 (those above to 1).
    clear : bool
        Whether alpha says how much of each pixel covers what lies below; a channel of another meaning, such as a saved
        selection, is only carried.
    """

    numbers: Numbers
    alpha: Numbers | None
    model: str
    not_numbers: int = 0
    clear: bool = True


def kind_of(path: Path) -> str:
    """The format of a picture by its first bytes: ``tiff``, ``jpeg``, ``png``, ``webp``, ``avif`` or ``jxl``.

    Raises
    ------
    UnreadableFile
        When it is a folder, empty, or none of these.
    OSError
        When it cannot be read.
    """
    if path.is_dir():
        raise UnreadableFile("this is a folder", path)
    with path.open("rb") as stream:
        head = stream.read(16)
    if not head:
        raise UnreadableFile("the file is empty", path)
    if head[:4] in (b"II*\0", b"MM\0*", b"II+\0", b"MM\0+"):
        return "tiff"
    if head[:3] == b"\xff\xd8\xff":
        return "jpeg"
    if head[:8] == b"\x89PNG\r\n\x1a\n":
        return "png"
    if head[:4] == b"RIFF" and head[8:12] == b"WEBP":
        return "webp"
    if head[4:8] == b"ftyp" and head[8:12] in (b"avif", b"avis", b"mif1", b"msf1"):
        return "avif"
    if head[:2] == b"\xff\x0a" or head[4:8] == b"JXL ":
        return "jxl"
    raise UnreadableFile("not a picture or raw file that Velkin can read", path)


def check_size(width: int, height: int, path: Path) -> None:
    """Refuse pictures whose header asks for too much. Raises UnreadableFile."""
    if width < 1 or height < 1:
        raise UnreadableFile("the picture holds no pixels", path)
    if width * height > LARGEST:
        raise UnreadableFile(
            f"the picture says it has {width} × {height} pixels; more than {LARGEST // 1_000_000} million are refused", path
        )


def decode(path: Path) -> Pixels:
    """RGB numbers (H, W, 3) float32 of a finished picture, 0..1 of full scale (float files as they are); alpha is dropped.

    Raises
    ------
    UnreadableFile
        When the file is missing, damaged, no picture or too large.
    NotSupported
        For other than RGB and gray pictures.
    """
    picture = decode_picture(path)
    if picture.model not in ("rgb", "gray"):
        raise NotSupported(f"a {picture.model.upper()} picture cannot be read for a chart", path)
    numbers = picture.numbers
    scale = {np.dtype(np.uint8): 255.0, np.dtype(np.uint16): 65535.0}.get(numbers.dtype, 1.0)
    pixels: Pixels = numbers.astype(np.float32) / np.float32(scale)
    return np.ascontiguousarray(np.repeat(pixels, 3, axis=2) if pixels.shape[2] == 1 else pixels)


def decode_picture(path: Path, page: int = 0) -> Picture:
    """A finished picture's numbers, upright.

    Parameters
    ----------
    page : int
        Which picture of a file that holds several, from 0.

    Raises
    ------
    UnreadableFile
        When the file is missing, damaged, no picture or too large.
    NotSupported
        For colour models that Velkin does not read.
    """
    try:
        kind = kind_of(path)
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            numbers, model, orientation, extra = _tiff(path, page) if kind == "tiff" else _other(path, kind)
    except VelkinError:
        raise
    except FileNotFoundError as error:
        raise UnreadableFile("the file is not there any more", path) from error
    except (UnidentifiedImageError, Image.DecompressionBombError) as error:
        raise UnreadableFile("not a picture that Velkin can read", path) from error
    except Exception as error:  # decoders raise what they like on damaged files
        raise UnreadableFile(f"the picture is damaged or cut short ({error})", path) from error
    if numbers.ndim == 2:
        numbers = numbers[..., None]
    if numbers.ndim != 3 or min(numbers.shape) < 1:
        raise UnreadableFile("the picture holds no pixels", path)
    if orientation in _UPRIGHT:
        numbers = _UPRIGHT[orientation](numbers)
    return _split(numbers, model, extra, path)


def _split(numbers: NDArray[Any], model: str, extra: int, path: Path) -> Picture:
    """Colours and alpha of samples (H, W, n), in one of the dtypes that Velkin works with."""
    numbers, bad = _in_dtype(numbers)
    colours = {"gray": 1, "cmyk": 4}.get(model, 3)
    if numbers.shape[2] < colours:
        raise NotSupported(f"a {model} picture of {numbers.shape[2]} channels is not read", path)
    alpha = np.ascontiguousarray(numbers[..., colours]) if numbers.shape[2] > colours else None
    numbers = np.ascontiguousarray(numbers[..., :colours])
    if extra == _MULTIPLIED and alpha is not None:
        top = {np.dtype(np.uint8): 255.0, np.dtype(np.uint16): 65535.0}.get(numbers.dtype, 1.0)
        share = np.maximum(alpha.astype(np.float32) / top, 1e-6)[..., None]
        freed = np.where(alpha[..., None] > 0, numbers / share, 0.0)
        numbers = (
            np.clip(np.round(freed), 0, top).astype(numbers.dtype) if numbers.dtype != np.float32 else freed.astype(np.float32)
        )
    return Picture(numbers, alpha, model, bad, extra != _OTHER)


def _in_dtype(numbers: NDArray[Any]) -> tuple[NDArray[Any], int]:
    kind = numbers.dtype
    if kind == np.bool_:
        return numbers.astype(np.uint8) * np.uint8(255), 0
    if kind in (np.uint8, np.uint16):
        return numbers, 0
    if kind == np.uint32:
        return (numbers >> np.uint32(16)).astype(np.uint16), 0
    if kind.kind != "f":
        raise ValueError(f"samples of the kind {kind} are not read")
    with np.errstate(over="ignore"):  # a 64-bit sample that 32 bits cannot hold is one of those set here
        floats = numbers.astype(np.float32)
    good = np.abs(floats) <= _LARGEST
    bad = int(floats.size - np.count_nonzero(good))
    return (np.where(good, floats, (floats > 0).astype(np.float32)) if bad else floats), bad


def extra_of(page: tifffile.TiffPage) -> int:
    """What the first channel beside the colours is (tag ExtraSamples of TIFF 6.0): other, multiplied or separate alpha."""
    found = int(page.extrasamples[0]) if page.extrasamples else _OTHER
    return found if found in (_MULTIPLIED, _SEPARATE) else _OTHER


def _tiff(path: Path, number: int) -> tuple[NDArray[Any], str, int, int]:
    with tifffile.TiffFile(path) as tif:
        pages = tiff_pages(tif)
        if not 0 <= number < len(pages):
            raise UnreadableFile(f"it holds {len(pages)} pictures, and number {number + 1} was asked for", path)
        page = pages[number]
        check_size(int(page.imagewidth), int(page.imagelength), path)
        photometric = int(page.photometric)
        models = {0: "gray", 1: "gray", 2: "rgb", 3: "rgb", 5: "cmyk", 6: "rgb", 8: "lab", 9: "lab"}
        if photometric not in models:
            raise NotSupported(f"a TIFF in {page.photometric.name} is not read", path)
        numbers = page.asarray()
        if page.planarconfig == 2 and numbers.ndim == 3:
            numbers = np.moveaxis(numbers, 0, -1)
        if photometric == 0:
            numbers = np.bitwise_not(numbers) if numbers.dtype.kind in "ub" else 1 - numbers
        elif photometric == 3:
            numbers = _palette(page, numbers)
        elif photometric in (8, 9):
            numbers = _lab(numbers, photometric)
        elif photometric == 6 and int(page.compression) not in (6, 7):
            raise NotSupported("a TIFF in YCbCr without JPEG compression is not read", path)
        tag = page.tags.get(274)
        return numbers, models[photometric], int(tag.value) if tag is not None else 1, extra_of(page)


def _palette(page: tifffile.TiffPage, numbers: NDArray[Any]) -> NDArray[Any]:
    table = page.colormap
    assert table is not None
    return np.moveaxis(np.asarray(table), 0, -1)[numbers]


def _lab(numbers: NDArray[Any], photometric: int) -> NDArray[Any]:
    """Lab samples of TIFF (CIELab 8: a and b signed; ICCLab 9: shifted) in Velkin's encoding."""
    if numbers.dtype == np.uint8:
        if photometric == 9:
            return numbers
        out = numbers.copy()
        out[..., 1:3] = (numbers[..., 1:3].astype(np.int16) ^ 0x80) & 0xFF
        return out
    if numbers.dtype != np.uint16:
        raise ValueError("Lab of other than 8 or 16 bits")
    values = numbers.astype(np.float32)
    out32 = np.empty_like(values)
    if photometric == 9:
        out32[..., 0] = values[..., 0] / np.float32(65280.0)
        out32[..., 1:] = values[..., 1:] / np.float32(256.0 * 255.0)
    else:
        out32[..., 0] = values[..., 0] / np.float32(65535.0)
        out32[..., 1:] = (numbers[..., 1:].astype(np.int16).astype(np.float32) / 256.0 + 128.0) / np.float32(255.0)
    return out32


def _other(path: Path, kind: str) -> tuple[NDArray[Any], str, int, int]:
    import imagecodecs

    from velkin.core.files.containers import carried_by

    carried = carried_by(path, kind)
    if carried.size is not None:
        check_size(*carried.size, path)
    if carried.png_type is not None and carried.png_type[0] != 3 and carried.png_type[1] >= 8 and not carried.png_type[2]:
        from velkin.core.files.exif import exif_facts

        numbers = np.asarray(imagecodecs.png_decode(path.read_bytes()))  # Pillow gives 16-bit colour as 8 bits
        orientation = 1
        with contextlib.suppress(VelkinError):
            orientation = exif_facts(path).orientation
        return numbers, "gray" if numbers.ndim == 2 or numbers.shape[2] < 3 else "rgb", orientation, _SEPARATE
    if kind == "jxl":
        numbers = np.asarray(imagecodecs.jpegxl_decode(path.read_bytes()))
        return numbers, "gray" if numbers.ndim == 2 or numbers.shape[2] < 3 else "rgb", 1, _SEPARATE
    with Image.open(path) as opened:
        image: Image.Image = opened
        check_size(image.width, image.height, path)
        orientation = int(image.getexif().get(274, 1)) if kind != "avif" else 1
        mode, clear = image.mode, "transparency" in image.info
        if mode.startswith("I"):
            return np.asarray(image).astype(np.uint16), "gray", orientation, _SEPARATE
        if kind == "avif":
            return _deep_avif(path), "rgb" if mode.startswith("RGB") else "gray", orientation, _SEPARATE
        if mode in ("1", "P", "PA") or (clear and mode in ("L", "RGB")):
            image = image.convert("L" if mode == "1" else "RGBA" if clear or mode == "PA" else "RGB")
        elif mode == "YCbCr":
            image = image.convert("RGB")
        models = {"L": "gray", "LA": "gray", "RGB": "rgb", "RGBA": "rgb", "RGBX": "rgb", "CMYK": "cmyk", "LAB": "lab"}
        if image.mode not in models:
            raise NotSupported(f"pictures of the mode {image.mode} are not read", path)
        numbers = np.asarray(image)
        return (numbers[..., :3] if image.mode == "RGBX" else numbers), models[image.mode], orientation, _SEPARATE


def _deep_avif(path: Path) -> NDArray[Any]:
    """AVIF of 8, 10 or 12 bits; the deeper ones as 16."""
    import imagecodecs

    from velkin.core.files.containers import carried_by

    numbers = np.asarray(imagecodecs.avif_decode(path.read_bytes()))
    if numbers.dtype == np.uint16:
        bits = carried_by(path, "avif").bits or 10
        top = (1 << bits) - 1
        numbers = np.round(numbers.astype(np.float64) * (65535.0 / top)).astype(np.uint16)
    return numbers

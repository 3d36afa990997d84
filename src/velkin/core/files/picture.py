"""Finished pictures as numbers: what stands in the file, upright, 0..1, no profile applied."""

from __future__ import annotations

import warnings
from pathlib import Path

import numpy as np
import tifffile
from numpy.typing import NDArray
from PIL import Image, UnidentifiedImageError

from velkin.core.errors import NotSupported, UnreadableFile, VelkinError

Pixels = NDArray[np.float32]

#: Finished pictures by their names' ends; what they are is decided by opening them.
SUFFIXES = frozenset({".tif", ".tiff", ".jpg", ".jpeg", ".png", ".webp", ".avif"})
#: Pictures of more pixels than this are refused rather than filling the memory.
LARGEST = 400_000_000

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


def is_picture_name(path: Path) -> bool:
    """Whether a file's name ends like a finished picture's."""
    return path.suffix.lower() in SUFFIXES


def decode(path: Path) -> Pixels:
    """RGB numbers (H, W, 3) float32 of a finished picture, 0..1 of full scale (float files as they are); alpha is dropped.

    Raises
    ------
    UnreadableFile
        When the file is missing, damaged, no picture or too large.
    NotSupported
        For other than RGB and gray pictures.
    """
    try:
        if path.stat().st_size == 0:
            raise UnreadableFile("the file is empty", path)
        is_tiff = path.suffix.lower() in (".tif", ".tiff")
        numbers, orientation = _tiff(path) if is_tiff else _other(path)
    except VelkinError:
        raise
    except FileNotFoundError as error:
        raise UnreadableFile("the file is not there any more", path) from error
    except UnidentifiedImageError as error:
        raise UnreadableFile("not a picture that Velkin can read", path) from error
    except Exception as error:  # decoders raise what they like on damaged files
        raise UnreadableFile(f"the picture is damaged or cut short ({error})", path) from error
    if numbers.ndim == 2:
        numbers = numbers[..., None]
    if numbers.ndim != 3 or min(numbers.shape[:2]) < 1:
        raise UnreadableFile("the picture holds no pixels", path)
    channels = numbers.shape[2]
    if channels in (1, 2):
        numbers = np.repeat(numbers[..., :1], 3, axis=2)
    elif channels not in (3, 4):
        raise NotSupported(f"a picture of {channels} channels cannot be read for a chart", path)
    scale = {np.dtype(np.uint8): 255.0, np.dtype(np.uint16): 65535.0}.get(numbers.dtype, 1.0)
    pixels = numbers[..., :3].astype(np.float32) / np.float32(scale)
    if orientation in _UPRIGHT:
        pixels = _UPRIGHT[orientation](pixels)
    return np.ascontiguousarray(np.nan_to_num(pixels, nan=0.0, posinf=1.0, neginf=0.0))


def _tiff(path: Path) -> tuple[NDArray[np.generic], int]:
    with tifffile.TiffFile(path) as tif:
        page = tif.pages[0]
        assert isinstance(page, tifffile.TiffPage)
        if page.imagewidth * page.imagelength > LARGEST:
            raise UnreadableFile(f"the picture is larger than {LARGEST // 1_000_000} million pixels", path)
        if int(page.photometric) not in (0, 1, 2, 6):
            raise NotSupported(f"a TIFF in {page.photometric.name} cannot be read for a chart", path)
        tag = page.tags.get(274)
        numbers = page.asarray()
        if page.planarconfig == 2 and numbers.ndim == 3:
            numbers = np.moveaxis(numbers, 0, -1)
        return numbers, int(tag.value) if tag is not None else 1


def _other(path: Path) -> tuple[NDArray[np.generic], int]:
    import imagecodecs

    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        with Image.open(path) as image:
            if image.width * image.height > LARGEST:
                raise UnreadableFile(f"the picture is larger than {LARGEST // 1_000_000} million pixels", path)
            orientation = int(image.getexif().get(274, 1))
            if image.mode in ("CMYK", "LAB"):
                raise NotSupported(f"a {image.mode} picture cannot be read for a chart", path)
            if image.format == "PNG":  # Pillow gives 16-bit colour as 8 bits
                return np.asarray(imagecodecs.png_decode(path.read_bytes())), orientation
            return np.asarray(image.convert("RGB")), orientation

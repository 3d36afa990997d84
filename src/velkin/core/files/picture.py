"""Finished pictures as numbers: what stands in the file, upright, no profile applied."""

from __future__ import annotations

import warnings
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Any, TypeVar

import numpy as np
from numpy.typing import NDArray

from velkin.core.errors import UnreadableFile, VelkinError

if TYPE_CHECKING:
    from velkin.core.files.formats.base import Format, Samples

T = TypeVar("T")
Pixels = NDArray[np.float32]
Numbers = NDArray[np.uint8] | NDArray[np.uint16] | NDArray[np.float32]

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


def upright_by(orientation: int, pixels: NDArray[Any]) -> NDArray[Any]:
    """Stored pixels (H, W, n) turned upright, by their Exif orientation."""
    turn = _UPRIGHT.get(orientation)
    return pixels if turn is None else turn(pixels)


def decode(path: Path) -> Pixels:
    """RGB numbers (H, W, 3) float32 of a finished picture, 0..1 of full scale (float files as they are); alpha is dropped.

    Raises
    ------
    UnreadableFile
        When the file is missing, damaged, no picture, too large, or of inks.
    """
    picture = decode_picture(path)
    if picture.model not in ("rgb", "gray"):
        raise UnreadableFile(f"a {picture.model.upper()} picture cannot be read for a chart", path)
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
        When the file is missing, damaged, no picture, too large, or of a colour model that Velkin does not read.
    """
    return _split(_read(path, lambda kind: kind.decode(path, page)), path)


def decode_half(path: Path, page: int = 0) -> Picture | None:
    """As `decode_picture`, at half size, means of four pixels, where a file can be read so without decoding all of it; None of others. Raises
    UnreadableFile."""
    samples = _read(path, lambda kind: kind.decode_half(path, page))
    return None if samples is None else _split(samples, path)


def _read(path: Path, by: Callable[[Format], T]) -> T:
    """What a file's format reads of it; what cannot be read is told in words. Raises UnreadableFile."""
    from velkin.core.files.formats import format_at

    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            return by(format_at(path))
    except VelkinError:
        raise
    except FileNotFoundError as error:
        raise UnreadableFile("the file is not there any more", path) from error
    except OSError as error:
        if error.errno is not None:
            raise UnreadableFile(f"the file cannot be read ({error.strerror or error})", path) from error
        raise UnreadableFile("the picture is damaged or cut short", path) from error
    except MemoryError as error:
        raise UnreadableFile("the picture asks for more memory than there is", path) from error
    except Exception as error:  # decoders raise what they like on damaged files
        raise UnreadableFile(f"the picture is damaged or cut short{_in_words(error)}", path) from error


def _in_words(error: Exception) -> str:
    """What a decoder says, where it says it in words."""
    if isinstance(error, UnicodeError):  # a library's message that was no text
        return ""
    said = " ".join(str(error).split())
    return f" ({said})" if said and said.isprintable() and len(said) < 200 else ""


def _split(samples: Samples, path: Path) -> Picture:
    """Colours and alpha, upright, in one of the dtypes that Velkin works with."""
    from velkin.core.files.formats.base import Extra

    numbers = samples.numbers
    if numbers.ndim == 2:
        numbers = numbers[..., None]
    if numbers.ndim != 3 or min(numbers.shape) < 1:
        raise UnreadableFile("the picture holds no pixels", path)
    numbers, bad = _in_dtype(upright_by(samples.orientation, numbers), path)
    model, extra = samples.model, samples.extra
    colours = {"gray": 1, "cmyk": 4}.get(model, 3)
    if numbers.shape[2] < colours:
        raise UnreadableFile(f"a {model} picture of {numbers.shape[2]} channels is not read", path)
    alpha = np.ascontiguousarray(numbers[..., colours]) if numbers.shape[2] > colours else None
    numbers = np.ascontiguousarray(numbers[..., :colours])
    if extra is Extra.MULTIPLIED and alpha is not None:
        top = {np.dtype(np.uint8): 255.0, np.dtype(np.uint16): 65535.0}.get(numbers.dtype, 1.0)
        share = np.maximum(alpha.astype(np.float32) / top, 1e-6)[..., None]
        freed = np.where(alpha[..., None] > 0, numbers / share, 0.0)
        numbers = (
            np.clip(np.round(freed), 0, top).astype(numbers.dtype) if numbers.dtype != np.float32 else freed.astype(np.float32)
        )
    return Picture(numbers, alpha, model, bad, extra is not Extra.OTHER)


def _in_dtype(numbers: NDArray[Any], path: Path) -> tuple[NDArray[Any], int]:
    kind = numbers.dtype
    if kind == np.bool_:
        return numbers.astype(np.uint8) * np.uint8(255), 0
    if kind in (np.uint8, np.uint16):
        return numbers, 0
    if kind.kind == "u":
        return (numbers >> kind.type(8 * kind.itemsize - 16)).astype(np.uint16), 0
    if kind.kind != "f":
        raise UnreadableFile(f"samples of the kind {kind} are not read", path)
    with np.errstate(over="ignore"):  # a 64-bit sample that 32 bits cannot hold is one of those set here
        floats = numbers.astype(np.float32)
    good = np.abs(floats) <= _LARGEST
    bad = int(floats.size - np.count_nonzero(good))
    return (np.where(good, floats, (floats > 0).astype(np.float32)) if bad else floats), bad

"""Decoding a frame's source, raw or finished, at full or half size."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from velkin.core.files import raw
from velkin.core.stages.source import RawSource, Source


@dataclass(frozen=True)
class Levels:
    """A source at full size: what a hand-off works from.

    Attributes
    ----------
    pixels : ndarray (H, W, C)
        16-bit levels of a raw file, or a finished picture's numbers, not merged with what lies below.
    alpha : ndarray (H, W) or None
        Of a finished picture with transparent parts.
    model : str
        Of a finished picture; ``rgb`` of a raw file.
    """

    pixels: NDArray[Any]
    alpha: NDArray[Any] | None = None
    model: str = "rgb"

    def merged(self) -> NDArray[Any]:
        """The pixels, laid over white where they are transparent: what `decode_source` shows."""
        if self.alpha is None:
            return self.pixels
        from velkin.core.files.picture import Picture
        from velkin.core.files.transparency import over_white

        return over_white(Picture(self.pixels, self.alpha, self.model))


def levels_of(path: Path, source: Source) -> Levels:
    """A source at full size.

    Raises
    ------
    UnreadableFile, NotSupported
    """
    if isinstance(source, RawSource):
        return Levels(raw.levels(path))
    from velkin.core.files.picture import decode_picture  # its libraries load when a finished picture is shown

    picture = decode_picture(path, source.page)
    return Levels(picture.numbers, picture.alpha if picture.clear else None, picture.model)


def decode_source(path: Path, source: Source, half: bool = False) -> NDArray[Any]:
    """Linear camera RGB of a raw file in 16-bit levels, or the numbers of a finished picture as they stand in it, (H, W, C), upright.

    Transparent parts are laid over white.

    Parameters
    ----------
    half : bool
        Half the size: exact colours for raw, means of four pixels for finished pictures.

    Raises
    ------
    UnreadableFile, NotSupported
    """
    if isinstance(source, RawSource):
        return raw.levels(path, half)
    if half:
        from velkin.core.files.picture import decode_half

        small = decode_half(path, source.page)
        if small is not None:
            return small.numbers
    numbers = levels_of(path, source).merged()
    if not half:
        return numbers
    height, width, channels = numbers.shape
    size = (max(width // 2, 1), max(height // 2, 1))
    return np.asarray(cv2.resize(numbers, size, interpolation=cv2.INTER_AREA)).reshape(size[1], size[0], channels)

"""Decoding a frame's source, raw or finished, at full or half size."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from velkin.core.files import raw
from velkin.core.path import CameraStage, PictureStage


def levels_of(path: Path, camera: CameraStage | PictureStage) -> NDArray[Any]:
    """As `decode_source` at full size, raw files in 16-bit levels: what a hand-off works from.

    Raises
    ------
    UnreadableFile, NotSupported
    """
    return raw.levels(path) if isinstance(camera, CameraStage) else decode_source(path, camera)


def decode_source(path: Path, camera: CameraStage | PictureStage, half: bool = False) -> NDArray[Any]:
    """Linear camera RGB of a raw file, or the numbers of a finished picture as they stand in it, (H, W, C), upright.

    Parameters
    ----------
    half : bool
        Half the size: exact colours for raw, means of four pixels for finished pictures.

    Raises
    ------
    UnreadableFile, NotSupported
    """
    if isinstance(camera, CameraStage):
        return raw.decode(path, half)
    from velkin.core.files.picture import decode_picture  # its libraries load when a finished picture is shown

    numbers = decode_picture(path, camera.page).numbers
    if not half:
        return numbers
    height, width, channels = numbers.shape
    size = (max(width // 2, 1), max(height // 2, 1))
    return np.asarray(cv2.resize(numbers, size, interpolation=cv2.INTER_AREA)).reshape(size[1], size[0], channels)

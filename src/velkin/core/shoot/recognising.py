"""Recognising chart frames and frames of a neutral card as they arrive."""

from __future__ import annotations

from collections.abc import Iterable

import cv2
import numpy as np
from numpy.typing import NDArray

from velkin.core.cameraprofiles.matrices import ColourMatrices
from velkin.core.charts.definition import Chart
from velkin.core.charts.find import FoundChart, find_any
from velkin.core.errors import FitRefused
from velkin.core.whitebalance import from_card

Floats = NDArray[np.float64]
Pixels = NDArray[np.float32]

#: A chart that a frame was shot for covers at least this share of the frame's width.
_SMALLEST = 0.06


def recognised_chart(image: Pixels, charts: Iterable[Chart]) -> FoundChart | None:
    """The chart that a frame shows, of those given, found with good confidence; None where there is none.

    Parameters
    ----------
    image : ndarray (H, W, 3), float32
        Half-size linear camera RGB.
    """
    for found in find_any(image, charts, thorough=False):
        width = float(np.linalg.norm(found.corners[1] - found.corners[0]))
        if width >= _SMALLEST * image.shape[1] and found.confidence >= 0.3:
            return found
    return None


def recognised_neutral(image: Pixels, camera: ColourMatrices, as_shot: Floats) -> tuple[float, float, float] | None:
    """The balance of a frame that shows little but a neutral card; None for any other frame.

    Such a frame is even over its middle, has next to no colour anywhere once the middle is made neutral, and the middle is no
    unlikely neutral.
    """
    scale = min(1.0, 240 / max(image.shape[:2]))
    small = cv2.resize(image, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA) if scale < 1 else image
    height, width = small.shape[:2]
    middle = small[height // 3 : height - height // 3, width // 3 : width - width // 3].reshape(-1, 3)
    level = np.median(middle, axis=0)
    if level.min() < 0.004 or level.max() > 0.98:
        return None
    if float((middle.std(axis=0) / level).max()) > 0.08:
        return None
    everywhere = small.reshape(-1, 3)[(small.reshape(-1, 3) > 0.15 * level).all(axis=1)]
    ratios = np.abs(np.log2(everywhere / level)[:, [0, 2]] - np.log2(everywhere / level)[:, 1:2]).max(axis=1)
    if len(everywhere) < 0.5 * height * width or float(np.quantile(ratios, 0.95)) > 0.22:
        return None
    try:
        picked = from_card(image, camera, as_shot)
    except FitRefused:
        return None
    return None if picked.doubt else picked.balance

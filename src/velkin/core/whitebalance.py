"""White balance from a spot of the picture and from a frame of a neutral card. (From a chart: `charts.greys`.)

A balance is three multipliers of camera RGB, green 1. What was picked is measured, and a word is said when it is no likely neutral.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from velkin.core.cameraprofiles.matrices import ColourMatrices
from velkin.core.charts.read import CLIPPED_AT
from velkin.core.errors import FitRefused

Floats = NDArray[np.float64]
Pixels = NDArray[np.float32]

#: How far (in log2 of a channel ratio) a neutral may lie from the light's known balance before it is doubted.
_FAR = 0.45
#: The range of temperatures that can be typed.
COOLEST, WARMEST = 50000.0, 1500.0


@dataclass(frozen=True)
class Picked:
    """A balance measured on a spot or a card.

    Attributes
    ----------
    balance : tuple of 3 floats
        Multipliers, green 1.
    doubt : str
        Why it is perhaps no neutral, in words; empty when nothing speaks against it.
    """

    balance: tuple[float, float, float]
    doubt: str = ""


def from_spot(image: Pixels, x: float, y: float, *, size: float, camera: ColourMatrices, known: Floats) -> Picked:
    """The balance that makes a square of the picture neutral.

    Parameters
    ----------
    image : ndarray (H, W, 3), float32
        Linear camera RGB.
    x, y, size : float
        Middle and side of the square in pixels of `image`; the part that lies on the picture is used.
    camera : ColourMatrices
    known : ndarray (3,)
        The balance of the light as far as it is known (the camera's own, or the chart's), to doubt by.

    Raises
    ------
    FitRefused
        When nothing can be measured there.
    """
    height, width = image.shape[:2]
    half = max(size / 2, 0.5)
    left, right = max(int(np.floor(x - half)), 0), min(int(np.ceil(x + half)), width)
    top, bottom = max(int(np.floor(y - half)), 0), min(int(np.ceil(y + half)), height)
    if right <= left or bottom <= top:
        raise FitRefused("the spot lies outside the picture")
    return _measured(image[top:bottom, left:right].reshape(-1, 3).astype(np.float64), camera, known, "spot")


def from_card(image: Pixels, camera: ColourMatrices, known: Floats) -> Picked:
    """The balance of a frame of a neutral card: of the most even large part round its middle.

    Parameters as `from_spot`.
    """
    scale = min(1.0, 300 / max(image.shape[:2]))
    small = cv2.resize(image, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA) if scale < 1 else image
    height, width = small.shape[:2]
    side = max(min(height, width) // 6, 2)
    logs = np.log(np.maximum(small, 1e-5))
    unevenness = np.sqrt(sum(cv2.blur(c * c, (side, side)) - cv2.blur(c, (side, side)) ** 2 for c in cv2.split(logs)).clip(0))
    y, x = np.mgrid[0:height, 0:width]
    off = np.hypot((x - width / 2) / width, (y - height / 2) / height)
    cost = unevenness + 0.15 * off
    cost[: side // 2], cost[-(side // 2) or height :], cost[:, : side // 2], cost[:, -(side // 2) or width :] = 9, 9, 9, 9
    row, column = np.unravel_index(int(np.argmin(cost)), cost.shape)
    area = small[max(row - side // 2, 0) : row + side // 2 + 1, max(column - side // 2, 0) : column + side // 2 + 1]
    return _measured(area.reshape(-1, 3).astype(np.float64), camera, known, "card")


def _measured(values: Floats, camera: ColourMatrices, known: Floats, what: str) -> Picked:
    clipped = float((values >= CLIPPED_AT).any(axis=1).mean())
    usable = values[(values < CLIPPED_AT).all(axis=1)] if clipped < 1 else values
    mean = np.sort(usable, axis=0)[len(usable) // 10 : len(usable) - len(usable) // 10].mean(axis=0)
    if mean.min() <= 1e-5:
        raise FitRefused(f"the {what} is black; nothing can be measured there")
    balance = mean[1] / mean
    doubts = []
    if clipped > 0.01:
        doubts.append(f"{100 * clipped:.0f} % of it is clipped, so its colour is lost")
    spread = float((usable.std(axis=0) / np.maximum(mean, 1e-6)).max())
    if spread > 0.25 and len(usable) > 4:
        doubts.append("it is not even")
    kelvin, duv = camera.temperature(balance)
    if not 1700.0 <= kelvin <= 25000.0 or abs(duv) > 0.03:
        doubts.append(f"no usual light makes it neutral ({kelvin:.0f} K, Duv {duv:+.3f})".replace("-", "−"))
    elif float(np.abs(np.log2(balance / known)[[0, 2]]).max()) > _FAR:
        doubts.append("it is far from what this light is known to make neutral")
    return Picked((float(balance[0]), 1.0, float(balance[2])), "; ".join(doubts))

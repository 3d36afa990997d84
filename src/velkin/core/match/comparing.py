"""Two pictures compared: one laid on the other, and how far they lie apart."""

from __future__ import annotations

from dataclasses import dataclass, field

import cv2
import numpy as np
from numpy.typing import NDArray

from velkin.core.match.aligned import registration, warped
from velkin.core.spaces.pictures import difference, figures, lab
from velkin.core.spaces.rgb import ROMM

Pixels = NDArray[np.float32]
Mask = NDArray[np.bool_]


@dataclass(frozen=True, eq=False)
class Compared:
    """Two pictures on each other.

    Attributes
    ----------
    first, second : ndarray (H, W, 3), float32
        Lab D50; the second as it lies on the first.
    inside : ndarray (H, W), bool
        Where the second has something to show.
    laid : ndarray (H, W, 3), float32
        The second's linear ROMM RGB.
    mean, p95, largest : float
        ΔE00 where both show something.
    share : float
        Of that, where it is more than `SEEN`.
    """

    first: Pixels = field(repr=False)
    second: Pixels = field(repr=False)
    inside: Mask = field(repr=False)
    laid: Pixels = field(repr=False)
    mean: float
    p95: float
    largest: float
    share: float

    def at(self, x: float, y: float) -> tuple[Pixels, Pixels] | None:
        """Lab (3,) of both at a place, in shares of the first picture: means of 5 × 5; None where the second shows nothing."""
        height, width = self.inside.shape
        row, column = min(int(y * height), height - 1), min(int(x * width), width - 1)
        rows, columns = slice(max(row - 2, 0), row + 3), slice(max(column - 2, 0), column + 3)
        seen = self.inside[rows, columns]
        if not seen.any():
            return None
        return self.first[rows, columns][seen].mean(axis=0), self.second[rows, columns][seen].mean(axis=0)


def compare(here: Pixels, other: Pixels, align: bool = True, shift: tuple[float, float] = (0.0, 0.0)) -> Compared:
    """Lay a picture on another one and hold their colours beside each other.

    Parameters
    ----------
    here, other : ndarray (H, W, 3), float32
        Linear ROMM RGB; the other may be of another size.
    align : bool
        Find out how they lie; else the other lies whole in the middle, as large as it goes.
    shift : (x, y)
        By how much the other is moved then, in shares of the picture's width and height.

    Raises
    ------
    FitRefused
        When they are to be aligned and do not show the same.
    """
    height, width = here.shape[:2]
    if align:
        theirs = _sized(other, width, height)
        laid, inside = warped(theirs, registration(here, theirs))
    else:
        by = min(width / other.shape[1], height / other.shape[0])
        size = max(round(other.shape[1] * by), 1), max(round(other.shape[0] * by), 1)
        laid, inside = np.full_like(here, -1.0), np.zeros((height, width), dtype=np.bool_)
        left, top = (width - size[0]) // 2, (height - size[1]) // 2
        laid[top : top + size[1], left : left + size[0]] = _sized(other, *size)
        inside[top : top + size[1], left : left + size[0]] = True
    if shift != (0.0, 0.0):
        move = np.eye(3, dtype=np.float32)
        move[0, 2], move[1, 2] = -shift[0] * width, -shift[1] * height
        moved, there = warped(laid, move)
        before, _ = warped(np.repeat(inside[..., None].astype(np.float32), 3, axis=2), move)
        laid, inside = moved, there & (before[..., 0] > 0.99)
    first, second = (lab(np.maximum(p, 0.0), ROMM) for p in (here, laid))
    off = difference(first, second)[inside]
    return Compared(first, second, inside, laid, *figures(off))


def _sized(picture: Pixels, width: int, height: int) -> Pixels:
    return np.asarray(cv2.resize(picture, (width, height), interpolation=cv2.INTER_AREA), dtype=np.float32).reshape(
        height, width, 3
    )

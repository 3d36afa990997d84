"""Transparent parts of pictures: laid over white, and what of a picture is visible.

A picture is merged in its own encoded numbers, as the program blends in which its author saw it: merged first, converted then.
"""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from velkin.core.files.kinds import holds_transparency
from velkin.core.files.picture import Numbers, Picture

#: White of each colour model as a share of full scale (Lab as `Picture` encodes it; CMYK is the amount of ink).
_WHITE = {"rgb": (1.0, 1.0, 1.0), "gray": (1.0,), "cmyk": (0.0, 0.0, 0.0, 0.0), "lab": (1.0, 128 / 255, 128 / 255)}
_ROWS = 256


def opacity(alpha: NDArray[Any]) -> NDArray[np.float32]:
    """How much of each pixel (H, W) covers what lies below, 0..1, float32."""
    top = 1.0 if alpha.dtype.kind == "f" else float(np.iinfo(alpha.dtype).max)
    return np.clip(alpha.astype(np.float32) / np.float32(top), 0.0, 1.0)


def over_white(picture: Picture) -> Numbers:
    """A picture's numbers (H, W, C) laid over white where it is transparent, in their own dtype; as they are where it is not."""
    if picture.alpha is None or not picture.clear:
        return picture.numbers
    numbers: NDArray[Any] = picture.numbers
    whole = 1.0 if numbers.dtype.kind == "f" else float(np.iinfo(numbers.dtype).max)
    white = np.array(_WHITE[picture.model], dtype=np.float32) * np.float32(whole)
    out = np.empty_like(numbers)
    for first in range(0, len(numbers), _ROWS):
        rows = slice(first, first + _ROWS)
        merged = white + opacity(picture.alpha[rows])[..., None] * (numbers[rows].astype(np.float32) - white)
        out[rows] = merged if numbers.dtype.kind == "f" else np.round(merged)
    return out


def held_by(picture: Picture, kind: str) -> Picture:
    """A picture as a format holds it: merged where it holds no transparency."""
    if picture.alpha is None or holds_transparency(kind):
        return picture
    return replace(picture, numbers=over_white(picture), alpha=None)

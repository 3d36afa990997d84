"""The pixels of a file: where the picture stands in them, and white where none will stand."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from velkin.core.conversion.codes import Numbers, kind_of_bits, quantised
from velkin.core.destinations.sizing import Fitted

Pixels = NDArray[np.float32]


def canvas(fit: Fitted, channels: int, bits: int, model: str) -> NDArray[Any]:
    """The file's pixels, white where no picture will stand."""
    kind = kind_of_bits(bits)
    white = 0 if model == "cmyk" else 255 if bits == 8 else 65535
    if fit.out == fit.scaled:
        return np.empty((fit.out[1], fit.out[0], channels), dtype=kind)
    return np.full((fit.out[1], fit.out[0], channels), white, dtype=kind)


def visible(fit: Fitted) -> tuple[int, int, int, int]:
    """Left, top, right, bottom of what of the scaled picture stands in the file."""
    left, top = max(-fit.left, 0), max(-fit.top, 0)
    return left, top, min(fit.scaled[0], left + fit.out[0]), min(fit.scaled[1], top + fit.out[1])


def put(codes: NDArray[Any], part: NDArray[Any], fit: Fitted, first: int) -> None:
    """Put rows of the scaled picture, which begin with row `first`, where they stand in the file."""
    left, top, right, bottom = visible(fit)
    a, z = max(first, top), min(first + len(part), bottom)
    if a < z:
        x, y = max(fit.left, 0), a + fit.top
        codes[y : y + z - a, x : x + right - left] = part[a - first : z - first, left:right]


def alpha_codes(covers: Pixels, fit: Fitted, bits: int) -> Numbers:
    """Alpha (H, W) of the file; nothing covers what lies round the picture."""
    codes = quantised(covers[..., None], bits)[..., 0]
    if fit.out == fit.scaled:
        return codes
    whole = np.zeros((fit.out[1], fit.out[0], 1), dtype=codes.dtype)
    put(whole, codes[..., None], fit, 0)
    return whole[..., 0]

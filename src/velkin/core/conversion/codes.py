"""Codes: the integers of a file or a screen. The one way from light and from encoded numbers to them.

Window, hand-off, command line and check all quantise here, so that the same path gives the same bytes wherever it is taken.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from velkin.core.bands import in_bands
from velkin.core.conversion import kernels
from velkin.core.conversion.curves import encoder_of
from velkin.core.conversion.dither import dither_tile
from velkin.core.spaces.rgb import RGBSpace

Pixels = NDArray[np.float32]
Codes = NDArray[np.uint8] | NDArray[np.uint16]
Numbers = NDArray[Any]  # uint8, uint16 or float32

_NO_DITHER = np.zeros((1, 1), dtype=np.float32)
_KINDS: dict[int, Any] = {8: np.uint8, 16: np.uint16, 32: np.float32}


def kind_of_bits(bits: int) -> Any:
    """The type of numbers of 8, 16 (codes) or 32 bits (float)."""
    return _KINDS[bits]


def bits_of(numbers: Numbers) -> int:
    """The bits of numbers."""
    return 8 * numbers.dtype.itemsize


def is_codes(numbers: Numbers) -> bool:
    """Whether numbers are 8-bit or 16-bit codes."""
    return numbers.dtype in (np.uint8, np.uint16)


def as_float(numbers: Numbers) -> Pixels:
    """Encoded numbers as float32, 0..1 of full scale; floating-point ones as they are."""
    if numbers.dtype == np.uint8:
        return np.asarray(numbers, dtype=np.float32) * np.float32(1 / 255)
    if numbers.dtype == np.uint16:
        return np.asarray(numbers, dtype=np.float32) * np.float32(1 / 65535)
    return np.asarray(numbers, dtype=np.float32)


def codes_of_light(linear: Pixels, space: RGBSpace, bits: int, *, dither: bool = False, first_row: int = 0) -> Codes:
    """Codes (H, W, 3) in a space of matrix and curves of linear RGB (H, W, 3) in it; clipped.

    Parameters
    ----------
    bits : 8 or 16
    dither : bool
        Blue noise within half a code, with 8 bits only; the same on every run.
    first_row : int
        Where the first row stands in its picture, so that dither goes on from band to band.
    """
    height, width = linear.shape[:2]
    flat = np.ascontiguousarray(linear, dtype=np.float32).reshape(-1, 3)
    out = np.empty((len(flat), 3), dtype=_KINDS[bits])
    curves, noise, start = encoder_of(space), _noise(bits, dither), first_row * width

    def band(a: int, z: int) -> None:
        kernels.codes_of_light(flat[a:z], *curves.tables, curves.shift, curves.base, noise, start + a, width, out[a:z])

    in_bands(band, len(flat))
    return out.reshape(height, width, 3)


def quantised(numbers: Pixels, bits: int, *, dither: bool = False, first_row: int = 0) -> Codes:
    """Codes (H, W, C) of 8 or 16 bits of encoded numbers (H, W, C), clipped; see `codes_of_light`."""
    height, width, channels = numbers.shape
    flat = np.ascontiguousarray(numbers, dtype=np.float32).reshape(-1, channels)
    out = np.empty(flat.shape, dtype=_KINDS[bits])
    noise, start = _noise(bits, dither), first_row * width
    in_bands(lambda a, z: kernels.codes_of_numbers(flat[a:z], noise, start + a, width, out[a:z]), len(flat))
    return out.reshape(height, width, channels)


def in_bits(numbers: Numbers, bits: int, *, dither: bool = False, first_row: int = 0) -> Numbers:
    """Numbers (H, W, C) in 8, 16 or 32 bits; the very array where they are so already."""
    if bits_of(numbers) == bits:
        return numbers
    floats = as_float(numbers)
    return floats if bits == 32 else quantised(floats, bits, dither=dither, first_row=first_row)


def histogram_of_light(linear: Pixels, space: RGBSpace, bins: int = 128) -> NDArray[np.int64]:
    """Counts (3, bins) of the encoded numbers 0..1 of linear RGB in a space; what lies outside falls into the ends."""
    flat = np.ascontiguousarray(linear, dtype=np.float32).reshape(-1, 3)
    curves = encoder_of(space)

    def band(a: int, z: int) -> NDArray[np.int64]:
        counts = np.zeros((3, bins), dtype=np.int64)
        kernels.bins_of_light(flat[a:z], *curves.tables, curves.shift, curves.base, counts)
        return counts

    return np.asarray(sum(in_bands(band, len(flat))), dtype=np.int64)


def histogram_of_numbers(numbers: NDArray[Any], bins: int = 128) -> NDArray[np.int64]:
    """Counts (channels, bins) of encoded numbers (H, W, channels); what lies outside falls into the first and last bin."""
    places = np.clip(numbers * np.float32(bins), 0, bins - 1).astype(np.uint8 if bins <= 256 else np.int64)
    flat = places.reshape(-1, places.shape[-1])
    return np.stack([np.bincount(flat[:, k], minlength=bins) for k in range(flat.shape[1])])


def _noise(bits: int, dither: bool) -> Pixels:
    return dither_tile() if dither and bits == 8 else _NO_DITHER

"""Codes: the integers of a file or a screen. The one way from light and from encoded numbers to them, and the way back.

Window, hand-off, command line and check all quantise here, so that the same path gives the same bytes wherever it is taken.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

import numpy as np
from numpy.typing import NDArray

from velkin.core.compiled import in_bands
from velkin.core.conversion.dither import dither_tile
from velkin.core.spaces.rgb import RGBSpace, between

Pixels = NDArray[np.float32]
Codes = NDArray[np.uint8] | NDArray[np.uint16]
Numbers = NDArray[Any]  # uint8, uint16 or float32

_NO_DITHER = np.zeros((1, 1), dtype=np.float32)
_KINDS = {8: np.uint8, 16: np.uint16}
#: Bits of the mantissa by which a table steps, tried in turn until it is close enough: an error of so many 16-bit codes.
_FINE, _CLOSE = (8, 10, 12), 0.25


@dataclass(frozen=True, eq=False)
class Encoder:
    """A transfer function from light as a table over even steps of float32's own bits: 2ⁿ steps in each octave down to 2⁻¹²⁶.

    So its error is the same share of the light everywhere, whatever the function: near black the root of a gamma of 10 is as steep as no
    table over even steps of light, or of its root, could follow.

    Attributes
    ----------
    tables : three ndarray (N,), float32
        Encoded numbers; the same array three times where the channels' curves are.
    shift, base : int
        A number's place is ``(bits >> shift) - base``.
    """

    tables: tuple[Pixels, Pixels, Pixels]
    shift: int
    base: int


@lru_cache(maxsize=24)
def encoder_of(space: RGBSpace) -> Encoder:
    """The encoder of a space's transfer function, within a quarter of a 16-bit code of it."""
    rng = np.random.default_rng(23)
    probes = np.concatenate([rng.random(20000), 2.0 ** rng.uniform(-60.0, 0.0, 20000)]).astype(np.float32)
    meant = np.asarray(space.encode(np.repeat(probes[:, None].astype(np.float64), 3, axis=1)))
    encoder = _encoder(space, _FINE[0])
    for fine in _FINE:
        encoder = _encoder(space, fine)
        found = np.stack([_read(encoder, channel, probes) for channel in range(3)], axis=1)
        if np.abs(found - meant).max() * 65535.0 <= _CLOSE:
            break
    return encoder


def _encoder(space: RGBSpace, fine: int) -> Encoder:
    shift = 23 - fine
    first, last = np.array([2.0**-126, 1.0], dtype=np.float32).view(np.int32) >> shift
    steps = (np.arange(first, last + 1, dtype=np.int32) << shift).view(np.float32).astype(np.float64)
    encoded = np.asarray(space.encode(np.repeat(steps[:, None], 3, axis=1)), dtype=np.float32)
    encoded[0] = 0.0  # the least light that floats tell from none is none
    encoded = np.concatenate([encoded, encoded[-1:]])  # what follows 1 is never counted
    channels = [np.ascontiguousarray(encoded[:, c]) for c in range(3)]
    red, green, blue = (channels[0] if np.array_equal(c, channels[0]) else c for c in channels)
    return Encoder((red, green, blue), shift, int(first))


def _read(encoder: Encoder, channel: int, light: Pixels) -> NDArray[np.float64]:
    """Encoded numbers (N,) of light 2⁻¹²⁶..1 (N,), as the loops read them."""
    table, bits = encoder.tables[channel].astype(np.float64), light.view(np.int32)
    at = (bits >> encoder.shift) - encoder.base
    within = (bits & ((1 << encoder.shift) - 1)) / float(1 << encoder.shift)
    return np.asarray(table[at] + within * (table[at + 1] - table[at]))


# ---- to codes -----------------------------------------------------------------------------------------------------


def codes_of_light(linear: Pixels, space: RGBSpace, to: RGBSpace, bits: int, dither: bool = False, first_row: int = 0) -> Codes:
    """Codes (H, W, 3) in one space of matrix and curves of linear RGB (H, W, 3) in another; clipped.

    Parameters
    ----------
    bits : 8 or 16
    dither : bool
        Blue noise within half a code, with 8 bits only; the same on every run.
    first_row : int
        Where the first row stands in its picture, so that dither goes on from band to band.
    """
    from velkin.core.conversion import code_kernels  # loaded where needed: the compiler takes a moment

    height, width = linear.shape[:2]
    flat = np.ascontiguousarray(linear, dtype=np.float32).reshape(-1, 3)
    out = np.empty((len(flat), 3), dtype=_KINDS[bits])
    matrix, encoder, noise = _matrix(space, to), encoder_of(to), _noise(bits, dither)
    start = first_row * width

    def band(a: int, z: int) -> None:
        code_kernels.codes_of_light(
            flat[a:z], matrix, *encoder.tables, encoder.shift, encoder.base, noise, start + a, width, out[a:z]
        )

    in_bands(band, len(flat))
    return out.reshape(height, width, 3)


def quantised(numbers: Pixels, bits: int, dither: bool, first: int = 0, width: int = 1) -> Codes:
    """Codes (N, C) of 8 or 16 bits of encoded numbers (N, C), clipped; dither only with 8. `first` is the first pixel's place."""
    from velkin.core.conversion import code_kernels

    flat = np.ascontiguousarray(numbers, dtype=np.float32)
    out = np.empty(flat.shape, dtype=_KINDS[bits])
    noise = _noise(bits, dither)
    in_bands(lambda a, z: code_kernels.codes_of_numbers(flat[a:z], noise, first + a, width, out[a:z]), len(flat))
    return out


def histogram_of_light(linear: Pixels, space: RGBSpace, to: RGBSpace, bins: int = 128) -> NDArray[np.int64]:
    """Counts (3, bins) of the encoded numbers 0..1 in `to` of linear RGB in `space`; what lies outside falls into the ends."""
    from velkin.core.conversion import code_kernels

    flat = np.ascontiguousarray(linear, dtype=np.float32).reshape(-1, 3)
    matrix, encoder = _matrix(space, to), encoder_of(to)

    def band(a: int, z: int) -> NDArray[np.int64]:
        counts = np.zeros((3, bins), dtype=np.int64)
        code_kernels.bins_of_light(flat[a:z], matrix, *encoder.tables, encoder.shift, encoder.base, counts)
        return counts

    return np.asarray(sum(in_bands(band, len(flat))), dtype=np.int64)


def _noise(bits: int, dither: bool) -> Pixels:
    return dither_tile() if dither and bits == 8 else _NO_DITHER


def _matrix(space: RGBSpace, to: RGBSpace) -> Pixels:
    same = np.eye(3) if space == to else between(space, to)
    return same.astype(np.float32).ravel()


# ---- and back -----------------------------------------------------------------------------------------------------


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


def channel_tables(
    space: RGBSpace, dtype: np.dtype[np.generic], then: Callable[[NDArray[Any]], NDArray[Any]] = lambda linear: linear
) -> list[Pixels]:
    """A table from every code to linear light (or what `then` makes of it) for each channel; equal channels share one."""
    codes = np.linspace(0.0, 1.0, 256 if dtype == np.uint8 else 65536)
    curves = then(space.decode(np.repeat(codes[:, None], 3, axis=1)))
    tables = [np.ascontiguousarray(curves[:, i], dtype=np.float32) for i in range(3)]
    return [tables[0]] * 3 if all(np.array_equal(t, tables[0]) for t in tables) else tables


def linear_of_codes(codes: Numbers, space: RGBSpace) -> Pixels:
    """Linear RGB (..., 3), float32, of codes of 8 or 16 bits (..., 3) in a space: each channel looked up."""
    tables = channel_tables(space, codes.dtype)
    out = np.empty(codes.shape, dtype=np.float32)
    if tables[0] is tables[1] is tables[2]:
        in_bands(lambda a, z: np.take(tables[0], codes.reshape(-1)[a:z], out=out.reshape(-1)[a:z]), codes.size)
        return out
    for channel in range(3):
        out[..., channel] = tables[channel][codes[..., channel]]
    return out

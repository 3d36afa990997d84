"""Whole pictures converted from one space to another, in the numbers of files: look stays, numbers change."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from velkin.core.compiled import in_bands
from velkin.core.conversion.codes import Numbers, as_float, channel_tables, encoder_of, quantised
from velkin.core.conversion.colours import FEW, converted, linear_in
from velkin.core.conversion.conversion import Conversion
from velkin.core.conversion.dither import dither_tile
from velkin.core.conversion.outside import ChannelEnds, Outside, ends_of, measure_outside
from velkin.core.conversion.tables import as_codes, table_of
from velkin.core.icc.space import CHANNELS
from velkin.core.spaces.rgb import ECIRGB, RGBSpace, between

_BLOCK = 1 << 20


@dataclass(frozen=True)
class Converted:
    """A converted picture and, where the destination is a space of matrix and curves, what left it."""

    numbers: Numbers
    outside: Outside | None


def convert_picture(numbers: Numbers, c: Conversion, bits: int, dither: bool = True) -> Converted:
    """A whole picture in another space.

    Parameters
    ----------
    numbers : ndarray (H, W, C), uint8, uint16 or float32
    bits : 8, 16 or 32
        Of the result; 32 is float32 and is not clipped between spaces of matrix and curves.
    dither : bool
        Blue noise within half a code when going to 8 bits; the same on every run.

    Raises
    ------
    BadProfile
        When a profile cannot be used that way.
    """
    height, width = numbers.shape[:2]
    flat = np.ascontiguousarray(numbers).reshape(height * width, -1)
    kind = {8: np.uint8, 16: np.uint16, 32: np.float32}[bits]
    out = np.empty((len(flat), CHANNELS[c.destination.model]), dtype=kind)
    integers = flat.dtype in (np.uint8, np.uint16) and bits != 32
    if c.source == c.destination:  # other bits only
        outside = _by_blocks(flat, c, bits, dither, width, out)
    elif integers and c.exact:
        outside = _codes_exactly(flat, c, dither and bits == 8, width, out)
    elif integers and CHANNELS[c.source.model] == 3 and not isinstance(c.destination, RGBSpace) and len(flat) > FEW:
        outside = None
        _codes_by_table(flat, c, dither and bits == 8, width, out)
    else:
        outside = _by_blocks(flat, c, bits, dither, width, out)
    return Converted(out.reshape(height, width, -1), outside)


def _codes_exactly(flat: NDArray[np.generic], c: Conversion, dither: bool, width: int, out: NDArray[Any]) -> Outside:
    from velkin.core.conversion import code_kernels

    assert isinstance(c.source, RGBSpace) and isinstance(c.destination, RGBSpace)
    light = channel_tables(c.source, flat.dtype)
    matrix = between(c.source, c.destination).astype(np.float32).ravel()
    encoder = encoder_of(c.destination)
    low, high = ends_of(c.destination)
    noise = dither_tile() if dither else np.zeros((1, 1), dtype=np.float32)

    def band(first: int, last: int) -> NDArray[np.int64]:
        counts = np.zeros(7, dtype=np.int64)
        code_kernels.codes_of_codes(
            flat[first:last], *light, matrix, *encoder.tables, encoder.shift, encoder.base, low, high, noise, first, width,
            out[first:last], counts,
        )  # fmt: skip
        return counts

    n, *ends = (int(v) for v in sum(in_bands(band, len(flat))))
    return Outside(len(flat), n, (ChannelEnds(*ends[0:2]), ChannelEnds(*ends[2:4]), ChannelEnds(*ends[4:6])))


def _codes_by_table(flat: NDArray[np.generic], c: Conversion, dither: bool, width: int, out: NDArray[Any]) -> None:
    from velkin.core.conversion import kernels

    table = table_of(c)
    side = table.shape[0]
    grid, steps = as_codes(c), np.float32(side - 1)
    scale = np.float32(255.0 / 65535.0 if out.dtype == np.uint8 else 1.0)
    if isinstance(c.source, RGBSpace):
        places = channel_tables(c.source, flat.dtype, lambda linear: ECIRGB.encode(np.clip(linear, 0.0, 1.0)))
    else:
        places = [np.linspace(0.0, 1.0, 256 if flat.dtype == np.uint8 else 65536, dtype=np.float32)] * 3
    red = places[0] * steps
    green, blue = (red, red) if places[1] is places[0] else (places[1] * steps, places[2] * steps)
    noise = dither_tile() if dither else np.zeros((1, 1), dtype=np.float32)
    in_bands(
        lambda first, last: kernels.codes_through_cube(
            flat[first:last], red, green, blue, grid, side, scale, noise, width, first, out[first:last]
        ),
        len(flat),
    )


def _by_blocks(flat: NDArray[Any], c: Conversion, bits: int, dither: bool, width: int, out: NDArray[Any]) -> Outside | None:
    """The general way, in blocks so that memory stays bounded."""
    total: Outside | None = None
    for first in range(0, len(flat), _BLOCK):
        block = as_float(flat[first : first + _BLOCK])
        if isinstance(c.destination, RGBSpace):
            linear = linear_in(block, c.source, c.destination, c.intent, c.black_point)
            found = measure_outside(linear[None], c.destination)
            total = found if total is None else total + found
            numbers = np.asarray(c.destination.encode(linear), dtype=np.float32)
        else:
            numbers = converted(block, c)
        last = first + len(block)
        out[first:last] = numbers if bits == 32 else quantised(numbers, bits, dither, first, width)
    return total


def convert_chain(numbers: Numbers, chain: tuple[Conversion, ...], bits: int, dither: bool = True) -> Converted:
    """A whole picture through several conversions in turn, nothing rounded between them; see `convert_picture`."""
    if len(chain) == 1:
        return convert_picture(numbers, chain[0], bits, dither)
    height, width = numbers.shape[:2]
    flat = np.ascontiguousarray(numbers).reshape(height * width, -1)
    last = chain[-1]
    kind = {8: np.uint8, 16: np.uint16, 32: np.float32}[bits]
    out = np.empty((len(flat), CHANNELS[last.destination.model]), dtype=kind)
    total: Outside | None = None
    for first in range(0, len(flat), _BLOCK):
        block = as_float(flat[first : first + _BLOCK])
        for c in chain:
            block = converted(block, c)
        if isinstance(last.destination, RGBSpace):
            found = measure_outside(np.asarray(last.destination.decode(block), dtype=np.float32)[None], last.destination)
            total = found if total is None else total + found
        end = first + len(block)
        out[first:end] = block if bits == 32 else quantised(block, bits, dither, first, width)
    return Converted(out.reshape(height, width, -1), total)

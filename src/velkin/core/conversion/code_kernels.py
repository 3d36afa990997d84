"""Compiled loops from light or encoded numbers to codes. All of them encode and round by the same two functions, in the same order.

Compiled without liberties: two loops give the same bits for the same light, and what is no number is known as such before it becomes the
place in a table.
"""

from __future__ import annotations

from typing import Any

import numba
import numpy as np

from velkin.core.compiled import exact_jit

F = np.float32
_int: Any = numba.int64
_int32: Any = numba.int32


@exact_jit
def _encoded(v, table, shift, base):  # type: ignore[no-untyped-def]
    """A linear number, clipped to 0..1, encoded: read from a table over even steps of float32's own bits (`codes.Encoder`)."""
    v = v if v > F(0) else F(0)  # what is no number is 0 too
    v = v if v < F(1) else F(1)
    bits = np.float32(v).view(np.int32)
    at = (bits >> shift) - base
    if at < 0:
        return table[0] * (v * F(2.0**126))
    within = F(bits & ((_int32(1) << shift) - _int32(1))) / F(_int32(1) << shift)
    return table[at] + within * (table[at + 1] - table[at])


@exact_jit
def _code(v, top, add):  # type: ignore[no-untyped-def]
    """The code of an encoded number 0..1; `add` is a half and the dither."""
    c = v * top + add
    c = c if c > F(0) else F(0)
    return _int32(c if c < top else top)


@exact_jit
def codes_of_light(src, m, red, green, blue, shift, base, dither, first, width, out):  # type: ignore[no-untyped-def]
    """Linear RGB (N, 3) through a matrix `m` (9,) → codes (N, 3); pixel `first` stands in a picture `width` wide.

    `dither` (side, side; a power of two) is added in codes; a single zero is none.
    """
    mask, top = dither.shape[0] - 1, F(255) if out.itemsize == 1 else F(65535)
    y, x = first // width, first % width
    for i in range(src.shape[0]):
        r, g, b = src[i, 0], src[i, 1], src[i, 2]
        add = F(0.5) + dither[y & mask, x & mask]
        out[i, 0] = _code(_encoded(m[0] * r + m[1] * g + m[2] * b, red, shift, base), top, add)
        out[i, 1] = _code(_encoded(m[3] * r + m[4] * g + m[5] * b, green, shift, base), top, add)
        out[i, 2] = _code(_encoded(m[6] * r + m[7] * g + m[8] * b, blue, shift, base), top, add)
        x += 1
        if x == width:
            x, y = 0, y + 1


@exact_jit
def codes_of_codes(  # type: ignore[no-untyped-def]
    src, from_red, from_green, from_blue, m, red, green, blue, shift, base, low, high, dither, first, width, out, counts
):
    """As `codes_of_light`, of codes (N, 3) that tables lead to light; what leaves the space is counted.

    `counts` (7,): pixels outside; below and above in each channel, by the linear limits `low` and `high` (3,).
    """
    mask, top = dither.shape[0] - 1, F(255) if out.itemsize == 1 else F(65535)
    line, column = first // width, first % width
    for i in range(src.shape[0]):
        r, g, b = from_red[src[i, 0]], from_green[src[i, 1]], from_blue[src[i, 2]]
        x = m[0] * r + m[1] * g + m[2] * b
        y = m[3] * r + m[4] * g + m[5] * b
        z = m[6] * r + m[7] * g + m[8] * b
        if min(x, min(y, z)) < F(0) or max(x, max(y, z)) > F(1):
            a0, a1, a2 = x < low[0], y < low[1], z < low[2]
            c0, c1, c2 = x > high[0], y > high[1], z > high[2]
            counts[1] += a0
            counts[2] += c0
            counts[3] += a1
            counts[4] += c1
            counts[5] += a2
            counts[6] += c2
            if a0 or a1 or a2 or c0 or c1 or c2:
                counts[0] += 1
        add = F(0.5) + dither[line & mask, column & mask]
        out[i, 0] = _code(_encoded(x, red, shift, base), top, add)
        out[i, 1] = _code(_encoded(y, green, shift, base), top, add)
        out[i, 2] = _code(_encoded(z, blue, shift, base), top, add)
        column += 1
        if column == width:
            column, line = 0, line + 1


@exact_jit
def codes_of_numbers(src, dither, first, width, out):  # type: ignore[no-untyped-def]
    """Encoded numbers (N, C) → codes (N, C)."""
    mask, top = dither.shape[0] - 1, F(255) if out.itemsize == 1 else F(65535)
    y, x = first // width, first % width
    for i in range(src.shape[0]):
        add = F(0.5) + dither[y & mask, x & mask]
        for c in range(src.shape[1]):
            out[i, c] = _code(src[i, c], top, add)
        x += 1
        if x == width:
            x, y = 0, y + 1


@exact_jit
def bins_of_light(src, m, red, green, blue, shift, base, counts):  # type: ignore[no-untyped-def]
    """Linear RGB (N, 3) through a matrix `m` (9,), encoded and counted (3, bins); what lies outside falls into the ends."""
    bins = counts.shape[1]
    for i in range(src.shape[0]):
        r, g, b = src[i, 0], src[i, 1], src[i, 2]
        e = _encoded(m[0] * r + m[1] * g + m[2] * b, red, shift, base)
        counts[0, min(_int(e * F(bins)), bins - 1)] += 1
        e = _encoded(m[3] * r + m[4] * g + m[5] * b, green, shift, base)
        counts[1, min(_int(e * F(bins)), bins - 1)] += 1
        e = _encoded(m[6] * r + m[7] * g + m[8] * b, blue, shift, base)
        counts[2, min(_int(e * F(bins)), bins - 1)] += 1

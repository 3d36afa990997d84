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
_uint: Any = numba.uint32
#: The smallest light that is told from none.
_LEAST = F(2.0**-126)


@exact_jit
def _encoded(v, table, shift, base, part):  # type: ignore[no-untyped-def]
    """A linear number, clipped to 0..1, encoded: read from a table over even steps of float32's own bits (`codes.Encoder`).

    `part` is the share of a step that the lowest bit stands for, 1 / 2 to the power of `shift`.
    """
    v = v if v > _LEAST else _LEAST  # what is no number too
    v = v if v < F(1) else F(1)
    bits = np.float32(v).view(np.int32)
    at = _uint((bits >> shift) - base)  # unsigned, so that it is not looked at for counting from the end
    within = F(bits - ((bits >> shift) << shift)) * part
    near = table[at]
    return near + within * (table[at + _uint(1)] - near)


@exact_jit
def _code(v, top, add):  # type: ignore[no-untyped-def]
    """The code of an encoded number 0..1; `add` is a half and the dither."""
    c = v * top + add
    c = c if c > F(0) else F(0)
    return _int32(c if c < top else top)


@exact_jit
def codes_of_light(src, m, red, green, blue, shift, base, dither, first, width, out):  # type: ignore[no-untyped-def]
    """Linear RGB (N, 3) through a matrix `m` (9,) → codes (N, 3); pixel `first` stands in a picture `width` wide.

    `dither` (side, side; a power of two) is added in codes; a single zero is none. Row by row, so that the processor takes several pixels
    at once.
    """
    mask, top = dither.shape[0] - 1, F(255) if out.itemsize == 1 else F(65535)
    part = F(1) / F(1 << shift)
    done, y, x = 0, first // width, first % width
    while done < src.shape[0]:
        run, row = min(width - x, src.shape[0] - done), dither[y & mask]
        for k in range(run):
            i = done + k
            r, g, b = src[i, 0], src[i, 1], src[i, 2]
            add = F(0.5) + row[_uint(x + k) & _uint(mask)]
            out[i, 0] = _code(_encoded(m[0] * r + m[1] * g + m[2] * b, red, shift, base, part), top, add)
            out[i, 1] = _code(_encoded(m[3] * r + m[4] * g + m[5] * b, green, shift, base, part), top, add)
            out[i, 2] = _code(_encoded(m[6] * r + m[7] * g + m[8] * b, blue, shift, base, part), top, add)
        done, x, y = done + run, 0, y + 1


@exact_jit
def codes_of_codes(  # type: ignore[no-untyped-def]
    src, from_red, from_green, from_blue, m, red, green, blue, shift, base, low, high, dither, first, width, out, counts
):
    """As `codes_of_light`, of codes (N, 3) that tables lead to light; what leaves the space is counted.

    `counts` (7,): pixels outside; below and above in each channel, by the linear limits `low` and `high` (3,).
    """
    mask, top = dither.shape[0] - 1, F(255) if out.itemsize == 1 else F(65535)
    part = F(1) / F(1 << shift)
    n_out = r_low = r_high = g_low = g_high = b_low = b_high = 0
    done, line, column = 0, first // width, first % width
    while done < src.shape[0]:
        run, row = min(width - column, src.shape[0] - done), dither[line & mask]
        for k in range(run):
            i = done + k
            r, g, b = from_red[src[i, 0]], from_green[src[i, 1]], from_blue[src[i, 2]]
            x = m[0] * r + m[1] * g + m[2] * b
            y = m[3] * r + m[4] * g + m[5] * b
            z = m[6] * r + m[7] * g + m[8] * b
            a0, a1, a2 = x < low[0], y < low[1], z < low[2]
            c0, c1, c2 = x > high[0], y > high[1], z > high[2]
            r_low += a0
            g_low += a1
            b_low += a2
            r_high += c0
            g_high += c1
            b_high += c2
            n_out += a0 | a1 | a2 | c0 | c1 | c2
            add = F(0.5) + row[_uint(column + k) & _uint(mask)]
            out[i, 0] = _code(_encoded(x, red, shift, base, part), top, add)
            out[i, 1] = _code(_encoded(y, green, shift, base, part), top, add)
            out[i, 2] = _code(_encoded(z, blue, shift, base, part), top, add)
        done, column, line = done + run, 0, line + 1
    counts[0] += n_out
    counts[1] += r_low
    counts[2] += r_high
    counts[3] += g_low
    counts[4] += g_high
    counts[5] += b_low
    counts[6] += b_high


@exact_jit
def codes_of_numbers(src, dither, first, width, out):  # type: ignore[no-untyped-def]
    """Encoded numbers (N, C) → codes (N, C)."""
    mask, top = dither.shape[0] - 1, F(255) if out.itemsize == 1 else F(65535)
    done, y, x = 0, first // width, first % width
    while done < src.shape[0]:
        run, row = min(width - x, src.shape[0] - done), dither[y & mask]
        for k in range(run):
            add = F(0.5) + row[_uint(x + k) & _uint(mask)]
            for c in range(src.shape[1]):
                out[done + k, c] = _code(src[done + k, c], top, add)
        done, x, y = done + run, 0, y + 1


@exact_jit
def bins_of_light(src, m, red, green, blue, shift, base, counts):  # type: ignore[no-untyped-def]
    """Linear RGB (N, 3) through a matrix `m` (9,), encoded and counted (3, bins); what lies outside falls into the ends."""
    bins = counts.shape[1]
    part = F(1) / F(1 << shift)
    for i in range(src.shape[0]):
        r, g, b = src[i, 0], src[i, 1], src[i, 2]
        e = _encoded(m[0] * r + m[1] * g + m[2] * b, red, shift, base, part)
        counts[0, min(_int(e * F(bins)), bins - 1)] += 1
        e = _encoded(m[3] * r + m[4] * g + m[5] * b, green, shift, base, part)
        counts[1, min(_int(e * F(bins)), bins - 1)] += 1
        e = _encoded(m[6] * r + m[7] * g + m[8] * b, blue, shift, base, part)
        counts[2, min(_int(e * F(bins)), bins - 1)] += 1

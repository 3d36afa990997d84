"""Compiled loops over pixels: curve → matrix → curve, and interpolation in baked tables.

Pixels are flattened to (N, channels); `first` is the index of a band's first pixel, by which dither keeps its place.
"""

from __future__ import annotations

from typing import Any

import numba
import numpy as np

from velkin.core.compiled import jit

F = np.float32
_int: Any = numba.int64


@jit
def _rooted(v, table):  # type: ignore[no-untyped-def]
    """A table over square roots of 0..1, read at v in 0..1."""
    at = np.sqrt(v) * F(table.shape[0] - 1)
    i = min(_int(at), table.shape[0] - 2)
    f = at - F(i)
    return table[i] + f * (table[i + 1] - table[i])


@jit
def codes_through_matrix(src, red, green, blue, m, to_red, to_green, to_blue, low, high, dither, width, first, out, counts):  # type: ignore[no-untyped-def]
    """Integer codes (N, 3) → codes (N, 3): tables to linear light, a matrix, tables back; what leaves the space is counted.

    `counts` (7,): pixels outside; below and above in each channel, by the linear limits `low` and `high` (3,).
    `dither` (side, side) is added in codes; a single zero is none.
    """
    side = dither.shape[0]
    top = F(255) if out.itemsize == 1 else F(65535)
    n_out = 0
    r_low = g_low = b_low = r_high = g_high = b_high = 0
    for i in range(src.shape[0]):
        r, g, b = red[src[i, 0]], green[src[i, 1]], blue[src[i, 2]]
        x = m[0] * r + m[1] * g + m[2] * b
        y = m[3] * r + m[4] * g + m[5] * b
        z = m[6] * r + m[7] * g + m[8] * b
        if min(x, min(y, z)) < F(0) or max(x, max(y, z)) > F(1):
            a0, a1, a2 = x < low[0], y < low[1], z < low[2]
            c0, c1, c2 = x > high[0], y > high[1], z > high[2]
            r_low += a0
            g_low += a1
            b_low += a2
            r_high += c0
            g_high += c1
            b_high += c2
            if a0 or a1 or a2 or c0 or c1 or c2:
                n_out += 1
            x, y, z = min(max(x, F(0)), F(1)), min(max(y, F(0)), F(1)), min(max(z, F(0)), F(1))
        add = F(0.5)
        if side > 1:
            at = first + i
            add += dither[(at // width) % side, (at % width) % side]
        out[i, 0] = _int(min(max(_rooted(x, to_red) * top + add, F(0)), top))
        out[i, 1] = _int(min(max(_rooted(y, to_green) * top + add, F(0)), top))
        out[i, 2] = _int(min(max(_rooted(z, to_blue) * top + add, F(0)), top))
    counts[0] += n_out
    counts[1] += r_low
    counts[2] += r_high
    counts[3] += g_low
    counts[4] += g_high
    counts[5] += b_low
    counts[6] += b_high


@jit
def _cell(at, n):  # type: ignore[no-untyped-def]
    i = min(max(_int(at), 0), n - 2)
    return i, min(max(at - F(i), F(0)), F(1))


@jit
def _corners(x, y, z, n):  # type: ignore[no-untyped-def]
    """Tetrahedral interpolation in a cell: steps from its first corner to the two between, and the fractions in falling order."""
    dx, dy, dz = n * n, n, 1
    if x >= y:
        if y >= z:
            return dx, dx + dy, x, y, z
        if x >= z:
            return dx, dx + dz, x, z, y
        return dz, dx + dz, z, x, y
    if z >= y:
        return dz, dy + dz, z, y, x
    if z >= x:
        return dy, dy + dz, y, z, x
    return dy, dx + dy, y, x, z


@jit
def codes_through_cube(src, red, green, blue, grid, n, dither, width, first, out):  # type: ignore[no-untyped-def]
    """Integer codes (N, 3) → codes (N, channels): tables give the place in a grid (n³, channels), read by tetrahedra."""
    channels, side = grid.shape[1], dither.shape[0]
    top = F(255) if out.itemsize == 1 else F(65535)
    last = n * n + n + 1
    for p in range(src.shape[0]):
        i, x = _cell(red[src[p, 0]], n)
        j, y = _cell(green[src[p, 1]], n)
        k, z = _cell(blue[src[p, 2]], n)
        s1, s2, a, b, d = _corners(x, y, z, n)
        o = (i * n + j) * n + k
        w0, w1, w2 = F(1) - a, a - b, b - d
        add = F(0.5)
        if side > 1:
            at = first + p
            add += dither[(at // width) % side, (at % width) % side]
        for c in range(channels):
            v = w0 * grid[o, c] + w1 * grid[o + s1, c] + w2 * grid[o + s2, c] + d * grid[o + last, c]
            out[p, c] = _int(min(max(v * top + add, F(0)), top))


@jit
def through_cube(places, grid, n, out):  # type: ignore[no-untyped-def]
    """Places (N, 3) in 0..1 in a grid (n³, channels) → values (N, channels), float32."""
    last = n * n + n + 1
    for p in range(places.shape[0]):
        i, x = _cell(places[p, 0] * F(n - 1), n)
        j, y = _cell(places[p, 1] * F(n - 1), n)
        k, z = _cell(places[p, 2] * F(n - 1), n)
        s1, s2, a, b, d = _corners(x, y, z, n)
        o = (i * n + j) * n + k
        w0, w1, w2 = F(1) - a, a - b, b - d
        for c in range(grid.shape[1]):
            out[p, c] = w0 * grid[o, c] + w1 * grid[o + s1, c] + w2 * grid[o + s2, c] + d * grid[o + last, c]


@jit
def through_four(places, grid, n, out):  # type: ignore[no-untyped-def]
    """Places (N, 4) in 0..1 in a grid (n⁴, channels), the first axis read linearly → (N, channels), float32."""
    last = n * n + n + 1
    cube = n * n * n
    for p in range(places.shape[0]):
        h, w = _cell(places[p, 0] * F(n - 1), n)
        i, x = _cell(places[p, 1] * F(n - 1), n)
        j, y = _cell(places[p, 2] * F(n - 1), n)
        k, z = _cell(places[p, 3] * F(n - 1), n)
        s1, s2, a, b, d = _corners(x, y, z, n)
        o = ((h * n + i) * n + j) * n + k
        w0, w1, w2 = F(1) - a, a - b, b - d
        for c in range(grid.shape[1]):
            near = w0 * grid[o, c] + w1 * grid[o + s1, c] + w2 * grid[o + s2, c] + d * grid[o + last, c]
            o2 = o + cube
            far = w0 * grid[o2, c] + w1 * grid[o2 + s1, c] + w2 * grid[o2 + s2, c] + d * grid[o2 + last, c]
            out[p, c] = near + w * (far - near)

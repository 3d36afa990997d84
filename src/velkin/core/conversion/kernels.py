"""Compiled loops over pixels: interpolation in baked tables.

Pixels are flattened to (N, channels); `first` is the index of a band's first pixel, by which dither keeps its place.
"""

from __future__ import annotations

from typing import Any

import numba
import numpy as np

from velkin.core.compiled import jit

F = np.float32
_int: Any = numba.int64
_int32: Any = numba.int32
_uint: Any = numba.uint32


@jit
def _cell(at, n):  # type: ignore[no-untyped-def]
    i = min(max(_int(at), 0), n - 2)
    return i, min(max(at - F(i), F(0)), F(1))


@jit
def _corners(x, y, z, n):  # type: ignore[no-untyped-def]
    """Tetrahedral interpolation in a cell: steps from its first corner to the two between, and the fractions in falling order.

    Without branches, which noise in a picture would make unpredictable.
    """
    top, low = max(x, max(y, z)), min(x, min(y, z))
    middle = max(min(x, y), min(max(x, y), z))
    first = n * n if x >= top else (n if y >= top else 1)
    last = 1 if z <= low else (n if y <= low else n * n)
    return first, n * n + n + 1 - last, top, middle, low


@jit
def codes_through_cube(src, red, green, blue, grid, n, scale, dither, width, first, out):  # type: ignore[no-untyped-def]
    """Integer codes (N, 3) → codes (N, channels): tables give the place in a grid (n³ × channels, flat), read by tetrahedra.

    The grid holds 16-bit codes, half the memory of floats, so that more of it stays near the processor; `scale` makes codes of
    the result of them. Indices are unsigned, so that none is looked at for counting from the end.
    """
    channels, side = _uint(out.shape[1]), dither.shape[0]
    one, row, plane = _uint(1), _uint(n), _uint(n * n)
    across = plane + row + one
    top_cell = F(n - 2)
    for p in range(src.shape[0]):
        rx, ry, rz = red[src[p, 0]], green[src[p, 1]], blue[src[p, 2]]
        fi, fj, fk = min(np.floor(rx), top_cell), min(np.floor(ry), top_cell), min(np.floor(rz), top_cell)
        x, y, z = rx - fi, ry - fj, rz - fk
        o = _uint(fi) * plane + _uint(fj) * row + _uint(fk)
        high, low = max(x, max(y, z)), min(x, min(y, z))
        middle = max(min(x, y), min(max(x, y), z))
        s1 = plane if x >= high else (row if y >= high else one)
        s2 = across - (one if z <= low else (row if y <= low else plane))
        w0, w1, w2, w3 = (F(1) - high) * scale, (high - middle) * scale, (middle - low) * scale, low * scale
        add = F(0.5)
        if side > 1:
            at = first + p
            add += dither[(at // width) % side, (at % width) % side]
        a, b, c, d = o * channels, (o + s1) * channels, (o + s2) * channels, (o + across) * channels
        for q in range(out.shape[1]):
            k = _uint(q)
            v = w0 * F(grid[a + k]) + w1 * F(grid[b + k]) + w2 * F(grid[c + k]) + w3 * F(grid[d + k])
            out[p, q] = _int32(max(v + add, F(0)))


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

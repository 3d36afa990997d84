"""Compiled loops over pixels: from numbers to light and back, codes, what is out of gamut, and places in tables.

Pixels are flattened to (N, channels). Compiled without liberties: two loops give the same bits for the same light, and what is no number
is known as such before it becomes the place in a table. Every curve is read by `_curved` or `_encoded`, every code rounded by `_code`, every
matrix multiplied in the order written, every table of three axes read by `_tetrahedron`.
"""

from __future__ import annotations

from typing import Any

import numpy as np

from velkin.core.compiled import exact_loop

F = np.float32
_int: Any = np.int64
_int32: Any = np.int32
_uint: Any = np.uint32
#: The smallest number that is told from none.
_LEAST = F(2.0**-126)


# ---- curves: tables over even steps of float32's own bits (`curves.Curves`) ------------------------------------------


@exact_loop()
def _encoded(v, table, shift, base, part):  # type: ignore[no-untyped-def]
    """The curve at a number clipped to 0..1; `part` is the share of a step that the lowest bit stands for."""
    v = v if v > _LEAST else _LEAST  # what is no number too
    v = v if v < F(1) else F(1)
    bits = np.float32(v).view(np.int32)
    at = _uint((bits >> shift) - base)  # unsigned, so that it is not looked at for counting from the end
    within = F(bits - ((bits >> shift) << shift)) * part
    near = table[at]
    return near + within * (table[at + _uint(1)] - near)


@exact_loop()
def _curved(v, table, shift, base, part):  # type: ignore[no-untyped-def]
    """The curve at any number, as an odd function; numbers beyond the table's end stay at it."""
    size = v if v >= F(0) else -v
    size = size if size > _LEAST else _LEAST  # what is no number too
    bits = np.float32(size).view(np.int32)
    at = min((bits >> shift) - base, _int32(table.shape[0] - 2))
    within = F(bits - ((bits >> shift) << shift)) * part
    near = table[_uint(at)]
    found = near + within * (table[_uint(at) + _uint(1)] - near)
    return -found if v < F(0) else found


@exact_loop("f4:2 f4:1 f4:1 f4:1 i8 i8 f4:1 f4:2")
def light_of_numbers(src, red, green, blue, shift, base, m, out):  # type: ignore[no-untyped-def]
    """Encoded numbers (N, 3) float32 → light (N, 3) through a matrix `m` (9,), unclipped."""
    part = F(1) / F(1 << shift)
    for i in range(src.shape[0]):
        r = _curved(src[i, 0], red, shift, base, part)
        g = _curved(src[i, 1], green, shift, base, part)
        b = _curved(src[i, 2], blue, shift, base, part)
        out[i, 0] = m[0] * r + m[1] * g + m[2] * b
        out[i, 1] = m[3] * r + m[4] * g + m[5] * b
        out[i, 2] = m[6] * r + m[7] * g + m[8] * b


@exact_loop("u1:2 f4:1 f4:1 f4:1 f4:1 f4:2", "u2:2 f4:1 f4:1 f4:1 f4:1 f4:2")
def light_of_codes(src, red, green, blue, m, out):  # type: ignore[no-untyped-def]
    """Codes (N, 3) → light (N, 3): a table from every code for each channel, then a matrix `m` (9,)."""
    for i in range(src.shape[0]):
        r, g, b = red[src[i, 0]], green[src[i, 1]], blue[src[i, 2]]
        out[i, 0] = m[0] * r + m[1] * g + m[2] * b
        out[i, 1] = m[3] * r + m[4] * g + m[5] * b
        out[i, 2] = m[6] * r + m[7] * g + m[8] * b


@exact_loop("f4:2 f4:1 f4:2")
def light_of_light(src, m, out):  # type: ignore[no-untyped-def]
    """Light (N, 3) through a matrix `m` (9,)."""
    for i in range(src.shape[0]):
        r, g, b = src[i, 0], src[i, 1], src[i, 2]
        out[i, 0] = m[0] * r + m[1] * g + m[2] * b
        out[i, 1] = m[3] * r + m[4] * g + m[5] * b
        out[i, 2] = m[6] * r + m[7] * g + m[8] * b


@exact_loop("f4:2 f4:1 f4:1 f4:1 i8 i8 f4:2")
def numbers_of_light(src, red, green, blue, shift, base, out):  # type: ignore[no-untyped-def]
    """Light (N, 3) → encoded numbers (N, 3) float32, unclipped."""
    part = F(1) / F(1 << shift)
    for i in range(src.shape[0]):
        out[i, 0] = _curved(src[i, 0], red, shift, base, part)
        out[i, 1] = _curved(src[i, 1], green, shift, base, part)
        out[i, 2] = _curved(src[i, 2], blue, shift, base, part)


@exact_loop("f4:2 f4:1 i8 i8 f4:2")
def places_of_light(src, table, shift, base, out):  # type: ignore[no-untyped-def]
    """Light (N, 3) → encoded numbers (N, 3) float32 by one curve, clipped to 0..1: places in tables."""
    part = F(1) / F(1 << shift)
    for i in range(src.shape[0]):
        for k in range(3):
            out[i, k] = _encoded(src[i, k], table, shift, base, part)


# ---- codes ------------------------------------------------------------------------------------------------------------


@exact_loop()
def _code(v, top, add):  # type: ignore[no-untyped-def]
    """The code of an encoded number 0..1; `add` is a half and the dither."""
    c = v * top + add
    c = c if c > F(0) else F(0)
    return _int32(c if c < top else top)


@exact_loop("f4:2 f4:1 f4:1 f4:1 i8 i8 f4:2 i8 i8 u1:2", "f4:2 f4:1 f4:1 f4:1 i8 i8 f4:2 i8 i8 u2:2")
def codes_of_light(src, red, green, blue, shift, base, dither, first, width, out):  # type: ignore[no-untyped-def]
    """Light (N, 3) → codes (N, 3), clipped; pixel `first` stands in a picture `width` wide.

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
            add = F(0.5) + row[_uint(x + k) & _uint(mask)]
            out[i, 0] = _code(_encoded(src[i, 0], red, shift, base, part), top, add)
            out[i, 1] = _code(_encoded(src[i, 1], green, shift, base, part), top, add)
            out[i, 2] = _code(_encoded(src[i, 2], blue, shift, base, part), top, add)
        done, x, y = done + run, 0, y + 1


@exact_loop("f4:2 f4:2 i8 i8 u1:2", "f4:2 f4:2 i8 i8 u2:2")
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


@exact_loop("f4:2 f4:1 f4:1 f4:1 i8 i8 i8:2")
def bins_of_light(src, red, green, blue, shift, base, counts):  # type: ignore[no-untyped-def]
    """Light (N, 3), encoded and counted (3, bins); what lies outside falls into the ends."""
    bins = counts.shape[1]
    part = F(1) / F(1 << shift)
    for i in range(src.shape[0]):
        counts[0, min(_int(_encoded(src[i, 0], red, shift, base, part) * F(bins)), bins - 1)] += 1
        counts[1, min(_int(_encoded(src[i, 1], green, shift, base, part) * F(bins)), bins - 1)] += 1
        counts[2, min(_int(_encoded(src[i, 2], blue, shift, base, part) * F(bins)), bins - 1)] += 1


# ---- out of gamut -----------------------------------------------------------------------------------------------------


@exact_loop("f4:2 f4:1 f4:1 f4:1 u1:1 i8:1")
def count_outside(src, light, low, high, found, counts):  # type: ignore[no-untyped-def]
    """Light (N, 3) in a destination against its limits `low` and `high` (3,); `light` (3,) leads to luminance.

    `found` (N,) uint8 is set; `counts` (14,): outside, of these by tone; then of each channel low, high, and both by tone.
    """
    n = tone = 0
    ends = counts[2:]
    for i in range(src.shape[0]):
        r, g, b = src[i, 0], src[i, 1], src[i, 2]
        found[i] = 0
        if min(r, min(g, b)) >= F(0) and max(r, max(g, b)) <= F(1):
            continue
        a0, a1, a2 = r < low[0], g < low[1], b < low[2]
        c0, c1, c2 = r > high[0], g > high[1], b > high[2]
        if not (a0 or a1 or a2 or c0 or c1 or c2):
            continue
        found[i] = 1
        n += 1
        shine = light[0] * r + light[1] * g + light[2] * b
        by_tone = shine > F(1.0001) or shine < F(-0.0001)
        tone += by_tone
        ends[0] += a0
        ends[1] += c0
        ends[4] += a1
        ends[5] += c1
        ends[8] += a2
        ends[9] += c2
        if by_tone:
            ends[2] += a0
            ends[3] += c0
            ends[6] += a1
            ends[7] += c1
            ends[10] += a2
            ends[11] += c2
    counts[0] += n
    counts[1] += tone


# ---- places in tables -------------------------------------------------------------------------------------------------


@exact_loop()
def _cell(place, n):  # type: ignore[no-untyped-def]
    """The cell and the place within it of 0..1 along an axis of `n` nodes."""
    at = place * F(n - 1)
    at = at if at > F(0) else F(0)  # what is no number too
    at = at if at < F(n - 1) else F(n - 1)
    i = min(_int32(at), _int32(n - 2))
    return i, at - F(i)


@exact_loop()
def _tetrahedron(x, y, z, n):  # type: ignore[no-untyped-def]
    """Tetrahedral interpolation in a cell: steps from its first corner to the two between, and the fractions in falling order.

    Without branches, which noise in a picture would make unpredictable.
    """
    top, low = max(x, max(y, z)), min(x, min(y, z))
    middle = max(min(x, y), min(max(x, y), z))
    one, row, plane = _uint(1), _uint(n), _uint(n * n)
    first = plane if x >= top else (row if y >= top else one)
    last = one if z <= low else (row if y <= low else plane)
    return first, plane + row + one - last, top, middle, low


@exact_loop("f4:2 u2:1 i8 f4 f4:2", "f4:2 f4:1 i8 f4 f4:2")
def through_cube(places, grid, n, scale, out):  # type: ignore[no-untyped-def]
    """Places (N, 3) in 0..1 in a grid (n³ · channels, flat; float32 or codes) → its values times `scale`, (N, channels) float32.

    Indices are unsigned, so that none is looked at for counting from the end.
    """
    channels = _uint(out.shape[1])
    across = _uint(n * n + n + 1)
    for p in range(places.shape[0]):
        i, x = _cell(places[p, 0], n)
        j, y = _cell(places[p, 1], n)
        k, z = _cell(places[p, 2], n)
        s1, s2, a, b, d = _tetrahedron(x, y, z, n)
        o = _uint((i * n + j) * n + k)
        w0, w1, w2, w3 = (F(1) - a) * scale, (a - b) * scale, (b - d) * scale, d * scale
        at0, at1, at2, at3 = o * channels, (o + s1) * channels, (o + s2) * channels, (o + across) * channels
        for q in range(out.shape[1]):
            c = _uint(q)
            out[p, q] = w0 * F(grid[at0 + c]) + w1 * F(grid[at1 + c]) + w2 * F(grid[at2 + c]) + w3 * F(grid[at3 + c])


@exact_loop("f4:2 u2:1 i8 f4 f4:2", "f4:2 f4:1 i8 f4 f4:2")
def through_four(places, grid, n, scale, out):  # type: ignore[no-untyped-def]
    """As `through_cube` with places (N, 4) in a grid (n⁴ · channels, flat), the first axis read linearly."""
    channels = _uint(out.shape[1])
    across, cube = _uint(n * n + n + 1), _uint(n * n * n)
    for p in range(places.shape[0]):
        h, w = _cell(places[p, 0], n)
        i, x = _cell(places[p, 1], n)
        j, y = _cell(places[p, 2], n)
        k, z = _cell(places[p, 3], n)
        s1, s2, a, b, d = _tetrahedron(x, y, z, n)
        o = _uint(((h * n + i) * n + j) * n + k)
        w0, w1, w2, w3 = (F(1) - a) * scale, (a - b) * scale, (b - d) * scale, d * scale
        at0, at1, at2, at3 = o * channels, (o + s1) * channels, (o + s2) * channels, (o + across) * channels
        step = cube * channels
        for q in range(out.shape[1]):
            c = _uint(q)
            near = w0 * F(grid[at0 + c]) + w1 * F(grid[at1 + c]) + w2 * F(grid[at2 + c]) + w3 * F(grid[at3 + c])
            e = c + step
            far = w0 * F(grid[at0 + e]) + w1 * F(grid[at1 + e]) + w2 * F(grid[at2 + e]) + w3 * F(grid[at3 + e])
            out[p, q] = near + w * (far - near)

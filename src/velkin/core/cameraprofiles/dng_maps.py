"""DNG maps on pictures: hue, saturation and value tables computed as the DNG specification writes them."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from velkin.core.cameraprofiles.highlights import balanced_one
from velkin.core.cameraprofiles.huesat import HueSatMap
from velkin.core.compiled import loop
from velkin.core.planes import RUN, together
from velkin.core.spaces.rgb import SRGB

Pixels = NDArray[np.float32]

F = np.float32

_uint: Any = np.uint64

_CURVE_STEPS = 4096
#: sRGB's curve at squares of even steps, and its inverse at even steps: read by straight lines, within 1e-6.
_ENCODED: Pixels = SRGB.encode((np.arange(_CURVE_STEPS + 1) / (_CURVE_STEPS - 1.0)) ** 2).astype(np.float32)
_DECODED: Pixels = SRGB.decode(np.arange(_CURVE_STEPS + 1) / (_CURVE_STEPS - 1.0)).astype(np.float32)


#: Planes that the loops work on: RGB; hue in sixths of a turn, saturation, value; the value's place in the table, and what the table says of each.
PLANES = 10


@loop()
def _at(table, position):  # type: ignore[no-untyped-def]
    """A curve at a position among its steps; what is no number is looked for at its beginning."""
    position = position if position > F(0) else F(0)
    i = _uint(position)
    return table[i] + (table[i + _uint(1)] - table[i]) * (position - F(i))


@loop()
def _into_hue(n, p):  # type: ignore[no-untyped-def]
    """RGB in planes 0 to 2 as hue, saturation and value in planes 3 to 5, and the value from 0 to 1 in plane 6."""
    zero, one, two, four, six = F(0), F(1), F(2), F(4), F(6)
    for i in range(n):
        r, g, b = p[0, i], p[1, i], p[2, i]
        v = max(r, max(g, b))
        gap = v - min(r, min(g, b))
        grey = (gap <= zero) | (v <= zero)
        by_gap = one / (one if grey else gap)
        from_red = (g - b) * by_gap
        from_red = from_red + six if from_red < zero else from_red
        from_green, from_blue = two + (b - r) * by_gap, four + (r - g) * by_gap
        h = from_red if v == r else from_green if v == g else from_blue
        p[3, i] = zero if grey else h
        p[4, i] = zero if grey else gap / (one if grey else v)
        p[5, i] = v
        p[6, i] = max(min(v, one), zero)


@loop()
def _cell(table, near, far, by_hue, by_saturation):  # type: ignore[no-untyped-def]
    """A number of the table between two hues and, beside each, the next saturation."""
    a = table[near] + (table[near + _uint(3)] - table[near]) * by_saturation
    b = table[far] + (table[far + _uint(3)] - table[far]) * by_saturation
    return a + (b - a) * by_hue


@loop()
def _look_up(n, p, table, levels, hues, saturations):  # type: ignore[no-untyped-def]
    """What the table says at the hue, saturation and level in planes 3, 4 and 6: degrees and two factors, into planes 7 to 9."""
    zero, one, step = F(0), F(1), F(hues) / F(6)
    for i in range(n):
        at_h, at_s = p[3, i] * step, max(min(p[4, i], one), zero) * F(saturations - 1)
        h0, s0 = min(_whole(at_h), _uint(hues - 1)), min(_whole(at_s), _uint(saturations - 2))
        h1 = h0 + _uint(1) if h0 + _uint(1) < _uint(hues) else _uint(0)
        fh, fs = at_h - F(h0), at_s - F(s0)
        row = _uint(saturations * 3)
        near, far = h0 * row + s0 * _uint(3), h1 * row + s0 * _uint(3)
        if levels == 1:
            for k in range(3):
                p[7 + k, i] = _cell(table, near + _uint(k), far + _uint(k), fh, fs)
            continue
        at_v = p[6, i] * F(levels - 1)
        v0 = min(_whole(at_v), _uint(levels - 2))
        fv = at_v - F(v0)
        level = row * _uint(hues)
        near, far = near + v0 * level, far + v0 * level
        for k in range(3):
            low = _cell(table, near + _uint(k), far + _uint(k), fh, fs)
            high = _cell(table, near + level + _uint(k), far + level + _uint(k), fh, fs)
            p[7 + k, i] = low + (high - low) * fv


@loop()
def _whole(position):  # type: ignore[no-untyped-def]
    """The whole steps of a position; none of what is below, or no number."""
    return _uint(position if position > F(0) else F(0))


@loop()
def _bent(n, p, table, size):  # type: ignore[no-untyped-def]
    """Linear ROMM RGB in planes 0 to 2 through a table of hue, saturation and value, of this `size`."""
    zero, one, two, three, four, six = F(0), F(1), F(2), F(3), F(4), F(6)
    encoded = size[3] == 1
    _into_hue(n, p)
    if encoded:
        for i in range(n):
            p[6, i] = _at(_ENCODED, np.sqrt(p[6, i]) * F(_CURVE_STEPS - 1))
    _look_up(n, p, table, size[0], size[1], size[2])
    if encoded:
        for i in range(n):
            p[5, i] = _at(_DECODED, min(p[6, i] * p[9, i], one) * F(_CURVE_STEPS - 1)) * max(p[5, i], one)
    else:
        for i in range(n):
            p[5, i] *= p[9, i]
    for i in range(n):
        h = p[3, i] + p[7, i] / F(60)
        h -= six * np.floor(h / six)
        v, s = p[5, i], p[4, i]
        chroma = v * min(s * p[8, i], max(s, one))
        p[0, i] = v - chroma * (one - max(zero, min(one, abs(h - three) - one)))
        p[1, i] = v - chroma * (one - max(zero, min(one, two - abs(h - two))))
        p[2, i] = v - chroma * (one - max(zero, min(one, two - abs(h - four))))


@loop("f4:2 f4:1 f4:2 f4:1 i4:1 f4 f4:1 i4:1 f4:2 f4:2 f4:2")
def through_maps(pixels, gains, matrix, table, size, factor, look, look_size, to_output, p, out):  # type: ignore[no-untyped-def]
    """Raw camera RGB (N, 3) → linear output RGB (N, 3): `matrix` to linear ROMM RGB, table, exposure factor, look, `to_output`; `p` are
    `PLANES`."""
    for first in range(0, pixels.shape[0], RUN):
        n = min(RUN, pixels.shape[0] - first)
        for i in range(n):
            x, y, z = balanced_one(pixels[first + i, 0], pixels[first + i, 1], pixels[first + i, 2], gains)
            p[0, i] = matrix[0, 0] * x + matrix[0, 1] * y + matrix[0, 2] * z
            p[1, i] = matrix[1, 0] * x + matrix[1, 1] * y + matrix[1, 2] * z
            p[2, i] = matrix[2, 0] * x + matrix[2, 1] * y + matrix[2, 2] * z
        if size[0] > 0:
            _bent(n, p, table, size)
        for i in range(n):
            p[0, i] *= factor
            p[1, i] *= factor
            p[2, i] *= factor
        if look_size[0] > 0:
            _bent(n, p, look, look_size)
        for i in range(n):
            r, g, b = p[0, i], p[1, i], p[2, i]
            p[0, i] = to_output[0, 0] * r + to_output[0, 1] * g + to_output[0, 2] * b
            p[1, i] = to_output[1, 0] * r + to_output[1, 1] * g + to_output[1, 2] * b
            p[2, i] = to_output[2, 0] * r + to_output[2, 1] * g + to_output[2, 2] * b
        together(p, first, n, out)


def flat_table(table: HueSatMap | None) -> tuple[Pixels, NDArray[np.int32]]:
    """A table flat, and its levels, hues, saturations and whether its value axis is encoded; all 0 without one."""
    if table is None:
        return np.zeros(6, np.float32), np.zeros(4, np.int32)
    levels, hues, saturations = table.data.shape[:3]
    encoded = table.encoding == "srgb" and levels > 1
    return table.data.ravel(), np.array([levels, hues, saturations, int(encoded)], np.int32)

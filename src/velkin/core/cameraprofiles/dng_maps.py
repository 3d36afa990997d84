"""DNG maps on pictures: hue, saturation and value tables computed as the DNG specification writes them."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from velkin.core.cameraprofiles.highlights import balanced_one
from velkin.core.cameraprofiles.huesat import HueSatMap
from velkin.core.compiled import loop
from velkin.core.spaces.rgb import SRGB

Pixels = NDArray[np.float32]

F = np.float32

_int: Any = np.int32

_CURVE_STEPS = 4096
#: sRGB's curve at squares of even steps, and its inverse at even steps: read by straight lines, within 1e-6.
_ENCODED: Pixels = SRGB.encode((np.arange(_CURVE_STEPS + 1) / (_CURVE_STEPS - 1.0)) ** 2).astype(np.float32)
_DECODED: Pixels = SRGB.decode(np.arange(_CURVE_STEPS + 1) / (_CURVE_STEPS - 1.0)).astype(np.float32)


@loop()
def _at(table, position):  # type: ignore[no-untyped-def]
    i = max(_int(position), _int(0))
    return table[i] + (table[i + 1] - table[i]) * (position - F(i))


@loop()
def _bent(r, g, b, table, levels, hues, saturations, encoded):  # type: ignore[no-untyped-def]
    """Linear ROMM RGB through a table of hue, saturation and value."""
    zero, one, two, three, four, six = F(0), F(1), F(2), F(3), F(4), F(6)
    v = max(r, max(g, b))
    gap = v - min(r, min(g, b))
    if gap <= zero or v <= zero:
        h, s = zero, zero
    else:
        if v == r:
            h = (g - b) / gap
            if h < zero:
                h += six
        elif v == g:
            h = two + (b - r) / gap
        else:
            h = four + (r - g) / gap
        s = gap / v
    at_h = h * (F(hues) / six)
    h0 = max(min(_int(at_h), _int(hues - 1)), _int(0))
    fh = at_h - F(h0)
    h1 = h0 + 1 if h0 + 1 < hues else 0
    at_s = max(min(s, one), zero) * F(saturations - 1)
    s0 = max(min(_int(at_s), _int(saturations - 2)), _int(0))
    fs = at_s - F(s0)
    inside = max(min(v, one), zero)
    level = _at(_ENCODED, np.sqrt(inside) * F(_CURVE_STEPS - 1)) if encoded else inside
    at_v = level * F(levels - 1)
    v0 = max(min(_int(at_v), _int(max(levels - 2, 0))), _int(0))
    fv = at_v - F(v0)
    turn, by_s, by_v = zero, zero, zero
    for dv in range(2 if levels > 1 else 1):
        of_v = (fv if dv else one - fv) if levels > 1 else one
        base = (v0 + dv) * hues
        near, far = ((base + h0) * saturations + s0) * 3, ((base + h1) * saturations + s0) * 3
        a, c = of_v * (one - fh), of_v * fh
        turn += a * (table[near] + (table[near + 3] - table[near]) * fs) + c * (table[far] + (table[far + 3] - table[far]) * fs)
        by_s += a * (table[near + 1] + (table[near + 4] - table[near + 1]) * fs)
        by_s += c * (table[far + 1] + (table[far + 4] - table[far + 1]) * fs)
        by_v += a * (table[near + 2] + (table[near + 5] - table[near + 2]) * fs)
        by_v += c * (table[far + 2] + (table[far + 5] - table[far + 2]) * fs)
    h += turn / F(60)
    h -= six * np.floor(h / six)
    s = min(s * by_s, max(s, one))
    if encoded:
        v = _at(_DECODED, min(level * by_v, one) * F(_CURVE_STEPS - 1)) * max(v, one)
    else:
        v *= by_v
    chroma = v * s
    red = v - chroma * (one - max(zero, min(one, abs(h - three) - one)))
    green = v - chroma * (one - max(zero, min(one, two - abs(h - two))))
    blue = v - chroma * (one - max(zero, min(one, two - abs(h - four))))
    return red, green, blue


@loop("f4:2 f4:1 f4:2 f4:1 i4:1 f4 f4:1 i4:1 f4:2 f4:2")
def through_maps(pixels, gains, matrix, table, size, factor, look, look_size, to_output, out):  # type: ignore[no-untyped-def]
    """Raw camera RGB (N, 3) → linear output RGB (N, 3): `matrix` to linear ROMM RGB, table, exposure factor, look, `to_output`."""
    for i in range(pixels.shape[0]):
        x, y, z = balanced_one(pixels[i, 0], pixels[i, 1], pixels[i, 2], gains)
        r = matrix[0, 0] * x + matrix[0, 1] * y + matrix[0, 2] * z
        g = matrix[1, 0] * x + matrix[1, 1] * y + matrix[1, 2] * z
        b = matrix[2, 0] * x + matrix[2, 1] * y + matrix[2, 2] * z
        if size[0] > 0:
            r, g, b = _bent(r, g, b, table, size[0], size[1], size[2], size[3] == 1)
        r, g, b = r * factor, g * factor, b * factor
        if look_size[0] > 0:
            r, g, b = _bent(r, g, b, look, look_size[0], look_size[1], look_size[2], look_size[3] == 1)
        for c in range(3):
            out[i, c] = to_output[c, 0] * r + to_output[c, 1] * g + to_output[c, 2] * b


def flat_table(table: HueSatMap | None) -> tuple[Pixels, NDArray[np.int32]]:
    """A table flat, and its levels, hues, saturations and whether its value axis is encoded; all 0 without one."""
    if table is None:
        return np.zeros(6, np.float32), np.zeros(4, np.int32)
    levels, hues, saturations = table.data.shape[:3]
    encoded = table.encoding == "srgb" and levels > 1
    return table.data.ravel(), np.array([levels, hues, saturations, int(encoded)], np.int32)

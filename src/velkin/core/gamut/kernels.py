"""Compiled loops over pixels for easing: linear RGB → Oklab → chroma against the boundary → linear RGB."""

from __future__ import annotations

from typing import Any

import numpy as np

from velkin.core.compiled import loop
from velkin.core.spaces.kernels import cube_root

F = np.float32
_int: Any = np.int64


@loop()
def diamond(a, b):  # type: ignore[no-untyped-def]
    """The diamond angle, 0 to 4, of two axes; 0 for greys (see `boundary`)."""
    size = abs(a) + abs(b)
    t = F(0)
    if size > F(0):
        t = F(1) - a / size if b >= F(0) else F(3) + a / size
    return t


@loop()
def _oklab(r, g, b, m, o):  # type: ignore[no-untyped-def]
    """Lightness and the two axes of linear RGB: `m` (9,) to cones, `o` (9,) to opponent axes."""
    x = cube_root(m[0] * r + m[1] * g + m[2] * b)
    y = cube_root(m[3] * r + m[4] * g + m[5] * b)
    z = cube_root(m[6] * r + m[7] * g + m[8] * b)
    return o[0] * x + o[1] * y + o[2] * z, o[3] * x + o[4] * y + o[5] * z, o[6] * x + o[7] * y + o[8] * z


@loop()
def _linear(light, a, c, back, rgb):  # type: ignore[no-untyped-def]
    """Linear RGB of Oklab: `back` (9,) to roots of cones, `rgb` (9,) from cones."""
    x = back[0] * light + back[1] * a + back[2] * c
    y = back[3] * light + back[4] * a + back[5] * c
    z = back[6] * light + back[7] * a + back[8] * c
    x, y, z = x * x * x, y * y * y, z * z * z
    return (
        rgb[0] * x + rgb[1] * y + rgb[2] * z,
        rgb[3] * x + rgb[4] * y + rgb[5] * z,
        rgb[6] * x + rgb[7] * y + rgb[8] * z,
    )


@loop()
def _largest(light, a, b, table, low, high):  # type: ignore[no-untyped-def]
    """The boundary's chroma at a lightness and the hue of (a, b)."""
    rows, columns = table.shape
    y = (light - low) / (high - low) * F(rows - 1)
    x = diamond(a, b) * F(0.25) * F(columns - 1)
    i, j = min(_int(y), rows - 2), min(_int(x), columns - 2)
    u, v = y - F(i), x - F(j)
    top = table[i, j] + v * (table[i, j + 1] - table[i, j])
    return top + u * (table[i + 1, j] + v * (table[i + 1, j + 1] - table[i + 1, j]) - top)


@loop("f4:2 f4:2 f4 f4 f4:1")
def largest(oklab, table, low, high, out):  # type: ignore[no-untyped-def]
    """The boundary's chroma (N,) at the lightness, held to the destination's own, and the hue of Oklab (N, 3)."""
    for i in range(oklab.shape[0]):
        held = min(max(oklab[i, 0], low), high)
        out[i] = _largest(held, oklab[i, 1], oklab[i, 2], table, low, high)


@loop("f4:2 f4:1 f4:1 f4:2")
def to_oklab(src, m, o, out):  # type: ignore[no-untyped-def]
    """Linear RGB (N, 3) → Oklab (N, 3): `m` (9,) to cones, `o` (9,) to opponent axes."""
    for i in range(src.shape[0]):
        out[i, 0], out[i, 1], out[i, 2] = _oklab(src[i, 0], src[i, 1], src[i, 2], m, o)


@loop("f4:2 f4:1 f4:1 f4:2 f4 f4 u1:1")
def beyond(src, m, o, table, low, high, out):  # type: ignore[no-untyped-def]
    """Which pixels (N,) uint8 lie beyond the boundary, by lightness or by chroma."""
    for i in range(src.shape[0]):
        light, a, c = _oklab(src[i, 0], src[i, 1], src[i, 2], m, o)
        held = min(max(light, low), high)
        limit = _largest(held, a, c, table, low, high)
        out[i] = a * a + c * c > limit * limit or light < low - F(1e-4) or light > high + F(1e-4)


@loop("f4:2 f4:1 f4:1 f4:1 f4:1 f4:2 f4 f4 f4 f4 f4 f4:1 f4:1 f4:2")
def eased(src, m, o, back, rgb, table, low, high, knee, scale, strength, hue, mask, out):  # type: ignore[no-untyped-def]
    """Linear RGB (N, 3) eased.

    `m`, `o` lead to Oklab, `back` (9,) from it to roots of cones, `rgb` (9,) from cones to linear RGB. `knee` is a share of the
    boundary; with `scale` above 0 chroma is scaled down to 1 − it instead. `hue` (4,): axes of the middle of a range, and the
    cosines at which it begins to fall off and is nothing (all 0: every hue). `mask` (N,) or (1,) float32.
    """
    whole, ranged = mask.shape[0] == 1, hue[2] != hue[3]
    for i in range(src.shape[0]):
        r, g, b = src[i, 0], src[i, 1], src[i, 2]
        weight = strength * (mask[0] if whole else mask[i])
        out[i, 0], out[i, 1], out[i, 2] = r, g, b
        if weight <= F(0):
            continue
        light, a, c = _oklab(r, g, b, m, o)
        chroma = np.sqrt(a * a + c * c)
        if ranged and chroma > F(0):
            near = ((a * hue[0] + c * hue[1]) / chroma - hue[3]) / (hue[2] - hue[3])
            near = min(max(near, F(0)), F(1))
            weight *= near * near * (F(3) - F(2) * near)
            if weight <= F(0):
                continue
        held = light
        if scale > F(0):
            wanted = chroma * (F(1) - scale)
        else:
            held = min(max(light, low), high)
            limit = _largest(held, a, c, table, low, high)
            bend = limit * knee
            if chroma <= bend and held == light:
                continue
            wanted = chroma
            if chroma > bend:
                room = limit - bend
                if room <= limit * F(1e-4):
                    wanted = limit
                else:
                    over = (chroma - bend) / room
                    wanted = bend + room * over / np.sqrt(F(1) + over * over)
        new_light = light + weight * (held - light)
        turn = F(0)
        if chroma > F(0):
            turn = (chroma + weight * (wanted - chroma)) / chroma
        a, c = a * turn, c * turn
        out[i, 0], out[i, 1], out[i, 2] = _linear(new_light, a, c, back, rgb)


@loop("f4:2 f4:1 f4:2 f4:1 f4:2 f4 f4 f4:1 f4:1 f4:2")
def along_boundary(src, light, there, mask, table, low, high, back, rgb, out):  # type: ignore[no-untyped-def]
    """Linear RGB (N, 3) replaced, as far as `mask` (N,) says, by the colour `there` (N, 3, Oklab) at another lightness (N,),
    with as much of its chroma as the boundary leaves at that lightness."""
    for i in range(src.shape[0]):
        weight = mask[i]
        out[i, 0], out[i, 1], out[i, 2] = src[i, 0], src[i, 1], src[i, 2]
        if weight <= F(0):
            continue
        lit = min(max(light[i], low), high)
        a, c = there[i, 1], there[i, 2]
        chroma = np.sqrt(a * a + c * c)
        limit = _largest(lit, a, c, table, low, high)
        if chroma > limit:
            a, c = a * limit / chroma, c * limit / chroma
        r, g, b = _linear(lit, a, c, back, rgb)
        out[i, 0] += weight * (r - src[i, 0])
        out[i, 1] += weight * (g - src[i, 1])
        out[i, 2] += weight * (b - src[i, 2])


@loop("f4:2 f4:1 f4:1 f4:1 f4:1 f4 i8")
def dabs(mask, xs, ys, radii, amounts, softness, erase):  # type: ignore[no-untyped-def]
    """Round dabs of a brush (N,) painted into a mask (H, W) one after the other; centres and radii in pixels."""
    height, width = mask.shape
    for n in range(xs.shape[0]):
        radius = radii[n]
        inner = radius * (F(1) - softness)
        for y in range(max(_int(ys[n] - radius), 0), min(_int(ys[n] + radius) + 2, height)):
            for x in range(max(_int(xs[n] - radius), 0), min(_int(xs[n] + radius) + 2, width)):
                away = np.sqrt((F(x) + F(0.5) - xs[n]) ** 2 + (F(y) + F(0.5) - ys[n]) ** 2)
                if away >= radius + F(0.5):
                    continue
                fade = min(max((radius + F(0.5) - away) / max(radius + F(0.5) - inner, F(1)), F(0)), F(1))
                fade = fade * fade * (F(3) - F(2) * fade) * amounts[n]
                if erase:
                    mask[y, x] *= F(1) - fade
                else:
                    mask[y, x] += (F(1) - mask[y, x]) * fade

"""Compiled loops over pixels for easing: linear RGB → Oklab → chroma against the boundary → linear RGB."""

from __future__ import annotations

from typing import Any

import numpy as np

from velkin.core.compiled import loop
from velkin.core.planes import RUN, apart, together
from velkin.core.spaces.kernels import cube_root

F = np.float32
_int: Any = np.int64
_uint: Any = np.uint64
#: Added to what is divided by, so that nothing over nothing is nothing.
_NONE = F(1e-30)
#: Planes that the loops work on: linear RGB, Oklab, weight, the boundary's chroma, and one more.
PLANES = 9


@loop()
def diamond(a, b):  # type: ignore[no-untyped-def]
    """The diamond angle, 0 to 4, of two axes; greys have one too (see `boundary`)."""
    t = a / (abs(a) + abs(b) + _NONE)
    return F(1) - t if b >= F(0) else F(3) + t


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
def _held(light, low, high):  # type: ignore[no-untyped-def]
    return min(max(light, low), high)


@loop()
def _place(light, a, b, rows, columns, low, high):  # type: ignore[no-untyped-def]
    """Where the boundary's table has a lightness that it holds and the hue of (a, b): row and column."""
    return (light - low) / (high - low) * F(rows - 1), diamond(a, b) * F(0.25) * F(columns - 1)


@loop()
def _read(table, y, x):  # type: ignore[no-untyped-def]
    """The boundary's chroma at a place of its table; what is no number is looked for at its beginning."""
    y, x = y if y > F(0) else F(0), x if x > F(0) else F(0)
    i, j = _uint(min(_int(y), table.shape[0] - 2)), _uint(min(_int(x), table.shape[1] - 2))
    u, v = y - F(i), x - F(j)
    next_i, next_j = i + _uint(1), j + _uint(1)
    top = table[i, j] + v * (table[i, next_j] - table[i, j])
    return top + u * (table[next_i, j] + v * (table[next_i, next_j] - table[next_i, j]) - top)


@loop()
def _largest(light, a, b, table, low, high):  # type: ignore[no-untyped-def]
    """The boundary's chroma at a lightness that it holds and the hue of (a, b)."""
    y, x = _place(light, a, b, table.shape[0], table.shape[1], low, high)
    return _read(table, y, x)


@loop("f4:2 f4:2 f4 f4 f4:1")
def largest(oklab, table, low, high, out):  # type: ignore[no-untyped-def]
    """The boundary's chroma (N,) at the lightness, held to the destination's own, and the hue of Oklab (N, 3)."""
    for i in range(oklab.shape[0]):
        out[i] = _largest(_held(oklab[i, 0], low, high), oklab[i, 1], oklab[i, 2], table, low, high)


@loop()
def _into_oklab(src, first, n, m, o, p):  # type: ignore[no-untyped-def]
    """A run of linear RGB into planes 0 to 2, and its Oklab into planes 3 to 5: `m` (9,) to cones, `o` (9,) to opponent axes."""
    apart(src, first, n, p)
    for i in range(n):
        r, g, b = p[0, i], p[1, i], p[2, i]
        p[3, i] = cube_root(m[0] * r + m[1] * g + m[2] * b)
        p[4, i] = cube_root(m[3] * r + m[4] * g + m[5] * b)
        p[5, i] = cube_root(m[6] * r + m[7] * g + m[8] * b)
    for i in range(n):
        x, y, z = p[3, i], p[4, i], p[5, i]
        p[3, i] = o[0] * x + o[1] * y + o[2] * z
        p[4, i] = o[3] * x + o[4] * y + o[5] * z
        p[5, i] = o[6] * x + o[7] * y + o[8] * z


@loop()
def _into_largest(table, low, high, n, p):  # type: ignore[no-untyped-def]
    """The boundary's chroma for the Oklab in planes 3 to 5 into plane 7; plane 8 is used on the way."""
    for i in range(n):
        p[7, i], p[8, i] = _place(_held(p[3, i], low, high), p[4, i], p[5, i], table.shape[0], table.shape[1], low, high)
    for i in range(n):
        p[7, i] = _read(table, p[7, i], p[8, i])


@loop("f4:2 f4:1 f4:1 f4:2 f4:2")
def to_oklab(src, m, o, p, out):  # type: ignore[no-untyped-def]
    """Linear RGB (N, 3) → Oklab (N, 3): `m` (9,) to cones, `o` (9,) to opponent axes; `p` are `PLANES`."""
    for first in range(0, src.shape[0], RUN):
        n = min(RUN, src.shape[0] - first)
        _into_oklab(src, first, n, m, o, p)
        together(p[3:], first, n, out)


@loop("f4:2 f4:1 f4:1 f4:2 f4 f4 f4:2 u1:1")
def beyond(src, m, o, table, low, high, p, out):  # type: ignore[no-untyped-def]
    """Which pixels (N,) uint8 lie beyond the boundary, by lightness or by chroma; `p` are `PLANES`."""
    for first in range(0, src.shape[0], RUN):
        n = min(RUN, src.shape[0] - first)
        _into_oklab(src, first, n, m, o, p)
        _into_largest(table, low, high, n, p)
        for i in range(n):
            light, a, c, limit = p[3, i], p[4, i], p[5, i], p[7, i]
            far = (a * a + c * c > limit * limit) | (light < low - F(1e-4)) | (light > high + F(1e-4))
            out[first + i] = far


@loop("f4:2 f4:1 f4:1 f4:1 f4:1 f4:2 f4 f4 f4 f4 f4 f4:1 f4:1 f4:2 f4:2")
def eased(src, m, o, back, rgb, table, low, high, knee, scale, strength, hue, mask, p, out):  # type: ignore[no-untyped-def]
    """Linear RGB (N, 3) eased.

    `m`, `o` lead to Oklab, `back` (9,) from it to roots of cones, `rgb` (9,) from cones to linear RGB. `knee` is a share of the
    boundary; with `scale` above 0 chroma is scaled down to 1 − it instead. `hue` (4,): axes of the middle of a range, and the
    cosines at which it begins to fall off and is nothing (all 0: every hue). `mask` (N,) or (1,) float32. `p` are `PLANES`.
    """
    whole, ranged = mask.shape[0] == 1, hue[2] != hue[3]
    for first in range(0, src.shape[0], RUN):
        n = min(RUN, src.shape[0] - first)
        _into_oklab(src, first, n, m, o, p)
        for i in range(n):
            p[6, i] = strength * (mask[0] if whole else mask[first + i])
        if ranged:
            for i in range(n):
                a, c = p[4, i], p[5, i]
                near = ((a * hue[0] + c * hue[1]) / (np.sqrt(a * a + c * c) + _NONE) - hue[3]) / (hue[2] - hue[3])
                near = min(max(near, F(0)), F(1))
                p[6, i] *= near * near * (F(3) - F(2) * near)
        if scale > F(0):
            for i in range(n):
                p[4, i] *= F(1) - p[6, i] * scale
                p[5, i] *= F(1) - p[6, i] * scale
        else:
            _into_largest(table, low, high, n, p)
            for i in range(n):
                light, a, c, weight, limit = p[3, i], p[4, i], p[5, i], p[6, i], p[7, i]
                chroma = np.sqrt(a * a + c * c)
                held = _held(light, low, high)
                bend = limit * knee
                room = limit - bend
                over = (chroma - bend) / room
                wanted = bend + room * over / np.sqrt(F(1) + over * over)
                wanted = limit if room <= limit * F(1e-4) else wanted
                wanted = wanted if chroma > bend else chroma
                turn = (chroma + weight * (wanted - chroma)) / (chroma + _NONE)
                p[3, i] = light + weight * (held - light)
                p[4, i] = a * turn
                p[5, i] = c * turn
                p[6, i] = weight if (chroma > bend) | (held != light) else F(0)
        for i in range(n):
            r, g, b = _linear(p[3, i], p[4, i], p[5, i], back, rgb)
            acts = p[6, i] > F(0)  # what needs no change is not touched to the bit
            p[0, i] = r if acts else p[0, i]
            p[1, i] = g if acts else p[1, i]
            p[2, i] = b if acts else p[2, i]
        together(p, first, n, out)


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

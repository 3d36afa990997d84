"""Compiled loops over pixels: Lab of linear RGB and back, and CIEDE2000, in float32; the formulas are those of `lab`
and `difference`."""

from __future__ import annotations

from typing import Any

import numpy as np

from velkin.core.compiled import loop
from velkin.core.planes import RUN, apart, together

F = np.float32
_int: Any = np.int64
_uint: Any = np.uint32


@loop()
def cube_root(v):  # type: ignore[no-untyped-def]
    """Cube root to the last bits of float32, several times as fast as the library's: a first guess from the exponent (Kahan),
    and two of Halley's steps."""
    x = abs(v)
    bits = np.float32(x).view(np.int32)
    y = np.int32(bits // np.int32(3) + np.int32(709921077)).view(np.float32)
    c = y * y * y
    y = y * (c + x + x) / (c + c + x + F(1e-37))
    c = y * y * y
    y = y * (c + x + x) / (c + c + x + F(1e-37))
    return np.copysign(y, v)


@loop()
def _f(t):  # type: ignore[no-untyped-def]
    return cube_root(t) if t > F(216.0 / 24389.0) else t * F(841.0 / 108.0) + F(4.0 / 29.0)


@loop("f4:2 f4:1 f4:2 f4:2")
def to_lab(src, m, p, out):  # type: ignore[no-untyped-def]
    """Linear RGB (N, 3) → Lab (N, 3): `m` (9,) leads to XYZ over the white; `p` are three planes."""
    for first in range(0, src.shape[0], RUN):
        n = min(RUN, src.shape[0] - first)
        apart(src, first, n, p)
        for i in range(n):
            r, g, b = p[0, i], p[1, i], p[2, i]
            x = _f(m[0] * r + m[1] * g + m[2] * b)
            y = _f(m[3] * r + m[4] * g + m[5] * b)
            z = _f(m[6] * r + m[7] * g + m[8] * b)
            p[0, i] = F(116) * y - F(16)
            p[1, i] = F(500) * (x - y)
            p[2, i] = F(200) * (y - z)
        together(p, first, n, out)


@loop()
def _undone(f):  # type: ignore[no-untyped-def]
    return f * f * f if f > F(6.0 / 29.0) else (f - F(4.0 / 29.0)) * F(108.0 / 841.0)


@loop("f4:2 f4:1 f4:1 f4:1 f4:2")
def lab_to_linear(src, gain, offset, m, out):  # type: ignore[no-untyped-def]
    """Lab (N, 3) → linear RGB (N, 3): XYZ over the white times `gain` plus `offset` (3,), then `m` (9,)."""
    for i in range(src.shape[0]):
        y = (src[i, 0] + F(16)) / F(116)
        u = _undone(y + src[i, 1] / F(500)) * gain[0] + offset[0]
        w = _undone(y - src[i, 2] / F(200)) * gain[2] + offset[2]
        v = _undone(y) * gain[1] + offset[1]
        out[i, 0] = m[0] * u + m[1] * v + m[2] * w
        out[i, 1] = m[3] * u + m[4] * v + m[5] * w
        out[i, 2] = m[6] * u + m[7] * v + m[8] * w


@loop("f4:2 f4:2 f4:1")
def delta_e(first, second, out):  # type: ignore[no-untyped-def]
    """ΔE00 (N,) between Lab (N, 3) and Lab (N, 3)."""
    rad = F(np.pi / 180.0)
    turn = F(2.0 * np.pi)
    for i in range(first.shape[0]):
        l1, a1, b1 = first[i, 0], first[i, 1], first[i, 2]
        l2, a2, b2 = second[i, 0], second[i, 1], second[i, 2]
        if l1 == l2 and a1 == a2 and b1 == b2:
            out[i] = F(0)
            continue
        mean = F(0.5) * (np.sqrt(a1 * a1 + b1 * b1) + np.sqrt(a2 * a2 + b2 * b2))
        seven = (mean / F(25)) ** 2
        seven = seven * seven * seven * (mean / F(25))
        stretch = F(1.5) - F(0.5) * np.sqrt(seven / (seven + F(1)))
        a1 *= stretch
        a2 *= stretch
        c1, c2 = np.sqrt(a1 * a1 + b1 * b1), np.sqrt(a2 * a2 + b2 * b2)
        h1 = np.arctan2(b1, a1)
        h2 = np.arctan2(b2, a2)
        if h1 < F(0):
            h1 += turn
        if h2 < F(0):
            h2 += turn
        grey = c1 * c2 == F(0)
        d = h2 - h1
        if d > F(np.pi):
            d -= turn
        elif d < F(-np.pi):
            d += turn
        if grey:
            d = F(0)
        d_l, d_c = l2 - l1, c2 - c1
        d_h = F(2) * np.sqrt(c1 * c2) * np.sin(d * F(0.5))
        total = h1 + h2
        if grey:
            h = total
        elif abs(h1 - h2) <= F(np.pi):
            h = total * F(0.5)
        elif total < turn:
            h = (total + turn) * F(0.5)
        else:
            h = (total - turn) * F(0.5)
        c = F(0.5) * (c1 + c2)
        t = (
            F(1)
            - F(0.17) * np.cos(h - F(30) * rad)
            + F(0.24) * np.cos(F(2) * h)
            + F(0.32) * np.cos(F(3) * h + F(6) * rad)
            - F(0.20) * np.cos(F(4) * h - F(63) * rad)
        )
        off = F(0.5) * (l1 + l2) - F(50)
        s_l = F(1) + F(0.015) * off * off / np.sqrt(F(20) + off * off)
        s_c = F(1) + F(0.045) * c
        s_h = F(1) + F(0.015) * c * t
        seven = (c / F(25)) ** 2
        seven = seven * seven * seven * (c / F(25))
        away = (h / rad - F(275)) / F(25)
        rotation = F(-2) * np.sqrt(seven / (seven + F(1))) * np.sin(F(60) * rad * np.exp(-away * away))
        x, y, z = d_l / s_l, d_c / s_c, d_h / s_h
        out[i] = np.sqrt(max(x * x + y * y + z * z + rotation * y * z, F(0)))

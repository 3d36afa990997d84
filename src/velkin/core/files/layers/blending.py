"""One layer put on what lies below it: W3C, "Compositing and Blending Level 1" (sections 5 and 8 to 10)."""

from __future__ import annotations

import math
from typing import Any

from velkin.core.compiled import exact_loop
from velkin.core.files.layers.operators import Blend, Composite

# plain numbers, as compiled loops take them
_NORMAL, _MULTIPLY, _SCREEN, _OVERLAY = int(Blend.NORMAL), int(Blend.MULTIPLY), int(Blend.SCREEN), int(Blend.OVERLAY)
_DARKEN, _LIGHTEN, _DODGE, _BURN = int(Blend.DARKEN), int(Blend.LIGHTEN), int(Blend.COLOR_DODGE), int(Blend.COLOR_BURN)
_HARD, _SOFT, _DIFFERENCE = int(Blend.HARD_LIGHT), int(Blend.SOFT_LIGHT), int(Blend.DIFFERENCE)
_HUE, _SATURATION, _COLOR = int(Blend.HUE), int(Blend.SATURATION), int(Blend.COLOR)
_OVER, _PLUS, _ATOP = int(Composite.OVER), int(Composite.PLUS), int(Composite.ATOP)
_IN, _OUT, _DESTINATION_ATOP = int(Composite.DESTINATION_IN), int(Composite.DESTINATION_OUT), int(Composite.DESTINATION_ATOP)


@exact_loop("f4:2 f4:2 f8 f8 i8 i8", "f4:2 u1:2 f8 f8 i8 i8", "f4:2 u2:2 f8 f8 i8 i8")
def put_on(below: Any, layer: Any, scale: float, opacity: float, blend: int, composite: int) -> None:
    """Put pixels of a layer on those below, in place.

    Parameters
    ----------
    below : ndarray (n, 4), float32
        Encoded numbers 0..1, not multiplied with the alpha that follows them.
    layer : ndarray (n, 4), uint8, uint16 or float32
    scale : float
        What makes the layer's samples 0..1.
    opacity : float
    blend, composite : int
        Of `Blend` and `Composite`.
    """
    for i in range(below.shape[0]):
        a_s = float(layer[i, 3]) * scale * opacity
        if a_s == 0.0 and composite != _IN and composite != _DESTINATION_ATOP:
            continue
        a_b = float(below[i, 3])
        s0, s1, s2 = float(layer[i, 0]) * scale, float(layer[i, 1]) * scale, float(layer[i, 2]) * scale
        b0, b1, b2 = float(below[i, 0]), float(below[i, 1]), float(below[i, 2])
        if blend != _NORMAL and a_b > 0.0:
            if blend < _HUE:
                m0, m1, m2 = _mixed(blend, b0, s0), _mixed(blend, b1, s1), _mixed(blend, b2, s2)
            else:
                m0, m1, m2 = _mixed_together(blend, b0, b1, b2, s0, s1, s2)
            s0 += a_b * (m0 - s0)
            s1 += a_b * (m1 - s1)
            s2 += a_b * (m2 - s2)
        if composite == _OVER:
            f_s, f_b = 1.0, 1.0 - a_s
        elif composite == _PLUS:
            f_s, f_b = 1.0, 1.0
        elif composite == _ATOP:
            f_s, f_b = a_b, 1.0 - a_s
        elif composite == _IN:
            f_s, f_b = 0.0, a_s
        elif composite == _OUT:
            f_s, f_b = 0.0, 1.0 - a_s
        else:
            f_s, f_b = 1.0 - a_b, a_s
        w_s, w_b = a_s * f_s, a_b * f_b
        alpha = w_s + w_b
        if alpha <= 0.0:
            below[i, 0] = below[i, 1] = below[i, 2] = below[i, 3] = 0.0
            continue
        c0, c1, c2 = w_s * s0 + w_b * b0, w_s * s1 + w_b * b1, w_s * s2 + w_b * b2
        if composite == _PLUS:
            alpha, c0, c1, c2 = min(alpha, 1.0), min(c0, 1.0), min(c1, 1.0), min(c2, 1.0)
        below[i, 0], below[i, 1], below[i, 2] = c0 / alpha, c1 / alpha, c2 / alpha
        below[i, 3] = alpha


@exact_loop()
def _mixed(blend: int, b: float, s: float) -> float:
    """A separable blend function of one channel: below, layer."""
    if blend == _MULTIPLY:
        return b * s
    if blend == _SCREEN:
        return b + s - b * s
    if blend == _OVERLAY:
        return _hard(s, b)
    if blend == _DARKEN:
        return min(b, s)
    if blend == _LIGHTEN:
        return max(b, s)
    if blend == _DODGE:
        return 0.0 if b <= 0.0 else 1.0 if s >= 1.0 else min(1.0, b / (1.0 - s))
    if blend == _BURN:
        return 1.0 if b >= 1.0 else 0.0 if s <= 0.0 else 1.0 - min(1.0, (1.0 - b) / s)
    if blend == _HARD:
        return _hard(b, s)
    if blend == _SOFT:
        if s <= 0.5:
            return b - (1.0 - 2.0 * s) * b * (1.0 - b)
        d = ((16.0 * b - 12.0) * b + 4.0) * b if b <= 0.25 else math.sqrt(b)
        return b + (2.0 * s - 1.0) * (d - b)
    return abs(b - s)  # difference


@exact_loop()
def _hard(b: float, s: float) -> float:
    t = 2.0 * s
    return b * t if s <= 0.5 else b + (t - 1.0) - b * (t - 1.0)


@exact_loop()
def _mixed_together(blend: int, b0: float, b1: float, b2: float, s0: float, s1: float, s2: float) -> tuple[float, float, float]:
    """A non-separable blend function."""
    if blend == _HUE:
        r, g, b = _with_saturation(s0, s1, s2, max(b0, b1, b2) - min(b0, b1, b2))
        return _with_luminosity(r, g, b, _luminosity(b0, b1, b2))
    if blend == _SATURATION:
        r, g, b = _with_saturation(b0, b1, b2, max(s0, s1, s2) - min(s0, s1, s2))
        return _with_luminosity(r, g, b, _luminosity(b0, b1, b2))
    if blend == _COLOR:
        return _with_luminosity(s0, s1, s2, _luminosity(b0, b1, b2))
    return _with_luminosity(b0, b1, b2, _luminosity(s0, s1, s2))


@exact_loop()
def _luminosity(r: float, g: float, b: float) -> float:
    return 0.3 * r + 0.59 * g + 0.11 * b


@exact_loop()
def _with_saturation(r: float, g: float, b: float, saturation: float) -> tuple[float, float, float]:
    low, high = min(r, g, b), max(r, g, b)
    if high <= low:
        return 0.0, 0.0, 0.0
    k = saturation / (high - low)
    return (r - low) * k, (g - low) * k, (b - low) * k


@exact_loop()
def _with_luminosity(r: float, g: float, b: float, wanted: float) -> tuple[float, float, float]:
    d = wanted - _luminosity(r, g, b)
    r, g, b = r + d, g + d, b + d
    y, low, high = _luminosity(r, g, b), min(r, g, b), max(r, g, b)
    if low < 0.0:
        k = y / (y - low)
        r, g, b = y + (r - y) * k, y + (g - y) * k, y + (b - y) * k
    if high > 1.0:
        k = (1.0 - y) / (high - y)
        r, g, b = y + (r - y) * k, y + (g - y) * k, y + (b - y) * k
    return r, g, b

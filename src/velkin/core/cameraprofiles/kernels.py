"""Applying maps to pictures: compiled loops in float32 over bands of rows, one thread for each core.

A map that does the same at every exposure is a function of the channels' proportions only: it is sampled once into a
square table and looked up with one division (`ProportionTable`). A DNG profile with tables by value is computed as it is
written. Anything else (an ICC table) is sampled into a cube.
"""

from __future__ import annotations

from collections.abc import Callable
from functools import lru_cache
from typing import Any

import numba
import numpy as np
from numpy.typing import NDArray

from velkin.core.cameraprofiles.dng import DNGMap
from velkin.core.cameraprofiles.huesat import HueSatMap
from velkin.core.cameraprofiles.models import ColourMap
from velkin.core.cameraprofiles.tone import ToneCurve
from velkin.core.compiled import in_bands, jit
from velkin.core.spaces.rgb import ROMM, SRGB

Floats = NDArray[np.float64]
Pixels = NDArray[np.float32]

F = np.float32
#: Nodes along a side of the table of proportions; 384 divides by 3, so that neutral is a node. Below 0.1 ΔE00 from exact.
_SIDE = 385

_int: Any = numba.int32
_uint: Any = numba.uint32


def _in_bands(work: Callable[[Pixels, Pixels], None], pixels: Pixels) -> Pixels:
    """What `work` writes for bands of pixels (..., 3), as one array of the same shape."""
    flat = np.ascontiguousarray(pixels, dtype=np.float32).reshape(-1, 3)
    out = np.empty_like(flat)
    in_bands(lambda first, last: work(flat[first:last], out[first:last]), len(flat))
    return out.reshape(pixels.shape)


# ---- balance ------------------------------------------------------------------------------------------------------

#: From here on a sensor's numbers say only "at least this much".
SATURATED = 0.985
#: Where the second-largest channel begins to lose its meaning too.
NEARLY = 0.90


@jit
def _balanced(r, g, b, gains):  # type: ignore[no-untyped-def]
    """Camera RGB times gains; saturated pixels go to neutral as their second channel saturates too (`render.balanced`)."""
    x, y, z = max(r, F(0)) * gains[0], max(g, F(0)) * gains[1], max(b, F(0)) * gains[2]
    if max(r, max(g, b)) >= F(SATURATED):
        one = F(1)
        x, y, z = min(x, one), min(y, one), min(z, one)
        second = max(min(r, g), min(max(r, g), b))
        share = max(F(0), min(one, (second - F(NEARLY)) / F(SATURATED - NEARLY)))
        top = max(x, max(y, z))
        x, y, z = x + (top - x) * share, y + (top - y) * share, z + (top - z) * share
    return x, y, z


# ---- the same at every exposure -----------------------------------------------------------------------------------


@jit
def _by_proportion(pixels, gains, table, side, out):  # type: ignore[no-untyped-def]
    top, last = F(side - 1), _int(side - 2)
    for i in range(pixels.shape[0]):
        r, g, b = _balanced(pixels[i, 0], pixels[i, 1], pixels[i, 2], gains)
        total = r + g + b + F(1e-12)
        scale = top / total
        u, w = r * scale, b * scale
        x, y = min(_int(u), last), min(_int(w), last)
        fu, fw = u - F(x), w - F(y)
        p = _uint((x * side + y) * 3)
        q = p + _uint(3 * side)
        near, far = table[p] + (table[p + 3] - table[p]) * fw, table[q] + (table[q + 3] - table[q]) * fw
        out[i, 0] = total * (near + (far - near) * fu)
        near, far = table[p + 1] + (table[p + 4] - table[p + 1]) * fw, table[q + 1] + (table[q + 4] - table[q + 1]) * fw
        out[i, 1] = total * (near + (far - near) * fu)
        near, far = table[p + 2] + (table[p + 5] - table[p + 2]) * fw, table[q + 2] + (table[q + 5] - table[q + 2]) * fw
        out[i, 2] = total * (near + (far - near) * fu)


@lru_cache(maxsize=12)
def _proportions(colours: ColourMap) -> Floats:
    """XYZ D50 (side, side, 3) of camera RGB of sum 1, by the share of red and of blue."""
    share = np.arange(_SIDE) / (_SIDE - 1.0)
    red, blue = np.meshgrid(share, share, indexing="ij")
    # past the edge, where green would be negative, the edge's own slope goes on
    over = np.maximum(red + blue - 1.0, 0.0)
    rgb = np.stack([red - over / 2.0, np.maximum(1.0 - red - blue, 0.0), blue - over / 2.0], axis=-1)
    inner = np.maximum(rgb + over[..., None] * np.array([0.0, 1.0, 0.0]), 0.0)
    edge, inside = colours.xyz(rgb), colours.xyz(inner)
    return np.asarray(np.where(over[..., None] > 0.0, 2.0 * edge - inside, edge))


def _table_to(colours: ColourMap, to_output: Floats) -> Pixels:
    return np.ascontiguousarray((_proportions(colours) @ to_output.T).astype(np.float32).ravel())


# ---- hue and saturation maps --------------------------------------------------------------------------------------


_CURVE_STEPS = 4096
#: sRGB's curve at squares of even steps, and its inverse at even steps: read by straight lines, within 1e-6.
_ENCODED: Pixels = SRGB.encode((np.arange(_CURVE_STEPS + 1) / (_CURVE_STEPS - 1.0)) ** 2).astype(np.float32)
_DECODED: Pixels = SRGB.decode(np.arange(_CURVE_STEPS + 1) / (_CURVE_STEPS - 1.0)).astype(np.float32)


@jit
def _at(table, position):  # type: ignore[no-untyped-def]
    i = _int(position)
    return table[i] + (table[i + 1] - table[i]) * (position - F(i))


@jit
def _bent(r, g, b, table, levels, hues, saturations, encoded):  # type: ignore[no-untyped-def]
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
    h0 = min(_int(at_h), _int(hues - 1))
    fh = at_h - F(h0)
    h1 = h0 + 1 if h0 + 1 < hues else 0
    at_s = max(min(s, one), zero) * F(saturations - 1)
    s0 = min(_int(at_s), _int(saturations - 2))
    fs = at_s - F(s0)
    inside = max(min(v, one), zero)
    level = _at(_ENCODED, np.sqrt(inside) * F(_CURVE_STEPS - 1)) if encoded else inside
    at_v = level * F(levels - 1)
    v0 = min(_int(at_v), _int(max(levels - 2, 0)))
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


@jit
def _through_maps(pixels, gains, matrix, table, size, factor, look, look_size, to_output, out):  # type: ignore[no-untyped-def]
    for i in range(pixels.shape[0]):
        x, y, z = _balanced(pixels[i, 0], pixels[i, 1], pixels[i, 2], gains)
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


def _flat(table: HueSatMap | None) -> tuple[Pixels, NDArray[np.int32]]:
    if table is None:
        return np.zeros(6, np.float32), np.zeros(4, np.int32)
    levels, hues, saturations = table.data.shape[:3]
    encoded = table.encoding == "srgb" and levels > 1
    return table.data.ravel(), np.array([levels, hues, saturations, int(encoded)], np.int32)


# ---- cubes --------------------------------------------------------------------------------------------------------

_CUBE = 65


@jit
def _through_cube(pixels, gains, cube, side, to_output, out):  # type: ignore[no-untyped-def]
    one, top = F(1), F(side - 1)
    step_r, step_g, step_b = side * side * 3, side * 3, 3
    for i in range(pixels.shape[0]):
        x, y, z = _balanced(pixels[i, 0], pixels[i, 1], pixels[i, 2], gains)
        x, y, z = np.sqrt(min(one, x)) * top, np.sqrt(min(one, y)) * top, np.sqrt(min(one, z)) * top
        x0, y0, z0 = min(int(x), side - 2), min(int(y), side - 2), min(int(z), side - 2)
        fx, fy, fz = x - F(x0), y - F(y0), z - F(z0)
        base = x0 * step_r + y0 * step_g + z0 * step_b
        # tetrahedral: along the channels from the largest fraction to the smallest
        if fx >= fy:
            if fy >= fz:
                d1, d2, w1, w2, w3 = step_r, step_r + step_g, fx, fy, fz
            elif fx >= fz:
                d1, d2, w1, w2, w3 = step_r, step_r + step_b, fx, fz, fy
            else:
                d1, d2, w1, w2, w3 = step_b, step_r + step_b, fz, fx, fy
        elif fx >= fz:
            d1, d2, w1, w2, w3 = step_g, step_r + step_g, fy, fx, fz
        elif fy >= fz:
            d1, d2, w1, w2, w3 = step_g, step_g + step_b, fy, fz, fx
        else:
            d1, d2, w1, w2, w3 = step_b, step_g + step_b, fz, fy, fx
        d3 = step_r + step_g + step_b
        a = (one - w1) * cube[base] + (w1 - w2) * cube[base + d1] + (w2 - w3) * cube[base + d2] + w3 * cube[base + d3]
        base += 1
        b = (one - w1) * cube[base] + (w1 - w2) * cube[base + d1] + (w2 - w3) * cube[base + d2] + w3 * cube[base + d3]
        base += 1
        c = (one - w1) * cube[base] + (w1 - w2) * cube[base + d1] + (w2 - w3) * cube[base + d2] + w3 * cube[base + d3]
        roots = (a * a * a, b * b * b, c * c * c)
        for k in range(3):
            out[i, k] = to_output[k, 0] * roots[0] + to_output[k, 1] * roots[1] + to_output[k, 2] * roots[2]


@lru_cache(maxsize=4)
def _cube(colours: ColourMap) -> Pixels:
    """Cube roots of XYZ at camera RGB of square-root spacing, flat."""
    axis = (np.arange(_CUBE) / (_CUBE - 1.0)) ** 2
    rgb = np.stack(np.meshgrid(axis, axis, axis, indexing="ij"), axis=-1).reshape(-1, 3)
    return np.ascontiguousarray(np.cbrt(colours.xyz(rgb)).astype(np.float32).ravel())


# ---- tone ---------------------------------------------------------------------------------------------------------


@jit
def _toned(value, table, top):  # type: ignore[no-untyped-def]
    inside = max(F(0), min(F(1), value))
    at = np.sqrt(inside) * top
    i = min(_int(at), _int(top) - 1)
    return table[i] + (table[i + 1] - table[i]) * (at - F(i)) + (value - inside)


@jit
def _through_tone(pixels, table, to_output, out):  # type: ignore[no-untyped-def]
    top = F(len(table) - 1)
    for i in range(pixels.shape[0]):
        r, g, b = pixels[i, 0], pixels[i, 1], pixels[i, 2]
        high, low = max(r, max(g, b)), min(r, min(g, b))
        new_high, new_low = _toned(high, table, top), _toned(low, table, top)
        share = (new_high - new_low) / (high - low) if high > low else F(0)
        r, g, b = new_low + (r - low) * share, new_low + (g - low) * share, new_low + (b - low) * share
        for c in range(3):
            out[i, c] = to_output[c, 0] * r + to_output[c, 1] * g + to_output[c, 2] * b


# ---- what others call ---------------------------------------------------------------------------------------------


_NO_GAIN = (1.0, 1.0, 1.0)


def apply_colours(pixels: Pixels, colours: ColourMap, to_output: Floats, gains: tuple[float, ...] = _NO_GAIN) -> Pixels:
    """Linear output RGB (..., 3) of raw camera RGB (..., 3) balanced by gains, through a map and a matrix from XYZ D50.

    float32, unclipped. Saturated pixels are mended as `render.balanced` does.
    """
    multipliers = np.array(gains, dtype=np.float32)
    if isinstance(colours, DNGMap):
        table, size = _flat(colours.table)
        look, look_size = _flat(colours.look)
        matrix = (ROMM.from_xyz @ np.array(colours.matrix)).astype(np.float32)
        final = (to_output @ ROMM.to_xyz).astype(np.float32)
        factor = F(colours.factor)
        return _in_bands(
            lambda a, out: _through_maps(a, multipliers, matrix, table, size, factor, look, look_size, final, out), pixels
        )
    if colours.exposure_invariant:
        flat = _table_to(colours, to_output)
        return _in_bands(lambda a, out: _by_proportion(a, multipliers, flat, _SIDE, out), pixels)
    cube, last = _cube(colours), to_output.astype(np.float32)
    return _in_bands(lambda a, out: _through_cube(a, multipliers, cube, _CUBE, last, out), pixels)


def apply_tone(romm: Pixels, curve: ToneCurve, to_output: Floats) -> Pixels:
    """Linear output RGB (..., 3) of linear ROMM RGB (..., 3) through a tone curve and a matrix from linear ROMM RGB."""
    table, last = curve.table().astype(np.float32), to_output.astype(np.float32)
    return _in_bands(lambda a, out: _through_tone(a, table, last, out), romm)

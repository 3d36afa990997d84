"""Camera profiles on pictures: maps from raw camera RGB, and tone curves, in compiled loops over bands on all cores.

A matrix is one pass; a map that does the same at every exposure is looked up by proportions; a DNG profile with tables by value is computed as
it is written; anything else (an ICC table) is sampled into a cube.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np
from numpy.typing import NDArray

from velkin.core.bands import in_bands
from velkin.core.cache import cached
from velkin.core.cameraprofiles.dng import DNGMap
from velkin.core.cameraprofiles.dng_maps import PLANES, flat_table, through_maps
from velkin.core.cameraprofiles.highlights import balanced_one
from velkin.core.cameraprofiles.models import ColourMap, Matrix
from velkin.core.cameraprofiles.proportions import SIDE, by_proportion, table_to
from velkin.core.cameraprofiles.tone import ToneCurve
from velkin.core.compiled import loop
from velkin.core.conversion.codes import Numbers, as_float
from velkin.core.conversion.tables import Table, read, table_of_values
from velkin.core.planes import planes
from velkin.core.spaces.rgb import ROMM

Floats = NDArray[np.float64]
Pixels = NDArray[np.float32]

F = np.float32

_int: Any = np.int32
#: Nodes along a side of a cube.
_CUBE = 65
_NO_GAIN = (1.0, 1.0, 1.0)


def _in_bands(work: Callable[[Pixels, Pixels], None], pixels: Numbers) -> Pixels:
    """What `work` writes for bands of pixels (..., 3), as one array of the same shape."""
    flat = np.ascontiguousarray(pixels).reshape(-1, 3)
    out = np.empty(flat.shape, dtype=np.float32)
    in_bands(lambda first, last: work(as_float(flat[first:last]), out[first:last]), len(flat))
    return out.reshape(pixels.shape)


@loop("f4:2 f4:1 f4:2 f4:2")
def _through_matrix(pixels, gains, m, out):  # type: ignore[no-untyped-def]
    for i in range(pixels.shape[0]):
        r, g, b = balanced_one(pixels[i, 0], pixels[i, 1], pixels[i, 2], gains)
        for k in range(3):
            out[i, k] = m[k, 0] * r + m[k, 1] * g + m[k, 2] * b


@loop("f4:2 f4:1 f4:2")
def _places(pixels, gains, out):  # type: ignore[no-untyped-def]
    for i in range(pixels.shape[0]):
        x, y, z = balanced_one(pixels[i, 0], pixels[i, 1], pixels[i, 2], gains)
        out[i, 0], out[i, 1], out[i, 2] = np.sqrt(max(x, F(0))), np.sqrt(max(y, F(0))), np.sqrt(max(z, F(0)))


@loop("f4:2 f4:2 f4:2")
def _from_roots(roots, m, out):  # type: ignore[no-untyped-def]
    for i in range(roots.shape[0]):
        a, b, c = roots[i, 0], roots[i, 1], roots[i, 2]
        a, b, c = a * a * a, b * b * b, c * c * c
        for k in range(3):
            out[i, k] = m[k, 0] * a + m[k, 1] * b + m[k, 2] * c


@cached(100_000_000)
def _cube(colours: ColourMap) -> Table:
    """Cube roots of XYZ at camera RGB of square-root spacing."""
    axis = (np.arange(_CUBE) / (_CUBE - 1.0)) ** 2
    rgb = np.stack(np.meshgrid(axis, axis, axis, indexing="ij"), axis=-1)
    return table_of_values(np.cbrt(colours.xyz(rgb)), 3, codes=False)


@loop()
def _toned(value, table, top):  # type: ignore[no-untyped-def]
    inside = max(F(0), min(F(1), value))
    at = np.sqrt(inside) * top
    i = max(min(_int(at), _int(top) - 1), _int(0))
    return table[i] + (table[i + 1] - table[i]) * (at - F(i)) + (value - inside)


@loop("f4:2 f4:1 f4:2 f4:2")
def _through_tone(pixels, table, to_output, out):  # type: ignore[no-untyped-def]
    """Linear ROMM RGB (N, 3) → linear output RGB (N, 3): highest and lowest channel through the curve, the middle between them."""
    top = F(len(table) - 1)
    for i in range(pixels.shape[0]):
        r, g, b = pixels[i, 0], pixels[i, 1], pixels[i, 2]
        high, low = max(r, max(g, b)), min(r, min(g, b))
        new_high, new_low = _toned(high, table, top), _toned(low, table, top)
        share = (new_high - new_low) / (high - low) if high > low else F(0)
        r, g, b = new_low + (r - low) * share, new_low + (g - low) * share, new_low + (b - low) * share
        for c in range(3):
            out[i, c] = to_output[c, 0] * r + to_output[c, 1] * g + to_output[c, 2] * b


def apply_colours(pixels: Numbers, colours: ColourMap, to_output: Floats, gains: tuple[float, ...] = _NO_GAIN) -> Pixels:
    """Linear output RGB (..., 3) of raw camera RGB (..., 3) balanced by gains, through a map and a matrix from XYZ D50.

    The pixels are float32, or 16-bit levels of the white level; the result is float32, unclipped. Saturated pixels are mended (`highlights`).

    Examples
    --------
    >>> import numpy as np
    >>> from velkin.core.cameraprofiles.models import Matrix, as_rows
    >>> grey = np.full((1, 1, 3), 0.2, np.float32)
    >>> [round(float(v), 3) for v in apply_colours(grey, Matrix(as_rows(ROMM.to_xyz)), ROMM.from_xyz)[0, 0]]
    [0.2, 0.2, 0.2]
    """
    multipliers = np.array(gains, dtype=np.float32)
    last = to_output.astype(np.float32)
    if isinstance(colours, Matrix):
        whole = (to_output @ np.array(colours.matrix)).astype(np.float32)
        return _in_bands(lambda a, out: _through_matrix(a, multipliers, whole, out), pixels)
    if isinstance(colours, DNGMap):
        table, size = flat_table(colours.table)
        look, look_size = flat_table(colours.look)
        matrix = (ROMM.from_xyz @ np.array(colours.matrix)).astype(np.float32)
        final = (to_output @ ROMM.to_xyz).astype(np.float32)
        factor = F(colours.factor)
        return _in_bands(
            lambda a, out: through_maps(
                a, multipliers, matrix, table, size, factor, look, look_size, final, planes(PLANES), out
            ),
            pixels,
        )
    if colours.exposure_invariant:
        flat = table_to(colours, to_output)
        return _in_bands(lambda a, out: by_proportion(a, multipliers, flat, SIDE, out), pixels)
    cube = _cube(colours)

    def through_cube(part: Pixels, out: Pixels) -> None:
        _places(part, multipliers, out)
        _from_roots(read(cube, out), last, out)

    return _in_bands(through_cube, pixels)


def apply_tone(romm: Pixels, curve: ToneCurve, to_output: Floats) -> Pixels:
    """Linear output RGB (..., 3) of linear ROMM RGB (..., 3) through a tone curve and a matrix from linear ROMM RGB."""
    table, last = curve.table().astype(np.float32), to_output.astype(np.float32)
    return _in_bands(lambda a, out: _through_tone(a, table, last, out), romm)

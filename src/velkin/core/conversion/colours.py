"""Colours through conversions: encoded numbers, linear light and Lab of float pixels in any space.

Between spaces of matrix and curves it is computed exactly; such spaces have no black point and no paper to be kept, so that all four
intents give the same. Everything else goes through baked tables (`tables`); few pixels are given to LittleCMS directly.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from velkin.core.compiled import in_bands
from velkin.core.conversion.codes import Pixels
from velkin.core.conversion.conversion import Conversion
from velkin.core.conversion.tables import compensation, lab_table, placed, read, table_of, values
from velkin.core.icc.space import ICCSpace, Space
from velkin.core.icc.transform import Intent, to_lab
from velkin.core.spaces.adaptation import D50
from velkin.core.spaces.lab import lab_to_xyz, xyz_to_lab
from velkin.core.spaces.rgb import RGBSpace, between

Floats = NDArray[np.float64]

#: Up to so many pixels LittleCMS is asked directly.
FEW = 4096


def _xyz_of(numbers: Pixels, space: ICCSpace, intent: Intent, black_point: bool) -> Floats:
    """XYZ D50 (N, 3) of device values (N, C)."""
    if space.model == "lab":
        return lab_to_xyz(numbers.astype(np.float64) * np.array([100.0, 255.0, 255.0]) - np.array([0.0, 128.0, 128.0]))
    device = np.clip(numbers, 0.0, 1.0)
    if len(device) <= FEW:
        lab = to_lab(device, space.icc, space.model, intent)
    else:
        lab = read(lab_table(space, intent), device).astype(np.float64)
    xyz = lab_to_xyz(lab)
    if black_point and intent is not Intent.ABSOLUTE:
        gain, offset = compensation(space, intent)
        xyz = xyz * gain + offset
    return xyz


def linear_in(
    numbers: Pixels,
    space: Space,
    working: RGBSpace,
    intent: Intent = Intent.RELATIVE,
    black_point: bool = True,
) -> Pixels:
    """Linear RGB (..., 3) in `working`, unclipped, of encoded numbers (..., C) float32 in any space."""
    if isinstance(space, RGBSpace):
        linear = space.decode(numbers)
        if space == working:
            return np.asarray(linear, dtype=np.float32)
        return np.asarray(linear @ between(space, working).T.astype(np.float32), dtype=np.float32)
    flat = numbers.reshape(-1, numbers.shape[-1])
    if len(flat) > FEW and space.model != "lab":
        return _linear_by_table(flat, space, working, intent, black_point).reshape(*numbers.shape[:-1], 3)
    xyz = _xyz_of(flat, space, intent, black_point)
    return np.asarray(xyz @ working.from_xyz.T, dtype=np.float32).reshape(*numbers.shape[:-1], 3)


def _linear_by_table(flat: Pixels, space: ICCSpace, working: RGBSpace, intent: Intent, black_point: bool) -> Pixels:
    """Linear RGB (N, 3) of many device values (N, C), through the profile's table of Lab."""
    from velkin.core.spaces import kernels  # loaded where needed: the compiler takes a moment

    lab = read(lab_table(space, intent), np.clip(flat, 0.0, 1.0))
    compensated = black_point and intent is not Intent.ABSOLUTE
    gain, offset = compensation(space, intent) if compensated else (np.ones(3), np.zeros(3))
    matrix = (working.from_xyz * D50).astype(np.float32).ravel()
    out = np.empty((len(lab), 3), dtype=np.float32)
    g, o = gain.astype(np.float32), (offset / D50).astype(np.float32)
    in_bands(lambda first, last: kernels.lab_to_linear(lab[first:last], g, o, matrix, out[first:last]), len(lab))
    return out


def from_linear(linear: Pixels, c: Conversion) -> Pixels:
    """Encoded numbers (..., channels) at a conversion's destination of linear RGB (..., 3) in its source, a space of curves.

    Between spaces of curves nothing is clipped; tables end at 0 and 1.

    Raises
    ------
    BadProfile
    """
    assert isinstance(c.source, RGBSpace)
    if isinstance(c.destination, RGBSpace):
        there = linear @ between(c.source, c.destination).T.astype(np.float32)
        return np.asarray(c.destination.encode(there), dtype=np.float32)
    flat = np.ascontiguousarray(linear, dtype=np.float32).reshape(-1, 3)
    if len(flat) <= FEW:
        return converted(np.asarray(c.source.encode(linear), dtype=np.float32), c)
    from velkin.core.spaces import kernels

    places = np.empty_like(flat)
    in_bands(lambda first, last: kernels.even_lightness(flat[first:last], places[first:last]), len(flat))
    out = read(table_of(c), places)
    return np.clip(out, 0.0, 1.0, out=out).reshape(*linear.shape[:-1], out.shape[-1])


def converted(numbers: Pixels, c: Conversion) -> Pixels:
    """Encoded numbers (..., channels) float32 of encoded numbers (..., C) float32.

    Between spaces of matrix and curves nothing is clipped; tables end at 0 and 1.

    Raises
    ------
    BadProfile
        When a profile cannot be used that way.
    """
    if c.source == c.destination:
        return numbers
    if isinstance(c.destination, RGBSpace):
        linear = linear_in(numbers, c.source, c.destination, c.intent, c.black_point)
        return np.asarray(c.destination.encode(linear), dtype=np.float32)
    flat = numbers.reshape(-1, numbers.shape[-1])
    if len(flat) <= FEW:
        out = values(c, np.clip(flat, 0.0, 1.0)).astype(np.float32)
    else:
        out = read(table_of(c), np.asarray(placed(c.source, flat), dtype=np.float32))
    return np.clip(out, 0.0, 1.0).reshape(*numbers.shape[:-1], out.shape[-1])


def lab_of(numbers: Pixels, space: Space) -> Floats:
    """Lab D50 (..., 3) of encoded numbers (..., C), media-relative; for pins and readouts."""
    flat = np.asarray(numbers, dtype=np.float32).reshape(-1, numbers.shape[-1])
    if isinstance(space, RGBSpace):
        xyz = space.decode(flat.astype(np.float64)) @ space.to_xyz.T
    else:
        xyz = np.asarray(_xyz_of(flat, space, Intent.RELATIVE, False), dtype=np.float64)
    return xyz_to_lab(xyz).reshape(*numbers.shape[:-1], 3)

"""Light: linear RGB of encoded numbers in any space, and encoded numbers of it in any other.

Between spaces of matrix and curves it is computed exactly; such spaces have no black point and no paper to be kept, so that all four
intents give the same. Everything else goes through baked tables (`tables`), however many pixels there are.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from velkin.core.bands import in_bands
from velkin.core.conversion import kernels
from velkin.core.conversion.codes import Numbers, Pixels, as_float, is_codes
from velkin.core.conversion.conversion import Conversion
from velkin.core.conversion.curves import decoder_of, encoder_of, fine_encoder_of, light_of_each_code
from velkin.core.conversion.tables import EVEN, Table, compensation, lab_table, read, table_of
from velkin.core.icc.space import LAB, ICCSpace, Space
from velkin.core.icc.transform import Intent
from velkin.core.spaces.adaptation import D50
from velkin.core.spaces.kernels import lab_to_linear
from velkin.core.spaces.lab import lab_of_numbers, xyz_to_lab
from velkin.core.spaces.rgb import RGBSpace, between

Floats = NDArray[np.float64]

_SAME = np.eye(3, dtype=np.float32).ravel()


def _matrix(space: RGBSpace, to: RGBSpace) -> Pixels:
    return _SAME if space == to else between(space, to).astype(np.float32).ravel()


def _flat(pixels: NDArray[np.generic]) -> NDArray[np.generic]:
    return np.ascontiguousarray(pixels).reshape(-1, pixels.shape[-1])


def carried(linear: Pixels, space: RGBSpace, to: RGBSpace) -> Pixels:
    """Linear RGB (..., 3) in one space as linear RGB in another, colorimetric and unclipped; the very array where they are one."""
    if space == to:
        return linear
    flat = _flat(np.asarray(linear, dtype=np.float32))
    out, matrix = np.empty((len(flat), 3), dtype=np.float32), _matrix(space, to)
    in_bands(lambda a, z: kernels.light_of_light(flat[a:z], matrix, out[a:z]), len(flat))
    return out.reshape(linear.shape)


def encoded(linear: Pixels, space: RGBSpace) -> Pixels:
    """Encoded numbers (..., 3) float32, unclipped, of linear RGB (..., 3) in a space."""
    flat = _flat(np.asarray(linear, dtype=np.float32))
    out, curves = np.empty((len(flat), 3), dtype=np.float32), fine_encoder_of(space)

    def band(a: int, z: int) -> None:
        kernels.numbers_of_light(flat[a:z], *curves.tables, curves.shift, curves.base, out[a:z])

    in_bands(band, len(flat))
    return out.reshape(linear.shape)


def linear_in(
    numbers: Numbers, space: Space, working: RGBSpace, *, intent: Intent = Intent.RELATIVE, black_point: bool = True
) -> Pixels:
    """Linear RGB (..., 3) in `working`, unclipped, of encoded numbers (..., C) in any space, codes or float32.

    Raises
    ------
    BadProfile
        When a profile cannot be used that way.
    """
    flat = _flat(numbers)
    out = np.empty((len(flat), 3), dtype=np.float32)
    if isinstance(space, ICCSpace):
        _light_by_table(flat, space, working, intent, black_point, out)
    elif is_codes(numbers):
        tables, matrix = light_of_each_code(space, numbers.dtype.name), _matrix(space, working)
        in_bands(lambda a, z: kernels.light_of_codes(flat[a:z], *tables, matrix, out[a:z]), len(flat))
    else:
        floats, curves, matrix = np.asarray(flat, dtype=np.float32), decoder_of(space), _matrix(space, working)

        def band(a: int, z: int) -> None:
            kernels.light_of_numbers(floats[a:z], *curves.tables, curves.shift, curves.base, matrix, out[a:z])

        in_bands(band, len(flat))
    return out.reshape(*numbers.shape[:-1], 3)


def _lab_of(flat: Numbers, space: ICCSpace, table: Table | None) -> Pixels:
    """Lab (N, 3) of numbers (N, C), as the profile says, without black point compensation; Lab pictures need no table."""
    floats = as_float(flat)
    return lab_of_numbers(floats) if table is None else read(table, floats)


def _lab_table(space: ICCSpace, intent: Intent) -> Table | None:
    return None if space.id == LAB.id else lab_table(space, intent)


def _light_by_table(flat: Numbers, space: ICCSpace, working: RGBSpace, intent: Intent, black_point: bool, out: Pixels) -> None:
    compensated = black_point and intent is not Intent.ABSOLUTE and space.id != LAB.id
    gain, offset = compensation(space, intent) if compensated else (np.ones(3), np.zeros(3))
    matrix = (working.from_xyz * D50).astype(np.float32).ravel()
    g, o = gain.astype(np.float32), (offset / D50).astype(np.float32)
    table = _lab_table(space, intent)
    in_bands(lambda a, z: lab_to_linear(_lab_of(flat[a:z], space, table), g, o, matrix, out[a:z]), len(flat))


def from_linear(linear: Pixels, c: Conversion) -> Pixels:
    """Encoded numbers (..., channels) at a conversion's destination of linear RGB (..., 3) in its source, a space of curves.

    Between spaces of curves nothing is clipped; tables end at 0 and 1.

    Raises
    ------
    BadProfile
    """
    if isinstance(c.destination, RGBSpace):
        return encoded(carried(linear, c.light, c.destination), c.destination)
    flat = _flat(np.asarray(linear, dtype=np.float32))
    table, even = table_of(c), encoder_of(EVEN)
    out = np.empty((len(flat), table.channels), dtype=np.float32)

    def band(a: int, z: int) -> None:
        places = np.empty((z - a, 3), dtype=np.float32)
        kernels.places_of_light(flat[a:z], even.tables[0], even.shift, even.base, places)
        read(table, places, out[a:z])

    in_bands(band, len(flat))
    return out.reshape(*linear.shape[:-1], -1)


def converted(numbers: Numbers, c: Conversion) -> Pixels:
    """Encoded numbers (..., channels) float32 of encoded numbers (..., C), codes or float32.

    Between spaces of matrix and curves nothing is clipped; tables end at 0 and 1.

    Raises
    ------
    BadProfile
        When a profile cannot be used that way.
    """
    if c.source == c.destination:
        return as_float(numbers)
    if isinstance(c.source, RGBSpace):
        return from_linear(linear_in(numbers, c.source, c.source), c)
    if isinstance(c.destination, RGBSpace):
        return encoded(linear_in(numbers, c.source, c.destination, intent=c.intent, black_point=c.black_point), c.destination)
    flat = as_float(_flat(numbers))
    return read(table_of(c), flat).reshape(*numbers.shape[:-1], -1)


def lab_of(numbers: Numbers, space: Space) -> Floats:
    """Lab D50 (..., 3), float64, of encoded numbers (..., C), media-relative; for pins and readouts."""
    if isinstance(space, RGBSpace):
        return xyz_to_lab(space.decode(as_float(numbers).astype(np.float64)) @ space.to_xyz.T)
    lab = _lab_of(_flat(numbers), space, _lab_table(space, Intent.RELATIVE))
    return lab.astype(np.float64).reshape(*numbers.shape[:-1], 3)

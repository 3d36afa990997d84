"""What a space known only by its profile cannot hold: colours that come back changed from device values (COLOUR.md section 5).

A colour is outside when there and back differs by more than 1.0 ΔE00 beyond the 95th percentile of the profile's own
round-trip error over its device cube.
"""

from __future__ import annotations

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from velkin.core.compiled import in_bands
from velkin.core.icc.space import CHANNELS, LAB, ICCSpace
from velkin.core.icc.transform import Intent, device_values, to_lab
from velkin.core.spaces.difference import ciede2000

Floats = NDArray[np.float64]
Pixels = NDArray[np.float32]

_SIDE = 65
#: Up to so many colours LittleCMS is asked directly.
_FEW = 100_000
#: Lab at the ends of the table.
_LOW, _HIGH = np.array([0.0, -128.0, -128.0]), np.array([100.0, 128.0, 128.0])


def there_and_back(lab: Floats, space: ICCSpace) -> Floats:
    """ΔE00 (N,) between media-relative Lab (N, 3) and what device values of the space make of it, relative colorimetric."""
    device = device_values(lab, LAB.icc, "lab", space.icc, space.model, Intent.RELATIVE, False)
    return ciede2000(lab, to_lab(np.clip(device, 0.0, 1.0), space.icc, space.model))


@lru_cache(maxsize=16)
def own_error(space: ICCSpace) -> float:
    """The 95th percentile of a profile's own round-trip error, ΔE00, over its device cube.

    Raises
    ------
    BadProfile
        When the profile has no way from colours to device values.
    """
    device = np.random.default_rng(17).random((20000, CHANNELS[space.model]))
    return float(np.percentile(there_and_back(to_lab(device, space.icc, space.model), space), 95))


@lru_cache(maxsize=8)
def _table(space: ICCSpace) -> Pixels:
    """ΔE00 beyond what is allowed, over Lab, (n³, 1)."""
    axes = [np.linspace(low, high, _SIDE) for low, high in zip(_LOW, _HIGH, strict=True)]
    lab = np.stack(np.meshgrid(*axes, indexing="ij"), axis=-1).reshape(-1, 3)
    parts = in_bands(lambda first, last: there_and_back(lab[first:last], space), len(lab))
    return (np.concatenate(parts) - 1.0 - own_error(space)).astype(np.float32)[:, None]


def outside_by_profile(lab: NDArray[np.floating], space: ICCSpace, by_table: bool = False) -> NDArray[np.bool_]:
    """Which media-relative Lab (N, 3) a space known by its profile cannot hold.

    `by_table` reads few colours from the table too, which is many times as fast once it is made.

    Raises
    ------
    BadProfile
        When the profile has no way from colours to device values.
    """
    from velkin.core.conversion.kernels import through_cube

    if len(lab) <= _FEW and not by_table:
        return there_and_back(np.asarray(lab, dtype=np.float64), space) > 1.0 + own_error(space)
    places = lab.astype(np.float32)
    places -= _LOW.astype(np.float32)
    places /= (_HIGH - _LOW).astype(np.float32)
    table = _table(space)
    out = np.empty((len(places), 1), dtype=np.float32)
    in_bands(lambda first, last: through_cube(places[first:last], table, _SIDE, out[first:last]), len(places))
    return np.asarray(out[:, 0] > 0)

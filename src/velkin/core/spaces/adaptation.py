"""White points and the linearised Bradford adaptation (ICC.1:2022 annex E)."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]

#: The profile connection space's white, as ICC.1:2022 7.2.16 gives it.
D50: Floats = np.array([0.9642, 1.0, 0.8249])

BRADFORD: Floats = np.array([[0.8951, 0.2664, -0.1614], [-0.7502, 1.7135, 0.0367], [0.0389, -0.0685, 1.0296]])


def xy_to_xyz(xy: tuple[float, float] | Floats) -> Floats:
    """XYZ (3,) with Y = 1 of a chromaticity.

    Examples
    --------
    >>> xy_to_xyz((0.25, 0.5)).tolist()
    [0.5, 1.0, 0.5]
    """
    x, y = float(xy[0]), float(xy[1])
    return np.array([x / y, 1.0, (1.0 - x - y) / y])


def xyz_to_xy(xyz: Floats) -> Floats:
    """Chromaticity (..., 2) of XYZ (..., 3).

    Examples
    --------
    >>> xyz_to_xy(D50).round(4).tolist()
    [0.3457, 0.3585]
    """
    return np.asarray(xyz[..., :2] / xyz.sum(axis=-1, keepdims=True))


def bradford(source: Floats, destination: Floats) -> Floats:
    """The 3×3 matrix that takes XYZ seen under the white `source` to XYZ under the white `destination` (both (3,)).

    Examples
    --------
    >>> bradford(xy_to_xyz((0.3127, 0.3290)), D50).round(4).tolist()
    [[1.0479, 0.0229, -0.0502], [0.0296, 0.9905, -0.0171], [-0.0093, 0.0151, 0.7517]]
    """
    gain = (BRADFORD @ destination) / (BRADFORD @ source)
    return np.asarray(np.linalg.inv(BRADFORD) @ (gain[:, None] * BRADFORD))

"""Oklab (Ottosson 2020, "A perceptual color space for image processing"): lightness, and two opponent axes of nearly even hue.

Oklab is defined from XYZ under D65; XYZ here is D50 (the connection space), adapted by linearised Bradford.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import ArrayLike, NDArray

from velkin.core.spaces.adaptation import D50, bradford, xy_to_xyz

Floats = NDArray[np.float64]

_TO_CONES = np.array(
    [
        [0.8189330101, 0.3618667424, -0.1288597137],
        [0.0329845436, 0.9293118715, 0.0361456387],
        [0.0482003018, 0.2643662691, 0.6338517070],
    ]
)
#: Cube roots of cones (rows) to lightness and the two axes.
TO_OPPONENT: Floats = np.array(
    [
        [0.2104542553, 0.7936177850, -0.0040720468],
        [1.9779984951, -2.4285922050, 0.4505937099],
        [0.0259040371, 0.7827717662, -0.8086757660],
    ]
)
FROM_OPPONENT: Floats = np.asarray(np.linalg.inv(TO_OPPONENT), dtype=np.float64)


def _to_cones() -> Floats:
    """XYZ D50 to cones; scaled so that the white of the connection space is exactly (1, 1, 1), which Ottosson's rounding misses."""
    matrix = _TO_CONES @ bradford(D50, xy_to_xyz((0.3127, 0.3290)))
    return np.asarray(matrix / (matrix @ D50)[:, None])


#: XYZ D50 to cone responses, 3×3, and back.
TO_CONES: Floats = _to_cones()
FROM_CONES: Floats = np.asarray(np.linalg.inv(TO_CONES), dtype=np.float64)


def xyz_to_oklab(xyz: ArrayLike) -> Floats:
    """Oklab (..., 3) of XYZ D50 (..., 3), white 1, 0, 0; negative cone responses keep their sign.

    Examples
    --------
    >>> from velkin.core.spaces.adaptation import D50
    >>> (xyz_to_oklab(D50).round(3) + 0.0).tolist()
    [1.0, 0.0, 0.0]
    """
    return np.asarray(np.cbrt(np.asarray(xyz, dtype=np.float64) @ TO_CONES.T) @ TO_OPPONENT.T)


def oklab_to_xyz(oklab: ArrayLike) -> Floats:
    """XYZ D50 (..., 3) of Oklab (..., 3).

    Examples
    --------
    >>> import numpy as np
    >>> oklab_to_xyz(np.array([1.0, 0.0, 0.0])).round(3).tolist()
    [0.964, 1.0, 0.825]
    """
    return np.asarray((np.asarray(oklab, dtype=np.float64) @ FROM_OPPONENT.T) ** 3 @ FROM_CONES.T)


def hue_of(oklab: ArrayLike) -> Floats:
    """Hue angle (...) in degrees, 0 to 360, of Oklab (..., 3).

    Examples
    --------
    >>> import numpy as np
    >>> round(float(hue_of(np.array([0.5, 0.0, 0.1]))), 1)
    90.0
    """
    values = np.asarray(oklab, dtype=np.float64)
    return np.asarray(np.degrees(np.arctan2(values[..., 2], values[..., 1])) % 360.0)

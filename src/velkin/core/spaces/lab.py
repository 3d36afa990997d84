"""CIE 1976 L*a*b* (CIE 015:2018 section 8.2.1), D50 unless another white is given. XYZ with Y = 1 for white."""

from __future__ import annotations

from typing import Any, TypeVar

import numpy as np
from numpy.typing import ArrayLike, NDArray

from velkin.core.spaces.adaptation import D50

Floats = NDArray[np.float64]
_F = TypeVar("_F", bound=np.floating[Any])

_EPSILON = (6.0 / 29.0) ** 3
_SLOPE = (29.0 / 6.0) ** 2 / 3.0
#: Lab is its encoded numbers times this, less that.
_SCALE, _OFFSET = np.array([100.0, 255.0, 255.0]), np.array([0.0, 128.0, 128.0])


def xyz_to_lab(xyz: ArrayLike, white: Floats = D50) -> Floats:
    """Lab (..., 3) of XYZ (..., 3); negative XYZ follow the linear part.

    Examples
    --------
    >>> import numpy as np
    >>> xyz_to_lab(np.array([0.1, 0.1, 0.1])).round(2).tolist()
    [37.84, 2.84, -6.15]
    """
    t = np.asarray(xyz, dtype=np.float64) / white
    f = np.where(t > _EPSILON, np.cbrt(t), _SLOPE * t + 4.0 / 29.0)
    return np.stack([116.0 * f[..., 1] - 16.0, 500.0 * (f[..., 0] - f[..., 1]), 200.0 * (f[..., 1] - f[..., 2])], axis=-1)


def lab_to_xyz(lab: ArrayLike, white: Floats = D50) -> Floats:
    """XYZ (..., 3) of Lab (..., 3).

    Examples
    --------
    >>> import numpy as np
    >>> lab_to_xyz(np.array([100.0, 0.0, 0.0])).round(4).tolist()
    [0.9642, 1.0, 0.8249]
    """
    values = np.asarray(lab, dtype=np.float64)
    fy = (values[..., 0] + 16.0) / 116.0
    f = np.stack([fy + values[..., 1] / 500.0, fy, fy - values[..., 2] / 200.0], axis=-1)
    return np.asarray(np.where(f > 6.0 / 29.0, f**3, (f - 4.0 / 29.0) / _SLOPE) * white)


def lab_of_numbers(numbers: NDArray[_F]) -> NDArray[_F]:
    """Lab (..., 3) of its encoded numbers 0..1 of full scale, as files and profiles hold them (ICC.1:2022 6.3.4.2); in their own type.

    Examples
    --------
    >>> import numpy as np
    >>> lab_of_numbers(np.array([0.5, 0.0, 1.0])).tolist()
    [50.0, -128.0, 127.0]
    """
    return np.asarray(numbers * _SCALE.astype(numbers.dtype) - _OFFSET.astype(numbers.dtype))


def numbers_of_lab(lab: NDArray[_F]) -> NDArray[_F]:
    """Encoded numbers (..., 3), 0..1 of full scale, of Lab (..., 3); the inverse of `lab_of_numbers`."""
    return np.asarray((lab + _OFFSET.astype(lab.dtype)) / _SCALE.astype(lab.dtype))

"""Lab and colour differences of whole pictures, in float32: the formulas of `lab` and `difference` in compiled loops."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from velkin.core.bands import in_bands
from velkin.core.planes import planes
from velkin.core.spaces import kernels
from velkin.core.spaces.adaptation import D50
from velkin.core.spaces.rgb import RGBSpace

Pixels = NDArray[np.float32]

#: A difference that is seen without comparing closely, ΔE00.
SEEN = 2.0


def lab(linear: Pixels, space: RGBSpace) -> Pixels:
    """Lab D50 (H, W, 3), float32, of linear RGB.

    Examples
    --------
    >>> import numpy as np
    >>> from velkin.core.spaces.rgb import SRGB
    >>> round(float(lab(np.full((1, 1, 3), 0.18, np.float32), SRGB)[0, 0, 0]), 1)
    49.5
    """
    flat = np.ascontiguousarray(linear, dtype=np.float32).reshape(-1, 3)
    out = np.empty_like(flat)
    matrix = (space.to_xyz / D50[:, None]).astype(np.float32).ravel()
    in_bands(lambda a, z: kernels.to_lab(flat[a:z], matrix, planes(3), out[a:z]), len(flat))
    return out.reshape(linear.shape)


def difference(first: Pixels, second: Pixels) -> Pixels:
    """ΔE00 (H, W) between two arrays of Lab (H, W, 3), float32.

    Examples
    --------
    >>> import numpy as np
    >>> grey, warmer = np.array([[[50, 0, 0], [50, 0, 2]]], np.float32).swapaxes(0, 1)
    >>> round(float(difference(grey[None], warmer[None])[0, 0]), 2)
    1.91
    """
    a, b = (np.ascontiguousarray(v, dtype=np.float32).reshape(-1, 3) for v in (first, second))
    out = np.empty(len(a), dtype=np.float32)
    in_bands(lambda i, j: kernels.delta_e(a[i:j], b[i:j], out[i:j]), len(a))
    return out.reshape(first.shape[:-1])


def figures(off: Pixels) -> tuple[float, float, float, float]:
    """Of differences, ΔE00: their mean, 95th percentile and largest, and the share of more than `SEEN`; zeros where there are none.

    Examples
    --------
    >>> import numpy as np
    >>> figures(np.array([1, 1, 1, 5], np.float32))[2:]
    (5.0, 0.25)
    """
    if not off.size:
        return 0.0, 0.0, 0.0, 0.0
    seen = np.count_nonzero(off > SEEN) / off.size
    return float(off.mean(dtype=np.float64)), float(np.percentile(off, 95)), float(off.max()), float(seen)

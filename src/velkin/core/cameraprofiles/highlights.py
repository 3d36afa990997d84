"""White balance, and what becomes of highlights: the one rule.

Where a sensor is saturated the colour is unknown: such pixels move to neutral as their second channel saturates too, so that blown highlights
do not turn magenta.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from velkin.core.bands import in_bands
from velkin.core.compiled import loop

Pixels = NDArray[np.float32]

F = np.float32

#: From here on a sensor's numbers say only "at least this much".
SATURATED = 0.985
#: Where the second-largest channel begins to lose its meaning too.
NEARLY = 0.90


@loop()
def balanced_one(r, g, b, gains):  # type: ignore[no-untyped-def]
    """Camera RGB times gains; saturated pixels go to neutral as their second channel saturates too."""
    x, y, z = r * gains[0], g * gains[1], b * gains[2]
    if max(r, max(g, b)) >= F(SATURATED):
        one = F(1)
        x, y, z = min(x, one), min(y, one), min(z, one)
        second = max(min(r, g), min(max(r, g), b))
        share = max(F(0), min(one, (second - F(NEARLY)) / F(SATURATED - NEARLY)))
        top = max(x, max(y, z))
        x, y, z = x + (top - x) * share, y + (top - y) * share, z + (top - z) * share
    return x, y, z


@loop("f4:2 f4:1 f4:2")
def _balanced(pixels, gains, out):  # type: ignore[no-untyped-def]
    for i in range(pixels.shape[0]):
        out[i, 0], out[i, 1], out[i, 2] = balanced_one(pixels[i, 0], pixels[i, 1], pixels[i, 2], gains)


def balanced(camera_rgb: Pixels, multipliers: tuple[float, ...]) -> Pixels:
    """Camera RGB (..., 3) times white balance (green 1), float32; 1 stays the white level.

    Examples
    --------
    >>> import numpy as np
    >>> blown = np.array([[[1.0, 1.0, 1.0]]], np.float32)
    >>> balanced(blown, (2.0, 1.0, 1.5)).tolist()  # not magenta
    [[[1.0, 1.0, 1.0]]]
    """
    flat = np.ascontiguousarray(camera_rgb, dtype=np.float32).reshape(-1, 3)
    out, gains = np.empty_like(flat), np.array(multipliers, dtype=np.float32)
    in_bands(lambda a, z: _balanced(flat[a:z], gains, out[a:z]), len(flat))
    return out.reshape(camera_rgb.shape)

"""The volume of a space in Lab: what the six faces of its cube enclose, in cubic ΔE*76 units."""

from __future__ import annotations

from functools import lru_cache

import numpy as np

from velkin.core.spaces.lab import xyz_to_lab
from velkin.core.spaces.rgb import RGBSpace

_SIDE = 65


@lru_cache(maxsize=64)
def lab_volume(space: RGBSpace) -> float:
    """Volume by the divergence theorem over triangles of the cube's faces.

    Examples
    --------
    >>> from velkin.core.spaces.rgb import P3, SRGB
    >>> round(lab_volume(P3) / lab_volume(SRGB), 2)
    1.48
    """
    steps = np.linspace(0.0, 1.0, _SIDE)
    a, b = (v.ravel() for v in np.meshgrid(steps, steps, indexing="ij"))
    total = 0.0
    for axis in range(3):
        for end in (0.0, 1.0):
            device = np.insert(np.stack([a, b], axis=1), axis, end, axis=1)
            lab = xyz_to_lab(space.decode(device) @ space.to_xyz.T).reshape(_SIDE, _SIDE, 3)
            p, q, r, s = lab[:-1, :-1], lab[1:, :-1], lab[1:, 1:], lab[:-1, 1:]
            sign = (1.0 if end else -1.0) * (-1.0 if axis == 1 else 1.0)
            for u, v, w in ((p, q, r), (p, r, s)):
                total += sign * float(np.einsum("ijk,ijk->", u, np.cross(v, w))) / 6.0
    return abs(total)

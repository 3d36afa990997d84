"""How far a colour lies from all evidence, and the fading of a change towards colours that nothing vouches for."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from velkin.core.bands import BAND, in_bands
from velkin.core.match import kernels

Floats = NDArray[np.float64]

#: Up to so far from the nearest pair a change holds in full; from so far on there is none.
_NEAR, _FAR = 12.0, 62.0
#: How softly the nearest of several pairs is taken over by the next, in coordinates.
_SOFT = 4.0


def distances(x: Floats, points: Floats) -> Floats:
    """Distances (M, N) between coordinates (M, 3) and (N, 3)."""
    square = (x**2).sum(axis=1)[:, None] + (points**2).sum(axis=1)[None] - 2.0 * x @ points.T
    return np.sqrt(np.maximum(square, 0.0))


@dataclass(frozen=True, eq=False)
class Support:
    """The colours that pairs vouch for: coordinates (N, 3) of what is here."""

    points: Floats

    def distance(self, x: Floats) -> Floats:
        """How far (M,) coordinates (M, 3) lie from the nearest pair, smoothly."""
        flat, out = np.ascontiguousarray(x, dtype=np.float64), np.empty(len(x))
        in_bands(lambda a, z: kernels.nearness(flat[a:z], self.points, _SOFT, out[a:z]), len(flat), BAND // 32)
        return out

    def share(self, x: Floats) -> Floats:
        """How much (M,) of a change holds at coordinates (M, 3): 1 near the evidence, 0 far from it."""
        t = np.clip((self.distance(x) - _NEAR) / (_FAR - _NEAR), 0.0, 1.0)
        return np.asarray(1.0 - t * t * (3.0 - 2.0 * t))

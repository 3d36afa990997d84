"""Warmer and cooler in even steps from a neutral that stays known: along the daylight locus in mired, across it in Duv.

A mired is a millionth of a reciprocal kelvin, in which steps of temperature look about equally large (CIE 15:2018; Judd 1933); Duv is the
distance from the locus (ANSI C78.377). One step of either moves a white by about as much in CIE 1960 u, v.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from velkin.core.cameraprofiles.matrices import ColourMatrices

Floats = NDArray[np.float64]

#: One step warmer or cooler, in mired; one step pinker or greener, in Duv; and how many steps there are either way.
MIRED, DUV, MOST = 10.0, 0.003, 5
#: Temperatures that a white is not taken beyond, in kelvin.
_COOLEST, _WARMEST = 50000.0, 1500.0


@dataclass(frozen=True)
class Lean:
    """Steps away from the neutral.

    Attributes
    ----------
    warmer : int
        −5..5; below 0 is cooler.
    pinker : int
        −5..5; below 0 is greener.
    """

    warmer: int = 0
    pinker: int = 0

    def __bool__(self) -> bool:
        return bool(self.warmer or self.pinker)

    def by(self, warmer: int = 0, pinker: int = 0) -> Lean:
        """So many steps more, as far as there are steps."""
        return Lean(_within(self.warmer + warmer), _within(self.pinker + pinker))

    def words(self) -> str:
        """``2 warmer, 1 greener``; empty for the neutral itself."""
        found = []
        if self.warmer:
            found.append(f"{abs(self.warmer)} {'warmer' if self.warmer > 0 else 'cooler'}")
        if self.pinker:
            found.append(f"{abs(self.pinker)} {'pinker' if self.pinker > 0 else 'greener'}")
        return ", ".join(found)


NEUTRAL = Lean()


def _within(steps: int) -> int:
    return min(max(steps, -MOST), MOST)


def leaned(balance: Floats, lean: Lean, camera: ColourMatrices) -> Floats:
    """The balance (3,), green 1, that makes pictures so many steps warmer and pinker than one that is neutral.

    A picture becomes warmer when a cooler light is taken for neutral, pinker when a greener one is. What the matrices get wrong of the
    light at hand cancels out: they only tell the ratio between the two whites.

    Examples
    --------
    >>> import numpy as np
    >>> from velkin.core.cameraprofiles.matrices import ColourMatrices
    >>> from velkin.core.spaces.rgb import SRGB
    >>> camera = ColourMatrices((tuple(SRGB.from_xyz.ravel().tolist()),), (6500.0,))
    >>> neutral = camera.balance_at(5000.0, 0.0)
    >>> warm = leaned(neutral, Lean(warmer=2), camera)
    >>> round(1e6 / camera.temperature(warm)[0])  # 200 mired, 20 less
    180
    """
    if not lean:
        return np.asarray(balance, dtype=np.float64)
    kelvin, duv = camera.temperature(balance)
    mired = float(np.clip(1e6 / kelvin - MIRED * lean.warmer, 1e6 / _COOLEST, 1e6 / _WARMEST))
    to = camera.balance_at(1e6 / mired, duv + DUV * lean.pinker)
    return np.asarray(balance * to / camera.balance_at(kelvin, duv), dtype=np.float64)

"""Pins: points of a frame whose numbers are watched, and what they are meant to be.

The skin target is a balance of a* and b*: human skin of all shades lies near one hue (Xiao, Yates, Zardawi, Sueeprasan, Liao,
Gill, Li and Wuerger 2017, "Characterising the variations in ethnic skin colours": mean hue angles of about 55 to 61 degrees).
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from velkin.core.spaces.difference import ciede2000

Floats = NDArray[np.float64]

MOST_PINS = 8
#: The hue angle of skin in the middle of what was measured, and the range of nearly all of it, in degrees.
SKIN_HUE = 57.0
SKIN_RANGE = (42.0, 72.0)


@dataclass(frozen=True)
class Target:
    """What a pin is meant to be.

    Attributes
    ----------
    kind : ``neutral``, ``lab`` or ``skin``
    lab : 3 floats
        Of the kind ``lab``.
    """

    kind: str
    lab: tuple[float, float, float] = (0.0, 0.0, 0.0)

    def words(self) -> str:
        """The target in words."""
        if self.kind == "lab":
            return "Lab " + " ".join(f"{v:.1f}" for v in self.lab).replace("-", "\u2212")
        return {"neutral": "neutral", "skin": "skin balance"}[self.kind]


@dataclass(frozen=True)
class Pin:
    """A point of the upright picture, in shares of its width and height, and its target."""

    x: float
    y: float
    target: Target | None = None


def nearest(lab: Floats, target: Target) -> Floats:
    """The Lab that a target asks for and that lies nearest to `lab` (3,)."""
    if target.kind == "neutral":
        return np.array([lab[0], 0.0, 0.0])
    if target.kind == "lab":
        return np.array(target.lab)
    way = np.array([np.cos(np.radians(SKIN_HUE)), np.sin(np.radians(SKIN_HUE))])
    along = max(float(lab[1:] @ way), 0.0)
    return np.array([lab[0], *(way * along)])


def distance(lab: Floats, target: Target) -> float:
    """ΔE00 from `lab` (3,) to what the target asks for."""
    return float(ciede2000(lab, nearest(lab, target)))

"""The least change that brings a picture in: every kind of easing by pixel is tried at the strength it needs, and compared."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from velkin.core.conversion.conversion import Conversion
from velkin.core.gamut.ease import ease, oklab_of
from velkin.core.gamut.easing import HUE, KNEE, OVERALL, REACHES, Easing, new_easing
from velkin.core.gamut.membership import outside
from velkin.core.gamut.roundtrip import outside_by_profile
from velkin.core.icc.space import Space
from velkin.core.sampling import spread
from velkin.core.spaces.pictures import difference, lab
from velkin.core.spaces.rgb import RGBSpace

Pixels = NDArray[np.float32]

#: The share of pixels that may stay outside.
LEFT_OUT = 0.001
_SAMPLE = 60_000
_KNEES = (0.02, 0.05, 0.10, 0.20)
_HALVINGS = 9


@dataclass(frozen=True)
class Candidate:
    """An easing at the strength it needs: the mean ΔE00 it changes the picture by, and the share it leaves outside."""

    easing: Easing
    change: float
    left: float

    @property
    def enough(self) -> bool:
        """Whether it brings in as much as was asked for."""
        return self.left <= LEFT_OUT


@dataclass(frozen=True)
class Solution:
    """What was outside, the candidate that changes least, and all of them."""

    before: float
    best: Candidate | None
    tried: tuple[Candidate, ...]

    def in_words(self, destination: str) -> str:
        """The solution and why, in two sentences."""
        if self.before <= LEFT_OUT:
            return f"{100 * (1 - self.before):.2f} % of the picture lies within {destination} already; nothing has to be eased."
        if self.best is None:
            return f"No easing brings 99.9 % of this picture into {destination}."
        e = self.best.easing
        what = {
            KNEE: f"A knee {100 * e.reach:.0f} % below the boundary",
            HUE: f"Easing only the hues within {e.reach / 2:.0f}° of {e.hue:.0f}°",
            OVERALL: "Scaling all chroma",
        }[e.kind]
        words = f"{what}, strength {100 * e.strength:.0f} %, brings 99.9 % in and changes the picture by ΔE {self.best.change:.2f} mean."
        overall = next((c for c in self.tried if c.easing.kind == OVERALL), None)
        if overall is not None and not overall.enough:
            words += f" Taking all colour away would not: {100 * overall.left:.1f} % is out by its tone."
        elif overall is not None and overall is not self.best:
            words += (
                f" Desaturating everything would take {100 * overall.easing.strength:.0f} % of its chroma and change it by ΔE "
                f"{overall.change:.2f}."
            )
        return words


def least_change(working: Pixels, space: RGBSpace, destination: Space) -> Solution:
    """The easing that brings 99.9 % of linear working RGB (H, W, 3) into a destination with the least mean ΔE00.

    Raises
    ------
    BadProfile
    """
    few = spread(working.reshape(-1, 3), _SAMPLE)[None]
    before = _outside(few, space, destination)
    share = float(before.mean())
    if share <= LEFT_OUT:
        return Solution(share, None, ())
    meant = lab(few, space)

    def candidate(easing: Easing) -> Candidate:
        def left(strength: float) -> tuple[float, Pixels]:
            now = ease(few, space, destination, (replace(easing, strength=strength, destination=""),))
            return float(_outside(now, space, destination).mean()), now

        strength, (most, now) = 1.0, left(1.0)
        if most <= LEFT_OUT:
            strength = _smallest(lambda s: left(s)[0] <= LEFT_OUT)
            most, now = left(strength)
        change = float(difference(meant, lab(now, space)).mean())
        return Candidate(replace(easing, strength=strength), change, most)

    wishes = [replace(new_easing(KNEE), reach=reach) for reach in _KNEES] + [new_easing(OVERALL)]
    hues = _range_of(oklab_of(few, space)[before])
    if hues is not None:
        wishes.append(replace(new_easing(HUE, hues[0]), reach=hues[1]))
    tried = tuple(candidate(w) for w in wishes)
    enough = [c for c in tried if c.enough]
    return Solution(share, min(enough, key=lambda c: c.change) if enough else None, tried)


def _outside(few: Pixels, space: RGBSpace, destination: Space) -> NDArray[np.bool_]:
    if isinstance(destination, RGBSpace):
        return outside(few, Conversion(space, destination))
    return outside_by_profile(lab(few, space)[0], destination)[None]


def _smallest(is_enough: Callable[[float], bool]) -> float:
    """The smallest strength, rounded up to a hundredth, that is enough."""
    low, high = 0.0, 1.0
    for _ in range(_HALVINGS):
        middle = 0.5 * (low + high)
        low, high = (low, middle) if is_enough(middle) else (middle, high)
    return min(float(np.ceil(high * 100.0)) / 100.0, 1.0)


def _range_of(oklab: Pixels) -> tuple[float, float] | None:
    """Middle and width of the narrowest range whose core holds 99.9 % of the hues; None where they are spread too wide."""
    angles = np.sort(np.degrees(np.arctan2(oklab[:, 2], oklab[:, 1])) % 360.0)
    n = len(angles)
    held = max(int(np.ceil(0.999 * n)), 1)
    ends = np.concatenate([angles, angles + 360.0])[held - 1 : held - 1 + n]
    start = int(np.argmin(ends - angles))
    width = float(ends[start] - angles[start])
    reach = max(width / 0.6 + 4.0, REACHES[HUE][1])  # the core of a range is three fifths of it
    if reach > REACHES[HUE][2]:
        return None
    return float((angles[start] + width / 2.0) % 360.0), float(np.ceil(reach))

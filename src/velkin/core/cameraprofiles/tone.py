"""Tone curves of profiles: linear light in, linear light out, applied so that hues stay (DNG 1.4 chapter 6)."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from velkin.core.errors import BadProfile

Floats = NDArray[np.float64]

_MOST_POINTS = 8192


@dataclass(frozen=True)
class ToneCurve:
    """A curve through points from (0, 0) to (1, 1), joined by a natural cubic spline as the DNG specification asks.

    Attributes
    ----------
    points : tuple of (x, y)
        With rising x in 0..1 and y in 0..1.
    """

    points: tuple[tuple[float, float], ...]

    def __post_init__(self) -> None:
        x, y = np.array(self.points, dtype=np.float64).reshape(-1, 2).T
        if not 2 <= len(x) <= _MOST_POINTS or not np.all(np.isfinite(x)) or not np.all(np.isfinite(y)):
            raise BadProfile("a tone curve needs 2 to 8192 points of finite numbers")
        if x[0] != 0.0 or x[-1] != 1.0 or np.any(np.diff(x) <= 0) or y.min() < -1e-6 or y.max() > 1.0 + 1e-6:
            raise BadProfile("the tone curve does not run from 0 to 1")

    @property
    def is_straight(self) -> bool:
        """Whether it changes nothing."""
        return all(abs(x - y) < 1e-6 for x, y in self.points)

    def table(self, steps: int = 4096) -> Floats:
        """The curve at `steps` values of square-root spacing: entry i is its value at (i / (steps − 1))²."""
        return self.at((np.arange(steps) / (steps - 1.0)) ** 2)

    def at(self, x: Floats) -> Floats:
        """The curve's values at x of any shape; straight beyond 0..1."""
        from scipy.interpolate import CubicSpline  # loaded where needed: it takes a moment

        knots, values = np.array(self.points).T
        curve = CubicSpline(knots, values, bc_type="natural")(np.clip(x, 0.0, 1.0))
        return np.asarray(np.clip(curve, 0.0, 1.0) + np.maximum(x - 1.0, 0.0) + np.minimum(x, 0.0))

    def apply(self, rgb: Floats) -> Floats:
        """Linear RGB (..., 3) with the curve on the largest and smallest channel, the middle one keeping its share between
        them, so that hue in the sense of `huesat` stays."""
        high, low = rgb.max(axis=-1, keepdims=True), rgb.min(axis=-1, keepdims=True)
        new_high, new_low = self.at(high), self.at(low)
        gap = high - low
        share = (rgb - low) / np.where(gap > 0, gap, 1.0)
        return np.asarray(new_low + share * (new_high - new_low))


def standard_curve() -> ToneCurve:
    """Velkin's standard curve: the saturating response of Naka and Rushton (1966), y = (1 + k) xⁿ / (xⁿ + k), with n = 1.4
    and k such that middle grey, 0.18, stays where it is.

    Examples
    --------
    >>> import numpy as np
    >>> standard_curve().at(np.array([0.0, 0.18, 1.0])).round(3).tolist()
    [0.0, 0.18, 1.0]
    """
    n, grey = 1.4, 0.18
    at_grey = grey**n
    k = at_grey * (1.0 - grey) / (grey - at_grey)
    x = np.linspace(0.0, 1.0, 129) ** 2
    y = (1.0 + k) * x**n / (x**n + k)
    return ToneCurve(tuple((float(a), float(b)) for a, b in zip(x, y, strict=True)))


STRAIGHT = ToneCurve(((0.0, 0.0), (1.0, 1.0)))

"""Monotone curves of lightness through a few knots (Fritsch and Carlson 1980), straight beyond them."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]

#: Knots lie at least this far apart, and lightness rises at least at this rate from one to the next.
_APART, _LEAST_RISE = 4.0, 0.05


@dataclass(frozen=True)
class Curve:
    """A rising curve through knots (x, y) of lightness 0..100."""

    knots: tuple[tuple[float, float], ...] = ((0.0, 0.0), (100.0, 100.0))

    def at(self, x: Floats) -> Floats:
        """Its values at x of any shape; beyond the ends it goes on at a slope of 1."""
        from scipy.interpolate import PchipInterpolator  # loaded where needed: it takes a moment

        xs, ys = np.array(self.knots).T
        inside = np.clip(x, xs[0], xs[-1])
        return np.asarray(PchipInterpolator(xs, ys)(inside) + (x - inside))


def rising_through(x: Floats, y: Floats, weight: Floats, ends: bool) -> Curve:
    """The curve through points (N,), those near each other taken together, with black and white where they are if `ends`.

    Falling values are held level (isotonic), and no part is flatter than a twentieth.
    """
    order = np.argsort(x)
    groups: list[list[int]] = []
    for i in order:
        if groups and x[i] - x[groups[-1][0]] < _APART:
            groups[-1].append(int(i))
        else:
            groups.append([int(i)])
    points = [(float(np.average(x[g], weights=weight[g])), float(np.average(y[g], weights=weight[g]))) for g in groups]
    if ends:
        points = [(0.0, 0.0), *(p for p in points if _APART < p[0] < 100.0 - _APART), (100.0, 100.0)]
    xs, ys = (np.array(v) for v in zip(*points, strict=True))
    for n in range(1, len(ys)):  # the ends, where they are fixed, hold those before them
        ys[n] = max(ys[n], ys[n - 1] + _LEAST_RISE * (xs[n] - xs[n - 1]))
    if ends:
        ys[-1] = 100.0
        for n in range(len(ys) - 2, -1, -1):
            ys[n] = min(ys[n], ys[n + 1] - _LEAST_RISE * (xs[n + 1] - xs[n]))
        ys[0] = 0.0
    if len(xs) < 2:
        shift = float(ys[0] - xs[0])
        return Curve(((0.0, shift), (100.0, 100.0 + shift)))
    return Curve(tuple((float(a), float(b)) for a, b in zip(xs, ys, strict=True)))

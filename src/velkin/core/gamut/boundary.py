"""How far a destination's gamut reaches: the largest chroma it holds at each lightness and hue of Oklab.

The table is over even steps of lightness and of a *diamond angle*: the place on the diamond |a| + |b| = 1, 0 to 4, counted from
the positive a axis; it follows the hue angle and needs no arc tangent.
"""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from velkin.core.bands import in_bands
from velkin.core.cache import cached
from velkin.core.disk_cache import kept_on_disk
from velkin.core.gamut import kernels
from velkin.core.gamut.roundtrip import beyond
from velkin.core.icc.space import ICCSpace, Space
from velkin.core.spaces.lab import xyz_to_lab
from velkin.core.spaces.oklab import oklab_to_xyz
from velkin.core.spaces.rgb import RGBSpace

Floats = NDArray[np.float64]
Pixels = NDArray[np.float32]

#: Steps of lightness and of the diamond angle, of spaces of curves and of those known by their profile.
_EXACT, _BY_PROFILE = (129, 512), (97, 240)
#: No destination reaches further.
_FAR = 0.6
#: Steps of chroma in which the way out is looked for.
_SCAN = 48
#: How much closer than the limit of being outside a colour must come back from a profile to lie within, ΔE00.
_CLOSER = 0.8
#: The table is this much tighter than what it was made from, for what lies between its steps.
_MARGIN = 0.997


@dataclass(frozen=True)
class Boundary:
    """The boundary of a destination in Oklab.

    Attributes
    ----------
    space : str
        Id of the destination.
    low, high : float
        The lightness of its black and its white.
    chroma : ndarray (lightness steps, angle steps + 1), float32
        Largest chroma from `low` to `high` and once round; the last column repeats the first.
    """

    space: str
    low: float
    high: float
    chroma: Pixels = field(repr=False, compare=False)


def _directions(steps: int) -> tuple[Floats, Floats]:
    """Unit axes a, b of even steps of the diamond angle."""
    t = np.linspace(0.0, 4.0, steps, endpoint=False)
    a = np.where(t < 2.0, 1.0 - t, t - 3.0)
    b = np.where(t < 2.0, 1.0 - np.abs(a), -(1.0 - np.abs(a)))
    length = np.hypot(a, b)
    return a / length, b / length


def _held_by_curves(xyz: Floats, space: RGBSpace) -> NDArray[np.bool_]:
    linear = xyz @ space.from_xyz.T
    return np.all((linear >= -1e-7) & (linear <= 1.0 + 1e-7), axis=-1)


def _held_by_profile(xyz: Floats, space: ICCSpace) -> NDArray[np.bool_]:
    return beyond(xyz_to_lab(xyz), space) <= -_CLOSER


def _held(xyz: Floats, space: Space) -> NDArray[np.bool_]:
    if isinstance(space, RGBSpace):
        return _held_by_curves(xyz, space)
    parts = in_bands(lambda first, last: _held_by_profile(xyz[first:last], space), len(xyz))
    return np.concatenate(parts)


def _greys(space: Space) -> tuple[float, float]:
    """Lightness of the darkest and of the lightest grey that a destination holds."""
    if isinstance(space, RGBSpace):
        return 0.0, 1.0
    lightness = np.linspace(0.0, 1.0, 401)
    held = _held(oklab_to_xyz(np.stack([lightness, 0 * lightness, 0 * lightness], axis=1)), space)
    # the longest stretch of held greys: a profile may come back to a dark one by chance
    best, start = (0, 400), None
    longest = -1
    for i, inside in enumerate([*held.tolist(), False]):
        if inside and start is None:
            start = i
        elif not inside and start is not None:
            if i - start > longest:
                best, longest = (start, i - 1), i - start
            start = None
    return float(lightness[best[0]]), float(lightness[best[1]])


@cached(100_000_000)
@kept_on_disk(Boundary)
def boundary_of(space: Space) -> Boundary:
    """The boundary of a destination.

    Raises
    ------
    BadProfile
        When a profile has no way from colours to device values.
    """
    rows, columns = _EXACT if isinstance(space, RGBSpace) else _BY_PROFILE
    low, high = _greys(space)
    lightness = np.linspace(low, high, rows)[:, None]
    a, b = _directions(columns)
    exact = isinstance(space, RGBSpace)

    def held(chroma: Floats) -> NDArray[np.bool_]:
        oklab = np.stack([np.broadcast_to(lightness, chroma.shape), chroma * a, chroma * b], axis=-1)
        return _held(oklab_to_xyz(oklab).reshape(-1, 3), space).reshape(chroma.shape)

    # the first way out is looked for: near the blue of a display a straight line of one hue leaves its gamut and comes in again
    inside, outside = np.zeros((rows, columns)), np.full((rows, columns), _FAR)
    still = np.ones((rows, columns), dtype=np.bool_)
    for chroma in np.linspace(0.0, _FAR, _SCAN + 1)[1:]:
        still &= held(np.full((rows, columns), chroma))
        inside = np.where(still, chroma, inside)
        if not still.any():
            break
    outside = np.minimum(inside + _FAR / _SCAN, _FAR)
    for _ in range(16 if exact else 7):
        middle = 0.5 * (inside + outside)
        within = held(middle)
        inside, outside = np.where(within, middle, inside), np.where(within, outside, middle)
    if not exact:  # a profile's own table is rough
        inside = _smallest_round(inside)
    closed = np.concatenate([inside, inside[:, :1]], axis=1) * _MARGIN
    return Boundary(space.id, low, high, np.ascontiguousarray(closed, dtype=np.float32))


def _smallest_round(table: Floats) -> Floats:
    """The smallest of each value and the means of its opposite neighbours: what stands out is taken back, a slope stays."""
    padded = np.pad(np.pad(table, ((1, 1), (0, 0)), mode="edge"), ((0, 0), (1, 1)), mode="wrap")
    along = 0.5 * (padded[1:-1, :-2] + padded[1:-1, 2:])
    across = 0.5 * (padded[:-2, 1:-1] + padded[2:, 1:-1])
    return np.minimum(table, np.minimum(along, across))


def largest_chroma(boundary: Boundary, oklab: Floats) -> Pixels:
    """The boundary's chroma (...) at the lightness and hue of Oklab (..., 3); lightness is held to the destination's own.

    Examples
    --------
    >>> import numpy as np
    >>> from velkin.core.spaces.rgb import SRGB
    >>> grey_blue = np.array([[0.6, -0.001, -0.01]])
    >>> round(float(largest_chroma(boundary_of(SRGB), grey_blue)[0]), 2)
    0.22
    """
    flat = np.ascontiguousarray(oklab, dtype=np.float32).reshape(-1, 3)
    out = np.empty(len(flat), dtype=np.float32)
    kernels.largest(flat, boundary.chroma, np.float32(boundary.low), np.float32(boundary.high), out)
    return out.reshape(oklab.shape[:-1])

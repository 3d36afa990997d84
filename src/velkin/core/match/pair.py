"""Pairs: a colour as it is here and the colour it should be, and what vouches for it.

Learning works in coordinates of Oklab scaled so that a unit is about one ΔE*76: 100 times lightness, 400 times the opponent axes.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum

import numpy as np
from numpy.typing import ArrayLike, NDArray

from velkin.core.errors import FitRefused
from velkin.core.spaces.difference import ciede2000
from velkin.core.spaces.lab import xyz_to_lab
from velkin.core.spaces.oklab import oklab_to_xyz

Floats = NDArray[np.float64]
Colour = tuple[float, float, float]

_SCALE = np.array([100.0, 400.0, 400.0])
#: Wanted colours of less chroma than this, in coordinates, are greys; and colours here of less than this may be meant as greys.
_GREY, _TINTED = 4.0, 14.0


class Origin(StrEnum):
    """Where a pair comes from; the values are those of match files."""

    CHART = "chart"
    PINS = "points"
    ALIGNED = "aligned"
    NUMBER = "numbers"


@dataclass(frozen=True)
class Pair:
    """One piece of evidence.

    Attributes
    ----------
    here, wanted : 3 floats
        Oklab.
    origin : Origin
    name : str
        The patch, the pin or the line it comes from.
    spread : float
        How uncertain `here` is, about ΔE*76.
    weight : float
        How much it counts; 1 is usual.
    """

    here: Colour
    wanted: Colour
    origin: Origin
    name: str = ""
    spread: float = 0.3
    weight: float = 1.0


def coordinates(oklab: ArrayLike) -> Floats:
    """Coordinates (..., 3) of Oklab (..., 3).

    Examples
    --------
    >>> coordinates([0.5, 0.1, 0.0]).tolist()
    [50.0, 40.0, 0.0]
    """
    return np.asarray(np.asarray(oklab, dtype=np.float64) * _SCALE)


def oklab_at(coordinates: ArrayLike) -> Floats:
    """Oklab (..., 3) at coordinates (..., 3)."""
    return np.asarray(np.asarray(coordinates, dtype=np.float64) / _SCALE)


def difference(first: ArrayLike, second: ArrayLike) -> Floats:
    """ΔE00 (...) between coordinates (..., 3)."""
    return ciede2000(*(xyz_to_lab(np.maximum(oklab_to_xyz(oklab_at(v)), 0.0)) for v in (first, second)))


@dataclass(frozen=True, eq=False)
class Evidence:
    """Pairs as arrays.

    Attributes
    ----------
    here, wanted : ndarray (N, 3), float64
        Coordinates.
    spread, weight : ndarray (N,), float64
    pairs : tuple of Pair
    """

    here: Floats
    wanted: Floats
    spread: Floats
    weight: Floats
    pairs: tuple[Pair, ...]

    @property
    def grey(self) -> NDArray[np.bool_]:
        """Which pairs (N,) say what a grey should be."""
        return np.asarray((chroma(self.wanted) < _GREY) & (chroma(self.here) < _TINTED))


def chroma(coordinates: Floats) -> Floats:
    """Distance (...) from the grey axis of coordinates (..., 3)."""
    return np.hypot(coordinates[..., 1], coordinates[..., 2])


def evidence_of(pairs: Sequence[Pair]) -> Evidence:
    """Pairs as arrays. Raises FitRefused where there is none, or one is no colour."""
    if not pairs:
        raise FitRefused("there is no pair to learn from")
    here, wanted = (coordinates([getattr(p, side) for p in pairs]) for side in ("here", "wanted"))
    odd = ~np.all(np.isfinite(here) & np.isfinite(wanted), axis=1)
    if odd.any():
        name = pairs[int(np.argmax(odd))].name
        raise FitRefused(f"the pair {name or int(np.argmax(odd)) + 1} holds numbers that are no colour")
    spread = np.array([max(p.spread, 0.0) for p in pairs])
    weight = np.array([p.weight for p in pairs])
    if weight.min() <= 0.0 or not np.all(np.isfinite(weight)):
        raise FitRefused("a weight must be above 0")
    return Evidence(here, wanted, spread, weight, tuple(pairs))

"""A match judged before it is used: folds, the steepest place, contradictions, and how far pairs are missed."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from velkin.core.match.pair import Colour, Evidence, coordinates
from velkin.core.spaces.oklab import xyz_to_oklab
from velkin.core.spaces.rgb import ROMM, RGBSpace

Floats = NDArray[np.float64]
Map = Callable[[Floats], Floats]

#: Half the distance of two colours that a slope is taken between, in coordinates.
_STEP = 0.25
#: Nodes along a side of the cube that is looked through, and how far a shell round it reaches, in linear light.
SIDE, _SHELL = 13, 0.05


@dataclass(frozen=True)
class Contradiction:
    """Two pairs of nearly the same colour that ask for different things."""

    first: str
    second: str
    apart: float
    asked: float
    places: tuple[int, int]

    def words(self) -> str:
        """In words."""
        return (
            f"{self.first} and {self.second} ask for colours ΔE {self.asked:.1f} apart, and are here only {self.apart:.1f} apart: "
            "no smooth change gives both"
        )


@dataclass(frozen=True)
class Steepness:
    """How a map stretches its neighbourhoods.

    Attributes
    ----------
    folds : float
        Share of the places looked at where it turns colours round.
    largest_gain : float
        The largest stretch of a small difference, and `at` which colour (Oklab).
    grey_gain : float
        The largest along the grey axis.
    """

    folds: float
    largest_gain: float
    at: Colour
    grey_gain: float


def cube_of(space: RGBSpace, side: int = SIDE) -> Floats:
    """Coordinates (N, 3) of the colours of a space and of a shell round it, even in lightness along each channel."""
    steps = np.linspace(0.0, 1.0, side) ** 3
    steps = np.concatenate([[-_SHELL], steps, [1.0 + _SHELL]])
    linear = np.stack(np.meshgrid(steps, steps, steps, indexing="ij"), axis=-1).reshape(-1, 3)
    return coordinates(xyz_to_oklab(linear @ space.to_xyz.T))


def jacobians(change: Map, x: Floats) -> Floats:
    """The derivatives (N, 3, 3) of a map at coordinates (N, 3), by central differences."""
    off = _STEP * np.eye(3)
    there = change(np.concatenate([x + o for o in (*off, *-off)])).reshape(2, 3, len(x), 3)
    return np.moveaxis((there[0] - there[1]) / (2.0 * _STEP), 0, -1)


def steepness(change: Map, space: RGBSpace = ROMM, side: int = SIDE) -> Steepness:
    """Look a map through over the cube of a space, `side` nodes a side, and a shell round it."""
    x = cube_of(space, side)
    found = jacobians(change, x)
    gains = np.linalg.norm(found, ord=2, axis=(1, 2))
    greys = np.stack([np.linspace(1.0, 99.0, 99), np.zeros(99), np.zeros(99)], axis=1)
    along = np.linalg.norm(jacobians(change, greys)[:, :, 0], axis=1)
    worst = int(np.argmax(gains))
    at = x[worst] / np.array([100.0, 400.0, 400.0])
    return Steepness(
        float(np.mean(np.linalg.det(found) <= 0.0)),
        float(gains[worst]),
        (float(at[0]), float(at[1]), float(at[2])),
        float(along.max()),
    )


def contradictions(evidence: Evidence) -> tuple[Contradiction, ...]:
    """Pairs nearer to each other than their spread, or than a quarter of what they differ in asking, worst first."""
    found = []
    here, wanted = evidence.here, evidence.wanted
    for i in range(len(here)):
        apart = np.linalg.norm(here[i + 1 :] - here[i], axis=1)
        asked = np.linalg.norm((wanted[i + 1 :] - here[i + 1 :]) - (wanted[i] - here[i]), axis=1)
        near = np.maximum(evidence.spread[i + 1 :] + evidence.spread[i], 0.25 * asked)
        for j in np.flatnonzero((apart < near) & (asked > 3.0) & (apart < 12.0)):
            k = i + 1 + int(j)
            found.append(Contradiction(_name(evidence, i), _name(evidence, k), float(apart[j]), float(asked[j]), (i, k)))
    return tuple(sorted(found, key=lambda c: -c.asked))


def _name(evidence: Evidence, index: int) -> str:
    return evidence.pairs[index].name or f"pair {index + 1}"

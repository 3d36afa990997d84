"""Whether a map from camera RGB is smooth wherever a camera can look: no folds, hues in order, no sudden steps.

The maps do the same at every exposure, so that a grid over the proportions of the channels covers the whole cube.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from velkin.core.cameraprofiles.models import ColourMap
from velkin.core.spaces.rgb import ROMM

Floats = NDArray[np.float64]

_STEPS = 40


@lru_cache(maxsize=1)
def _proportions() -> Floats:
    """Camera RGB (N, 3) of sum 1 on a triangle grid, a little inside its edges."""
    i, j = np.meshgrid(np.arange(_STEPS + 1), np.arange(_STEPS + 1), indexing="ij")
    inside = i + j <= _STEPS
    rgb = np.stack([i[inside], j[inside], _STEPS - i[inside] - j[inside]], axis=1) / _STEPS
    return np.asarray(0.994 * rgb + 0.002)


@dataclass(frozen=True)
class Smoothness:
    """What was found on the grid.

    Attributes
    ----------
    folded : float
        Share of the grid where the map turns inside out or hues change their order.
    gain : float
        The largest local change of the output as a multiple of the one that the map has at neutral.
    """

    folded: float
    gain: float

    @property
    def usable(self) -> bool:
        """No fold anywhere."""
        return self.folded == 0.0


def smoothness(colours: ColourMap) -> Smoothness:
    """Look at a map's slopes over the camera's cube.

    Examples
    --------
    >>> from velkin.core.cameraprofiles.models import Matrix, as_rows
    >>> from velkin.core.spaces.rgb import ROMM
    >>> smoothness(Matrix(as_rows(ROMM.to_xyz))).folded
    0.0
    """
    slopes, at_neutral = _slopes(colours, _proportions()), _slopes(colours, np.full((1, 3), 1.0 / 3.0))[0]
    turned = np.linalg.det(slopes) <= 0.0
    gain = np.linalg.norm(slopes @ np.linalg.inv(at_neutral), axis=(1, 2), ord=2)
    disordered = _hue_disorder(colours)
    return Smoothness(max(float(turned.mean()), disordered), float(gain.max()))


def _slopes(colours: ColourMap, rgb: Floats) -> Floats:
    """Change of linear ROMM RGB with camera RGB, (N, 3, 3)."""
    step = 1e-4
    columns = [(colours.xyz(rgb + step * d) - colours.xyz(rgb - step * d)) / (2 * step) for d in np.eye(3)]
    return np.asarray(ROMM.from_xyz @ np.stack(columns, axis=2))


def _hue_disorder(colours: ColourMap) -> float:
    """Share of steps round circles of camera hue at which the hue that comes out goes backwards."""
    turns = np.linspace(0.0, 2 * np.pi, 361)
    axes = np.array([[2.0, -1.0, -1.0], [0.0, np.sqrt(3.0), -np.sqrt(3.0)]]) / 3.0
    circle = np.stack([np.cos(turns), np.sin(turns)], axis=1) @ axes
    radii = np.array([0.05, 0.15, 0.3, 0.45, 0.6, 0.75, 0.9])
    rim = 1.0 / np.maximum(-circle.min(axis=1), 1e-9)  # where the first channel is empty
    rgb = 1.0 / 3.0 + radii[:, None, None] * circle * (rim / 3.0)[None, :, None]
    xyz = colours.xyz(rgb)
    romm = xyz @ ROMM.from_xyz.T
    plane = romm @ axes.T
    hue = np.unwrap(np.arctan2(plane[..., 1], plane[..., 0]), axis=1)
    return float((np.diff(hue, axis=1) < -1e-9).mean())

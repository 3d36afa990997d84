"""Recognising a space by what its profile does, never by its description."""

from __future__ import annotations

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from velkin.core.errors import BadProfile
from velkin.core.icc.transform import to_lab
from velkin.core.spaces.difference import ciede2000
from velkin.core.spaces.lab import xyz_to_lab
from velkin.core.spaces.rgb import BUILT_IN, RGBSpace

_LARGEST_DIFFERENCE = 1.0


@lru_cache(maxsize=1)
def _grid() -> NDArray[np.float64]:
    steps = np.linspace(0.0, 1.0, 6)
    return np.stack(np.meshgrid(steps, steps, steps, indexing="ij"), axis=-1).reshape(-1, 3)


@lru_cache(maxsize=16)
def _lab_of(space_id: str) -> NDArray[np.float64]:
    space = BUILT_IN[space_id]
    return xyz_to_lab(space.decode(_grid()) @ space.to_xyz.T)


@lru_cache(maxsize=64)
def recognise(profile: bytes) -> RGBSpace | None:
    """The built-in space that an RGB profile equals to within 1.0 ΔE00 over a grid of device values, else None.

    Raises
    ------
    BadProfile
        When the profile cannot be used for RGB pictures.

    Examples
    --------
    >>> from velkin.core.icc.write import matrix_profile
    >>> from velkin.core.spaces.rgb import P3
    >>> recognise(matrix_profile(P3, 2)).id
    'p3'
    """
    lab = to_lab(_grid(), profile, "rgb")
    if not np.all(np.isfinite(lab)):
        raise BadProfile("the ICC profile gives colours that are not numbers")
    return _like(lab)


def alike(space: RGBSpace) -> RGBSpace | None:
    """The built-in space that another space equals to within 1.0 ΔE00, else None."""
    return _like(xyz_to_lab(space.decode(_grid()) @ space.to_xyz.T))


def _like(lab: NDArray[np.float64]) -> RGBSpace | None:
    worst = {space.id: float(ciede2000(lab, _lab_of(space.id)).max()) for space in BUILT_IN.values()}
    best = min(worst, key=lambda space_id: worst[space_id])
    return BUILT_IN[best] if worst[best] <= _LARGEST_DIFFERENCE else None

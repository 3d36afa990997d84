"""The lights of the stand-in studio, as spectra at `velkin.core.spectra.WAVELENGTHS`."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from velkin.core.spectra import WAVELENGTHS, daylight, planckian

Floats = NDArray[np.float64]


@dataclass(frozen=True)
class StudioLight:
    """A light in front of the stand-in camera.

    Attributes
    ----------
    name : str
        What the photographer calls it.
    power : ndarray (81,)
        Relative spectral power.
    """

    name: str
    power: Floats


def north_window() -> StudioLight:
    """Daylight of 6500 K through window glass, which takes a little of both ends."""
    glass = 0.90 - 0.10 * np.exp(-(((WAVELENGTHS - 380.0) / 22.0) ** 2)) - 0.00008 * np.maximum(WAVELENGTHS - 620.0, 0.0)
    return StudioLight("North window", daylight(6500.0) * glass)


def weaving_lamp() -> StudioLight:
    """A tungsten lamp of 2900 K whose shade warms it unevenly over the spectrum."""
    shade = 0.92 + 0.05 * np.sin((WAVELENGTHS - 380.0) / 400.0 * np.pi)
    return StudioLight("Weaving lamp", planckian(2900.0) * shade)

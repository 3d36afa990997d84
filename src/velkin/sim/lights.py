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


def sky(kelvin: float) -> Floats:
    """The light of the sky (81,) at a temperature: a black body's where the sun is low, daylight above 5500 K, a mixture between."""
    high = float(np.clip((kelvin - 4000.0) / 1500.0, 0.0, 1.0))
    low, day = planckian(min(kelvin, 6000.0)), daylight(max(kelvin, 4000.0))
    return np.asarray((1.0 - high) * low / low.mean() + high * day / day.mean())


def low_sun(kelvin: float) -> StudioLight:
    """The sun going down, at one moment of it."""
    return StudioLight(f"Sun at {kelvin:.0f} K", sky(kelvin))


def _phosphor_led(pump: float, pump_height: float, phosphors: tuple[tuple[float, float, float], ...]) -> Floats:
    """A blue chip under phosphors, each (centre nm, width nm, height), skewed towards long wavelengths."""
    power = pump_height * np.exp(-0.5 * ((WAVELENGTHS - pump) / 10.0) ** 2)
    for centre, width, height in phosphors:
        side = np.where(centre > WAVELENGTHS, width, 1.45 * width)
        power = power + height * np.exp(-0.5 * ((WAVELENGTHS - centre) / side) ** 2)
    return power + 1e-4


def warm_led() -> StudioLight:
    """A good warm LED panel: violet-blue chip, green and red phosphor, little cyan."""
    return StudioLight("Warm LED panel", _phosphor_led(448.0, 0.42, ((545.0, 38.0, 0.62), (622.0, 34.0, 0.86))))


def cool_led() -> StudioLight:
    """A cheap cool LED: strong blue chip, one yellow phosphor, a deep gap in the cyan and little red."""
    return StudioLight("Cool LED", _phosphor_led(453.0, 0.98, ((556.0, 44.0, 0.72),)))

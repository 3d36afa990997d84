"""The stand-in camera *Velkin Studio One*: spectral sensitivities, a Bayer sensor with noise, and its own mediocre matrices.

Its sensitivities overlap and are no linear combination of the standard observer, as with real sensors, so that no 3×3
matrix is exact. The matrices it writes into its files were "made in the factory" for a sensor from another batch.
"""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from velkin.core.spectra import WAVELENGTHS, daylight, planckian, xyz_of_surfaces
from velkin.sim.dyes import smooth_reflectances

Floats = NDArray[np.float64]
Pixels = NDArray[np.float32]


def _bell(centre: float, left: float, right: float) -> Floats:
    width = np.where(centre > WAVELENGTHS, left, right)
    return np.exp(-0.5 * ((WAVELENGTHS - centre) / width) ** 2)


def studio_one_sensitivities(shift: float = 0.0) -> Floats:
    """Sensitivities (81, 3) of red, green, blue; `shift` in nm moves the dyes of another batch."""
    cut = 1.0 / (1.0 + np.exp((WAVELENGTHS - 675.0 - shift) / 9.0)) / (1.0 + np.exp((408.0 - WAVELENGTHS) / 6.0))
    red = 0.94 * _bell(596.0 + shift, 27.0, 44.0) + 0.055 * _bell(442.0, 22.0, 26.0) + 0.045 * _bell(530.0 + shift, 30.0, 30.0)
    green = 1.00 * _bell(531.0 + 0.6 * shift, 33.0, 36.0) + 0.035 * _bell(620.0, 26.0, 30.0)
    blue = 0.86 * _bell(456.0 + 0.8 * shift, 25.0, 30.0) + 0.050 * _bell(545.0, 24.0, 26.0)
    return np.stack([red, green, blue], axis=1) * cut[:, None]


def field_two_sensitivities(shift: float = 0.0) -> Floats:
    """Sensitivities (81, 3) of another maker's sensor: narrow dyes well apart, a red that sees violet, an early infrared cut."""
    cut = 1.0 / (1.0 + np.exp((WAVELENGTHS - 662.0 - shift) / 7.0)) / (1.0 + np.exp((415.0 - WAVELENGTHS) / 5.0))
    red = 0.88 * _bell(608.0 + shift, 22.0, 40.0) + 0.10 * _bell(432.0, 14.0, 22.0)
    green = 1.00 * _bell(538.0 + shift, 30.0, 31.0) + 0.06 * _bell(462.0, 20.0, 24.0)
    blue = 0.98 * _bell(447.0 + shift, 18.0, 27.0) + 0.02 * _bell(600.0, 40.0, 40.0)
    return np.stack([red, green, blue], axis=1) * cut[:, None]


def pocket_three_sensitivities(shift: float = 0.0) -> Floats:
    """Sensitivities (81, 3) of a small sensor: broad, overlapping dyes and crosstalk between the sites."""
    cut = 1.0 / (1.0 + np.exp((WAVELENGTHS - 690.0) / 12.0)) / (1.0 + np.exp((400.0 - WAVELENGTHS) / 8.0))
    red = 0.82 * _bell(592.0 + shift, 34.0, 58.0) + 0.10 * _bell(420.0, 26.0, 30.0)
    green = 1.00 * _bell(528.0 + shift, 44.0, 43.0)
    blue = 0.78 * _bell(463.0 + shift, 32.0, 34.0)
    sites = np.stack([red, green, blue], axis=1) * cut[:, None]
    return sites @ np.array([[0.90, 0.05, 0.02], [0.08, 0.90, 0.08], [0.02, 0.05, 0.90]])


@dataclass(frozen=True)
class Sensor:
    """What turns camera RGB (linear, 1 = saturation) into raw numbers."""

    black: int = 512
    white: int = 16383
    full_well: float = 42000.0
    read_noise: float = 4.0
    vignetting: float = 0.05

    def expose(self, rgb: Pixels, rng: np.random.Generator) -> NDArray[np.uint16]:
        """A raw RGGB mosaic (H, W) of scene camera RGB (H, W, 3); H and W even. Shot and read noise, vignetting, clipping."""
        height, width = rgb.shape[:2]
        mosaic = np.empty((height, width), dtype=np.float32)
        for dy, dx, channel in ((0, 0, 0), (0, 1, 1), (1, 0, 1), (1, 1, 2)):
            mosaic[dy::2, dx::2] = rgb[dy::2, dx::2, channel]
        y = (np.arange(height, dtype=np.float32)[:, None] - height / 2) / (height / 2)
        x = (np.arange(width, dtype=np.float32)[None, :] - width / 2) / (width / 2)
        mosaic *= 1.0 - self.vignetting * (x**2 + y**2) / 2.0
        return self._digitise(mosaic, rng)

    def _digitise(self, light: Pixels, rng: np.random.Generator) -> NDArray[np.uint16]:
        electrons = np.maximum(light, 0.0) * self.full_well
        electrons += rng.standard_normal(light.shape, dtype=np.float32) * np.sqrt(electrons + self.read_noise**2)
        return np.clip(np.round(electrons * ((self.white - self.black) / self.full_well)) + self.black, 0, self.white).astype(
            np.uint16
        )

    def half_size(self, rgb: Pixels, rng: np.random.Generator) -> Pixels:
        """What a half-size decode gives of scene camera RGB (H, W, 3): the same noise and clipping, 0..1 of the white level."""
        sites = [self._digitise(np.ascontiguousarray(rgb[..., c]), rng).astype(np.float32) for c in (0, 1, 1, 2)]
        levels = np.stack([sites[0], (sites[1] + sites[2]) / 2, sites[3]], axis=2)
        return np.clip((levels - self.black) / (self.white - self.black), 0, 1)


@dataclass(frozen=True)
class Camera:
    """A stand-in camera: name, sensitivities, sensor and the matrices its files carry."""

    make: str = "Velkin Stand-ins"
    model: str = "Velkin Studio One"
    lens: str = "Stand-in 60 mm macro"
    sensitivities: Floats = field(default_factory=studio_one_sensitivities, repr=False)
    factory_sensitivities: Floats = field(default_factory=lambda: studio_one_sensitivities(9.0), repr=False)
    sensor: Sensor = field(default_factory=Sensor)

    def respond(self, reflectances: Floats, power: Floats) -> Floats:
        """Camera RGB (N, 3) of reflectances (N, 81) under a light (81,), green of a perfect diffuser at 1."""
        weights = power[:, None] * self.sensitivities
        return np.asarray((reflectances @ weights) / weights[:, 1].sum())

    def neutral(self, power: Floats) -> Floats:
        """Camera RGB (3,) of a perfect diffuser, green 1."""
        return self.respond(np.ones((1, len(WAVELENGTHS))), power)[0]

    def built_in_matrix(self, power: Floats) -> Floats:
        """XYZ (of the light itself) → camera RGB, 3×3, as the factory fitted it on its own batch of smooth colours."""
        colours = smooth_reflectances(40, seed=5)
        weights = power[:, None] * self.factory_sensitivities
        rgb = colours @ weights / weights[:, 1].sum()
        xyz = xyz_of_surfaces(colours, power)
        return np.asarray(np.linalg.lstsq(xyz, rgb, rcond=None)[0].T)

    def built_in_matrices(self) -> tuple[Floats, Floats]:
        """The two matrices of its DNG files: for illuminant A and for D65."""
        return self.built_in_matrix(planckian(2856.0)), self.built_in_matrix(daylight(6504.0))


def field_two() -> Camera:
    """*Velkin Field Two*: narrow dyes."""
    return Camera(
        model="Velkin Field Two",
        lens="Stand-in 35 mm",
        sensitivities=field_two_sensitivities(),
        factory_sensitivities=field_two_sensitivities(-6.0),
    )


def pocket_three() -> Camera:
    """*Velkin Pocket Three*: broad dyes with crosstalk."""
    return Camera(
        model="Velkin Pocket Three",
        lens="Stand-in 24 mm",
        sensitivities=pocket_three_sensitivities(),
        factory_sensitivities=pocket_three_sensitivities(7.0),
    )

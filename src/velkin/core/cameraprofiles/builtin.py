"""The camera's built-in profile: colour matrices interpolated in reciprocal temperature (DNG 1.4 chapter 6)."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from velkin.core.files.raw import DNGColour, RawFacts
from velkin.core.spaces.adaptation import D50, bradford, xy_to_xyz, xyz_to_xy
from velkin.core.spaces.rgb import SRGB
from velkin.core.spaces.temperature import cct_duv, xy_of_cct, xy_of_temperature

Floats = NDArray[np.float64]

# temperatures of Exif LightSource codes
_KELVIN = {1: 5500, 2: 4230, 3: 2856, 4: 5500, 9: 5500, 10: 6500, 11: 7500, 12: 6430, 13: 5000, 14: 4150, 15: 3450}
_KELVIN |= {17: 2856, 18: 4874, 19: 6774, 20: 5503, 21: 6504, 22: 7504, 23: 5003, 24: 3200}


def _xyz_to_camera(matrices: tuple[Floats, ...], illuminants: tuple[int, ...], xy: Floats) -> Floats:
    """XYZ → camera RGB for the light `xy`: the two matrices mixed in reciprocal temperature."""
    if len(matrices) == 1:
        return matrices[0]
    first, second = (_KELVIN.get(code, 5500) for code in illuminants)
    if first == second:
        return matrices[0]
    kelvin, _ = cct_duv(xy)
    share = (1.0 / kelvin - 1.0 / second) / (1.0 / first - 1.0 / second)
    share = float(np.clip(share, 0.0, 1.0))
    return np.asarray(share * matrices[0] + (1.0 - share) * matrices[1])


@lru_cache(maxsize=4096)  # a shoot asks this again and again for few cameras and balances
def _white_of_neutral(
    matrices: tuple[tuple[float, ...], ...], illuminants: tuple[int, ...], neutral: tuple[float, ...]
) -> tuple[float, float]:
    arrays = tuple(np.array(m).reshape(3, 3) for m in matrices)
    xy = xy_of_cct(5000.0)
    for step in range(60):
        xyz = np.asarray(np.linalg.solve(_xyz_to_camera(arrays, illuminants, xy), np.array(neutral)), dtype=np.float64)
        if not np.all(np.isfinite(xyz)) or xyz.max() <= 0:
            break
        xyz = np.maximum(xyz, 1e-3 * xyz.max())  # beyond what the matrices can mean: the nearest that they can
        new = xyz_to_xy(xyz)
        if np.abs(new - xy).max() < 1e-7:
            xy = new
            break
        xy = new if step < 20 else (new + xy) / 2.0  # a pair of matrices that swings is damped
    return float(xy[0]), float(xy[1])


@dataclass(frozen=True)
class BuiltInProfile:
    """What a camera's own matrices make of its numbers."""

    colour: DNGColour

    def white_of_neutral(self, neutral: Floats) -> Floats:
        """Chromaticity (2,) of the light in which camera RGB `neutral` (3,) is neutral; iterated as DNG 1.4 describes."""
        return np.array(_white_of_neutral(self._key(), self.colour.illuminants, tuple(float(v) for v in neutral)))

    def temperature(self, balance: Floats) -> tuple[float, float]:
        """Correlated temperature and Duv of the light that a balance (3,) (multipliers) makes neutral."""
        return cct_duv(self.white_of_neutral(1.0 / np.asarray(balance)))

    def balance_at(self, kelvin: float, duv: float) -> Floats:
        """The balance (3,), green 1, that makes a light of a correlated temperature and Duv neutral; undoes `temperature`."""
        xy = xy_of_temperature(kelvin, duv)
        camera = _xyz_to_camera(self.colour.matrices, self.colour.illuminants, xy) @ xy_to_xyz(xy)
        camera = np.maximum(camera, 1e-3 * float(camera.max()))  # no camera sees less than nothing of a light
        return np.asarray(camera[1] / camera)

    def matrix(self, balance: Floats) -> Floats:
        """Balanced camera RGB → XYZ D50, 3×3, for a white balance (3,); equal numbers become D50 white exactly."""
        return _matrix(self._key(), self.colour.illuminants, tuple(float(v) for v in balance)).copy()

    def _key(self) -> tuple[tuple[float, ...], ...]:
        return tuple(tuple(float(v) for v in m.ravel()) for m in self.colour.matrices)


@lru_cache(maxsize=4096)
def _matrix(key: tuple[tuple[float, ...], ...], illuminants: tuple[int, ...], balance: tuple[float, ...]) -> Floats:
    matrices = tuple(np.array(m).reshape(3, 3) for m in key)
    neutral = 1.0 / np.array(balance)
    xy = np.array(_white_of_neutral(key, illuminants, tuple(float(v) for v in neutral)))
    to_xyz = np.linalg.inv(_xyz_to_camera(matrices, illuminants, xy)) * neutral
    white = to_xyz.sum(axis=1)
    if white.min() <= 0:
        white = xy_to_xyz(xy) * max(float(white[1]), 1e-6)
    adapted = bradford(white / white[1], D50) @ (to_xyz / white[1])
    return np.asarray(adapted * (D50 / adapted.sum(axis=1))[:, None])


def built_in(facts: RawFacts) -> BuiltInProfile:
    """The built-in profile of the camera that made a file; a plain sRGB-like sensor where the file names no matrix."""
    if facts.colour is not None:
        return BuiltInProfile(facts.colour)
    plain = np.asarray(np.linalg.inv(bradford(D50, xy_to_xyz(SRGB.white)) @ SRGB.to_xyz), dtype=np.float64)
    return BuiltInProfile(DNGColour((plain,), (21,)))

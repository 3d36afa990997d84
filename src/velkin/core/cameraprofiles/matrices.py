"""Colour matrices for one or two lights, interpolated in reciprocal temperature (DNG 1.4 chapter 6).

The camera's built-in profile is made of them, and every other profile finds temperatures through its own.
"""

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


def kelvin_of(illuminant: int) -> float:
    """Temperature of an Exif LightSource code; 5500 K for one that says none."""
    return float(_KELVIN.get(illuminant, 5500))


def share_of_first(kelvin: float, kelvins: tuple[float, ...]) -> float:
    """How much of the first of two lights there is in one of `kelvin`, 0..1, linear in reciprocal temperature."""
    if len(kelvins) == 1 or kelvins[0] == kelvins[1]:
        return 1.0
    first, second = kelvins[:2]
    return float(np.clip((1.0 / kelvin - 1.0 / second) / (1.0 / first - 1.0 / second), 0.0, 1.0))


_Key = tuple[tuple[float, ...], ...]


def _xyz_to_camera(key: _Key, kelvins: tuple[float, ...], xy: Floats) -> Floats:
    """XYZ → camera RGB for the light `xy`: the two matrices mixed in reciprocal temperature."""
    arrays = [np.array(m).reshape(3, 3) for m in key]
    if len(arrays) == 1 or kelvins[0] == kelvins[1]:
        return arrays[0]
    share = share_of_first(cct_duv(xy)[0], kelvins)
    return np.asarray(share * arrays[0] + (1.0 - share) * arrays[1])


@lru_cache(maxsize=4096)  # a shoot asks this again and again for few cameras and balances
def _white_of_neutral(key: _Key, kelvins: tuple[float, ...], neutral: tuple[float, ...]) -> tuple[float, float]:
    xy = xy_of_cct(5000.0)
    for step in range(60):
        xyz = np.asarray(np.linalg.solve(_xyz_to_camera(key, kelvins, xy), np.array(neutral)), dtype=np.float64)
        if not np.all(np.isfinite(xyz)) or xyz.max() <= 0:
            break
        xyz = np.maximum(xyz, 1e-3 * xyz.max())  # beyond what the matrices can mean: the nearest that they can
        new = xyz_to_xy(xyz)
        if np.abs(new - xy).max() < 1e-7:
            xy = new
            break
        xy = new if step < 20 else (new + xy) / 2.0  # a pair of matrices that swings is damped
    return float(xy[0]), float(xy[1])


@lru_cache(maxsize=4096)
def _matrix(key: _Key, kelvins: tuple[float, ...], balance: tuple[float, ...]) -> Floats:
    neutral = 1.0 / np.array(balance)
    xy = np.array(_white_of_neutral(key, kelvins, tuple(float(v) for v in neutral)))
    to_xyz = np.linalg.inv(_xyz_to_camera(key, kelvins, xy)) * neutral
    white = to_xyz.sum(axis=1)
    if white.min() <= 0:
        white = xy_to_xyz(xy) * max(float(white[1]), 1e-6)
    adapted = bradford(white / white[1], D50) @ (to_xyz / white[1])
    return to_white(adapted)


def to_white(matrix: Floats) -> Floats:
    """A 3×3 matrix to XYZ with its rows scaled so that equal numbers become D50 exactly."""
    return np.asarray(matrix * (D50 / matrix.sum(axis=1))[:, None])


@dataclass(frozen=True)
class ColourMatrices:
    """Matrices from XYZ (of the light itself) to camera RGB for one or two lights.

    Attributes
    ----------
    matrices : one or two tuples of 9 floats
        Row by row.
    kelvins : tuple of float
        Temperature of each light.
    forward : tuple, empty or as `matrices`
        From balanced camera RGB to XYZ D50, where a profile brings its own.
    """

    matrices: _Key
    kelvins: tuple[float, ...]
    forward: _Key = ()

    @classmethod
    def of(cls, colour: DNGColour) -> ColourMatrices:
        """Those of a DNG file's tags."""
        return cls(_flat(colour.matrices), tuple(kelvin_of(code) for code in colour.illuminants), _flat(colour.forward))

    def white_of_neutral(self, neutral: Floats) -> Floats:
        """Chromaticity (2,) of the light in which camera RGB `neutral` (3,) is neutral; iterated as DNG 1.4 describes."""
        return np.array(_white_of_neutral(self.matrices, self.kelvins, tuple(float(v) for v in neutral)))

    def temperature(self, balance: Floats) -> tuple[float, float]:
        """Correlated temperature and Duv of the light that a balance (3,) (multipliers) makes neutral."""
        return cct_duv(self.white_of_neutral(1.0 / np.asarray(balance)))

    def share(self, balance: Floats) -> float:
        """How much of the first light's matrix counts at a balance, 0..1."""
        return share_of_first(self.temperature(balance)[0], self.kelvins)

    def balance_at(self, kelvin: float, duv: float) -> Floats:
        """The balance (3,), green 1, that makes a light of a correlated temperature and Duv neutral; undoes `temperature`."""
        xy = xy_of_temperature(kelvin, duv)
        camera = _xyz_to_camera(self.matrices, self.kelvins, xy) @ xy_to_xyz(xy)
        camera = np.maximum(camera, 1e-3 * float(camera.max()))  # no camera sees less than nothing of a light
        return np.asarray(camera[1] / camera)

    def matrix(self, balance: Floats) -> Floats:
        """Balanced camera RGB → XYZ D50, 3×3, for a white balance (3,); equal numbers become D50 white exactly."""
        if self.forward:
            arrays = [to_white(np.array(m).reshape(3, 3)) for m in self.forward]
            share = self.share(balance)
            return np.asarray(arrays[0] if len(arrays) == 1 else share * arrays[0] + (1.0 - share) * arrays[1])
        return _matrix(self.matrices, self.kelvins, tuple(float(v) for v in balance)).copy()


def _flat(matrices: tuple[Floats, ...]) -> _Key:
    return tuple(tuple(float(v) for v in np.asarray(m).ravel()) for m in matrices)


def built_in(facts: RawFacts) -> ColourMatrices:
    """The built-in profile of the camera that made a file; a plain sRGB-like sensor where the file names no matrix."""
    if facts.colour is not None:
        return ColourMatrices.of(facts.colour)
    plain = np.asarray(np.linalg.inv(bradford(D50, xy_to_xyz(SRGB.white)) @ SRGB.to_xyz), dtype=np.float64)
    return ColourMatrices.of(DNGColour((plain,), (21,)))

"""Colour matrices for one to three lights, and how they are mixed for the light at hand (DNG 1.6, "Mapping Camera Color Space to CIE XYZ Space").

The camera's built-in profile is made of them, and every other profile finds temperatures through its own.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import lru_cache
from itertools import zip_longest

import numpy as np
from numpy.typing import NDArray

from velkin.core.files.dng_colour import DNGColour
from velkin.core.files.raw import RawFacts
from velkin.core.spaces.adaptation import D50, bradford, xy_to_xyz, xyz_to_xy
from velkin.core.spaces.rgb import SRGB
from velkin.core.spaces.temperature import cct_duv, xy_of_cct, xy_of_temperature

Floats = NDArray[np.float64]

# temperatures of Exif LightSource codes
_KELVIN = {1: 5500, 2: 4230, 3: 2856, 4: 5500, 9: 5500, 10: 6500, 11: 7500, 12: 6430, 13: 5000, 14: 4150, 15: 3450}
_KELVIN |= {17: 2856, 18: 4874, 19: 6774, 20: 5503, 21: 6504, 22: 7504, 23: 5003, 24: 3200}


def kelvin_of(illuminant: int) -> float:
    """Temperature of an Exif LightSource code; 5500 K for one that says none.

    Examples
    --------
    >>> kelvin_of(17), kelvin_of(21)  # standard light A and D65, by their Exif numbers
    (2856.0, 6504.0)
    """
    return float(_KELVIN.get(illuminant, 5500))


def share_of_first(kelvin: float, kelvins: tuple[float, ...]) -> float:
    """How much of the first of two lights there is in one of `kelvin`, 0..1, linear in reciprocal temperature.

    Examples
    --------
    >>> round(share_of_first(4000.0, (2850.0, 6500.0)), 3)  # by reciprocal temperature
    0.488
    """
    if len(kelvins) == 1 or kelvins[0] == kelvins[1]:
        return 1.0
    first, second = kelvins[:2]
    return float(np.clip((1.0 / kelvin - 1.0 / second) / (1.0 / first - 1.0 / second), 0.0, 1.0))


def _by_nearness(xy: Floats, whites: Floats) -> tuple[float, ...]:
    """How much of each of several lights there is in one of chromaticity xy: by the inverse square of its distance from each."""
    distance = np.maximum(((whites - xy) ** 2).sum(axis=1), 1e-12)
    return tuple((1.0 / distance / (1.0 / distance).sum()).tolist())


_Key = tuple[tuple[float, ...], ...]
_PLAIN = (1.0, 1.0, 1.0)


def to_white(matrix: Floats) -> Floats:
    """A 3×3 matrix to XYZ with its rows scaled so that equal numbers become D50 exactly."""
    return np.asarray(matrix * (D50 / matrix.sum(axis=1))[:, None])


@dataclass(frozen=True)
class ColourMatrices:
    """Matrices from XYZ (of the light itself) to camera RGB for one, two or three lights.

    Attributes
    ----------
    matrices : one to three tuples of 9 floats
        Row by row, to the RGB of the reference camera.
    kelvins : tuple of float
        Temperature of each light.
    forward : tuple, empty or as `matrices`
        From balanced camera RGB to XYZ D50, where a profile brings its own.
    calibrations : tuple, empty or as `matrices`
        From the reference camera's RGB to that of the body at hand.
    analog : 3 floats
        By what the body's channels were amplified before they were digitised.
    whites : tuple of (x, y) or None
        Chromaticity of each light where more is known of it than its temperature; empty where nothing is.
    """

    matrices: _Key
    kelvins: tuple[float, ...]
    forward: _Key = ()
    calibrations: _Key = ()
    analog: tuple[float, float, float] = _PLAIN
    whites: tuple[tuple[float, float] | None, ...] = ()

    @classmethod
    def of(cls, colour: DNGColour) -> ColourMatrices:
        """Those of a DNG file's tags, for the body that made it."""
        kelvins = tuple(_kelvin(code, white) for code, white in zip_longest(colour.illuminants, colour.whites))
        plain = cls(flat(colour.matrices), kelvins, flat(colour.forward), whites=colour.whites)
        return plain.on(colour, colour.profile_signature)

    def on(self, body: DNGColour | None, signature: str) -> ColourMatrices:
        """These on the body that made a file: its amplification, and its calibration where the profile's `signature` is its own."""
        if body is None:
            return self
        calibrations: _Key = ()
        if body.calibrations and signature == body.camera_signature:
            whole = [*body.calibrations, *[np.eye(3)] * 3]
            calibrations = flat(tuple(whole[: len(self.matrices)]))
        return replace(self, calibrations=calibrations, analog=body.analog)

    # ---- the light --------------------------------------------------------------------------------------------

    def weights(self, xy: Floats) -> tuple[float, ...]:
        """How much of each light's matrices counts in a light of chromaticity xy (2,); they sum to 1.

        Two are mixed in reciprocal temperature, three by how near the light is to each (DNG 1.6).
        """
        if len(self.matrices) == 1:
            return (1.0,)
        if len(self.matrices) == 2:
            share = share_of_first(cct_duv(xy)[0], self.kelvins)
            return share, 1.0 - share
        known = [w or tuple(xy_of_cct(k).tolist()) for k, w in zip_longest(self.kelvins, self.whites)]
        return _by_nearness(xy, np.array(known))

    def white_of_neutral(self, neutral: Floats) -> Floats:
        """Chromaticity (2,) of the light in which camera RGB `neutral` (3,) is neutral; iterated as DNG 1.4 describes."""
        return np.array(_white_of_neutral(self, tuple(float(v) for v in neutral)))

    def temperature(self, balance: Floats) -> tuple[float, float]:
        """Correlated temperature and Duv of the light that a balance (3,) (multipliers) makes neutral."""
        return cct_duv(self.white_of_neutral(1.0 / np.asarray(balance)))

    def weights_at(self, balance: Floats) -> tuple[float, ...]:
        """How much of each light's matrices counts at a balance (3,)."""
        return (1.0,) if len(self.matrices) == 1 else self.weights(self.white_of_neutral(1.0 / np.asarray(balance)))

    def share(self, balance: Floats) -> float:
        """How much of the first light's matrix counts at a balance, 0..1."""
        return self.weights_at(balance)[0]

    def balance_at(self, kelvin: float, duv: float) -> Floats:
        """The balance (3,), green 1, that makes a light of a correlated temperature and Duv neutral; undoes `temperature`."""
        xy = xy_of_temperature(kelvin, duv)
        camera = self.xyz_to_camera(xy) @ xy_to_xyz(xy)
        camera = np.maximum(camera, 1e-3 * float(camera.max()))  # no camera sees less than nothing of a light
        return np.asarray(camera[1] / camera)

    # ---- colours ----------------------------------------------------------------------------------------------

    def xyz_to_camera(self, xy: Floats) -> Floats:
        """XYZ → camera RGB (3, 3) for a light of chromaticity xy (2,): amplification · calibration · colour matrix."""
        weights = self.weights(xy)
        return np.asarray(self._to_body(weights) @ _mixed(self.matrices, weights))

    def _to_body(self, weights: tuple[float, ...]) -> Floats:
        """The reference camera's RGB → the body's (3, 3)."""
        amplified = np.diag(self.analog)
        return np.asarray(amplified @ _mixed(self.calibrations, weights)) if self.calibrations else amplified

    def matrix(self, balance: Floats) -> Floats:
        """Balanced camera RGB → XYZ D50, 3×3, for a white balance (3,); equal numbers become D50 white exactly."""
        if not self.forward:
            return _matrix(self, tuple(float(v) for v in balance)).copy()
        weights = self.weights_at(balance)
        forward = _mixed(flat(tuple(to_white(np.array(m).reshape(3, 3)) for m in self.forward)), weights)
        if not self.calibrations:  # amplification alone is undone by the balance
            return forward
        neutral = 1.0 / np.asarray(balance)
        to_reference = np.linalg.inv(self._to_body(weights))
        seen = to_reference @ neutral
        if seen.min() <= 0:
            return forward
        return np.asarray(forward @ np.diag(1.0 / seen) @ to_reference @ np.diag(neutral))


def flat(matrices: tuple[Floats, ...] | list[Floats]) -> _Key:
    """Matrices (3, 3) as tuples of 9 floats, row by row."""
    return tuple(tuple(float(v) for v in np.asarray(m).ravel()) for m in matrices)


def _mixed(matrices: _Key, weights: tuple[float, ...]) -> Floats:
    return np.asarray(np.tensordot(np.array(weights), np.array(matrices), axes=1)).reshape(3, 3)


def _kelvin(code: int, white: tuple[float, float] | None) -> float:
    return kelvin_of(code) if white is None else cct_duv(np.array(white))[0]


@lru_cache(maxsize=4096)  # a shoot asks this again and again for few cameras and balances
def _white_of_neutral(camera: ColourMatrices, neutral: tuple[float, ...]) -> tuple[float, float]:
    xy = xy_of_cct(5000.0)
    for step in range(60):
        xyz = np.asarray(np.linalg.solve(camera.xyz_to_camera(xy), np.array(neutral)), dtype=np.float64)
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
def _matrix(camera: ColourMatrices, balance: tuple[float, ...]) -> Floats:
    neutral = 1.0 / np.array(balance)
    xy = np.array(_white_of_neutral(camera, tuple(float(v) for v in neutral)))
    to_xyz = np.linalg.inv(camera.xyz_to_camera(xy)) * neutral
    white = to_xyz.sum(axis=1)
    if white.min() <= 0:
        white = xy_to_xyz(xy) * max(float(white[1]), 1e-6)
    adapted = bradford(white / white[1], D50) @ (to_xyz / white[1])
    return to_white(adapted)


def baseline_of(facts: RawFacts) -> float:
    """EV by which a raw file asks for its exposure to be moved."""
    return 0.0 if facts.colour is None else facts.colour.baseline


@lru_cache(maxsize=256)
def _of_body(colour: DNGColour) -> ColourMatrices:
    """By the object itself: the frames of a shoot share that of their body."""
    return ColourMatrices.of(colour)


def built_in(facts: RawFacts) -> ColourMatrices:
    """The built-in profile of the camera that made a file; a plain sRGB-like sensor where the file names no matrix."""
    if facts.colour is not None:
        return _of_body(facts.colour)
    plain = np.asarray(np.linalg.inv(bradford(D50, xy_to_xyz(SRGB.white)) @ SRGB.to_xyz), dtype=np.float64)
    return ColourMatrices.of(DNGColour((plain,), (21,)))

"""Trials of matches: one camera's rendering brought to another's by a chart, and treatments learnt from a picture before and after them."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray
from scipy.optimize import least_squares

from velkin.core.charts.built_in import iso24
from velkin.core.match.pair import Origin, Pair, chroma, coordinates, difference, oklab_at
from velkin.core.spaces.adaptation import D50, bradford
from velkin.core.spaces.difference import ciede2000
from velkin.core.spaces.lab import xyz_to_lab
from velkin.core.spaces.oklab import oklab_to_xyz, xyz_to_oklab
from velkin.core.spaces.rgb import ROMM
from velkin.core.spectra import Illuminant, xyz_of_surfaces
from velkin.sim.camera import Camera
from velkin.sim.fit_trials import plain_least_squares, unseen_reflectances

Floats = NDArray[np.float64]
Pixels = NDArray[np.float32]


@dataclass(frozen=True, eq=False)
class TwoCameras:
    """What two cameras render of a chart and of colours that the match never saw.

    Attributes
    ----------
    pairs : list of Pair
        Of the chart's patches.
    here, there : ndarray (N, 3)
        XYZ D50 of the unseen colours as either camera renders them.
    """

    pairs: list[Pair]
    here: Floats
    there: Floats

    def best(self) -> float:
        """The lowest mean ΔE00 that curves and a root-polynomial reach when they are fitted to the unseen colours themselves."""
        rgb = np.maximum(self.here @ ROMM.from_xyz.T, 1e-6)
        lab = xyz_to_lab(self.there)

        def terms(power: Floats) -> Floats:
            r, g, b = (rgb**power).T
            return np.stack([r, g, b, np.sqrt(r * g), np.sqrt(g * b), np.sqrt(r * b)], axis=1)

        def errors(values: Floats) -> Floats:
            found = terms(np.exp(values[18:])) @ values[:18].reshape(3, 6).T
            return np.asarray(np.sqrt(ciede2000(xyz_to_lab(np.maximum(found, 0.0)), lab) + 1e-9))

        start = np.linalg.lstsq(terms(np.ones(3)), self.there, rcond=None)[0].T
        found = least_squares(errors, np.append(start.ravel(), np.zeros(3)), max_nfev=200)
        return float((found.fun**2).mean())

    def errors(self, x: Floats) -> Floats:
        """ΔE00 (N,) of coordinates (N, 3) that a match made of `here`."""
        return difference(x, coordinates(xyz_to_oklab(self.there)))


#: What the second camera's maker does besides: a tone and a tint of its own.
_TONE = 0.9
_TINT = np.array([[0.05, -0.05, 0.0], [0.0, 0.04, -0.04], [0.03, 0.0, -0.03]])


def two_cameras(first: Camera, second: Camera, power: Floats) -> TwoCameras:
    """A camera brought to another under one light."""
    chart = iso24()
    surfaces = chart.reflectances
    assert surfaces is not None
    truth = xyz_of_surfaces(surfaces, power) @ bradford(Illuminant("", power).white, D50).T

    def rendered(camera: Camera, reflectances: Floats, tone: float, tint: Floats) -> Floats:
        neutral = camera.neutral(power)
        matrix = plain_least_squares(camera.respond(surfaces, power) / neutral, truth, "matrix")
        xyz = camera.respond(reflectances, power) / neutral @ (matrix @ (np.eye(3) + tint)).T
        return np.asarray(D50 * (np.maximum(xyz, 1e-5) / D50) ** tone)

    mine = xyz_to_oklab(rendered(first, surfaces, 1.0, 0.0 * _TINT))
    theirs = xyz_to_oklab(rendered(second, surfaces, _TONE, _TINT))
    pairs = [Pair(tuple(h), tuple(w), Origin.CHART, i) for i, h, w in zip(chart.ids, mine, theirs, strict=True)]
    unseen = unseen_reflectances()
    return TwoCameras(pairs, rendered(first, unseen, 1.0, 0.0 * _TINT), rendered(second, unseen, _TONE, _TINT))


def faded(x: Floats) -> Floats:
    """A treatment of coordinates (N, 3): lifted blacks, warm lights, cool shadows, more chroma."""
    light = x[:, 0] / 100.0
    toned = 100.0 * (np.maximum(light, 0.0) ** 0.9 * 0.95 + 0.03)
    return np.stack([toned, 1.2 * x[:, 1] + 6.0 * (1.0 - light), 1.1 * x[:, 2] - 4.0 * (1.0 - light) + 5.0 * light], axis=1)


def turned(x: Floats) -> Floats:
    """A treatment of coordinates (N, 3): hues turned, chroma by hue, an s-shaped tone."""
    hue, size, light = np.arctan2(x[:, 2], x[:, 1]), chroma(x), np.clip(x[:, 0] / 100.0, 0.0, 1.0)
    way, strong = hue + 0.25 * np.sin(2.0 * hue), size * (1.0 + 0.2 * np.cos(hue))
    toned = 100.0 * (0.4 * (3.0 * light**2 - 2.0 * light**3) + 0.6 * light)
    return np.stack([toned, strong * np.cos(way), strong * np.sin(way)], axis=1)


TREATMENTS = {"faded": faded, "turned": turned}


def treated(picture: Pixels, treatment: str) -> Pixels:
    """A picture, linear ROMM RGB (H, W, 3), treated and cut to 0..1."""
    x = coordinates(xyz_to_oklab(np.maximum(picture.reshape(-1, 3).astype(np.float64), 0.0) @ ROMM.to_xyz.T))
    linear = oklab_to_xyz(oklab_at(TREATMENTS[treatment](x))) @ ROMM.from_xyz.T
    return np.clip(linear, 0.0, 1.0).reshape(picture.shape).astype(np.float32)


def spoilt(picture: Pixels, seed: int = 0) -> Pixels:
    """A picture 2 px off, 1 % larger, with 1 % noise, after JPEG of quality 80."""
    height, width = picture.shape[:2]
    matrix = np.array([[1.01, 0.0, 2.0], [0.0, 1.01, -2.0]], dtype=np.float32)
    moved = cv2.warpAffine(picture, matrix, (width, height), flags=cv2.INTER_CUBIC, borderMode=cv2.BORDER_REFLECT)
    noisy = np.clip(moved * (1.0 + 0.01 * np.random.default_rng(seed).standard_normal(moved.shape)), 0.0, 1.0)
    codes = np.round(ROMM.encode(noisy) * 255.0).astype(np.uint8)
    data = cv2.imencode(".jpg", codes[..., ::-1], [cv2.IMWRITE_JPEG_QUALITY, 80])[1]
    read = np.asarray(cv2.imdecode(data, cv2.IMREAD_COLOR))
    return np.asarray(ROMM.decode(read[..., ::-1] / 255.0), dtype=np.float32)


def treatment_errors(at: Floats, picture: Pixels, treatment: str) -> Floats:
    """ΔE00 of what a match made (coordinates (N, 3)) of every 97th pixel of a picture from the treatment itself."""
    few = picture.reshape(-1, 3)[::97]
    meant = treated(few[None], treatment)[0].astype(np.float64)
    return difference(at, coordinates(xyz_to_oklab(meant @ ROMM.to_xyz.T)))


def seen_in(picture: Pixels) -> Floats:
    """Coordinates (N, 3) of every 97th pixel of a picture."""
    return coordinates(xyz_to_oklab(picture.reshape(-1, 3)[::97].astype(np.float64) @ ROMM.to_xyz.T))

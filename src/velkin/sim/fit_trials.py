"""Trials of profile fitting: simulated chart readings, colours that no fit saw, and the best that a class of maps can do."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import least_squares

from velkin.core.charts.definition import Chart
from velkin.core.charts.read import Choices, PatchReading, Reading
from velkin.core.spaces.adaptation import D50, bradford
from velkin.core.spaces.difference import ciede2000
from velkin.core.spaces.lab import xyz_to_lab
from velkin.core.spectra import Illuminant, xyz_of_surfaces
from velkin.sim.camera import Camera
from velkin.sim.dyes import paint_reflectances, smooth_reflectances

Floats = NDArray[np.float64]


def reading_of(chart: Chart, rgb: Floats) -> Reading:
    """A reading of a chart whose patches have camera RGB (N, 3)."""
    patches = tuple(
        PatchReading(name, (float(r), float(g), float(b)), 0.0, 0.0, 0.0)
        for name, (r, g, b) in zip(chart.ids, rgb, strict=True)
    )
    return Reading(chart.id, ((0, 0), (600, 0), (600, 400), (0, 400)), patches, Choices(), 80.0)


def chart_rgb(camera: Camera, power: Floats, chart: Chart, noise: float = 0.0, fall_off: float = 0.0, seed: int = 0) -> Floats:
    """Camera RGB (N, 3) of a chart's patches: relative noise, and light that falls off across the chart."""
    assert chart.reflectances is not None
    rgb = 0.8 * camera.respond(chart.reflectances, power)
    across = chart.centres()[:, 0]
    rgb = rgb * (1.0 - fall_off * across)[:, None]
    return np.asarray(rgb * (1.0 + noise * np.random.default_rng(seed).standard_normal(rgb.shape)))


@dataclass(frozen=True)
class Unseen:
    """Colours that no fit saw.

    Attributes
    ----------
    rgb : ndarray (N, 3)
        Balanced camera RGB, a perfect diffuser at 1.
    truth : ndarray (N, 3)
        XYZ D50.
    """

    rgb: Floats
    truth: Floats

    def error(self, xyz: Floats) -> float:
        """Mean ΔE00 of what a map makes of them."""
        return float(ciede2000(xyz_to_lab(xyz), xyz_to_lab(self.truth)).mean())


def unseen_reflectances() -> Floats:
    """500 dye and paint mixtures (500, 81)."""
    return np.vstack([smooth_reflectances(300, seed=77), paint_reflectances(200, seed=78)])


def unseen(camera: Camera, power: Floats, reflectances: Floats) -> Unseen:
    """What a camera and the standard observer see of reflectances under a light."""
    rgb = camera.respond(reflectances, power) / camera.neutral(power)
    truth = xyz_of_surfaces(reflectances, power) @ bradford(Illuminant("", power).white, D50).T
    return Unseen(rgb, np.asarray(truth))


def _terms(rgb: Floats, model: str) -> Floats:
    if model == "matrix":
        return rgb
    r, g, b = np.maximum(rgb, 0.0).T
    return np.stack([r, g, b, np.sqrt(r * g), np.sqrt(g * b), np.sqrt(r * b)], axis=1)


def plain_least_squares(rgb: Floats, xyz: Floats, model: str) -> Floats:
    """Coefficients (3, K) of white-preserving least squares in XYZ, unweighted."""
    terms = _terms(rgb, model)
    design = terms[:, 1:] - terms[:, :1]
    free = [np.linalg.lstsq(design, xyz[:, k] - terms[:, 0] * D50[k], rcond=None)[0] for k in range(3)]
    return np.column_stack([D50 - np.sum(free, axis=1), np.array(free)])


def through(coefficients: Floats, rgb: Floats, model: str) -> Floats:
    """XYZ D50 (N, 3) of camera RGB through coefficients of the plain class, no floor under the roots."""
    return np.asarray(_terms(rgb, model) @ coefficients.T)


def best_of_class(colours: Unseen, model: str) -> float:
    """The lowest mean ΔE00 found for any white-preserving matrix or root-polynomial, exposure free, on colours themselves."""
    lab = xyz_to_lab(colours.truth)
    terms = _terms(colours.rgb, model)
    start = plain_least_squares(colours.rgb, colours.truth, model)[:, 1:]

    def errors(values: Floats) -> Floats:
        free = values[:-1].reshape(3, -1)
        rows = np.column_stack([D50 - free.sum(axis=1), free]) * values[-1]
        # the square root, so that the sum of squares is the sum of the differences themselves
        return np.asarray(np.sqrt(ciede2000(xyz_to_lab(terms @ rows.T), lab) + 1e-9))

    found = least_squares(errors, np.append(start.ravel(), 1.0), max_nfev=80)
    return float((found.fun**2).mean())

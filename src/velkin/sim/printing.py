"""The stand-in printer and the stand-in instrument: sRGB numbers become ink on paper, and ink on paper becomes reflectances.

Ink on paper follows the single-constant theory of Kubelka and Munk, like the dyes (`dyes.py`): absorption over scattering of the
paper plus that of each ink times its amount. The printer is colour-managed: it looks for the amounts whose colour is nearest.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from velkin.core.charts.average import average_references
from velkin.core.charts.definition import Chart, neutral_patches
from velkin.core.charts.print_chart import print_numbers
from velkin.core.spaces.adaptation import D50, bradford
from velkin.core.spaces.lab import xyz_to_lab
from velkin.core.spaces.rgb import SRGB
from velkin.core.spectra import WAVELENGTHS, daylight, xyz_of_light, xyz_of_surfaces
from velkin.sim.dyes import absorption_ratio, reflectance_of_ratio

Floats = NDArray[np.float64]


def _band(centre: float, left: float, right: float) -> Floats:
    width = np.where(centre > WAVELENGTHS, left, right)
    return np.asarray(np.exp(-0.5 * ((WAVELENGTHS - centre) / width) ** 2))


@dataclass(frozen=True)
class Printer:
    """A stand-in printer.

    Attributes
    ----------
    paper : float
        Reflectance of the bare paper in the long wavelengths.
    strength : float
        How strong its inks are, 1 for the usual.
    """

    paper: float = 0.88
    strength: float = 1.0

    def _inks(self) -> Floats:
        cyan = _band(640.0, 62.0, 90.0) + 0.10 * _band(430.0, 40.0, 40.0)
        magenta = _band(545.0, 42.0, 32.0) + 0.16 * _band(430.0, 50.0, 40.0)
        yellow = _band(425.0, 60.0, 42.0)
        black = np.full_like(WAVELENGTHS, 1.0)
        return self.strength * np.stack([cyan, magenta, yellow, black])

    def reflectances(self, amounts: Floats) -> Floats:
        """Reflectances (N, 81) of ink amounts (N, 4): cyan, magenta, yellow, black."""
        paper = self.paper - 0.05 * np.exp(-(WAVELENGTHS - 380.0) / 45.0)
        return reflectance_of_ratio(absorption_ratio(paper)[None] + amounts @ self._inks())

    def print(self, codes: Floats) -> Floats:
        """Reflectances (N, 81) of a print of sRGB numbers (N, 3), 0..1: the nearest colour the inks reach, white at the paper."""
        light = daylight(5003.0)
        adapt = bradford(xyz_of_light(light), D50)
        target = xyz_to_lab(SRGB.decode(codes) @ SRGB.to_xyz.T)
        # to the paper's white, and no darker than the inks
        target[:, 0] = 7.0 + target[:, 0] * (95.0 - 7.0) / 100.0
        amounts = np.full((len(codes), 4), 0.3)
        amounts[:, 3] = 0.05

        def lab(a: Floats) -> Floats:
            return xyz_to_lab(xyz_of_surfaces(self.reflectances(a), light) @ adapt.T)

        root = np.sqrt(amounts)  # amounts are squares, so that none is negative
        for _ in range(60):
            now = lab(root**2)
            slope = np.stack([(lab((root + 1e-4 * e) ** 2) - now) / 1e-4 for e in np.eye(4)], axis=-1)
            # a little pull holds black ink low where three inks will do
            pull = np.diag([0.02, 0.02, 0.02, 0.4])
            normal = np.einsum("nki,nkj->nij", slope, slope) + pull + 0.5 * np.eye(4)
            right = np.einsum("nki,nk->ni", slope, target - now) - root @ pull
            root = np.clip(root + np.clip(np.linalg.solve(normal, right[..., None])[..., 0], -0.4, 0.4), 1e-3, 8.0)
        return self.reflectances(root**2)


@dataclass(frozen=True)
class Instrument:
    """The stand-in instrument: a spectrophotometer that repeats itself to a small standard deviation."""

    repeatability: float = 0.0008

    def measure(self, chart: Chart, surfaces: Floats, seed: int = 0) -> Chart:
        """A chart whose reference is what was measured of its printed patches (N, 81)."""
        noise = np.random.default_rng(seed).normal(0.0, self.repeatability, (len(surfaces), 1 + len(WAVELENGTHS[::8])))
        knots = np.linspace(WAVELENGTHS[0], WAVELENGTHS[-1], noise.shape[1])
        wave = np.array([np.interp(WAVELENGTHS, knots, row) for row in noise])
        measured = np.clip(surfaces * (1.0 + wave) + wave * 0.1, 1e-4, None)
        return replace(chart, source="measured by the stand-in instrument", reflectances=measured, colours=None)


def measured_print(chart: Chart, name: str) -> Chart:
    """A print of a chart on another paper, with weaker inks, than its nominal values assume, as the instrument measures it three times."""
    surfaces = Printer(paper=0.84, strength=0.93).print(print_numbers(chart))
    measured = average_references([Instrument().measure(chart, surfaces, seed) for seed in range(3)])
    return replace(
        measured, id=name, name=f"{chart.name}, measured", neutrals=neutral_patches(chart.ids, measured.reference_d50())
    )

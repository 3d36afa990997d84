"""A stand-in press: four inks on uncoated paper, computed from spectra; and its ICC profile, as a print room publishes one.

Halftones follow the Neugebauer equations with Yule and Nielsen's exponent (Yule and Nielsen 1951; Viggiano 1990) and a dot
gain; overprints are products of ink transmittances. Deterministic and simulated.
"""

from __future__ import annotations

import itertools
from functools import lru_cache
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from velkin.core.icc.write_output import OutputTables, lab_grid, output_profile
from velkin.core.spaces.adaptation import D50
from velkin.core.spaces.lab import xyz_to_lab
from velkin.core.spectra import WAVELENGTHS, daylight, observer

Floats = NDArray[np.float64]

NAME = "Quill Lane uncoated (simulated)"
_BANDS = WAVELENGTHS[4:65:3]
_N = 1.9
_GAIN = 0.14
_SIDE, _LAB_SIDE = 13, 25
#: How firmly black is held to what replaces grey, ΔE*76 squared for a whole ink.
_PULL = 10.0


def _edge(centre: float, width: float) -> Floats:
    return np.asarray(1.0 / (1.0 + np.exp(-(_BANDS - centre) / width)))


@lru_cache(maxsize=1)
def _primaries() -> Floats:
    """Reflectance (16, bands) of every overprint, bits in the order C M Y K."""
    paper = 0.88 - 0.10 * np.exp(-(((_BANDS - 400) / 45.0) ** 2))
    cyan = 0.06 + 0.86 * (1 - _edge(560, 17)) * (0.75 + 0.25 * _edge(430, 12))
    magenta = 0.07 + 0.45 * (1 - _edge(480, 18)) + 0.86 * _edge(595, 11)
    yellow = 0.06 + 0.89 * _edge(500, 13)
    black = np.full(len(_BANDS), 0.045)
    inks = [np.clip(i, 0.03, 0.97) for i in (cyan, magenta, yellow, black)]
    rows = []
    for bits in itertools.product((0, 1), repeat=4):
        reflectance = paper.copy()
        for on, ink in zip(bits, inks, strict=True):
            reflectance = reflectance * ink if on else reflectance
        rows.append(0.012 + 0.988 * reflectance)
    return np.array(rows)


@lru_cache(maxsize=1)
def _weights() -> Floats:
    """XYZ weights (bands, 3) under D50; the perfect diffuser is exactly the connection space's white."""
    raw = (observer() * daylight(5003.0)[:, None])[4:65:3]
    return np.asarray(raw * (D50 / raw.sum(axis=0)))


def printed_xyz(cmyk: Floats) -> Floats:
    """XYZ D50 (N, 3) of ink amounts (N, 4) in 0..1, paper included."""
    dots = np.clip(cmyk, 0.0, 1.0)
    dots = dots + _GAIN * 4.0 * dots * (1.0 - dots) * (1.0 - 0.3 * dots)
    shares = np.ones((len(dots), 16))
    for row, bits in enumerate(itertools.product((0, 1), repeat=4)):
        for ink, on in enumerate(bits):
            shares[:, row] *= dots[:, ink] if on else 1.0 - dots[:, ink]
    return np.asarray((shares @ _primaries() ** (1.0 / _N)) ** _N @ _weights())


def paper_white() -> Floats:
    """XYZ D50 of the bare paper."""
    return np.asarray(printed_xyz(np.zeros((1, 4)))[0])


def printed_lab(cmyk: Floats) -> Floats:
    """Lab D50 (N, 3), media-relative: the paper is 100, 0, 0."""
    return xyz_to_lab(printed_xyz(cmyk) / paper_white() * D50)


def separated(lab: Floats) -> Floats:
    """Ink amounts (N, 4) that print media-relative Lab (N, 3) as nearly as the press can.

    Black replaces grey parts; where that leaves a colour short, black gives way to what comes nearest, as in a deep blue.
    """
    ink = np.full((len(lab), 4), 0.3)
    ink[:, 3] = 0.0
    ink = _solved(ink, lab, 3)
    grey = ink[:, :3].min(axis=1)
    ink[:, 3] = np.clip((grey - 0.35) / 0.65, 0.0, 1.0) ** 1.4
    dark = np.clip((18.0 - lab[:, 0]) / 18.0, 0.0, 1.0)
    ink[:, 3] = np.maximum(ink[:, 3], dark)
    return _solved(_solved(ink, lab, 3), lab, 4)


def _solved(ink: Floats, lab: Floats, inks: int) -> Floats:
    """Damped Gauss-Newton steps towards Lab on cyan, magenta and yellow, and with four `inks` on black too, which is held near
    to what it was."""
    black, ink = ink[:, 3], ink.copy()
    pull = np.array([0.0, 0.0, 0.0, _PULL])[:inks]
    for _ in range(10 if inks == 3 else 20):
        now = printed_lab(ink)
        columns = []
        for c in range(inks):
            step = np.where(ink[:, c] < 0.5, 0.004, -0.004)
            moved = ink.copy()
            moved[:, c] += step
            columns.append((printed_lab(moved) - now) / step[:, None])
        jacobian = np.stack(columns, axis=-1)
        normal = np.einsum("nij,nik->njk", jacobian, jacobian) + np.diag(60.0 + pull)
        wish = np.einsum("nij,ni->nj", jacobian, lab - now)
        wish += pull * (np.column_stack([ink[:, :3], black])[:, :inks] - ink[:, :inks])
        move = np.linalg.solve(normal, wish[..., None])[..., 0]
        ink[:, :inks] = np.clip(ink[:, :inks] + np.clip(move, -0.25, 0.25), 0.0, 1.0)
    return ink


@lru_cache(maxsize=2)
def press_profile(version: Literal[2, 4] = 4) -> bytes:
    """The press's CMYK profile: relative colorimetric, and perceptual with the lightness range fitted into the ink's."""
    steps = np.linspace(0.0, 1.0, _SIDE)
    device = np.stack(np.meshgrid(steps, steps, steps, steps, indexing="ij"), axis=-1)
    to_lab = printed_lab(device.reshape(-1, 4)).reshape(*device.shape[:-1], 3)
    black = float(printed_lab(np.ones((1, 4)))[0, 0])
    wanted = lab_grid(_LAB_SIDE)
    shape = (_LAB_SIDE, _LAB_SIDE, _LAB_SIDE, 4)
    colorimetric = OutputTables(to_lab, separated(wanted).reshape(shape))
    fitted = wanted.copy()
    fitted[:, 0] = black + wanted[:, 0] * (100.0 - black) / 100.0
    stretched = to_lab.copy()
    stretched[..., 0] = (to_lab[..., 0] - black) * 100.0 / (100.0 - black)
    perceptual = OutputTables(stretched, separated(fitted).reshape(shape))
    return output_profile(NAME, perceptual, colorimetric, white=paper_white(), version=version)
